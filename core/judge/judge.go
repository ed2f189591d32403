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
	"maps"
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
	Feeds     []Feed        // those that count on the calendar
	Parts     []Publication // those of other calendars that show this one, too
	Echoes    echo.Rules    // Capacity and Day follow from Calendar
}

// Feed is a feed that counts on the calendar.
type Feed struct {
	ID       int64
	Platform int64
	Read     time.Time // request time of its last good reading; zero before the first
	// Mirrors are the feeds whose platforms its own is linked to directly.
	Mirrors []int64
	// Gone is what it showed until lately: others may still do.
	Gone []echo.Gone
	// Said is what a person laid down of its platform, Known what was learnt of it before.
	Said, Known echo.Said
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
	// EchoElsewhere is the UID of what the same occurrence was found to reflect on another
	// calendar; "" for none.
	EchoElsewhere string
	Answer        echo.Answer // what a person said of it
	Closure       bool        // it is no sale
	Expires       time.Time   // when it ends to count; zero: never
	Rejected      bool        // somebody said that it counts for nothing
	Categories    []string
	Discreet      bool            // nobody is to see its title
	Alarms        []int           // so many minutes before it somebody is to be reminded
	Source        *publish.Source // the entry that it is of; nil where everything is shown to nobody
}

// Publication is a publication with all that it ever carried.
type Publication struct {
	ID       int64
	Platform int64 // the recipient's
	Person   bool  // the recipient is one, and sells nothing
	Name     string
	Rules    rules.Publication
	Reader   string       // the kind of reader that is the recipient's, as a person said; "": as it looks
	Window   span.Span    // what it shows
	Laid     recur.Window // in which sources are laid out
	Version  int64        // 0: nothing was rendered yet
	History  []carried.Row
	Versions []carried.Version
	Pickups  []carried.Pickup
	// Of is what the calendar is called in it, where it shows others, too; "": it shows this one alone. Others is what it shows
	// of those, as Result.Parts of theirs.
	Of         string
	CalendarID int64
	Others     []publish.Item
	Renamed    bool // its newest version has another name
	Revoked    bool // nothing is rendered any more; what it carried is still known
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
	Unclear Kind = "unclear"  // it may be a reflection; it counts
	Stale   Kind = "stale"    // a reflection of what is gone for long; it counts
	Expired Kind = "expired"  // it was held until a time that is over: it counts for nothing
	// Rejected: somebody looked at it, and said that it counts for nothing.
	Rejected Kind = "rejected"
)

// counts reports whether what was found takes anything on the calendar.
func (k Kind) counts() bool { return k == Counts || k == Unclear || k == Stale }

// Verdict is the finding on one booking.
type Verdict struct {
	Kind     Kind
	Evidence echo.Evidence
	With     int64 // for OneWith: the ID of the booking that stands for both
	// Rest is what counts of a booking that holds reflections and more; nil: all of it.
	Rest []span.Span
}

// pending reports whether time alone may change the verdict.
func (v Verdict) pending() bool {
	return (v.Kind == Echo || v.Kind == Unclear) && !v.Evidence.Live && v.Evidence.Kind != echo.Answered
}

// doubtful reports whether the booking may be a reflection: where units are several, also one
// that equals what its platform held, and counts until the capacity depends on it.
func (v Verdict) doubtful(capacity int) bool {
	return v.Kind == Unclear || v.Kind == Stale || v.Kind == Counts && v.Evidence.Kind == echo.Held && capacity > 1
}

// spans are what counts of a booking.
func (v Verdict) spans(b Booking) []span.Span {
	if v.Rest != nil {
		return v.Rest
	}
	return []span.Span{b.Span}
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
	Parts      [][]publish.Item // what Facts.Parts show of the calendar
	Habits     []Habit          // what is known of the platforms of the feeds that have bookings
	// Pending: time alone may change a verdict, as of a reflection whose original is gone. Next is when it surely does,
	// since a booking expires, or what is shown as called off is to be shown no more; zero: never.
	Pending bool
	Next    time.Time
}

