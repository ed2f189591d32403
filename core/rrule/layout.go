package rrule

import (
	"math/bits"
	"slices"
	"time"

	"wharf/core/span"
)

// The engine of rules works on wall readings as numbers: days since 1970-01-01 and
// seconds of a day, without zones. Sets of days of one month are bit masks, bit 0 for
// the first.

const daySeconds = 86400

// unit is the length in seconds of the periods that are always equally long.
var unit = map[Freq]int64{Secondly: 1, Minutely: 60, Hourly: 3600, Daily: daySeconds, Weekly: 7 * daySeconds}

// layout is a rule on its way through time.
type layout struct {
	Rule             // completed by what DTSTART says where the rule does not
	start    int64   // DTSTART as wall seconds
	day      int64   // its day
	clock    []int64 // the times of day of each day, or of each hour or minute, in seconds from its begin
	weekdays uint8   // BYDAY without numbers
	numbered bool    // some of BYDAY is numbered
	days     []int64 // of the period at hand, used again for the next one
	last     int64   // the last reading that was given
	given    int     // how many were, DTSTART included
	fitMonth int     // of fitMask, which is kept from one day to the next
	fitMask  uint32
}

// Each gives the readings of the rule that begins at start, in order, up to to, until f
// returns false. The start itself is always the first of them and counts towards COUNT;
// then what lies before from is jumped over, wherever arithmetic can, so that some of it
// may be among them and some not. UNTIL is left to the caller, who knows the zone. dates:
// the series has dates and no times, so that parts about times do not count (RFC 5545
// section 3.3.10).
func (r Rule) Each(start, from, to span.Wall, dates bool, f func(span.Wall) bool) {
	if !f(start) || r.count == 1 {
		return
	}
	l := newLayout(r, int64(start), dates)
	if l.hopeless() {
		return
	}
	l.each(int64(from), int64(to), func(w int64) bool {
		if w <= l.last {
			return true
		}
		l.last = w
		l.given++
		return f(span.Wall(w)) && l.given != r.count
	})
}

// Gives reports whether the rule itself gives its start.
func (r Rule) Gives(start span.Wall, dates bool) bool {
	r.count, r.ends = 0, false
	l := newLayout(r, int64(start), dates)
	l.last = l.start - 1
	given := false
	if !l.hopeless() {
		l.each(l.start, l.start, func(w int64) bool {
			given = given || w == l.start
			return w < l.start
		})
	}
	return given
}

// Never reports whether the rule gives nothing in the 400 years after start, after which
// the Gregorian calendar repeats itself.
func (r Rule) Never(start span.Wall, dates bool) bool {
	horizon := start.AddDays(146097)
	r.count, r.ends = 0, false
	never := true
	r.Each(start, start, horizon, dates, func(w span.Wall) bool {
		never = w <= start
		return never
	})
	return never
}

func newLayout(r Rule, start int64, dates bool) *layout {
	l := &layout{Rule: r, start: start, day: floorDiv(start, daySeconds), last: start, given: 1, fitMonth: -1 << 60}
	if dates {
		l.bySecond, l.byMinute, l.byHour = 0, 0, 0
	}
	_, month, day := civil(l.day)
	if len(l.byWeekNo)+len(l.byYearDay)+len(l.byMonthDay)+len(l.byDay) == 0 {
		switch {
		case l.freq == Yearly && l.byMonth == 0:
			l.byMonth, l.byMonthDay = 1<<month, []int{day}
		case l.freq == Yearly, l.freq == Monthly:
			l.byMonthDay = []int{day}
		}
	}
	plain := len(l.byWeekNo) > 0 && len(l.byYearDay)+len(l.byMonthDay) == 0 || l.freq == Weekly
	if plain && len(l.byDay) == 0 {
		l.byDay = []nthDay{{weekday: weekdayOf(l.day)}}
	}
	for _, d := range l.byDay {
		l.weekdays |= 1 << d.weekday
		l.numbered = l.numbered || d.nth != 0
	}
	l.numbered = l.numbered && len(l.byWeekNo) == 0 && l.freq >= Monthly
	l.setClock()
	return l
}

