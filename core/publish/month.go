package publish

import (
	"slices"
	"time"

	"wharf/core/carried"
	"wharf/core/span"
)

// Day is one day of a month as everybody may see it.
type Day struct {
	Date  span.Date
	State DayState
	// Taken are the stretches of a day that is partly taken, as the calendar's clock shows them: 15:04.
	Taken [][2]string
}

// DayState says how much of a day is taken.
type DayState string

const (
	Free   DayState = "free"
	Partly DayState = "partly"
	Full   DayState = "taken"
)

// Month lays out the days of a month, and what a publication shows as taken in it. On nights, a day is the night that begins
// then. What is tentative counts as taken; what is only shown takes nothing.
func Month(year int, month time.Month, grain span.Grain, loc *time.Location, rows []carried.Row) []Day {
	first, end := span.NewDate(year, month, 1), span.NewDate(year, month+1, 1)
	var taken []span.Span
	for _, r := range rows {
		if r.Units > 0 {
			taken = append(taken, r.On(grain, loc))
		}
	}
	taken = span.Union(taken)
	var days []Day
	for date := first; date < end; date++ {
		whole := span.Days(date, date+1)
		if !grain.Dated() {
			whole = span.Instants(date.Start(loc), (date + 1).Start(loc))
		}
		days = append(days, dayOf(date, whole, taken, loc))
	}
	return days
}

// dayOf is a day of which spans in order, that never touch, are taken.
func dayOf(date span.Date, whole span.Span, taken []span.Span, loc *time.Location) Day {
	d := Day{Date: date, State: Free}
	n, _ := slices.BinarySearchFunc(taken, whole.Start, func(s span.Span, at int64) int {
		if s.End <= at {
			return -1
		}
		return 1
	})
	for _, s := range taken[n:] {
		if s.Start >= whole.End {
			break
		}
		if s.Contains(whole) {
			d.State = Full
			return d
		}
		d.State = Partly
		end := "24:00"
		if s.End < whole.End {
			end = clock(s.End, loc)
		}
		d.Taken = append(d.Taken, [2]string{clock(max(s.Start, whole.Start), loc), end})
	}
	return d
}

func clock(at int64, loc *time.Location) string { return time.Unix(at, 0).In(loc).Format("15:04") }
