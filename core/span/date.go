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
	if month < 1 || month > 12 || year < 1 || year > 1<<20 {
		year += int(floorDiv(int64(month)-1, 12))
		month = time.Month(floorMod(int64(month)-1, 12) + 1)
		era := floorDiv(int64(year), 400) // to years from 400 on
		return NewDate(year-int(era-1)*400, month, day) + Date((era-1)*eraDays)
	}
	// Years are reckoned from March, so that the day that some have is their last.
	y, m := uint32(year), uint32(month)
	if m <= 2 {
		y--
		m += 12
	}
	return Date(365*y+y/4-y/100+y/400+(153*(m-3)+2)/5) - eraShift + Date(day) - 1
}

// eraDays is the length of 400 years; eraShift the days from 1 March 0000 to 1970-01-01.
const eraDays, eraShift = 146097, 719468

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
func (d Date) Weekday() time.Weekday { return time.Weekday(floorMod(int64(d)+4, 7)) } // 1970-01-01 was a Thursday

// Civil splits the day into year, month and day of the month.
func (d Date) Civil() (year int, month time.Month, day int) {
	n := int64(d) + eraShift
	era := floorDiv(n, eraDays)
	ofEra := n - era*eraDays
	y := (ofEra - ofEra/1460 + ofEra/36524 - ofEra/146096) / 365
	ofYear := ofEra - (365*y + y/4 - y/100)
	m := (5*ofYear + 2) / 153
	year, month, day = int(y+era*400), time.Month(m+3), int(ofYear-(153*m+2)/5)+1
	if month > 12 {
		month -= 12
		year++
	}
	return year, month, day
}

// Wall is the day's first reading.
func (d Date) Wall() Wall { return Wall(d) * daySeconds }

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

func (d Date) utc() time.Time { return d.Wall().Time() }

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

func floorMod(a, b int64) int64 { return a - floorDiv(a, b)*b }
