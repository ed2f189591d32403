package rrule

import (
	"math/bits"
	"slices"
	"time"
)

// This file lays out the days of a month or year. Sets of days of one month are bit masks,
// bit 0 for the first.

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
	if month := y*12 + m; month != l.fitMonth {
		l.fitMonth, l.fitMask = month, l.fitting(y, m)
	}
	return l.fitMask>>(day-1)&1 != 0
}

// fitting is the days of a month that BYMONTH, BYMONTHDAY and BYYEARDAY leave; of the
// latter two nothing counts weekly.
func (l *layout) fitting(y, m int) uint32 {
	if l.byMonth != 0 && l.byMonth>>m&1 == 0 {
		return 0
	}
	days := ^uint32(0)
	if l.freq != Weekly && len(l.byMonthDay) > 0 {
		days &= l.monthDays(y, m)
	}
	if l.freq != Weekly && len(l.byYearDay) > 0 {
		days &= l.yearDays(y, m)
	}
	return days
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
	if l.skip == forward {
		l.days = slices.Compact(l.days) // one that was moved may meet another
	}
}

// inMonth adds the days of one month: those that every part that is given names.
// Numbers of BYDAY count within the month where inside is set.
func (l *layout) inMonth(y, m int, inside bool) {
	if l.byMonth != 0 && l.byMonth>>m&1 == 0 {
		return
	}
	first := dayOf(y, m, 1)
	length := monthLength(y, m)
	days := uint32(1)<<length - 1
	after := uint32(0) // the day after the month's last, to which a missing one is moved
	if l.skip == forward && len(l.byMonthDay)+len(l.byYearDay) > 0 {
		after = 1 << length
		days |= after
	}
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
			on |= nthOf(d, first, length, inside && l.numbered)
			if d.nth == 0 && weekdayOf(first+int64(length)) == d.weekday {
				on |= after
			}
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
		if n > length {
			n = l.moved(length)
		}
		if n >= 1 {
			days |= 1 << (n - 1)
		}
	}
	return days
}

// moved is what SKIP makes of a day that comes after the last: 0 for none.
func (l *layout) moved(last int) int {
	switch {
	case l.freq < Monthly:
		return 0
	case l.skip == backward:
		return last
	case l.skip == forward:
		return last + 1
	}
	return 0
}

// yearDays is BYYEARDAY in one month.
func (l *layout) yearDays(y, m int) uint32 {
	days, length, before := uint32(0), monthLength(y, m), int(dayOf(y, m, 1)-dayOf(y, 1, 1))
	for _, n := range l.byYearDay {
		if n < 0 {
			n += yearLength(y) + 1
		}
		if n > yearLength(y) {
			n = l.moved(yearLength(y))
		}
		if n -= before; n >= 1 && (n <= length || m == 12 && n == length+1) {
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
