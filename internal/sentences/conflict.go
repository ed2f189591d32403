package sentences

import (
	"fmt"
	"time"

	"wharf/core/conflict"
	"wharf/core/echo"
	"wharf/core/span"
)

// Conflict names a kind of conflict.
func Conflict(k conflict.Kind) string {
	switch k {
	case conflict.DoubleBooking:
		return "A double booking"
	case conflict.TentativeClash:
		return "A tentative clash"
	}
	return "A question"
}

// Answer says what a booking is, after "it is".
func Answer(a echo.Answer) string {
	if a == echo.Own {
		return "a sale of its own"
	}
	return "ours, reflected"
}

// Range is a span in words: on a calendar by the day up to its last day, on one by the night up to
// the day of leaving, and by the hour in UTC.
func Range(s span.Span, g span.Grain) string {
	first, last := span.Date(s.Start), span.Date(s.End)
	switch g {
	case span.Time:
		from, until := time.Unix(s.Start, 0).UTC(), time.Unix(s.End, 0).UTC()
		if from.Format(time.DateOnly) == until.Format(time.DateOnly) {
			return from.Format("2 Jan 2006, 15:04") + until.Format(" to 15:04 UTC")
		}
		return from.Format("2 Jan 2006, 15:04") + until.Format(" to 2 Jan 2006, 15:04 UTC")
	case span.Day:
		last--
	}
	year, month, day := first.Civil()
	lastYear, lastMonth, lastDay := last.Civil()
	end := fmt.Sprintf("%d %s %d", lastDay, lastMonth.String()[:3], lastYear)
	switch {
	case first == last:
		return end
	case year != lastYear:
		return fmt.Sprintf("%d %s %d to %s", day, month.String()[:3], year, end)
	case month != lastMonth:
		return fmt.Sprintf("%d %s to %s", day, month.String()[:3], end)
	}
	return fmt.Sprintf("%d to %s", day, end)
}
