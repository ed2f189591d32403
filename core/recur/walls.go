package recur

import (
	"iter"
	"math/bits"
	"slices"
	"time"
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
}

// walls yields the wall readings of the rule that begins at start, in order, up to to.
// DTSTART is always the first of them and counts towards COUNT. Without COUNT, the time
// before from is jumped over. UNTIL is left to the caller, who knows the zone. dates: the
// series has dates and no times, so that parts about times do not count (RFC 5545 section
// 3.3.10).
func (r Rule) walls(start, from, to time.Time, dates bool) iter.Seq[time.Time] {
	return func(yield func(time.Time) bool) {
		if !yield(start) || r.count == 1 {
			return
		}
		l := newLayout(r, start.Unix(), dates)
		given := 1
		l.each(from.Unix(), to.Unix(), func(w int64) bool {
			if w <= l.start {
				return true
			}
			given++
			return yield(time.Unix(w, 0).UTC()) && given != r.count
		})
	}
}

func newLayout(r Rule, start int64, dates bool) *layout {
	l := &layout{Rule: r, start: start, day: floorDiv(start, daySeconds)}
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
	if l.count > 0 {
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
		for d := first + max(0, (floorDiv(from, daySeconds)-first)/length)*length; d*daySeconds <= to; d += length {
			l.days = l.days[:0]
			for n := range unit[l.freq] / daySeconds {
				if l.fits(d + n) {
					l.days = append(l.days, d+n)
				}
			}
			if !l.give(l.days, f) {
				return
			}
		}
	default:
		l.eachFine(from, to, f)
	}
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
	for w := max(first, at(from)-step); w <= to; {
		d := floorDiv(w, daySeconds)
		if d != fitDay || w == first {
			fitDay, fits = d, l.fits(d)
		}
		second := w - d*daySeconds
		switch {
		case !fits:
			w = at((d + 1) * daySeconds)
		case l.byHour != 0 && l.byHour>>(second/3600)&1 == 0:
			w = max(w+step, at(w-second%3600+3600))
		case l.freq < Hourly && l.byMinute != 0 && l.byMinute>>(second/60%60)&1 == 0:
			w = max(w+step, at(w-second%60+60))
		case l.freq == Secondly && l.bySecond != 0 && l.bySecond>>(second%60)&1 == 0:
			w += step
		default:
			if !l.give1(w, f) {
				return
			}
			w += step
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

// fits reports whether a single day is left by the parts that limit: BYMONTH, BYMONTHDAY,
// BYYEARDAY and the weekdays of BYDAY.
func (l *layout) fits(d int64) bool {
	if len(l.byDay) > 0 && l.weekdays>>weekdayOf(d)&1 == 0 {
		return false
	}
	if l.byMonth == 0 && (l.freq == Weekly || len(l.byMonthDay)+len(l.byYearDay) == 0) {
		return true
	}
	y, m, day := civil(d)
	if l.byMonth != 0 && l.byMonth>>m&1 == 0 {
		return false
	}
	if l.freq == Weekly { // BYMONTHDAY and BYYEARDAY mean nothing there
		return true
	}
	if len(l.byMonthDay) > 0 && l.monthDays(y, m)>>(day-1)&1 == 0 {
		return false
	}
	return len(l.byYearDay) == 0 || l.yearDays(y, m)>>(day-1)&1 != 0
}

// inYear lays out the days of a year.
func (l *layout) inYear(y int) {
	l.days = l.days[:0]
	if l.numbered && l.byMonth == 0 {
		l.numberedInYear(y)
		return
	}
	for m := 1; m <= 12; m++ {
		if l.byMonth == 0 || l.byMonth>>m&1 != 0 {
			l.inMonth(y, m, l.byMonth != 0)
		}
	}
}

// inMonth adds the days of one month: those that every part that is given names.
// Numbers of BYDAY count within the month where inside is set.
func (l *layout) inMonth(y, m int, inside bool) {
	if l.byMonth != 0 && l.byMonth>>m&1 == 0 {
		return
	}
	first := dayOf(y, m, 1)
	days := uint32(1)<<monthLength(y, m) - 1
	if len(l.byMonthDay) > 0 {
		days &= l.monthDays(y, m)
	}
	if len(l.byYearDay) > 0 {
		days &= l.yearDays(y, m)
	}
	if len(l.byWeekNo) > 0 {
		days &= l.weeks(y, m)
	}
	if len(l.byDay) > 0 {
		on := uint32(0)
		for _, d := range l.byDay {
			on |= nthOf(d, first, monthLength(y, m), inside && l.numbered)
		}
		days &= on
	}
	for ; days != 0; days &= days - 1 {
		l.days = append(l.days, first+int64(bits.TrailingZeros32(days)))
	}
}

// everySeventh has a bit for the first of each seven days.
const everySeventh = uint32(1 | 1<<7 | 1<<14 | 1<<21 | 1<<28)

// nthOf is the days of a month that one value of BYDAY names.
func nthOf(d nthDay, first int64, length int, numbered bool) uint32 {
	offset := (int(d.weekday) - int(weekdayOf(first)) + 7) % 7
	all := everySeventh << offset & (1<<length - 1)
	if d.nth == 0 || !numbered {
		return all
	}
	n := bits.OnesCount32(all)
	i := d.nth - 1
	if d.nth < 0 {
		i = n + d.nth
	}
	if i < 0 || i >= n {
		return 0
	}
	return 1 << (offset + 7*i)
}

// numberedInYear lays out BYDAY where its numbers count within the year.
func (l *layout) numberedInYear(y int) {
	first, length := dayOf(y, 1, 1), yearLength(y)
	for _, d := range l.byDay {
		offset := (int(d.weekday) - int(weekdayOf(first)) + 7) % 7
		n := (length - offset + 6) / 7
		from, to := 0, n
		if d.nth > 0 {
			from, to = d.nth-1, min(d.nth, n)
		} else if d.nth < 0 {
			from, to = n+d.nth, n+d.nth+1
		}
		for i := max(from, 0); i < to; i++ {
			l.days = append(l.days, first+int64(offset+7*i))
		}
	}
	slices.Sort(l.days)
	l.days = slices.DeleteFunc(slices.Compact(l.days), func(d int64) bool { return !l.fits(d) })
}

// monthDays is BYMONTHDAY in one month.
func (l *layout) monthDays(y, m int) uint32 {
	days, length := uint32(0), monthLength(y, m)
	for _, n := range l.byMonthDay {
		if n < 0 {
			n += length + 1
		}
		if n >= 1 && n <= length {
			days |= 1 << (n - 1)
		}
	}
	return days
}

// yearDays is BYYEARDAY in one month.
func (l *layout) yearDays(y, m int) uint32 {
	days, length, before := uint32(0), monthLength(y, m), int(dayOf(y, m, 1)-dayOf(y, 1, 1))
	for _, n := range l.byYearDay {
		if n < 0 {
			n += yearLength(y) + 1
		}
		if n -= before; n >= 1 && n <= length {
			days |= 1 << (n - 1)
		}
	}
	return days
}

// weeks is BYWEEKNO in one month: the days whose week has that number in the year that
// most of the week lies in. Weeks begin on WKST; the first has at least four days of its
// year.
func (l *layout) weeks(y, m int) uint32 {
	days, first, length := uint32(0), dayOf(y, m, 1), int64(monthLength(y, m))
	for of := y - 1; of <= y+1; of++ {
		begin := l.weekOne(of)
		count := int(l.weekOne(of+1)-begin) / 7
		for _, n := range l.byWeekNo {
			if n < 0 {
				n += count + 1
			}
			if n < 1 || n > count {
				continue
			}
			for d := begin + 7*int64(n-1) - first; d < begin+7*int64(n)-first; d++ {
				if d >= 0 && d < length {
					days |= 1 << d
				}
			}
		}
	}
	return days
}

// weekOne is the first day of the year's first week.
func (l *layout) weekOne(y int) int64 {
	fourth := dayOf(y, 1, 4)
	return fourth - int64(weekdayOf(fourth)-l.weekStart+7)%7
}

// weekdayOf is the weekday of a day; the first of 1970 was a Thursday.
func weekdayOf(d int64) time.Weekday { return time.Weekday(floorMod(d+4, 7)) }

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

// dayOf counts a day of the proleptic Gregorian calendar from 1970-01-01. Years are
// reckoned from March, so that the day that some have is their last, in eras of 400.
func dayOf(y, m, d int) int64 {
	if m <= 2 {
		y--
		m += 12
	}
	era := floorDiv(int64(y), 400)
	ofEra := int64(y) - era*400
	ofYear := int64((153*(m-3)+2)/5 + d - 1)
	return era*146097 + ofEra*365 + ofEra/4 - ofEra/100 + ofYear - 719468
}

// civil is the inverse of dayOf.
func civil(day int64) (y, m, d int) {
	day += 719468
	era := floorDiv(day, 146097)
	ofEra := day - era*146097
	year := (ofEra - ofEra/1460 + ofEra/36524 - ofEra/146096) / 365
	ofYear := ofEra - (365*year + year/4 - year/100)
	mp := (5*ofYear + 2) / 153
	y, m, d = int(year+era*400), int(mp)+3, int(ofYear-(153*mp+2)/5)+1
	if m > 12 {
		m -= 12
		y++
	}
	return y, m, d
}
