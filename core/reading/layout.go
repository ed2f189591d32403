package reading

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/booking"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// Place is a calendar on which the feed counts, with what is recorded of the feed there.
type Place struct {
	Calendar rules.Calendar
	Link     rules.Link
	Bookings []Booking // removed ones too
	Guard    *Guard    // nil: nothing is held back
}

// Booking is a booking as it is recorded.
type Booking struct {
	ID    int64 // 0: it is new
	Entry int64 // the ID of its entry; 0 where that is new
	// At is the index of its entry in the document, for bookings that the document shows.
	At         int
	Occurrence string // the key of the occurrence
	UID, Title string
	Status     Status
	Form       string
	Categories string // a line each, as much as MaxCategories
	Class      rules.Class
	Notices    []booking.Notice
	booking.Booking
	Revision recur.Revision
	Created  time.Time // CREATED; zero when not given, or not to be believed
	// Stand is when the first of the sightings began in which it is where it is now, as the
	// same thing; Sighting is when the present one did.
	Stand, Sighting Interval
	Removed         time.Time // zero: it is there
	Held            Held
	// Idle: it was judged to take nothing, as a reflection does: without it nothing is free.
	Idle bool
}

// shown is what its entry shows of it.
func (b Booking) shown() Shown { return Shown{b.UID, b.Span, b.Title, b.Status, b.Form} }

// Placed is what a reading leads to on one calendar.
type Placed struct {
	Added   []Booking  // in the order of entries and occurrences
	Changed []Booking  // with their IDs; those that leave have Removed set
	Over    []Sighting // those that have ended with this reading
	Notices []string   // on what takes nothing though it may be meant to, a line each
	Freed   []Freed    // what is to be remembered for the guard
}

// MaxTitle is how many characters of a title are recorded.
const MaxTitle = 500

// MaxCategories is how many characters of a booking's categories are recorded.
const MaxCategories = 300

// LayOut returns what a document that was read before means on a calendar at now: when its
// window has moved on, or the rules of calendar or link have changed. entries are those that
// Recognise gives.
func LayOut(ctx context.Context, doc *recur.Document, entries []Entry, place Place, now time.Time, most int) (Placed, error) {
	l := laying{place: place, doc: doc, entries: entries, fresh: make([]bool, len(entries)), now: now, most: most}
	return l.layOut(ctx)
}

// Agree is LayOut for a reading that found a document unchanged: it counts for what is held.
func Agree(ctx context.Context, doc *recur.Document, entries []Entry, place Place, t Times, most int) (Placed, error) {
	l := laying{place: place, doc: doc, entries: entries, fresh: make([]bool, len(entries)), now: t.Finished, most: most, again: true, scheduled: t.Scheduled}
	return l.layOut(ctx)
}

// laying compares what a document means on a calendar with what is recorded.
type laying struct {
	place   Place
	doc     *recur.Document
	entries []Entry
	fresh   []bool       // the entry was added or changed by the reading at hand
	settled map[int]bool // its new UID is recorded by the reading at hand
	changes *Changes     // of the reading at hand; nil when there is none
	now     time.Time
	most    int
	// again: it was read and found unchanged; scheduled: it was read when it was due.
	again, scheduled bool
}

// slot tells the bookings of a feed on a calendar apart.
type slot struct {
	entry      int // index; -1 for one that is not in the document
	occurrence string
}

func (l laying) layOut(ctx context.Context) (Placed, error) {
	wanted, cancelled, notices, err := l.wanted(ctx)
	if err != nil {
		return Placed{}, err
	}
	placed := Placed{Notices: notices}
	index := make(map[int64]int, len(l.entries))
	for i, e := range l.entries {
		if e.ID != 0 {
			index[e.ID] = i
		}
	}
	now := span.Point(l.now, l.place.Calendar.Grain, l.place.Calendar.Zone)
	trimmed, anew := trimmedAt(now, wanted), l.anew(wanted)
	have := map[slot]bool{}
	guard := newGuarding(l, wanted, now)
	for _, b := range l.place.Bookings {
		at := slot{-1, b.Occurrence}
		if i, shown := index[b.Entry]; shown {
			at.entry = i
			have[at] = true
		}
		w, wants := wanted[at]
		switch {
		case wants:
			next, differs := l.update(b, w, now)
			if next.Sighting != b.Sighting && b.Removed.IsZero() {
				placed.Over = append(placed.Over, l.over(b, at.entry, next.Sighting))
			}
			if differs {
				placed.Changed = append(placed.Changed, next)
			}
			if guard != nil && differs && b.Removed.IsZero() {
				guard.loses(b, &next)
			}
		case !b.Removed.IsZero():
		case !leaves(b, cancelled[at], now, trimmed, anew):
			if guard != nil && b.Held.Why != "" { // it has begun: it stays as any other does
				b.Held = Held{}
				placed.Changed = append(placed.Changed, b)
			}
		case guard != nil && !cancelled[at] && guard.loses(b, nil):
		case guard == nil && l.changes == nil && b.Held.Why != "": // a day has passed, or the rules changed
		default:
			l.leave(&placed, b, at.entry)
		}
	}
	if guard != nil {
		l.hold(&placed, guard, index)
	}
	placed.add(wanted, have)
	return placed, nil
}

