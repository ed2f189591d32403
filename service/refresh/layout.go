package refresh

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/service/store"
)

// source is a feed as it stands after a reading: its document with the stored row of
// each entry.
type source struct {
	feed    store.Feed
	doc     *recur.Document
	entries []store.Entry // beside doc.Entries
	// fresh: the entry was added or changed by the reading at hand, so that its new
	// bookings were first seen in it; else they are as old as the entry.
	fresh []bool
}

// layOut writes what the source's entries mean on one calendar: bookings added, changed
// and removed. If there is anything to combine it marks the calendar dirty
// and returns true.
func (r *Refresher) layOut(ctx context.Context, tx *store.Tx, s source, link store.Link, now time.Time) (bool, error) {
	calendar, err := tx.Calendar(link.CalendarID)
	if err != nil {
		return false, err
	}
	k, err := rules.NewCalendar(calendar.Zone, calendar.Grain, calendar.Capacity)
	if err != nil {
		return false, errors.Join(errCalendar, err)
	}
	l, err := rules.NewLink(link.Role, link.Tentative, link.Units)
	if err != nil {
		return false, errors.Join(errCalendar, err)
	}
	stored, err := tx.BookingsOf(calendar.ID, s.feed.ID)
	if err != nil {
		return false, err
	}
	p := placement{calendar: calendar, rules: k, link: l, source: s, now: now, mint: r.MintKey, most: r.MaxBookings}
	added, changed, notices, err := p.diff(ctx, stored)
	if err != nil {
		return false, err
	}
	if notices != link.Notices {
		if err := tx.SetNotices(link, notices); err != nil {
			return false, err
		}
	}
	if len(added)+len(changed) == 0 {
		return false, nil
	}
	if err := tx.SaveBookings(added, changed); err != nil {
		return false, err
	}
	return true, tx.MarkDirty(calendar.ID)
}

// placement compares what a source means on a calendar with what is stored of it.
type placement struct {
	calendar store.Calendar
	rules    rules.Calendar
	link     rules.Link
	source   source
	now      time.Time
	mint     []byte
	most     int // bookings of one feed on one calendar
}

// errCalendar: the calendar's own settings cannot be used, whatever the feed says.
var errCalendar = errors.New("the calendar's settings cannot be used")

// errTooMany: the feed has more bookings than it may have on a calendar.
var errTooMany = errors.New("too many bookings")

type slot struct {
	entry      int64
	occurrence string
}

// diff returns the bookings to add and to change, and the notices on what takes nothing.
func (p placement) diff(ctx context.Context, stored []store.Booking) (added []*store.Booking, changed []store.Booking, notices string, err error) {
	wanted, cancelled, notices, err := p.wanted(ctx)
	if err != nil {
		return nil, nil, "", err
	}
	have := map[slot]bool{}
	now := span.Point(p.now, p.rules.Grain, p.rules.Zone)
	trimmed := trimmedAt(now, wanted)
	for _, b := range stored {
		at := slot{b.EntryID, b.Occurrence}
		have[at] = true
		w, wants := wanted[at]
		switch {
		case wants:
			if next, differs := update(b, *w); differs {
				changed = append(changed, next)
			}
		case b.RemovedAt == nil && leaves(b, cancelled[at], now, trimmed):
			b.RemovedAt = &p.now
			changed = append(changed, b)
		}
	}
	for _, at := range order(wanted) {
		if !have[at] {
			added = append(added, wanted[at])
		}
	}
	return added, changed, notices, nil
}

// tail is what is left of a booking whose past is cut off.
type tail struct {
	end   int64
	title string
}

// trimmedAt finds, for each end and title, the latest start up to now: of bookings that are
// under way, as the feed shows them.
func trimmedAt(now int64, wanted map[slot]*store.Booking) map[tail]int64 {
	starts := map[tail]int64{}
	for _, w := range wanted {
		t := tail{w.EndPoint, w.Title}
		if at, seen := starts[t]; w.StartPoint <= now && (!seen || w.StartPoint > at) {
			starts[t] = w.StartPoint
		}
	}
	return starts
}

// leaves reports whether a booking that its feed no longer shows is to be removed. One
// that has ended has passed; one that has begun is kept to its end, unless the feed
// calls it off or goes on showing it with the past cut off.
func leaves(b store.Booking, cancelled bool, now int64, trimmed map[tail]int64) bool {
	if b.StartPoint > now || cancelled {
		return b.EndPoint > now
	}
	start, shown := trimmed[tail{b.EndPoint, b.Title}]
	return shown && start > b.StartPoint
}

