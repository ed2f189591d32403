// Package echo says which entries of a feed are only the reflection of what we sent.
//
// In: what publications of the calendar carried, and an entry of a feed. Out: a verdict
// with its evidence. Only reflections that keep our UIDs are recognised so far (the
// verdict "certain" of the model); everything else is a booking.
package echo

import (
	"fmt"

	"wharf/core/carried"
	"wharf/core/span"
)

// Kind is what an entry turned out to be.
type Kind string

const (
	Booking Kind = "booking" // its platform's own
	Echo    Kind = "echo"    // a reflection: counts for nothing and is never published
)

// Verdict is a Kind with the reason for it, in a sentence; a plain booking needs none.
type Verdict struct {
	Kind     Kind
	Evidence string
}

// Sent is everything that the publications of one calendar carried, by UID, and the
// bookings that are or were on the calendar itself, by the UID under which they are
// published.
type Sent struct {
	byUID     map[string][]sentRow
	originals map[string]span.Span
	grain     span.Grain
}

type sentRow struct {
	platform int64
	row      carried.Row
}

// NewSent returns a Sent without publications for a calendar of that grain.
func NewSent(grain span.Grain, originals map[string]span.Span) *Sent {
	return &Sent{map[string][]sentRow{}, originals, grain}
}

// Add records what a publication for the platform carried.
func (s *Sent) Add(platform int64, rows []carried.Row) {
	for _, r := range rows {
		s.byUID[r.UID] = append(s.byUID[r.UID], sentRow{platform, r})
	}
}

// Judge says what an entry of a feed of the platform is. It is an echo, certainly, when
// its UID is one that we minted and sent with this very span; or when it is one that we
// minted for a booking which is on this calendar itself, and either the spans are equal
// or the entry was found to be an echo on the calendar whose publication sent it
// (elsewhere): so a feed may count on several calendars, of different grains. Our UID
// with a span that we never sent is a booking, since nothing proves that the dates are
// not sold.
func (s *Sent) Judge(platform int64, uid string, at span.Span, elsewhere bool) Verdict {
	rows := s.byUID[uid]
	original, here := s.originals[uid]
	first, last := at.Format(s.grain)
	if here && (original == at || elsewhere) && len(rows) == 0 {
		first, last = original.Format(s.grain)
		return Verdict{Echo, fmt.Sprintf("It carries the UID under which Wharf publishes the booking from %s to %s, which is on this calendar itself.", first, last)}
	}
	if len(rows) == 0 {
		return Verdict{Kind: Booking}
	}
	var match *sentRow
	for i, r := range rows {
		if r.row.Span == at && (match == nil || r.platform == platform && match.platform != platform) {
			match = &rows[i]
		}
	}
	switch {
	case match == nil:
		return Verdict{Booking, fmt.Sprintf("It carries a UID that Wharf gave out, but from %s to %s was never sent with it.", first, last)}
	case match.platform == platform:
		return Verdict{Echo, fmt.Sprintf("It carries the UID under which Wharf sent %s to %s to this platform, from version %d on.", first, last, match.row.From)}
	}
	return Verdict{Echo, fmt.Sprintf("It carries the UID under which Wharf sent %s to %s to another platform, from version %d on.", first, last, match.row.From)}
}