// add adds what is wanted and not there yet, and puts all that is added in order.
func (p *Placed) add(wanted map[slot]Booking, have map[slot]bool) {
	for at, w := range wanted {
		if !have[at] {
			p.Added = append(p.Added, w)
		}
	}
	slices.SortFunc(p.Added, func(a, b Booking) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Occurrence, b.Occurrence))
	})
}

// leave takes a booking away.
func (l laying) leave(placed *Placed, b Booking, entry int) {
	switch {
	case b.Held.Why != "": // it was over when it was first held
		placed.Over = append(placed.Over, Sighting{Booking: b.ID, Shown: b.shown(), Interval: b.Sighting, Over: Interval{SeenBy: b.Held.Since}})
	case l.reads(entry):
		placed.Over = append(placed.Over, l.over(b, entry, l.changes.reading))
	}
	b.Removed, b.Held = l.now, Held{}
	placed.Changed = append(placed.Changed, b)
}

// hold carries out what the guard says of what would be free.
func (l laying) hold(placed *Placed, guard *guarding, index map[int64]int) {
	held, let, freed := guard.decide()
	placed.Freed = freed
	entry := func(b Booking) int {
		if i, shown := index[b.Entry]; shown {
			return i
		}
		return -1
	}
	for _, s := range let {
		if s.next == nil {
			l.leave(placed, s.booking, entry(s.booking))
		}
	}
	for _, s := range held {
		switch {
		case !s.whole(guard.now):
			placed.Added = append(placed.Added, s.pieces(l.now)...)
			if s.next == nil {
				l.leave(placed, s.booking, entry(s.booking))
			}
		case s.booking.Held != s.held:
			s.booking.Held = s.held
			placed.Changed = append(placed.Changed, s.booking)
		}
	}
}

// touch notes the entries that are as they were, and whose bookings are not.
func (l laying) touch(placed Placed, touched map[int]bool) {
	index := make(map[int64]int, len(l.entries))
	for i, e := range l.entries {
		index[e.ID] = i
	}
	for _, b := range slices.Concat(placed.Changed, placed.Added) {
		if i, shown := index[b.Entry]; shown && !l.fresh[i] {
			touched[i] = true
		}
	}
}

// tail is what is left of a booking whose past is cut off.
type tail struct {
	end   int64
	title string
}

// trimmedAt finds, for each end and title, the latest start up to now: of bookings that are
// under way, as the feed shows them.
func trimmedAt(now int64, wanted map[slot]Booking) map[tail]int64 {
	starts := map[tail]int64{}
	for _, w := range wanted {
		t := tail{w.Span.End, w.Title}
		if at, seen := starts[t]; w.Span.Start <= now && (!seen || w.Span.Start > at) {
			starts[t] = w.Span.Start
		}
	}
	return starts
}

// anew is what entries take that the reading at hand brought or changed, where there is one unit: what is not shown any more
// and lies within that was written anew.
func (l laying) anew(wanted map[slot]Booking) (all []span.Span) {
	if l.place.Calendar.Capacity > 1 {
		return nil
	}
	for _, w := range wanted {
		if l.fresh[w.At] && w.Blocks {
			all = append(all, w.Span)
		}
	}
	return span.Union(all)
}

// leaves reports whether a booking that its feed no longer shows is to be removed. One
// that has ended has passed; one that has begun is kept to its end, unless the feed
// calls it off, goes on showing it with the past cut off, or shows something new from now to its end:
// a platform sells nothing twice.
func leaves(b Booking, cancelled bool, now int64, trimmed map[tail]int64, anew []span.Span) bool {
	if b.Span.Start > now || cancelled {
		return b.Span.End > now
	}
	start, shown := trimmed[tail{b.Span.End, b.Title}]
	left := span.Span{Start: now, End: b.Span.End}
	return shown && start > b.Span.Start ||
		!left.Empty() && slices.ContainsFunc(anew, func(s span.Span) bool { return s.Contains(left) })
}

