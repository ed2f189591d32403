// Package span holds the small values every room of core shares: a Day of the
// civil calendar, a Span on a calendar's axis, and the Grain that says what one
// step of that axis is.
//
// In: dates and instants. Out: half-open spans [start, end) that can be compared,
// sorted and used as map keys. The end is never part of a span.
//
// All later arithmetic (matching, echoes, conflicts, free windows) works on the
// axis alone, so it is the same code for berths let by the night, boats let by the
// day and halls let by the minute.
package span

import (
	"cmp"
	"fmt"
	"slices"
	"time"
)

// Grain is the unit in which a calendar's bookings are reckoned.
type Grain string

const (
	// Night reckons in nights: a point is the day on whose evening the night begins.
	Night Grain = "night"
	// Day reckons in whole local days.
	Day Grain = "day"
	// Time reckons in instants: a point is a Unix time in seconds.
	Time Grain = "time"
)

// ParseGrain reads "night", "day" or "time".
func ParseGrain(s string) (Grain, error) {
	switch g := Grain(s); g {
	case Night, Day, Time:
		return g, nil
	}
	return "", fmt.Errorf("grain %q is not known: use night, day or time", s)
}

// Dated reports whether points of the grain are days rather than instants.
func (g Grain) Dated() bool { return g != Time }

// Span is a half-open stretch [Start, End) of a calendar's axis. On the grains
// night and day a point is a Date (days since 1970-01-01); on time it is a Unix
// time in seconds. The zero Span is empty.
type Span struct {
	Start, End int64
}

// Days returns the span from the day a up to, not including, the day b.
func Days(a, b Date) Span { return Span{int64(a), int64(b)} }

// Instants returns the span from the instant a up to, not including, b, in whole
// seconds.
func Instants(a, b time.Time) Span { return Span{a.Unix(), b.Unix()} }

// Empty reports whether nothing lies in the span.
func (s Span) Empty() bool { return s.End <= s.Start }

// Len is the number of nights, days or seconds in the span.
func (s Span) Len() int64 { return max(0, s.End-s.Start) }

// Overlaps reports whether the two spans have a point in common; an empty span
// overlaps nothing.
func (s Span) Overlaps(t Span) bool {
	return !s.Empty() && !t.Empty() && s.Start < t.End && t.Start < s.End
}

// Contains reports whether t lies wholly inside s.
func (s Span) Contains(t Span) bool { return s.Start <= t.Start && t.End <= s.End }

// Without is what is left of spans when one is taken out, in their order.
func Without(spans []Span, out Span) []Span {
	var rest []Span
	for _, s := range spans {
		for _, piece := range []Span{{s.Start, min(s.End, out.Start)}, {max(s.Start, out.End), s.End}} {
			if !piece.Empty() {
				rest = append(rest, piece)
			}
		}
	}
	return rest
}

// Union is what spans cover together: in order, none of them touching another. It takes n log n steps.
func Union(spans []Span) (all []Span) {
	for _, s := range slices.SortedFunc(slices.Values(spans), Span.Compare) {
		if n := len(all); n > 0 && s.Start <= all[n-1].End {
			all[n-1].End = max(all[n-1].End, s.End)
		} else if !s.Empty() {
			all = append(all, s)
		}
	}
	return all
}

// Compare orders spans by start, then by end.
func (s Span) Compare(t Span) int {
	return cmp.Or(cmp.Compare(s.Start, t.Start), cmp.Compare(s.End, t.End))
}

// Format writes the two ends in the forms of the grain: dates (2026-07-03) on
// night and day, UTC RFC 3339 on time.
func (s Span) Format(g Grain) (start, end string) {
	return FormatPoint(s.Start, g), FormatPoint(s.End, g)
}

// FormatPoint writes one point of the axis, as Span.Format does.
func FormatPoint(p int64, g Grain) string {
	if g.Dated() {
		return Date(p).String()
	}
	return time.Unix(p, 0).UTC().Format(time.RFC3339)
}

// Point places the instant t on the axis: the local day in loc on the grains night
// and day, the Unix second on time.
func Point(t time.Time, g Grain, loc *time.Location) int64 {
	if g.Dated() {
		return int64(DateOf(t.In(loc)))
	}
	return t.Unix()
}
