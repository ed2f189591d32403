package hold

import (
	"fmt"
	"slices"
	"time"

	"wharf/core/booking"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// Question is what a person is asked before a hold is kept.
type Question struct {
	Field string // what it is about
	Says  string
}

// Lengths of others are compared where there are so many of them, and found unlike beyond so many times.
const (
	leastOthers = 8
	unlike      = 2
)

// Questions are what is to be asked of a hold that is right: whether hours are meant on a calendar of nights or days, and
// whether a length is meant that none of the others has. others are the lengths of bookings of the calendar.
func (h Hold) Questions(c rules.Calendar, others []int64) (all []Question) {
	s, notices, found := h.first(c)
	start, _ := parse(h.Start)
	if c.Grain.Dated() && !start.dated {
		says := fmt.Sprintf("It has hours, and this calendar goes by the %s: it takes %s. Are whole days meant?", c.Grain, inDays(s, c.Grain))
		if slices.Contains(notices, booking.NoNight) || s.Empty() {
			says = fmt.Sprintf("It has hours, and this calendar goes by the %s: within one day it takes none. Are whole days meant?", c.Grain)
		}
		all = append(all, Question{"start", says})
	}
	if !found || h.Closure || len(others) < leastOthers {
		return all
	}
	shortest, longest := slices.Min(others), slices.Max(others)
	if n := s.Len(); n > 0 && (n*unlike <= shortest || n >= longest*unlike) {
		all = append(all, Question{"end", fmt.Sprintf("It takes %s, and the last %d here took %s. Is that meant?", length(n, c.Grain), len(others), between(shortest, longest, c.Grain))})
	}
	return all
}

// first is the span of the first instance.
func (h Hold) first(c rules.Calendar) (s span.Span, notices []booking.Notice, found bool) {
	doc := h.Document()
	for _, e := range doc.Entries {
		start, _ := parse(h.Start)
		from := start.wall.Time()
		occurrences, _ := doc.Expand(e, recur.Window{From: from.AddDate(0, 0, -2), To: from.AddDate(0, 0, 3), Zone: c.Zone, Limit: 1, KeepSingle: true})
		if len(occurrences) > 0 {
			s, notices = booking.SpanOf(occurrences[0], c)
			return s, notices, true
		}
	}
	return s, nil, false
}

func inDays(s span.Span, g span.Grain) string {
	first, last := span.Date(s.Start), span.Date(s.End-1)
	if first >= last {
		return fmt.Sprintf("the %s of %s", g, dayMonth(first))
	}
	return fmt.Sprintf("the %ss from %s to %s", g, dayMonth(first), dayMonth(last))
}

func dayMonth(d span.Date) string { return d.Wall().Time().Format("2 January") }

func length(n int64, g span.Grain) string {
	if !g.Dated() {
		d := time.Duration(n) * time.Second
		if d < time.Hour {
			return fmt.Sprintf("%d min", d/time.Minute)
		}
		return fmt.Sprintf("%g h", float64(d/time.Minute)/60)
	}
	if n == 1 {
		return "1 " + string(g)
	}
	return fmt.Sprintf("%d %ss", n, g)
}

func between(a, b int64, g span.Grain) string {
	if a == b {
		return length(a, g) + " each"
	}
	return length(a, g) + " to " + length(b, g)
}
