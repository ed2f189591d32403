// Package judge is the whole computation on one calendar as one pure function: recorded
// facts in, verdicts out.
//
// In: the calendar's rules, its bookings as read, what its publications have carried,
// and the conflicts known so far. Out: which bookings are echoes or one with another,
// the conflicts and what became of the known ones, and the next version of each
// publication. The same facts give the same result; the service, `wharf file conflicts`
// and every test call this and nothing else.
package judge

import (
	"context"
	"slices"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/conflict"
	"wharf/core/echo"
	"wharf/core/publish"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// Facts is all that a judgement rests on.
type Facts struct {
	Calendar     rules.Calendar
	Now          time.Time
	Bookings     []Booking
	Publications []Publication
	Conflicts    []Conflict
	// Originals are the bookings that are or were on the calendar, by the UID under which
	// they are published: those whose UID some entry of the calendar's feeds carries.
	Originals map[string]span.Span
}

// Booking is a booking with what was recorded about it.
type Booking struct {
	ID       int64
	Feed     int64  // 0: it came from none
	Platform int64  // 0: it is nobody's
	UID, Key string // of the occurrence it was read from
	Minted   string // the UID under which we publish it
	booking.Booking
	Title    string
	Form     string // how its entry is written; "" when that is not known
	Revision recur.Revision
	Created  time.Time // CREATED; zero when not given
	// Stand is when it can have come to be where it is now; Sighting when it can have come to
	// show what it shows now.
	Stand, Sighting reading.Interval
	// EchoElsewhere: the same occurrence was found to be an echo on another calendar.
	EchoElsewhere bool
}

// Publication is a publication with all that it ever carried.
type Publication struct {
	ID       int64
	Platform int64 // the recipient's
	Name     string
	Rules    rules.Publication
	Window   span.Span // what it shows
	Version  int64     // 0: nothing was rendered yet
	History  []carried.Row
	Versions []carried.Version
	Pickups  []carried.Pickup
	Renamed  bool // its newest version has another name
	Revoked  bool // nothing is rendered any more; what it carried is still known
}

// State is where a conflict stands.
type State string

const (
	Open         State = "open"
	Acknowledged State = "acknowledged"
	Cleared      State = "cleared" // the data no longer shows it
	Past         State = "past"    // its time is over
)

// Unsettled are the states in which a conflict is shown as one that needs somebody.
var Unsettled = []State{Open, Acknowledged}

// Conflict is a conflict with its identity and state; ID 0 is a new one.
type Conflict struct {
	ID int64
	conflict.Conflict
	State State
}

// Kind is what a booking turned out to be.
type Kind string

const (
	Counts  Kind = "booking"
	Echo    Kind = "echo"     // a reflection: counts for nothing
	OneWith Kind = "one_with" // one booking with another of the list, which stands for both
)

// Verdict is the finding on one booking.
type Verdict struct {
	Kind     Kind
	Evidence echo.Evidence
	With     int64 // for OneWith: the ID of the booking that stands for both
}

// Rendition is the next state of a publication. Body is nil when nothing changed.
type Rendition struct {
	ID      int64
	Version int64
	Change  carried.Change
	Body    []byte
}

// Result is what follows from the facts. Verdicts are in the order of Facts.Bookings,
// Renditions in that of Facts.Publications. Conflicts holds every known conflict with
// its new state, and then the new ones.
type Result struct {
	Verdicts   []Verdict
	Conflicts  []Conflict
	Renditions []Rendition
}

// Judge draws the conclusions from the facts. It ends early, with the error of ctx, only
// when ctx does.
func Judge(ctx context.Context, f Facts) (Result, error) {
	var r Result
	for _, step := range []func(){
		func() { r.Verdicts = verdictsOn(f) },
		func() { r.Conflicts = conflictsIn(f, r.Verdicts) },
		func() { r.Renditions = renditionsOf(ctx, f, r.Verdicts) },
	} {
		if step(); ctx.Err() != nil {
			return Result{}, ctx.Err()
		}
	}
	return r, nil
}

// verdictsOn sets echoes aside first; only then can two be one.
func verdictsOn(f Facts) []Verdict {
	sent := echo.NewCarried(f.Originals)
	for _, p := range f.Publications {
		sent.Add(p.Platform, p.History)
	}
	verdicts := make([]Verdict, len(f.Bookings))
	for _, feed := range feedsIn(f.Bookings) {
		entries := make([]echo.Entry, len(feed))
		for n, i := range feed {
			b := f.Bookings[i]
			entries[n] = echo.Entry{UID: b.UID, Span: b.Span, Elsewhere: b.EchoElsewhere}
		}
		for n, v := range sent.Judge(f.Bookings[feed[0]].Platform, entries) {
			verdicts[feed[n]] = Verdict{Kind: Counts, Evidence: v.Evidence}
			if v.Kind == echo.Echo {
				verdicts[feed[n]].Kind = Echo
			}
		}
	}
	var origins []booking.Origin
	var at []int // origin -> booking
	for i, b := range f.Bookings {
		if verdicts[i].Kind != Echo && b.Blocks {
			origins = append(origins, booking.Origin{Feed: b.Feed, UID: b.UID, Key: b.Key, Span: b.Span, Revision: b.Revision})
			at = append(at, i)
		}
	}
	for n, stands := range booking.Unify(origins) {
		if stands != n {
			verdicts[at[n]] = Verdict{Kind: OneWith, With: f.Bookings[at[stands]].ID,
				Evidence: echo.Evidence{Kind: echo.TwoOrigins}}
		}
	}
	return verdicts
}

// feedsIn are the bookings of each feed, as indexes; those that came from no feed are
// nobody's reflection, and stand each for itself.
func feedsIn(bookings []Booking) [][]int {
	var feeds [][]int
	at := map[int64]int{}
	for i, b := range bookings {
		n, seen := at[b.Feed]
		if !seen || b.Feed == 0 {
			n = len(feeds)
			at[b.Feed] = n
			feeds = append(feeds, nil)
		}
		feeds[n] = append(feeds[n], i)
	}
	return feeds
}

func conflictsIn(f Facts, verdicts []Verdict) []Conflict {
	var counting []conflict.Booking
	for i, b := range f.Bookings {
		if verdicts[i].Kind == Counts && b.Blocks {
			counting = append(counting, conflict.Booking{ID: b.ID, Span: b.Span, Units: b.Units, Tentative: b.Tentative})
		}
	}
	found := conflict.Find(counting, f.Calendar.Capacity)
	known, over := make([]conflict.Conflict, len(f.Conflicts)), make([]bool, len(f.Conflicts))
	for i, c := range f.Conflicts {
		known[i], over[i] = c.Conflict, c.State == Cleared || c.State == Past
	}
	now := span.Point(f.Now, f.Calendar.Grain, f.Calendar.Zone)
	all := make([]Conflict, len(f.Conflicts))
	for i, c := range f.Conflicts {
		all[i] = gone(c, now)
	}
	for n, old := range conflict.Follow(known, over, found) {
		if old < 0 {
			all = append(all, still(Conflict{State: Open}, found[n], now))
		} else {
			all[old] = still(f.Conflicts[old], found[n], now)
		}
	}
	return all
}

// gone is a known conflict that the data no longer shows.
func gone(c Conflict, now int64) Conflict {
	switch {
	case c.State == Past || c.State == Cleared:
	case c.Span.End <= now:
		c.State = Past
	default:
		c.State = Cleared
	}
	return c
}

// still is a conflict that the data shows: it comes back if it was cleared, and opens
// again when it gains a booking.
func still(was Conflict, is conflict.Conflict, now int64) Conflict {
	had := make(map[int64]bool, len(was.Bookings))
	for _, id := range was.Bookings {
		had[id] = true
	}
	gained := slices.ContainsFunc(is.Bookings, func(id int64) bool { return !had[id] })
	was.Conflict = is
	switch {
	case is.Span.End <= now:
		was.State = Past
	case was.State == Cleared || was.State == Past || gained:
		was.State = Open
	}
	return was
}

func renditionsOf(ctx context.Context, f Facts, verdicts []Verdict) []Rendition {
	// A booking with two origins is its recipient's own if either origin is; one that came
	// from no feed is nobody's.
	type sold struct{ booking, platform int64 }
	own := map[sold]bool{}
	for i, b := range f.Bookings {
		id := b.ID
		if verdicts[i].Kind == OneWith {
			id = verdicts[i].With
		}
		own[sold{id, b.Platform}] = true
	}
	var all []Rendition
	for _, p := range f.Publications {
		if ctx.Err() != nil {
			break
		}
		var want []carried.Item
		for i, b := range f.Bookings {
			if verdicts[i].Kind == Counts && b.Blocks && b.Span.Overlaps(p.Window) && !own[sold{b.ID, p.Platform}] {
				want = append(want, carried.Item{Name: carried.Name{UID: b.Minted}, Span: b.Span, Units: b.Units, Tentative: b.Tentative})
			}
		}
		r := Rendition{ID: p.ID, Version: p.Version}
		if p.Revoked {
			all = append(all, r)
			continue
		}
		r.Change = carried.Advance(p.History, want, p.Version+1, f.Now)
		if !r.Change.Empty() || p.Version == 0 || p.Renamed {
			r.Version = p.Version + 1
			r.Body = publish.Render(p.Name, p.Rules, f.Calendar.Grain, carried.Apply(p.History, r.Change))
		}
		all = append(all, r)
	}
	return all
}
