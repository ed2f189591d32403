package reading

import (
	"cmp"
	"context"
	"fmt"
	"slices"
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
}

// Booking is a booking as it is recorded.
type Booking struct {
	ID    int64 // 0: it is new
	Entry int64 // the ID of its entry; 0 where that is new
	// At is the index of its entry in the document, for bookings that the document shows.
	At         int
	Occurrence string // the key of the occurrence
	UID, Title string
	Notices    []booking.Notice
	booking.Booking
	Revision recur.Revision
	Created  time.Time // CREATED; zero when not given, or not to be believed
	// NotBefore and SeenBy are those of the booking with its present span: the last good
	// reading that did not show it so, and the first one that did.
	NotBefore, SeenBy time.Time
	Removed           time.Time // zero: it is there
}

// Placed is what a reading leads to on one calendar.
type Placed struct {
	Added   []Booking // in the order of entries and occurrences
	Changed []Booking // with their IDs; those that leave have Removed set
	Notices []string  // on what takes nothing though it may be meant to, a line each
}

// MaxTitle is how many characters of a title are recorded.
const MaxTitle = 500

// LayOut returns what a document that was read before means on a calendar at now: when its
// window has moved on, or the rules of calendar or link have changed. entries are those that
// Recognise gives.
func LayOut(ctx context.Context, doc *recur.Document, entries []Entry, place Place, now time.Time, most int) (Placed, error) {
	l := laying{place: place, doc: doc, entries: entries, fresh: make([]bool, len(entries)), now: now, most: most}
	return l.layOut(ctx)
}

// laying compares what a document means on a calendar with what is recorded.
type laying struct {
	place   Place
	doc     *recur.Document
	entries []Entry
	fresh   []bool       // the entry was added or changed by the reading at hand
	framed  bool         // what the document says for all of them has changed
	named   map[int]bool // the entry was gone and is back under its own UID
	since   time.Time    // the last good reading before
	now     time.Time
	most    int
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
	trimmed := trimmedAt(now, wanted)
	have := map[slot]bool{}
	for _, b := range l.place.Bookings {
		at := slot{-1, b.Occurrence}
		if i, shown := index[b.Entry]; shown {
			at.entry = i
			have[at] = true
		}
		w, wants := wanted[at]
		switch {
		case wants:
			if next, differs := l.update(b, w, now); differs {
				placed.Changed = append(placed.Changed, next)
			}
		case b.Removed.IsZero() && leaves(b, cancelled[at], now, trimmed):
			b.Removed = l.now
			placed.Changed = append(placed.Changed, b)
		}
	}
	for at, w := range wanted {
		if !have[at] {
			placed.Added = append(placed.Added, w)
		}
	}
	slices.SortFunc(placed.Added, func(a, b Booking) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Occurrence, b.Occurrence))
	})
	return placed, nil
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

// leaves reports whether a booking that its feed no longer shows is to be removed. One
// that has ended has passed; one that has begun is kept to its end, unless the feed
// calls it off or goes on showing it with the past cut off.
func leaves(b Booking, cancelled bool, now int64, trimmed map[tail]int64) bool {
	if b.Span.Start > now || cancelled {
		return b.Span.End > now
	}
	start, shown := trimmed[tail{b.Span.End, b.Title}]
	return shown && start > b.Span.Start
}

// wanted is what the document means on the calendar now, what it calls off, and the notices
// on what is yet to come and takes nothing.
func (l laying) wanted(ctx context.Context) (wanted map[slot]Booking, cancelled map[slot]bool, notices []string, err error) {
	wanted, cancelled = map[slot]Booking{}, map[slot]bool{}
	from, to := rules.MaterialisedWindow(l.now, l.place.Calendar.Zone)
	x := l.doc.In(recur.Window{From: from, To: to, Zone: l.place.Calendar.Zone, KeepSingle: true})
	for i, e := range l.doc.Entries {
		if ctx.Err() != nil {
			return nil, nil, nil, ctx.Err()
		}
		found, _ := x.Expand(e)
		for _, o := range found {
			at := slot{i, o.Key.String()}
			b, found, ok := booking.Of(o, l.place.Calendar, l.place.Link)
			if !ok {
				cancelled[at] = o.Status == recur.Cancelled
				if len(found) > 0 && o.Start > l.now.Unix() && len(notices) < MaxRemarks {
					notices = append(notices, l.notice(o, found))
				}
				continue
			}
			wanted[at] = l.booking(i, o, b, found)
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
	w := Booking{Entry: entry.ID, At: i, Occurrence: o.Key.String(), UID: Clip(o.UID, MaxUID), Title: Clip(o.Summary, MaxTitle), Notices: notices,
		Booking: b, Revision: o.Revision, NotBefore: entry.NotBefore, SeenBy: entry.SeenBy}
	if o.Created.Year() >= 1970 {
		w.Created = o.Created
	}
	if l.fresh[i] {
		w.NotBefore, w.SeenBy = l.since, l.now
	}
	return w
}

// update is the recorded booking with what the feed says now. It keeps its interval unless
// the feed has moved it, or it comes back after it was removed: then what is there now was not
// there before this reading. One that was missing for a while, and is back under its UID where
// it was, has been there all the time.
func (l laying) update(b, w Booking, now int64) (Booking, bool) {
	next := w
	next.ID = b.ID
	moved := b.Span != w.Span && (l.fresh[w.At] || l.framed) && !trims(b.Span, w.Span, now)
	switch {
	case moved:
		next.NotBefore, next.SeenBy = l.since, l.now
	case b.Removed.IsZero(), l.named[w.At]:
		next.NotBefore, next.SeenBy = b.NotBefore, b.SeenBy
	}
	same := b.Booking == w.Booking && b.Title == w.Title && b.UID == w.UID && slices.Equal(b.Notices, w.Notices) &&
		b.Revision.Sequence == w.Revision.Sequence && b.Removed.IsZero()
	return next, !same
}

// trims reports whether a span is what is left of another whose past is cut off.
func trims(was, is span.Span, now int64) bool {
	return was.End == is.End && was.Start < is.Start && is.Start <= now
}
