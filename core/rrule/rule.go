// Package rrule lays out recurrence rules (RFC 5545 section 3.3.10, RFC 7529) as readings
// of a wall clock.
//
// In: the value of an RRULE, the reading at which it begins and a window. Out: the
// readings in that window. There are no zones here: the rooms below say what instant a
// reading is. Nothing is walked that arithmetic can jump over, and nothing is allocated
// for each reading.
//
//	FREQ=WEEKLY;COUNT=3                       from Monday 2026-07-06 -> 6, 13, 20 July
//	FREQ=MONTHLY;BYDAY=-1FR                   -> the last Friday of each month
//	FREQ=MONTHLY;BYMONTHDAY=31                -> the months that have a 31st
//	FREQ=MONTHLY;BYMONTHDAY=31;SKIP=BACKWARD  -> the last day of every month (RFC 7529)
//	FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30       -> nothing, ever (Never)
//	FREQ=FORTNIGHTLY                          -> an error that says so
package rrule

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/ical"
)

// Freq is how often a rule comes round.
type Freq int

// The frequencies of RFC 5545, from the finest to the coarsest.
const (
	Secondly Freq = iota + 1
	Minutely
	Hourly
	Daily
	Weekly
	Monthly
	Yearly
)

var freqs = map[string]Freq{"SECONDLY": Secondly, "MINUTELY": Minutely, "HOURLY": Hourly, "DAILY": Daily, "WEEKLY": Weekly, "MONTHLY": Monthly, "YEARLY": Yearly}

// nthDay is one value of BYDAY: a weekday, and which one of the month or year
// (0: every one, -1: the last).
type nthDay struct {
	nth     int
	weekday time.Weekday
}

// Rule is a recurrence rule (RFC 5545 section 3.3.10). Sets of small numbers are bit
// masks: bit n stands for n.
type Rule struct {
	freq       Freq
	interval   int
	count      int // 0: no COUNT
	until      ical.Moment
	ends       bool // there is an UNTIL
	skip       skip
	bySecond   uint64
	byMinute   uint64
	byHour     uint64
	byMonth    uint64
	byMonthDay []int
	byYearDay  []int
	byWeekNo   []int
	byDay      []nthDay
	bySetPos   []int
	weekStart  time.Weekday
}

// skip says what becomes of a day that a month or year does not have (RFC 7529 section 4.1).
type skip int

const (
	omit skip = iota
	backward
	forward
)

var skips = map[string]skip{"OMIT": omit, "BACKWARD": backward, "FORWARD": forward}

var weekdays = []string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}

// Parse reads the value of an RRULE or EXRULE. The error names the part that is wrong, or
// of a calendar that is not the Gregorian.
func Parse(s string) (Rule, error) {
	r := Rule{interval: 1, weekStart: time.Monday}
	scaled := false
	for part := range strings.SplitSeq(strings.ToUpper(strings.TrimSpace(s)), ";") {
		if part == "" {
			continue
		}
		name, value, _ := strings.Cut(part, "=")
		name, value = strings.TrimSpace(name), strings.TrimSpace(value)
		scaled = scaled || name == "RSCALE"
		if err := r.set(name, value); err != nil {
			return Rule{}, fmt.Errorf("%s: %w", part, err)
		}
	}
	if r.freq == 0 {
		return Rule{}, fmt.Errorf("the rule %q has no FREQ", s)
	}
	if !scaled {
		r.skip = omit // SKIP means nothing without RSCALE (RFC 7529 section 4.1)
	}
	return r, nil
}

// Freq is how often the rule comes round.
func (r Rule) Freq() Freq { return r.freq }

// Until is the rule's UNTIL, which is inclusive, and whether there is one.
func (r Rule) Until() (ical.Moment, bool) { return r.until, r.ends }

func (r *Rule) set(name, value string) (err error) {
	switch name {
	case "FREQ":
		if r.freq = freqs[value]; r.freq == 0 {
			err = fmt.Errorf("not a frequency")
		}
	case "INTERVAL":
		r.interval, err = number(value, 1, maxInterval)
	case "COUNT":
		r.count, err = number(value, 1, maxCount)
	case "UNTIL":
		r.until, err = ical.ParseMoment(value, "")
		r.ends = true
	case "BYSECOND":
		if r.bySecond, err = mask(value, 0, 60); r.bySecond&(1<<60) != 0 {
			r.bySecond |= 1 << 59 // a leap second is counted as the one before it
			r.bySecond &^= 1 << 60
		}
	case "BYMINUTE":
		r.byMinute, err = mask(value, 0, 59)
	case "BYHOUR":
		r.byHour, err = mask(value, 0, 23)
	case "BYMONTH":
		r.byMonth, err = mask(value, 1, 12)
	case "BYMONTHDAY":
		r.byMonthDay, err = numbers(value, -31, 31)
	case "BYYEARDAY":
		r.byYearDay, err = numbers(value, -366, 366)
	case "BYWEEKNO":
		r.byWeekNo, err = numbers(value, -53, 53)
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
	case "RSCALE":
		if value != "GREGORIAN" {
			err = fmt.Errorf("only the Gregorian calendar is covered")
		}
	case "SKIP":
		known := false
		if r.skip, known = skips[value]; !known {
			err = fmt.Errorf("not OMIT, BACKWARD or FORWARD")
		}
	default:
		err = fmt.Errorf("there is no such part of a rule")
	}
	return err
}

// The largest INTERVAL and COUNT that are believed.
const (
	maxInterval = 1_000_000
	maxCount    = 1_000_000
)

func number(s string, low, high int) (int, error) {
	n, err := strconv.Atoi(strings.TrimSpace(s))
	if err != nil || n < low || n > high {
		return 0, fmt.Errorf("not a number from %d to %d", low, high)
	}
	return n, nil
}

// numbers reads a list of numbers that may count from the end; none of them is 0.
func numbers(s string, low, high int) ([]int, error) {
	var all []int
	for v := range strings.SplitSeq(s, ",") {
		n, err := number(v, low, high)
		if err != nil {
			return nil, err
		}
		if n == 0 {
			return nil, fmt.Errorf("0 is none of them")
		}
		all = append(all, n)
	}
	return all, nil
}

func mask(s string, low, high int) (uint64, error) {
	m := uint64(0)
	for v := range strings.SplitSeq(s, ",") {
		n, err := number(v, low, high)
		if err != nil {
			return 0, err
		}
		m |= 1 << n
	}
	return m, nil
}

func nthDays(s string) ([]nthDay, error) {
	var all []nthDay
	for v := range strings.SplitSeq(s, ",") {
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
			if d.nth, err = number(n, -53, 53); err != nil || d.nth == 0 {
				return nil, fmt.Errorf("not a number from -53 to 53, without 0")
			}
		}
		all = append(all, d)
	}
	return all, nil
}
