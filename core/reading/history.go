package reading

import (
	"slices"
	"time"
)

// Kind is what happened to a booking by a reading.
type Kind string

// The kinds.
const (
	Added   Kind = "added"
	Changed Kind = "changed"
	Removed Kind = "removed"
	Passed  Kind = "passed" // it is over, and its feed shows it no more
	CameOn  Kind = "with_the_feed"
)

// Event is what happened to a booking, and when that was seen.
type Event struct {
	At       time.Time
	Kind     Kind
	Was, Now Shown // Was of what changed; Now is empty for what is gone
}

// History is what happened to a booking by readings after since, and until until; in order. over are its
// sightings that are over; the last one goes on unless the booking is removed. passed: it was over when it
// was removed.
func History(b Booking, over []Sighting, passed bool, since, until time.Time) []Event {
	type state struct {
		Shown
		Interval
	}
	var states []state
	for _, s := range over {
		states = append(states, state{s.Shown, s.Interval})
	}
	slices.SortFunc(states, func(a, b state) int { return a.SeenBy.Compare(b.SeenBy) })
	if n := len(states); b.Removed.IsZero() || n == 0 || states[n-1].SeenBy.Before(b.Sighting.SeenBy) {
		states = append(states, state{b.shown(), b.Sighting})
	}
	within := func(at time.Time) bool { return at.After(since) && !at.After(until) }
	var all []Event
	for i, s := range states {
		switch {
		case !within(s.SeenBy):
		case i > 0 && states[i-1].told(s.Shown):
			all = append(all, Event{s.SeenBy, Changed, states[i-1].Shown, s.Shown})
		case i == 0 && s.NotBefore.IsZero():
			all = append(all, Event{At: s.SeenBy, Kind: CameOn, Now: s.Shown})
		case i == 0:
			all = append(all, Event{At: s.SeenBy, Kind: Added, Now: s.Shown})
		}
	}
	if within(b.Removed) {
		kind := Removed
		if passed {
			kind = Passed
		}
		all = append(all, Event{At: b.Removed, Kind: kind, Was: states[len(states)-1].Shown})
	}
	slices.SortStableFunc(all, func(a, b Event) int { return a.At.Compare(b.At) })
	return all
}

// told reports whether a person is to be told of the difference: UIDs and forms are no news.
func (s Shown) told(t Shown) bool {
	return s.Span != t.Span || s.Title != t.Title || s.Status != t.Status && s.Status != ""
}
