package conflict

import "time"

// Fact is what was recorded about when a booking came to be.
type Fact struct {
	ID      int64
	Created time.Time // CREATED, as its platform says; zero when it does not
	// NotBefore is the request time of the last good reading without it; zero when it was
	// there from the feed's first reading on. SeenBy is the first reading with it.
	NotBefore, SeenBy time.Time
}

// Why says what shows that a booking was there first.
type Why string

const (
	// WeSaw: our own readings show it there before any of the others can have been.
	WeSaw Why = "seen"
	// TheySay: the platforms' own dates say so, and no reading of ours speaks against it.
	TheySay Why = "created"
)

// First returns the booking that was there before all others, and what shows it; false
// when nothing tells. Our own readings come first; platforms' clocks are compared only
// where they lie further apart than skew.
func First(facts []Fact, skew time.Duration) (int64, Why, bool) {
	for i, a := range facts {
		if len(facts) > 1 && beforeAll(facts, i, func(b Fact) bool { return !b.NotBefore.IsZero() && !a.SeenBy.After(b.NotBefore) }) {
			return a.ID, WeSaw, true
		}
	}
	for i, a := range facts {
		earlier := func(b Fact) bool {
			if a.Created.IsZero() || b.Created.IsZero() || b.Created.Sub(a.Created) <= skew {
				return false
			}
			return a.NotBefore.IsZero() || b.SeenBy.After(a.NotBefore) // else we saw b when a was not there
		}
		if len(facts) > 1 && beforeAll(facts, i, earlier) {
			return a.ID, TheySay, true
		}
	}
	return 0, "", false
}

func beforeAll(facts []Fact, i int, before func(Fact) bool) bool {
	for n, b := range facts {
		if n != i && !before(b) {
			return false
		}
	}
	return true
}