// Habit is one thing known of how the platform of a feed writes, shows and sells.
type Habit struct {
	Feed int64
	echo.HabitOf
	Value string
	From  []int64 // the bookings that it was learnt from, the first so many; none: a person laid it down
}

// Judge draws the conclusions from the facts. It ends early, with the error of ctx, only
// when ctx does.
func Judge(ctx context.Context, f Facts) (Result, error) {
	var r Result
	for _, step := range []func(){
		func() { r.Verdicts, r.Habits = verdictsOn(f) },
		func() { r.Pending, r.Next = slices.ContainsFunc(r.Verdicts, Verdict.pending), f.nextExpiry() },
		func() { r.Conflicts = conflictsIn(f, r.Verdicts) },
		func() { r.Parts = partsOf(f, r.Verdicts) },
		func() { r.Renditions, r.Next = renditionsOf(ctx, f, r.Verdicts, r.Next) },
	} {
		if step(); ctx.Err() != nil {
			return Result{}, ctx.Err()
		}
	}
	return r, nil
}

// nextExpiry is when the next booking expires; zero if none will.
func (f Facts) nextExpiry() (next time.Time) {
	for _, b := range f.Bookings {
		if b.Expires.After(f.Now) && (next.IsZero() || b.Expires.Before(next)) {
			next = b.Expires
		}
	}
	return next
}

// verdictsOn sets echoes aside first; only then can two be one.
func verdictsOn(f Facts) (verdicts []Verdict, habits []Habit) {
	verdicts = make([]Verdict, len(f.Bookings))
	for i, b := range f.Bookings {
		verdicts[i].Kind = Counts
		if !b.Expires.IsZero() && !b.Expires.After(f.Now) {
			verdicts[i] = Verdict{Kind: Expired, Evidence: echo.Evidence{Kind: echo.Ended}}
		}
	}
	feeds, of := feedsIn(f)
	findings := echoesIn(f, feeds)
	for n, found := range findings {
		for k, v := range found.Verdicts {
			verdicts[of[n][k]] = Verdict{Kind: kinds[v.Kind], Evidence: v.Evidence, Rest: v.Rest}
		}
		for _, h := range found.Habits {
			habit := Habit{Feed: feeds[n].ID, HabitOf: h.HabitOf, Value: h.Value}
			for _, k := range h.From {
				habit.From = append(habit.From, f.Bookings[of[n][k]].ID)
			}
			habits = append(habits, habit)
		}
	}
	for i, b := range f.Bookings {
		if b.Rejected {
			verdicts[i] = Verdict{Kind: Rejected, Evidence: echo.Evidence{Kind: echo.Refused}}
		}
	}
	unify(f, verdicts)
	return verdicts, habits
}

// mostRounds is how often entries are judged anew by what was learnt of them.
const mostRounds = 2

// echoesIn judges the entries of all feeds, and anew while that teaches something.
func echoesIn(f Facts, feeds []echo.Feed) []echo.Finding {
	for round := 1; ; round++ {
		findings := echo.Judge(f.echoRules(), f.sent(), feeds, f.Originals)
		news := false
		for n, found := range findings {
			known := maps.Clone(feeds[n].Known)
			for _, h := range found.Habits {
				if _, said := feeds[n].Said[h.HabitOf]; said || known[h.HabitOf] == h.Value {
					continue
				}
				if known == nil {
					known = echo.Said{}
				}
				known[h.HabitOf], news = h.Value, true
			}
			feeds[n].Known = known
		}
		if !news || round == mostRounds {
			return findings
		}
	}
}

// unify finds which bookings that count are one with another.
func unify(f Facts, verdicts []Verdict) {
	var origins []booking.Origin
	var at []int // origin -> booking
	for i, b := range f.Bookings {
		if verdicts[i].Kind.counts() && b.Blocks {
			origins = append(origins, booking.Origin{Feed: b.Feed, Platform: b.Platform, UID: b.UID, Key: b.Key, Span: b.Span, Revision: b.Revision})
			at = append(at, i)
		}
	}
	for n, one := range booking.Unify(origins) {
		switch v := &verdicts[at[n]]; {
		case one.Stands != n:
			*v = Verdict{Kind: OneWith, With: f.Bookings[at[one.Stands]].ID, Evidence: echo.Evidence{Kind: echo.TwoOrigins}}
		case one.Differ:
			v.Rest = []span.Span{one.Blocks}
			if v.Evidence == (echo.Evidence{}) {
				v.Evidence = echo.Evidence{Kind: echo.TwoOrigins, Against: echo.SpansDiffer, Span: one.Blocks}
			}
		}
	}
}

