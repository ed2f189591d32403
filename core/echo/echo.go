// Package echo says which entries of a calendar's feeds are only the reflection of what
// their platforms got from us, or from each other.
//
// In: the entries of every feed, when each came to be where it is (its stand), and what the
// platforms held when. Out: a Verdict on each entry, with the evidence. The rules are those
// of the model under "Echoes", in this order: an entry under a UID of ours with what was
// sent is certain. Of the others, those that equal something that their platform held are
// matched with it one to one; one is an echo if an own sale is improbable by a recorded
// fact, and unclear if it may be one. Everything else is a booking of the platform's own:
// what was there before any pickup could have brought it, what was sold again after a version
// without it was picked up, what only overlaps, and one more than was sent.
//
//	sent 10 to 12 July, picked up 9:00; shown 10 to 12 July at 12:00, not at 11:50 -> an echo, if own sales are rare enough
//	the same, in the form in which this platform writes its sales                  -> unclear
//	the same, shown before 9:00                                                    -> a booking
//	sent 10 to 12 July; shown 11 to 13 July                                        -> a booking
//
// The same facts give the same verdicts, whatever came first. It takes n log n steps.
package echo

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"wharf/core/carried"
	"wharf/core/reading"
	"wharf/core/span"
)

// Kind is what an entry turned out to be.
type Kind string

const (
	Booking Kind = "booking" // its platform's own
	Echo    Kind = "echo"    // a reflection: counts for nothing and is never published
	Unclear Kind = "unclear" // it may be either: it blocks, and a person is asked
	Stale   Kind = "stale"   // a reflection of what is gone for long: it blocks again
)

// Verdict is a Kind with what it rests on; a plain booking needs nothing.
type Verdict struct {
	Kind     Kind
	Evidence Evidence
	// Rest is what is the platform's own of an entry that holds whole items and more; nil for
	// every other: then it is all of it, or nothing.
	Rest []span.Span
}

// Rules are what is laid down for the judgement.
type Rules struct {
	Capacity int
	// Limit is below which chance an own sale is ruled out; 0: DefaultLimit.
	Limit float64
	// Delay is how long after a pickup a platform may not yet show what it got, or still show
	// what it lost, where that was not measured; negative: none.
	Delay time.Duration
	// Skew is how far a platform's clock may be from ours; at least LeastSkew.
	Skew time.Duration
	Day  int64 // a day on the calendar's axis
}

// What holds where nothing else is said.
const (
	DefaultLimit = 1.0 / 10000
	DefaultDelay = 2 * time.Hour
	LeastSkew    = 5 * time.Minute
)

// Publication is one with all that it carried, and who picked it up.
type Publication struct {
	Platform int64
	History  []carried.Row
	Pickups  []carried.Pickup
	Reader   string // the kind of reader that is the recipient's; "": as it looks
}

// Feed is a feed with its entries on the calendar.
type Feed struct {
	ID, Platform int64
	// Read is the request time of its last good reading, and Today the point of the axis at
	// which that was.
	Read    time.Time
	Today   int64
	Entries []Entry
	// Mirrors are the feeds whose platforms this one is linked to directly: it may reflect what
	// is sold there. In a circle of mirrors nobody reflects anybody.
	Mirrors []int64
	// Gone are entries that it showed until lately: feeds that mirror it may still do.
	Gone []Gone
	// Said is what a person laid down of its platform, and Known what was learnt of it before:
	// also from entries that are over by now.
	Said, Known Said
}

// Entry is an entry of a feed on the calendar.
type Entry struct {
	UID            string
	Minted         string // under which we publish it
	Span           span.Span
	Form           string // how it is written
	Title          string
	Created, Stamp time.Time        // CREATED and DTSTAMP; zero when not given
	Stand          reading.Interval // when it can have come to be where it is
	// Elsewhere is the UID under which what it reflects was sent, if it was found to be an echo
	// on another calendar.
	Elsewhere string
	Answer    Answer // "": nobody said
}

// Gone is an entry that a feed shows no more.
type Gone struct {
	UID    string
	Minted string // under which we published it
	Span   span.Span
	Stand  reading.Interval
	At     time.Time // of the first good reading without it
}

// Finding is what was found of a feed: a verdict on each of its entries, and what is known of
// its platform.
type Finding struct {
	Verdicts []Verdict
	Habits   []Habit
}

