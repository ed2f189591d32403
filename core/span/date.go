package span

import (
	"fmt"
	"sort"
	"time"
)

// Date is a day of the proleptic Gregorian calendar, without a zone, counted from
// 1970-01-01 (the zero value).
type Date int32

// NewDate returns the day; months and days out of range carry over as in time.Date.
func NewDate(year int, month time.Month, day int) Date {
	return DateOf(time.Date(year, month, day, 0, 0, 0, 0, time.UTC))
}

// DateOf is the day that t's own wall clock shows.
func DateOf(t time.Time) Date {
	_, offset := t.Zone()
	return Date(floorDiv(t.Unix()+int64(offset), 86400))
}

// ParseDate reads a date as 2026-07-03.
func ParseDate(s string) (Date, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return 0, fmt.Errorf("%q is not a date: write it as 2026-07-03", s)
	}
	return DateOf(t), nil
}

// String writes the day as 2026-07-03.
func (d Date) String() string { return d.utc().Format(time.DateOnly) }

// Weekday is the day of the week.
func (d Date) Weekday() time.Weekday { return d.utc().Weekday() }

// Civil splits the day into year, month and day of the month.
func (d Date) Civil() (year int, month time.Month, day int) { return d.utc().Date() }

// Start is the first instant of the day in loc: midnight, or the end of the gap
// where a change of the clock leaves midnight out.
func (d Date) Start(loc *time.Location) time.Time {
	midnight := d.utc().Unix()
	_, before := time.Unix(midnight-86400, 0).In(loc).Zone()
	_, after := time.Unix(midnight+86400, 0).In(loc).Zone()
	first := time.Unix(midnight-int64(max(before, after)), 0).In(loc)
	if DateOf(first) == d {
		return first
	}
	// Midnight is in a gap, or the zone left out the whole day: the first second at
	// which the clock shows this day or a later one.
	const reach = 72 * 3600
	low := midnight - reach/2
	n := sort.Search(reach, func(i int) bool { return DateOf(time.Unix(low+int64(i), 0).In(loc)) >= d })
	return time.Unix(low+int64(n), 0).In(loc)
}

func (d Date) utc() time.Time { return time.Unix(int64(d)*86400, 0).UTC() }

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}
