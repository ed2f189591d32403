// Package echo says which entries of a feed are only the reflection of what we sent.
//
// In: what publications of the calendar carried, and the entries of a feed, all of them:
// what one is may depend on what else the feed shows. Out: a verdict on each with its
// evidence. Only reflections that keep our UIDs are recognised so far (the
// verdict "certain" of the model); everything else is a booking.
package echo

import (
	"wharf/core/carried"
	"wharf/core/span"
)

// Kind is what an entry turned out to be.
type Kind string

const (
	Booking Kind = "booking" // its platform's own
	Echo    Kind = "echo"    // a reflection: counts for nothing and is never published
)

// Verdict is a Kind with what it rests on; a plain booking needs nothing.
type Verdict struct {
	Kind     Kind
	Evidence Evidence
}

// Carried is everything that the publications of one calendar carried, by UID, and the
// bookings that are or were on the calendar itself, by the UID under which they are
// published.
type Carried struct {
	byUID     map[string][]sentRow
	originals map[string]span.Span
}

type sentRow struct {
	platform int64
	row      carried.Row
}

// NewCarried returns a Carried without publications.
func NewCarried(originals map[string]span.Span) *Carried {
	return &Carried{map[string][]sentRow{}, originals}
}

// Add records what a publication for the platform carried.
func (s *Carried) Add(platform int64, rows []carried.Row) {
	for _, r := range rows {
		s.byUID[r.UID] = append(s.byUID[r.UID], sentRow{platform, r})
	}
}

// Entry is an entry of a feed on the calendar.
type Entry struct {
	UID  string
	Span span.Span
	// Elsewhere: it was found to be an echo on another calendar.
	Elsewhere bool
}

// Judge says of each of the entries of a feed of the platform what it is.
func (s *Carried) Judge(platform int64, feed []Entry) []Verdict {
	verdicts := make([]Verdict, len(feed))
	for i, e := range feed {
		verdicts[i] = s.certain(platform, e)
	}
	return verdicts
}

// certain is the verdict on an entry by its UID alone. It is an echo, certainly, when
// its UID is one that we minted and sent with this very span; or when it is one that we
// minted for a booking which is on this calendar itself, and either the spans are equal
// or the entry was found to be an echo on the calendar whose publication sent it
// (elsewhere): so a feed may count on several calendars, of different grains. Our UID
// with a span that we never sent is a booking, since nothing proves that the dates are
// not sold.
func (s *Carried) certain(platform int64, e Entry) Verdict {
	rows, at := s.byUID[e.UID], e.Span
	original, here := s.originals[e.UID]
	if here && (original == at || e.Elsewhere) && len(rows) == 0 {
		return Verdict{Echo, Evidence{Kind: OwnHere, Span: original}}
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
	if match == nil {
		return Verdict{Booking, Evidence{Kind: NeverSent, Span: at}}
	}
	return Verdict{Echo, Evidence{Kind: Sent, Span: at, Platform: match.platform, Version: match.row.From}}
}