// setClock lays out the times within a day, or within an hour or a minute where the rule
// comes round more often than daily.
func (l *layout) setClock() {
	second := l.start - l.day*daySeconds
	hours, minutes, seconds := l.byHour, l.byMinute, l.bySecond
	if hours == 0 {
		hours = 1 << (second / 3600)
	}
	if minutes == 0 {
		minutes = 1 << (second / 60 % 60)
	}
	if seconds == 0 {
		seconds = 1 << (second % 60)
	}
	if l.freq <= Hourly {
		hours = 1
	}
	if l.freq <= Minutely {
		minutes = 1
	}
	if l.freq == Secondly {
		seconds = 1
	}
	for h := hours; h != 0; h &= h - 1 {
		for m := minutes; m != 0; m &= m - 1 {
			for s := seconds; s != 0; s &= s - 1 {
				l.clock = append(l.clock, int64(bits.TrailingZeros64(h)*3600+bits.TrailingZeros64(m)*60+bits.TrailingZeros64(s)))
			}
		}
	}
}

// each gives the wall readings of the periods that touch [from, to], in order, until f
// returns false. Those that lie before from may be among them.
func (l *layout) each(from, to int64, f func(int64) bool) {
	if l.count > 0 && !l.even() {
		from = l.start
	}
	from = max(from, l.start)
	switch l.freq {
	case Yearly, Monthly:
		l.eachCivil(from, to, f)
	case Weekly, Daily:
		length := unit[l.freq] / daySeconds * int64(l.interval)
		first := l.day
		if l.freq == Weekly {
			first -= int64(weekdayOf(l.day)-l.weekStart+7) % 7
		}
		jump := max(0, (floorDiv(from, daySeconds)-first)/length)
		if !l.jumped(jump, func(f func(int64) bool) { l.give(l.period(first), f) }) {
			return
		}
		for d := first + jump*length; d*daySeconds <= to; d += length {
			if !l.give(l.period(d), f) {
				return
			}
		}
	default:
		l.eachFine(from, to, f)
	}
}

// period lays out the days of the week, or the one day, that begins with d.
func (l *layout) period(d int64) []int64 {
	l.days = l.days[:0]
	for n := range unit[l.freq] / daySeconds {
		if l.fits(d + n) {
			l.days = append(l.days, d+n)
		}
	}
	return l.days
}

// even reports whether each period gives as many readings as the next, so that they need
// not be counted one by one.
func (l *layout) even() bool {
	whole := l.byMonth == 0 && len(l.byMonthDay)+len(l.byYearDay) == 0
	switch l.freq {
	case Weekly:
		return l.byMonth == 0
	case Daily:
		return whole && len(l.byDay) == 0
	case Hourly, Minutely, Secondly:
		return whole && len(l.byDay) == 0 && l.byHour == 0 && (l.freq == Hourly || l.byMinute == 0) && (l.freq != Secondly || l.bySecond == 0)
	}
	return false
}

// jumped counts the readings of the periods that were jumped over, of which first gives
// those of the first. It reports whether there is any left.
func (l *layout) jumped(periods int64, first func(func(int64) bool)) bool {
	if periods == 0 || l.count == 0 {
		return true
	}
	all, later := 0, 0
	first(func(w int64) bool {
		all++
		if w > l.start {
			later++
		}
		return true
	})
	if all > 0 && periods > int64(l.count/all)+1 {
		return false
	}
	l.given += later + int(periods-1)*all
	return l.given < l.count
}

// eachCivil goes by months or years.
func (l *layout) eachCivil(from, to int64, f func(int64) bool) {
	year, month, _ := civil(l.day)
	fromYear, fromMonth, _ := civil(floorDiv(from, daySeconds))
	if l.freq == Yearly {
		for y := year + (fromYear-year)/l.interval*l.interval; dayOf(y, 1, 1)*daySeconds <= to; y += l.interval {
			if l.inYear(y); !l.give(l.days, f) {
				return
			}
		}
		return
	}
	begin := year*12 + month - 1
	for n := begin + (fromYear*12+fromMonth-1-begin)/l.interval*l.interval; dayOf(n/12, n%12+1, 1)*daySeconds <= to; n += l.interval {
		l.days = l.days[:0]
		l.inMonth(n/12, n%12+1, true)
		if !l.give(l.days, f) {
			return
		}
	}
}