// kinds are what the kinds of echoes are called for bookings.
var kinds = map[echo.Kind]Kind{echo.Booking: Counts, echo.Echo: Echo, echo.Unclear: Unclear, echo.Stale: Stale}

func (f Facts) echoRules() echo.Rules {
	r := f.Echoes
	r.Capacity, r.Day = f.Calendar.Capacity, 1
	if !f.Calendar.Grain.Dated() {
		r.Day = int64(24 * time.Hour / time.Second)
	}
	return r
}

func (f Facts) sent() []echo.Publication {
	sent := make([]echo.Publication, len(f.Publications))
	for i, p := range f.Publications {
		sent[i] = echo.Publication{Platform: p.Platform, History: p.History, Pickups: p.Pickups, Reader: p.Reader}
	}
	return sent
}

// feedsIn are the feeds with the bookings that came from each, and these as indexes. What
// came from no feed is nobody's reflection.
func feedsIn(f Facts) (feeds []echo.Feed, of [][]int) {
	at := map[int64]int{}
	for i, b := range f.Bookings {
		if b.Feed == 0 {
			continue
		}
		n, seen := at[b.Feed]
		if !seen {
			n = len(feeds)
			at[b.Feed] = n
			feeds, of = append(feeds, echo.Feed{ID: b.Feed, Platform: b.Platform}), append(of, nil)
		}
		feeds[n].Entries = append(feeds[n].Entries, echo.Entry{UID: b.UID, Minted: b.Minted, Span: b.Span, Form: b.Form, Title: b.Title, Created: b.Created, Stamp: b.Revision.Stamp, Stand: b.Stand, Elsewhere: b.EchoElsewhere, Answer: b.Answer})
		of[n] = append(of[n], i)
	}
	for _, feed := range f.Feeds {
		n, seen := at[feed.ID]
		if !seen { // what it will show, or did, may be where others have theirs from
			n = len(feeds)
			feeds, of = append(feeds, echo.Feed{ID: feed.ID, Platform: feed.Platform}), append(of, nil)
		}
		feeds[n].Read, feeds[n].Today = feed.Read, span.Point(feed.Read, f.Calendar.Grain, f.Calendar.Zone)
		feeds[n].Mirrors, feeds[n].Gone, feeds[n].Said, feeds[n].Known = feed.Mirrors, feed.Gone, feed.Said, feed.Known
	}
	return feeds, of
}

// pair is two platforms that show the same.
type pair struct {
	span span.Span
	a, b int64
}

// surelyOne are the first of pairs of which both may be reflections: one of them is a booking.
func surelyOne(f Facts, verdicts []Verdict) map[int]bool {
	first, sure := map[pair]int{}, map[int]bool{}
	for i, b := range f.Bookings {
		v := verdicts[i]
		if v.Kind != Unclear || v.Evidence.Kind != echo.Paired {
			continue
		}
		p := pair{b.Span, min(b.Platform, v.Evidence.Platform), max(b.Platform, v.Evidence.Platform)}
		if n, both := first[p]; both {
			sure[n] = true
		} else {
			first[p] = i
		}
	}
	return sure
}

func conflictsIn(f Facts, verdicts []Verdict) []Conflict {
	var counting []conflict.Booking
	sure := surelyOne(f, verdicts)
	for i, b := range f.Bookings {
		v := verdicts[i]
		if !v.Kind.counts() || !b.Blocks {
			continue
		}
		for _, s := range v.spans(b) {
			counting = append(counting, conflict.Booking{ID: b.ID, Span: s, Units: b.Units, Tentative: b.Tentative, Unclear: v.doubtful(f.Calendar.Capacity) && !sure[i], Closure: b.Closure})
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