// wanted is what the source means on the calendar now, what it calls off, and the notices
// on what is yet to come and takes nothing.
func (p placement) wanted(ctx context.Context) (wanted map[slot]*store.Booking, cancelled map[slot]bool, notices string, err error) {
	var lines []string
	wanted, cancelled = map[slot]*store.Booking{}, map[slot]bool{}
	from, to := rules.MaterialisedWindow(p.now, p.rules.Zone)
	window := recur.Window{From: from, To: to, Zone: p.rules.Zone, KeepSingle: true}
	for i, e := range p.source.doc.Entries {
		if ctx.Err() != nil {
			return nil, nil, "", ctx.Err()
		}
		found, _ := p.source.doc.Expand(e, window)
		for _, o := range found {
			at := slot{p.source.entries[i].ID, o.Key.String()}
			b, found, ok := booking.Of(o, p.rules, p.link)
			if !ok {
				cancelled[at] = o.Status == recur.Cancelled
				if len(found) > 0 && o.Start > p.now.Unix() && len(lines) < maxRemarks {
					lines = append(lines, p.notice(o, found))
				}
				continue
			}
			wanted[at] = p.row(i, o, b, found)
		}
		if len(wanted) > p.most {
			return nil, nil, "", errTooMany
		}
	}
	return wanted, cancelled, strings.Join(lines, "\n"), nil
}

// notice says in a line that an occurrence takes nothing on the calendar.
func (p placement) notice(o recur.Occurrence, found []booking.Notice) string {
	title := store.Clip(strings.ReplaceAll(o.Summary, "\n", " "), 100)
	start := time.Unix(o.Start, 0).In(p.rules.Zone).Format("2 Jan 2006 15:04")
	if slices.Contains(found, booking.NoNight) {
		return fmt.Sprintf("%q, %s to %s, blocks no night: if it should, enter it with whole days", title, start, time.Unix(o.End, 0).In(p.rules.Zone).Format("15:04"))
	}
	return fmt.Sprintf("%q, %s, lasts nothing: if it should block, give it an end", title, start)
}

func (p placement) row(i int, o recur.Occurrence, b booking.Booking, notices []booking.Notice) *store.Booking {
	entry := p.source.entries[i]
	words := make([]string, len(notices))
	for n, notice := range notices {
		words[n] = string(notice)
	}
	row := &store.Booking{
		CalendarID: p.calendar.ID, FeedID: p.source.feed.ID, EntryID: entry.ID, Occurrence: o.Key.String(), UID: store.Clip(o.UID, store.UIDWidth),
		Minted: carried.Mint(p.mint, strconv.FormatInt(entry.ID, 10), o.Key.String()),
		Title:  store.Clip(o.Summary, store.TitleWidth), Notices: strings.Join(words, ","), Verdict: judge.Counts,
		StartPoint: b.Span.Start, EndPoint: b.Span.End, Tentative: b.Tentative, Blocks: b.Blocks, Units: b.Units,
		Sequence: o.Revision.Sequence, Stamp: orNil(o.Revision.Stamp), Created: orNil(o.Created),
		NotBefore: entry.NotBefore, SeenBy: entry.SeenBy,
	}
	if p.source.fresh[i] {
		row.NotBefore, row.SeenBy = p.source.feed.LastGoodStart, p.now
	}
	return row
}

// update is the stored booking with what the feed says now. What was recorded about it
// stays, unless it comes back after it was removed: then it is new again.
func update(b, w store.Booking) (store.Booking, bool) {
	next := w
	next.ID, next.Verdict, next.Evidence, next.WithID = b.ID, b.Verdict, b.Evidence, b.WithID
	if b.RemovedAt == nil {
		next.NotBefore, next.SeenBy = b.NotBefore, b.SeenBy
	}
	same := b.StartPoint == w.StartPoint && b.EndPoint == w.EndPoint && b.Tentative == w.Tentative && b.Blocks == w.Blocks &&
		b.Units == w.Units && b.Title == w.Title && b.UID == w.UID && b.Notices == w.Notices && b.Sequence == w.Sequence && b.RemovedAt == nil
	return next, !same
}

func order(wanted map[slot]*store.Booking) []slot {
	keys := make([]slot, 0, len(wanted))
	for at := range wanted {
		keys = append(keys, at)
	}
	slices.SortFunc(keys, func(a, b slot) int {
		return cmp.Or(cmp.Compare(a.entry, b.entry), cmp.Compare(a.occurrence, b.occurrence))
	})
	return keys
}

// orNil leaves out times that nobody can mean.
func orNil(t time.Time) *time.Time {
	if t.Year() < 1970 {
		return nil
	}
	return &t
}

// unpack reads a stored document.
func unpack(ctx context.Context, packed []byte) (*recur.Document, error) {
	r, err := store.Unpack(packed)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return recur.Read(ical.NewReader(whileWanted{ctx, r}))
}

// stored returns the feed as its last good reading left it; false before the first.
func (r *Refresher) stored(ctx context.Context, tx *store.Tx, feed store.Feed) (source, bool, error) {
	body, err := tx.Body(feed.ID)
	if errors.Is(err, store.ErrNotFound) {
		return source{}, false, nil
	}
	if err != nil {
		return source{}, false, err
	}
	doc, err := unpack(ctx, body)
	if err != nil {
		return source{}, false, err
	}
	known, err := tx.Entries(feed.ID)
	if err != nil {
		return source{}, false, err
	}
	s := source{feed: feed, doc: doc, entries: make([]store.Entry, len(doc.Entries)), fresh: make([]bool, len(doc.Entries))}
	for _, pair := range booking.Match(identities(known), identitiesOf(doc)) {
		s.entries[pair.New] = known[pair.Old]
	}
	return s, true, nil
}