// wanted is what the document means on the calendar now, what it calls off, and the notices
// on what is yet to come and takes nothing.
func (l laying) wanted(ctx context.Context) (wanted map[slot]Booking, cancelled map[slot]bool, notices []string, err error) {
	wanted, cancelled = map[slot]Booking{}, map[slot]bool{}
	from, to := rules.MaterialisedWindow(l.now, l.place.Calendar.Zone)
	x := l.doc.In(recur.Window{From: from, To: to, Zone: l.place.Calendar.Zone, KeepSingle: true})
	left := oddTimes * l.most
	for i, e := range l.doc.Entries {
		if ctx.Err() != nil {
			return nil, nil, nil, ctx.Err()
		}
		if !l.place.Link.Takes(e) {
			continue
		}
		found, _ := x.Expand(e)
		if left -= len(found); left < 0 {
			return nil, nil, nil, ErrTooOften
		}
		for _, o := range found {
			at := slot{i, o.Key.String()}
			b, found, ok := booking.Of(o, l.place.Calendar, l.place.Link)
			if !ok {
				if o.Status == recur.Cancelled {
					cancelled[at] = true
				}
				if len(found) > 0 && o.Start > l.now.Unix() && len(notices) < MaxRemarks {
					notices = append(notices, l.notice(o, found))
				}
				continue
			}
			b.Units = l.place.Link.UnitsOf(e, o.Summary)
			w := l.booking(i, o, b, found)
			w.Categories = Clip(strings.Join(l.place.Link.Given.CategoriesOf(e.TextsIn(o.Component, "CATEGORIES")), "\n"), MaxCategories)
			w.Class = l.place.Link.Given.ClassOf(e.TextsIn(o.Component, "CLASS"))
			wanted[at] = w
		}
		if len(wanted) > l.most {
			return nil, nil, nil, ErrTooMany
		}
	}
	return wanted, cancelled, notices, nil
}

// notice says in a line that an occurrence takes nothing on the calendar.
func (l laying) notice(o recur.Occurrence, found []booking.Notice) string {
	title := Clip(oneLine(o.Summary), 100)
	start := time.Unix(o.Start, 0).In(l.place.Calendar.Zone).Format("2 Jan 2006 15:04")
	if slices.Contains(found, booking.NoNight) {
		return fmt.Sprintf("%q, %s to %s, blocks no night: if it should, enter it with whole days", title, start, time.Unix(o.End, 0).In(l.place.Calendar.Zone).Format("15:04"))
	}
	return fmt.Sprintf("%q, %s, lasts nothing: if it should block, give it an end", title, start)
}

// booking is an occurrence as it would be recorded if it were new.
func (l laying) booking(i int, o recur.Occurrence, b booking.Booking, notices []booking.Notice) Booking {
	entry := l.entries[i]
	w := Booking{Entry: entry.ID, At: i, Occurrence: o.Key.String(), UID: entry.UID, Title: Clip(o.Summary, MaxTitle), Status: statusOf(o), Form: entry.Form, Notices: notices,
		Booking: b, Revision: o.Revision, Stand: entry.Interval}
	if o.Created.Year() >= 1970 {
		w.Created = o.Created
	}
	switch {
	case l.fresh[i]:
		w.Stand = l.changes.reading
	case entry.ChangedBy.After(entry.SeenBy):
		w.Stand.SeenBy = entry.ChangedBy // where it was until then is not known here
	}
	w.Sighting = w.Stand
	return w
}

// reads reports whether what is found of an entry (-1: one that is not in the document) was
// brought by the reading at hand, and not by a change of the rules or of the day.
func (l laying) reads(i int) bool {
	return l.changes != nil && (i < 0 || l.fresh[i] || l.settled[i] || l.changes.framed)
}

// update is the recorded booking with what the feed says now. Its stand goes on unless the
// feed has moved it, or shows it under another UID or in another form; and unless it comes
// back, after its entry was gone, as something that may be another. What comes back after
// its link was removed has the stand that it had, if it is where it was.
func (l laying) update(b, w Booking, now int64) (next Booking, differs bool) {
	next = w
	next.ID = b.ID
	back, read := !b.Removed.IsZero(), l.reads(w.At)
	switch {
	case read && (l.changes.anew[w.At] || b.Span != w.Span && !trims(b.Span, w.Span, now)):
		next.Stand = l.changes.reading
	case !back || read && !l.returned(w.At) || !read && b.Span == w.Span:
		next.Stand = b.Stand
	}
	switch shows := b.shown().differs(w.shown()); {
	case read && !shows && !back, !read && !(back && shows):
		next.Sighting = b.Sighting
	case read && l.settled[w.At]:
		next.Sighting = l.changes.settledIn
	case read:
		next.Sighting = l.changes.reading
	}
	same := b.Booking == w.Booking && b.shown() == w.shown() && b.Categories == w.Categories && b.Class == w.Class && slices.Equal(b.Notices, w.Notices) &&
		b.Revision.Sequence == w.Revision.Sequence && b.Stand == next.Stand && b.Held == next.Held && !back
	return next, !same
}

// returned reports whether an entry was gone and is back as what may be another.
func (l laying) returned(i int) bool {
	named, returned := l.changes.named[i]
	return returned && !named
}

// over is the sighting of a booking that ends as the next one, or none, begins.
func (l laying) over(b Booking, entry int, next Interval) Sighting {
	s := Sighting{Booking: b.ID, Shown: b.shown(), Interval: b.Sighting, Over: next}
	if was, ok := l.changes.was[entry]; ok {
		s.Text = was.Text
	} else if entry >= 0 {
		s.Text = l.entries[entry].Text
	} else {
		s.Text = l.changes.gone[b.Entry]
	}
	return s
}

// trims reports whether a span is what is left of another whose past is cut off.
func trims(was, is span.Span, now int64) bool {
	return was.End == is.End && was.Start < is.Start && is.Start <= now
}