// eachFine goes by hours, minutes or seconds; days, hours and minutes that the rule
// leaves out are jumped over.
func (l *layout) eachFine(from, to int64, f func(int64) bool) {
	length := unit[l.freq]
	step := length * int64(l.interval)
	first := l.start - floorMod(l.start, length)
	// at is the first period at or after a reading.
	at := func(w int64) int64 { return first + max(0, floorDiv(w-first+step-1, step))*step }
	fitDay, fits := int64(0), false
	begin := max(first, at(from)-step)
	if !l.jumped((begin-first)/step, func(f func(int64) bool) { l.give1(first, f) }) {
		return
	}
	for w := begin; w <= to; {
		d := floorDiv(w, daySeconds)
		if d != fitDay || w == begin {
			fitDay, fits = d, l.fits(d)
		}
		second := w - d*daySeconds
		switch {
		case !fits:
			w = at((d + 1) * daySeconds)
		case l.byHour != 0 && l.byHour>>(second/3600)&1 == 0:
			w = max(w+step, at(d*daySeconds+next(l.byHour, second/3600, 24)*3600))
		case l.freq < Hourly && l.byMinute != 0 && l.byMinute>>(second/60%60)&1 == 0:
			w = max(w+step, at(w-second%3600+next(l.byMinute, second/60%60, 60)*60))
		case l.freq == Secondly && l.bySecond != 0 && l.bySecond>>(second%60)&1 == 0:
			w = max(w+step, at(w-second%60+next(l.bySecond, second%60, 60)))
		default:
			if !l.give1(w, f) {
				return
			}
			w += step
		}
	}
}

// next is the first of the set after n, or the end where there is none.
func next(set uint64, n, end int64) int64 {
	if rest := set >> (n + 1); rest != 0 {
		return n + 1 + int64(bits.TrailingZeros64(rest))
	}
	return end
}

// hopeless reports whether a rule that comes round more often than daily never gives
// anything: its steps never meet the times of day that it asks for (every second minute
// from an even one is never odd), or BYSETPOS asks for more than there are.
func (l *layout) hopeless() bool {
	if l.freq >= Daily {
		return false
	}
	if len(l.bySetPos) > 0 && !slices.ContainsFunc(l.bySetPos, func(n int) bool { return max(n, -n) <= len(l.clock) }) {
		return true // each hour, minute or second gives as many
	}
	if l.byHour|l.byMinute|l.bySecond == 0 {
		return false
	}
	step := unit[l.freq] * int64(l.interval) % daySeconds
	first := floorMod(l.start, daySeconds)
	second := first
	for {
		met := (l.byHour == 0 || l.byHour>>(second/3600)&1 != 0) &&
			(l.freq >= Hourly || l.byMinute == 0 || l.byMinute>>(second/60%60)&1 != 0) &&
			(l.freq >= Minutely || l.bySecond == 0 || l.bySecond>>(second%60)&1 != 0)
		if met {
			return false
		}
		if second = (second + step) % daySeconds; second == first {
			return true
		}
	}
}

// give gives the times of the days, or those that BYSETPOS picks of them.
func (l *layout) give(days []int64, f func(int64) bool) bool {
	if len(l.bySetPos) == 0 {
		for _, d := range days {
			for _, c := range l.clock {
				if !f(d*daySeconds + c) {
					return false
				}
			}
		}
		return true
	}
	n := len(days) * len(l.clock)
	for i := range n {
		if l.picked(i, n) && !f(days[i/len(l.clock)]*daySeconds+l.clock[i%len(l.clock)]) {
			return false
		}
	}
	return true
}

// give1 is give for a period shorter than a day that begins at w.
func (l *layout) give1(w int64, f func(int64) bool) bool {
	for i, c := range l.clock {
		if (len(l.bySetPos) == 0 || l.picked(i, len(l.clock))) && !f(w+c) {
			return false
		}
	}
	return true
}

// picked reports whether BYSETPOS names the ith of n.
func (l *layout) picked(i, n int) bool {
	return slices.Contains(l.bySetPos, i+1) || slices.Contains(l.bySetPos, i-n)
}

func floorDiv(a, b int64) int64 { return (a - floorMod(a, b)) / b }

func floorMod(a, b int64) int64 {
	if m := a % b; m < 0 {
		return m + b
	} else {
		return m
	}
}

func yearLength(y int) int {
	if leap(y) {
		return 366
	}
	return 365
}

func leap(y int) bool { return y%4 == 0 && (y%100 != 0 || y%400 == 0) }

func monthLength(y, m int) int {
	if m == 2 && leap(y) {
		return 29
	}
	return int("\x1f\x1c\x1f\x1e\x1f\x1e\x1f\x1f\x1e\x1f\x1e\x1f"[m-1])
}

func dayOf(y, m, d int) int64 { return int64(span.NewDate(y, time.Month(m), d)) }

func civil(day int64) (y, m, d int) {
	y, month, d := span.Date(day).Civil()
	return y, int(month), d
}
