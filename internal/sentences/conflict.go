package sentences

import (
	"fmt"
	"strings"
	"time"
	"unicode"

	"golang.org/x/text/unicode/bidi"

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
	case conflict.Closed:
		return "A booking over a closure"
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

// Title is what a booking is called in a sentence; one that is written from right to left turns
// nothing around it (Unicode Standard Annex 9, isolates).
func Title(title, untitled string) string {
	title = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || unicode.In(r, unicode.Bidi_Control) {
			return -1
		}
		return r
	}, title)
	if title == "" {
		return untitled
	}
	for _, r := range title {
		if p, _ := bidi.LookupRune(r); p.Class() == bidi.R || p.Class() == bidi.AL {
			return "\u2068" + title + "\u2069"
		}
	}
	return title
}
