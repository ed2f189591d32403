package recur

import (
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/ical"
)

// Freq is how often a rule comes round.
type Freq string

// The frequencies that are covered; the finer ones of RFC 5545 are not.
const (
	Daily   Freq = "DAILY"
	Weekly  Freq = "WEEKLY"
	Monthly Freq = "MONTHLY"
	Yearly  Freq = "YEARLY"
)

// nthDay is one value of BYDAY: a weekday, and which one of the month or year
// (0: every one, -1: the last).
type nthDay struct {
	nth     int
	weekday time.Weekday
}

// Rule is a recurrence rule (RFC 5545 section 3.3.10) of the covered parts.
type Rule struct {
	freq       Freq
	interval   int
	count      int          // 0: no COUNT
	until      *ical.Moment // nil: no UNTIL
	byMonth    []int
	byMonthDay []int
	byDay      []nthDay
	bySetPos   []int
	weekStart  time.Weekday
}

var weekdays = []string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}

// ParseRule reads the value of an RRULE. The error names the part that is wrong or
// not covered.
func ParseRule(s string) (Rule, error) {
	r := Rule{interval: 1, weekStart: time.Monday}
	for _, part := range strings.Split(strings.ToUpper(strings.TrimSpace(s)), ";") {
		if part == "" {
			continue
		}
		name, value, _ := strings.Cut(part, "=")
		if err := r.set(name, value); err != nil {
			return Rule{}, fmt.Errorf("%s: %w", part, err)
		}
	}
	switch r.freq {
	case Daily, Weekly, Monthly, Yearly:
		return r, nil
	case "":
		return Rule{}, fmt.Errorf("the rule %q has no FREQ", s)
	}
	return Rule{}, fmt.Errorf("FREQ=%s is not covered", r.freq)
}

func (r *Rule) set(name, value string) (err error) {
	switch name {
	case "FREQ":
		r.freq = Freq(value)
	case "INTERVAL":
		r.interval, err = number(value, 1, 10000)
	case "COUNT":
		r.count, err = number(value, 1, 1000000)
	case "UNTIL":
		var m ical.Moment
		if m, err = ical.ParseMoment(value, ""); err == nil {
			r.until = &m
		}
	case "BYMONTH":
		r.byMonth, err = numbers(value, 1, 12)
	case "BYMONTHDAY":
		r.byMonthDay, err = numbers(value, -31, 31)
	case "BYSETPOS":
		r.bySetPos, err = numbers(value, -366, 366)
	case "BYDAY":
		r.byDay, err = nthDays(value)
	case "WKST":
		i := slices.Index(weekdays, value)
		if i < 0 {
			return fmt.Errorf("not a weekday")
		}
		r.weekStart = time.Weekday(i)
	default:
		return fmt.Errorf("this part of a rule is not covered")
	}
	return err
}

func number(s string, low, high int) (int, error) {
	n, err := strconv.Atoi(s)
	if err != nil || n < low || n > high || n == 0 {
		return 0, fmt.Errorf("not a number from %d to %d", low, high)
	}
	return n, nil
}

func numbers(s string, low, high int) ([]int, error) {
	var all []int
	for _, v := range strings.Split(s, ",") {
		n, err := number(strings.TrimSpace(v), low, high)
		if err != nil {
			return nil, err
		}
		all = append(all, n)
	}
	return all, nil
}

func nthDays(s string) ([]nthDay, error) {
	var all []nthDay
	for _, v := range strings.Split(s, ",") {
		v = strings.TrimSpace(v)
		if len(v) < 2 {
			return nil, fmt.Errorf("not a weekday")
		}
		d := nthDay{weekday: time.Weekday(slices.Index(weekdays, v[len(v)-2:]))}
		if d.weekday < 0 {
			return nil, fmt.Errorf("%s is not a weekday", v)
		}
		if n := v[:len(v)-2]; n != "" {
			var err error
			if d.nth, err = number(n, -53, 53); err != nil {
				return nil, err
			}
		}
		all = append(all, d)
	}
	return all, nil
}

// maxEmpty is how many periods in a row may give nothing before a rule is taken to
// have ended (a 30 February never comes; a 29 February comes within eight years).
const maxEmpty = 5000

// walls yields the wall readings of the rule that begins at start, in order. DTSTART
// is always the first of them and counts towards COUNT. Without COUNT, periods that
// end well before from are passed over. UNTIL is left to the caller, who knows the
// zone.
func (r Rule) walls(start, from time.Time) iter.Seq[time.Time] {
	return func(yield func(time.Time) bool) {
		if !yield(start) || r.count == 1 {
			return
		}
		given, empty := 1, 0
		for k := r.skip(start, from); empty < maxEmpty; k++ {
			days := r.period(start, k)
			if len(days) == 0 {
				empty++
				continue
			}
			empty = 0
			for _, d := range days {
				w := time.Date(d.Year(), d.Month(), d.Day(), start.Hour(), start.Minute(), start.Second(), 0, time.UTC)
				if !w.After(start) {
					continue
				}
				if w.Year() > 9999 || !yield(w) {
					return
				}
				if given++; given == r.count {
					return
				}
			}
		}
	}
}

