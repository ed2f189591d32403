package exposure

import "time"

// Trip is the whole way of one booking from the platform that sold it to another one. Each step is the moment at which
// it is known to have been done; zero: it was not seen.
type Trip struct {
	Made      time.Time // when the platform says that it was sold
	Read      time.Time // by us
	Published time.Time // for the other platform
	PickedUp  time.Time // by it
	Seen      time.Time // in its own feed
}

// Took is how long it took from our reading until the other platform showed it; 0 where that was not seen. Both are by our
// own clock.
func (t Trip) Took() time.Duration {
	if t.Read.IsZero() || t.Seen.Before(t.Read) {
		return 0
	}
	return t.Seen.Sub(t.Read)
}

// Passage is how the direction from one platform to another stands.
type Passage string

// Passages. Where a direction stops, it says which half of it does.
const (
	Passes     Passage = "passes"
	Untried    Passage = "untried"     // nothing was sold so long ago yet that it would have to have passed
	NotRead    Passage = "not_read"    // the half up to us: the platform that sells is not read
	NotFetched Passage = "not_fetched" // the half after us: the other platform never came, or comes no more
	NotShown   Passage = "not_shown"   // the half after us: it came, and shows no more of what it got, though it did
	Unseen     Passage = "unseen"      // it came, and never showed what it gets: more cannot be seen
)

// Quiet is how long a platform may have had something without showing it before that says anything.
const Quiet = 3 * 24 * time.Hour

// PassageOf says how a direction stands: stopped is since when the selling platform's feeds are not read, zero while they are;
// out is how the other platform picks up; sent is when something of it was published last that it has had for longer than Quiet, zero for
// never; seen is when it showed something of it last, and ever whether it ever showed something of anybody.
func PassageOf(stopped time.Time, out State, sent, seen time.Time, ever bool) Passage {
	switch {
	case out == NeverCame || out == Overdue:
		return NotFetched
	case !stopped.IsZero():
		return NotRead
	case sent.IsZero() && seen.IsZero():
		return Untried
	case sent.IsZero():
		return Passes
	case !ever:
		return Unseen
	case seen.Before(sent):
		return NotShown
	}
	return Passes
}
