package sentences

import (
	"fmt"

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

// Range is a span in words.
func Range(s span.Span, g span.Grain) string {
	first, last := s.Format(g)
	return fmt.Sprintf("from %s to %s", first, last)
}