// skip is the number of the first period worth laying out.
func (r Rule) skip(start, from time.Time) int {
	if r.count > 0 || !from.After(start) {
		return 0
	}
	days := int(from.Sub(start).Hours() / 24)
	length := map[Freq]int{Daily: 1, Weekly: 7, Monthly: 31, Yearly: 366}[r.freq] * r.interval
	return max(0, days/length-1)
}

// period returns the days of the rule's kth period after the one that start lies in
// (k counted in intervals), sorted, each once: the expansions and limits of the table
// in RFC 5545 section 3.3.10, then BYSETPOS.
func (r Rule) period(start time.Time, k int) []time.Time {
	var days []time.Time
	y, m, d := start.Date()
	switch n := k * r.interval; r.freq {
	case Daily:
		days = r.limit(day(y, m, d+n))
	case Weekly:
		first := d - (int(start.Weekday())-int(r.weekStart)+7)%7 + 7*n
		for i := range 7 {
			w := day(y, m, first+i)
			if len(r.byDay) == 0 && w.Weekday() == start.Weekday() || r.onWeekday(w) {
				days = append(days, r.limitMonth(w)...)
			}
		}
	case Monthly:
		first := day(y, m+time.Month(n), 1)
		days = r.inMonth(first.Year(), first.Month(), d)
	case Yearly:
		days = r.inYear(y+n, m, d)
	}
	slices.SortFunc(days, time.Time.Compare)
	return r.setPos(slices.Compact(days))
}

// limit keeps a single day only if it fits BYMONTH, BYMONTHDAY and BYDAY.
func (r Rule) limit(w time.Time) []time.Time {
	if len(r.byMonthDay) > 0 && !slices.ContainsFunc(r.byMonthDay, func(n int) bool { return monthDay(w.Year(), w.Month(), n) == w }) {
		return nil
	}
	if len(r.byDay) > 0 && !r.onWeekday(w) {
		return nil
	}
	return r.limitMonth(w)
}

func (r Rule) limitMonth(w time.Time) []time.Time {
	if len(r.byMonth) > 0 && !slices.Contains(r.byMonth, int(w.Month())) {
		return nil
	}
	return []time.Time{w}
}

func (r Rule) onWeekday(w time.Time) bool {
	return slices.ContainsFunc(r.byDay, func(d nthDay) bool { return d.weekday == w.Weekday() })
}

// inMonth is the rule's days in one month: BYMONTHDAY and BYDAY, both, or the day of
// DTSTART; months that BYMONTH leaves out give none.
func (r Rule) inMonth(y int, m time.Month, startDay int) []time.Time {
	if len(r.byMonth) > 0 && !slices.Contains(r.byMonth, int(m)) {
		return nil
	}
	list := r.byMonthDay
	if len(list) == 0 {
		if len(r.byDay) > 0 {
			return r.nthIn(day(y, m, 1), day(y, m+1, 1))
		}
		list = []int{startDay}
	}
	var days []time.Time
	for _, n := range list {
		w := monthDay(y, m, n)
		if !w.IsZero() && (len(r.byDay) == 0 || r.onWeekday(w)) {
			days = append(days, w)
		}
	}
	return days
}

func (r Rule) inYear(y int, startMonth time.Month, startDay int) []time.Time {
	if len(r.byDay) > 0 && len(r.byMonth) == 0 && len(r.byMonthDay) == 0 {
		return r.nthIn(day(y, 1, 1), day(y+1, 1, 1))
	}
	months := r.byMonth
	if len(months) == 0 {
		months = []int{int(startMonth)}
		if len(r.byMonthDay) > 0 {
			months = []int{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12}
		}
	}
	var days []time.Time
	for _, m := range months {
		days = append(days, r.inMonth(y, time.Month(m), startDay)...)
	}
	return days
}

// nthIn returns the days of [first, end) that BYDAY names, counted within it.
func (r Rule) nthIn(first, end time.Time) []time.Time {
	var days []time.Time
	for _, d := range r.byDay {
		var on []time.Time
		offset := (int(d.weekday) - int(first.Weekday()) + 7) % 7
		for w := first.AddDate(0, 0, offset); w.Before(end); w = w.AddDate(0, 0, 7) {
			on = append(on, w)
		}
		switch {
		case d.nth == 0:
			days = append(days, on...)
		case d.nth > 0 && d.nth <= len(on):
			days = append(days, on[d.nth-1])
		case d.nth < 0 && -d.nth <= len(on):
			days = append(days, on[len(on)+d.nth])
		}
	}
	return days
}

func (r Rule) setPos(days []time.Time) []time.Time {
	if len(r.bySetPos) == 0 {
		return days
	}
	var kept []time.Time
	for i, w := range days {
		if slices.Contains(r.bySetPos, i+1) || slices.Contains(r.bySetPos, i-len(days)) {
			kept = append(kept, w)
		}
	}
	return kept
}

func day(y int, m time.Month, d int) time.Time { return time.Date(y, m, d, 0, 0, 0, 0, time.UTC) }

// monthDay is the nth day of a month, counted from its end when n is negative; the
// zero time when the month has no such day.
func monthDay(y int, m time.Month, n int) time.Time {
	last := day(y, m+1, 0).Day()
	if n < 0 {
		n += last + 1
	}
	if n < 1 || n > last {
		return time.Time{}
	}
	return day(y, m, n)
}