// Judge says of each entry of each feed what it is. originals are the bookings that are or
// were on the calendar itself, by the UID under which they are published.
func Judge(r Rules, sent []Publication, feeds []Feed, originals map[string]span.Span) []Finding {
	r = r.withDefaults()
	everything := newCarried(originals)
	held := map[int64]*holdings{}
	for _, s := range sent {
		everything.add(s)
		if held[s.Platform] == nil {
			held[s.Platform] = &holdings{}
		}
		held[s.Platform].add(s)
	}
	from, shared := sourcesIn(feeds, everything), sharedIn(feeds, everything)
	all := make([]*matcher, len(feeds))
	done := map[int64]*matcher{}
	for _, i := range mirrorsLast(feeds) {
		f := &feeds[i]
		all[i] = newMatcher(r, f, held[f.Platform].with(f.Mirrors, done), everything)
		all[i].match(from, shared)
		done[f.ID] = all[i]
	}
	pair(r, all)
	circulate(all)
	sentAgain(all, sent)
	findings := make([]Finding, len(feeds))
	for i, m := range all {
		m.unseen()
		findings[i] = Finding{m.verdicts, m.habits()}
	}
	return findings
}

// mirrorsLast is an order in which feeds come after those that they mirror.
func mirrorsLast(feeds []Feed) []int {
	at, order, begun := map[int64]int{}, make([]int, 0, len(feeds)), make([]bool, len(feeds))
	for i, f := range feeds {
		at[f.ID] = i
	}
	var visit func(i int)
	visit = func(i int) {
		if begun[i] {
			return
		}
		begun[i] = true
		for _, id := range feeds[i].Mirrors {
			if n, here := at[id]; here {
				visit(n)
			}
		}
		order = append(order, i)
	}
	for i := range feeds {
		visit(i)
	}
	return order
}

// Check refuses rules that cannot be meant; the error says which and why.
func (r Rules) Check() error {
	if !(r.Limit >= 0 && r.Limit < 1) {
		return fmt.Errorf("limit %v is no probability: use one from 0 up to 1", r.Limit)
	}
	return nil
}

func (r Rules) withDefaults() Rules {
	if r.Limit == 0 {
		r.Limit = DefaultLimit
	}
	if r.Delay == 0 {
		r.Delay = DefaultDelay
	}
	r.Delay = max(r.Delay, 0)
	r.Skew = max(r.Skew, LeastSkew)
	r.Day = max(r.Day, 1)
	return r
}

// everything that the publications of one calendar carried, by UID, and the bookings that
// are or were on the calendar itself.
type everything struct {
	rows      map[sentAs]*sentRows
	spans     map[string][]span.Span // with which a UID was sent, the first so many
	originals map[string]span.Span
}

// sentAs is a UID with a span that was sent with it.
type sentAs struct {
	uid  string
	span span.Span
}

// sentRows are the runs in which that was sent, one for each platform.
type sentRows struct {
	all  []sentRow
	live bool // it is carried still, by any of them
}

type sentRow struct {
	platform int64
	row      carried.Row     // the first run
	holding  carried.Holding // of the last one
}

// mostAlike bounds how many things that are alike are looked at one by one: where there are
// more, being alike says nothing.
const mostAlike = 64

func newCarried(originals map[string]span.Span) *everything {
	return &everything{map[sentAs]*sentRows{}, map[string][]span.Span{}, originals}
}

func (s *everything) add(p Publication) {
	own, _ := carried.OfRecipient(p.Pickups, p.Reader)
	for i, h := range carried.Holdings(p.History, own) {
		r := p.History[i]
		s.addAs(r.UID, p.Platform, r, h)
		if r.Sent != "" {
			s.addAs(sourcesTo(p.Platform, r.Sent), p.Platform, r, h)
		}
	}
}

func (s *everything) addAs(uid string, platform int64, r carried.Row, h carried.Holding) {
	at := sentAs{uid, r.Span}
	rows := s.rows[at]
	if rows == nil {
		rows = &sentRows{}
		s.rows[at] = rows
		if spans := s.spans[uid]; len(spans) < mostAlike {
			s.spans[uid] = append(spans, r.Span)
		}
	}
	rows.live = rows.live || r.To == 0
	if n := len(rows.all); n > 0 && rows.all[n-1].platform == platform {
		rows.all[n-1].holding = h
		return
	}
	rows.all = append(rows.all, sentRow{platform, r, h})
}

// sourcesTo is by what a source's UID is known that was sent to a platform. Unlike one of ours it proves nothing on others:
// they may have it from the source itself.
func sourcesTo(platform int64, uid string) string { return fmt.Sprintf("to %d: %s", platform, uid) }

// known is by what the UID of an entry on a platform is known among those that were sent, if it is.
func (s *everything) known(platform int64, uid string) string {
	if there := sourcesTo(platform, uid); len(s.spans[there]) > 0 {
		return there
	}
	return uid
}

// madeOf reports whether a UID was made of one that was sent, as that of a piece is: two platforms may make the same.
func (s *everything) madeOf(uid string) bool { return len(s.spans[carried.MintedIn(uid)]) > 0 }

// certain is the verdict on an entry by its UID alone. It is an echo, certainly, when
// its UID is one that we minted and sent with this very span; or when it is one that we
// minted for a booking which is on this calendar itself, with an equal span. So it is where its UID is that of a source and
// was sent to this very platform. It is one too
// when it was found to reflect a booking of this calendar on the calendar whose publication
// sent that (elsewhere): so a feed may count on several calendars, of different grains. Our UID
// with a span that we never sent is a booking, since nothing proves that the dates are
// not sold. known is false for a UID that is not ours.
func (s *everything) certain(platform int64, e Entry) (v Verdict, row *sentRow, known bool) {
	uid := s.known(platform, e.UID)
	at, sent := e.Span, len(s.spans[uid]) > 0
	if original, here := s.originals[e.Elsewhere]; here && !sent {
		return Verdict{Kind: Echo, Evidence: Evidence{Kind: OwnHere, Span: original, Item: e.Elsewhere, Live: true}}, nil, true
	}
	original, here := s.originals[e.UID]
	if original == at && !sent {
		return Verdict{Kind: Echo, Evidence: Evidence{Kind: OwnHere, Span: original, Item: e.UID, Live: true}}, nil, true
	}
	if !sent {
		return Verdict{Kind: Booking}, nil, here
	}
	rows := s.rows[sentAs{uid, at}]
	if rows == nil {
		return Verdict{Kind: Booking, Evidence: Evidence{Kind: NeverSent, Span: at}}, nil, true
	}
	for i, r := range rows.all {
		if row == nil || r.platform == platform {
			row = &rows.all[i]
		}
	}
	return Verdict{Kind: Echo, Evidence: Evidence{Kind: Sent, Span: at, Platform: row.platform, Version: row.row.From, Item: row.row.UID, Live: rows.live}}, row, true
}

// item is something that a platform held.
type item struct {
	carried.Item
	stamp   time.Time
	version int64
	holding carried.Holding
	live    bool      // it is published still
	now     span.Span // with which its UID is published by now; zero for none
	// Of what a mirrored feed shows: its platform, and from when on it can have been passed on.
	mirrored int64
	early    time.Time
	uid      string // under which it is shown there
}

// holdings are the items that a platform held, by start.
type holdings struct {
	items []*item
	mixed bool // nobody knows who reads there
}

func (h *holdings) add(p Publication) {
	own, mixed := carried.OfRecipient(p.Pickups, p.Reader)
	h.mixed = h.mixed || mixed
	now := map[carried.Name]span.Span{}
	for _, r := range p.History {
		if r.To == 0 {
			now[r.Name] = r.Span
		}
	}
	for i, holding := range carried.Holdings(p.History, own) {
		r := p.History[i]
		if !holding.Never() {
			h.items = append(h.items, &item{Item: r.Item, stamp: r.Stamp, version: r.From, holding: holding, live: r.To == 0, now: now[r.Name]})
		}
	}
	h.sort()
}

func (h *holdings) sort() {
	slices.SortFunc(h.items, func(a, b *item) int {
		return cmp.Or(a.Span.Compare(b.Span), a.holding.From.Compare(b.holding.From), cmp.Compare(a.UID, b.UID))
	})
}

// with is what a platform held, and what the feeds that it mirrors show as their own.
func (h *holdings) with(mirrors []int64, done map[int64]*matcher) *holdings {
	if len(mirrors) == 0 { // bound
		return h
	}
	both := &holdings{}
	if h != nil {
		both.items, both.mixed = slices.Clone(h.items), h.mixed
	}
	for _, id := range mirrors {
		m := done[id]
		if m == nil {
			continue // it is not on this calendar, or mirrors this one in turn
		}
		passOn := func(minted, uid string, s span.Span, stand reading.Interval, live bool, gone time.Time) {
			early := stand.NotBefore
			if early.IsZero() {
				early = time.Unix(0, 0) // from the first on
			}
			both.items = append(both.items, &item{Item: carried.Item{Name: carried.Name{UID: minted}, Span: s}, holding: carried.Holding{From: stand.SeenBy, To: gone, Again: gone}, live: live,
				mirrored: m.feed.Platform, early: early, uid: uid})
		}
		for i, e := range m.feed.Entries { // also what that one reflects: it is passed on
			passOn(e.Minted, e.UID, e.Span, e.Stand, m.verdicts[i].Kind == Booking || m.verdicts[i].Evidence.Live, time.Time{})
		}
		for _, it := range m.held.items { // and what that one was sent, before we read it there
			passed := *it
			passed.mirrored, passed.early = m.feed.Platform, it.since()
			passed.Recurrence = fmt.Sprintf("by way of %d", m.feed.Platform) // it may come both ways
			both.items = append(both.items, &passed)
		}
		for _, g := range m.feed.Gone {
			passOn(g.Minted, g.UID, g.Span, g.Stand, false, g.At)
		}
	}
	both.sort()
	return both
}

// since is the earliest moment from which the platform can have held the item.
func (it *item) since() time.Time {
	if it.mirrored != 0 {
		return it.early
	}
	return it.holding.From
}
