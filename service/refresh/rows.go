package refresh

import (
	"context"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/service/document"
	"wharf/service/store"
)

// What core/reading takes and gives, from rows and to rows.

// recorded is what is recorded of a feed.
func recorded(feed store.Feed, known []store.Entry) reading.Feed {
	return reading.Feed{Entries: document.Recorded(known), Frame: feed.Frame, Since: orZero(feed.LastGoodStart),
		UIDs: reading.Unsettled{Digest: feed.NewUIDs, Interval: intervalOf(feed.NewUIDsNotBefore, feed.NewUIDsSeenBy)}}
}

func intervalOf(notBefore, seenBy *time.Time) reading.Interval {
	return reading.Interval{NotBefore: orZero(notBefore), SeenBy: orZero(seenBy)}
}

// saveTexts stores the source texts of entries that are new or changed, and notes with each
// where its text is.
func saveTexts(tx *store.Tx, feed int64, at time.Time, doc *recur.Document, entries []reading.Entry, these []int) error {
	if len(these) == 0 {
		return nil
	}
	texts := make([]string, len(these))
	for n, i := range these {
		texts[n] = doc.Entries[i].Source()
	}
	id, err := tx.SaveTexts(feed, at, texts)
	for n, i := range these {
		entries[i].Text = reading.TextAt{ID: id, Piece: n}
	}
	return err
}

// keepOldTexts stores the source texts of entries that were read before Wharf kept them, while
// the document that they stood in is still there. It returns true if there were such.
func keepOldTexts(ctx context.Context, tx *store.Tx, feed store.Feed, known []store.Entry) (bool, error) {
	if !slices.ContainsFunc(known, func(e store.Entry) bool { return e.TextID == 0 }) {
		return false, nil
	}
	doc, err := document.Last(ctx, tx, feed.ID)
	if err != nil || doc == nil {
		return false, err
	}
	entries := reading.Recognise(document.Recorded(known), doc)
	at := make(map[int64]int, len(entries))
	var these []int
	for i, e := range entries {
		if e.ID != 0 {
			at[e.ID] = i
			these = append(these, i)
		}
	}
	if err := saveTexts(tx, feed.ID, orZero(feed.LastGoodEnd), doc, entries, these); err != nil {
		return false, err
	}
	var changed []store.Entry
	for n := range known {
		if i, found := at[known[n].ID]; found && known[n].TextID == 0 {
			known[n].TextID, known[n].Piece = entries[i].Text.ID, entries[i].Text.Piece
			changed = append(changed, known[n])
		}
	}
	return len(changed) > 0, tx.SaveEntries(nil, changed)
}

// saveEntries writes the entries that a reading changed; the new ones get their IDs.
func saveEntries(tx *store.Tx, feed int64, c *reading.Changes) error {
	row := func(e reading.Entry) store.Entry {
		return store.Entry{ID: e.ID, FeedID: feed, UID: e.UID, Place: e.Place, Digest: e.Digest, Form: e.Form, NotBefore: orNil(e.NotBefore), SeenBy: e.SeenBy,
			ChangedBy: orNil(e.ChangedBy), GoneAt: orNil(e.Gone), TextID: e.Text.ID, Piece: e.Text.Piece}
	}
	added := make([]*store.Entry, len(c.Added))
	for n, i := range c.Added {
		e := row(c.Entries[i])
		added[n] = &e
	}
	var changed []store.Entry
	for _, i := range slices.Concat(c.Changed, c.Returned, c.Settled) {
		changed = append(changed, row(c.Entries[i]))
	}
	if err := tx.SaveEntries(added, changed); err != nil {
		return err
	}
	lost := make([]int64, len(c.Removed))
	for i, e := range c.Removed {
		lost[i] = e.ID
	}
	if len(lost) > 0 {
		if err := tx.LoseEntries(lost, c.Removed[0].Gone); err != nil {
			return err
		}
	}
	for n, i := range c.Added {
		c.Entries[i].ID = added[n].ID
	}
	return nil
}

// errCalendar: the calendar's own settings cannot be used, whatever the feed says.
var errCalendar = errors.New("the calendar's settings cannot be used")

// spot is a calendar on which a feed counts: the link, the rows of the feed's bookings there,
// and both as core/reading takes them.
type spot struct {
	link  store.Link
	rows  []store.Booking
	place reading.Place
}

// spots are the calendars on which a feed counts. One whose settings cannot be used is left
// out: its trouble is not the feed's, and it is laid out when it is brought up to date.
func (r *Refresher) spots(tx *store.Tx, feed store.Feed) (all []spot, err error) {
	links, err := tx.LinksOfFeed(feed.ID)
	if err != nil {
		return nil, err
	}
	for _, link := range links {
		s, err := spotOf(tx, link)
		if errors.Is(err, errCalendar) {
			if err := tx.SetLaidOutOn(link.CalendarID, ""); err != nil {
				return nil, err
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		if r.Guard.Share > 0 && feed.LastGoodStart != nil { // a document's first reading frees what a person gave up
			guard := r.Guard
			guard.Freed = link.Freed
			s.place.Guard = &guard
		}
		all = append(all, s)
	}
	return all, nil
}

func spotOf(tx *store.Tx, link store.Link) (spot, error) {
	calendar, err := tx.Calendar(link.CalendarID)
	if err != nil {
		return spot{}, err
	}
	k, err := rules.NewCalendar(calendar.Zone, calendar.Grain, calendar.Capacity)
	if err != nil {
		return spot{}, errors.Join(errCalendar, err)
	}
	l, err := rules.NewLink(LinkText(link))
	if err == nil {
		l.Given, err = givenBy(tx, link.FeedID)
	}
	if err != nil {
		return spot{}, errors.Join(errCalendar, err)
	}
	rows, err := tx.BookingsOf(calendar.ID, link.FeedID)
	bookings := make([]reading.Booking, len(rows))
	for i, b := range rows {
		bookings[i] = bookingOf(b)
	}
	return spot{link, rows, reading.Place{Calendar: k, Link: l, Bookings: bookings}}, err
}

// LinkText is what is laid down about a link.
func LinkText(l store.Link) rules.LinkText {
	return rules.LinkText{Role: l.Role, Tentative: l.Tentative, Units: l.Units, Counting: l.Counting, Filter: l.Filter}
}

// givenBy is what is said of all that a feed brings in.
func givenBy(tx *store.Tx, feed int64) (rules.Given, error) {
	f, err := tx.Given(feed)
	if err != nil {
		return rules.Given{}, err
	}
	return rules.NewGiven(strings.Split(f.Categories, "\n"), f.Class)
}

// bookingOf is a booking as it is recorded.
func bookingOf(b store.Booking) reading.Booking {
	return reading.Booking{
		ID: b.ID, Entry: b.EntryID, Occurrence: b.Occurrence, UID: b.UID, Title: b.Title, Categories: b.Categories, Class: b.Class, Notices: noticesOf(b.Notices),
		Booking:  booking.Booking{Span: b.Span(), Tentative: b.Tentative, Blocks: b.Blocks, Units: b.Units},
		Revision: recur.Revision{Sequence: b.Sequence, Stamp: orZero(b.Stamp)}, Created: orZero(b.Created),
		Status: reading.Status(b.Status), Form: b.Form, Stand: intervalOf(b.NotBefore, &b.SeenBy), Sighting: intervalOf(b.SightingNotBefore, b.SightingSeenBy),
		Removed: orZero(b.RemovedAt), At: -1, Held: reading.Held{Why: b.HeldWhy, Since: orZero(b.HeldSince), Agreed: b.HeldAgreed},
		Idle: b.Verdict == judge.Echo || b.Verdict == judge.OneWith,
	}
}

// savePlaced writes what a document means on a calendar, and marks it dirty if there is
// anything to combine: then it returns true.
func (r *Refresher) savePlaced(tx *store.Tx, s spot, entries []reading.Entry, p reading.Placed) (bool, error) {
	link := s.link
	if notices := strings.Join(p.Notices, "\n"); notices != link.Notices {
		if err := tx.SetNotices(link, notices); err != nil {
			return false, err
		}
	}
	if s.place.Guard != nil && !slices.Equal(p.Freed, link.Freed) {
		if err := tx.SetFreed(link, p.Freed); err != nil {
			return false, err
		}
	}
	if len(p.Added)+len(p.Changed) == 0 {
		return false, nil
	}
	added := make([]*store.Booking, len(p.Added))
	for i, b := range p.Added {
		entry := int64(0)
		if b.At >= 0 { // else it stands for what the feed shows elsewhere by now
			entry = entries[b.At].ID
		}
		row := store.Booking{CalendarID: link.CalendarID, FeedID: link.FeedID, EntryID: entry, Occurrence: b.Occurrence, Verdict: judge.Counts,
			Minted: carried.Mint(r.MintKey, strconv.FormatInt(entry, 10), b.Occurrence)}
		apply(&row, b)
		row.Review = reviewOf(link, row, nil)
		added[i] = &row
	}
	was := make(map[int64]store.Booking, len(s.rows))
	for _, row := range s.rows {
		was[row.ID] = row
	}
	changed := make([]store.Booking, len(p.Changed))
	for i, b := range p.Changed {
		row := was[b.ID]
		before := row
		apply(&row, b)
		row.Review = reviewOf(link, row, &before)
		changed[i] = row
	}
	over := make([]store.Sighting, len(p.Over))
	for i, o := range p.Over {
		over[i] = sightingRow(o)
	}
	if err := errors.Join(tx.SaveBookings(added, changed), tx.SaveSightings(over)); err != nil {
		return false, err
	}
	return true, tx.MarkDirty(link.CalendarID)
}

// reviewOf is how a booking stands that a reading brings or changes (was is nil for a new one): on a reviewed link somebody is
// to look at what is new, and again at what says something else than before.
func reviewOf(link store.Link, is store.Booking, was *store.Booking) store.ReviewState {
	switch {
	case !link.Review:
		return store.NotReviewed
	case was != nil && was.RemovedAt == nil && was.Span() == is.Span() && was.Title == is.Title && was.Tentative == is.Tentative && was.Units == is.Units:
		return was.Review
	}
	return store.Waiting
}

// apply writes what a reading says of a booking into its row; what was judged of it stays.
func apply(row *store.Booking, b reading.Booking) {
	words := make([]string, len(b.Notices))
	for i, n := range b.Notices {
		words[i] = string(n)
	}
	row.UID, row.Title, row.Notices = b.UID, b.Title, strings.Join(words, ",")
	row.Categories, row.Class = b.Categories, b.Class
	row.StartPoint, row.EndPoint, row.Tentative, row.Blocks, row.Units = b.Span.Start, b.Span.End, b.Tentative, b.Blocks, b.Units
	row.Sequence, row.Stamp, row.Created = b.Revision.Sequence, believable(b.Revision.Stamp), believable(b.Created)
	row.Status, row.Form = string(b.Status), b.Form
	row.NotBefore, row.SeenBy, row.RemovedAt = orNil(b.Stand.NotBefore), b.Stand.SeenBy, orNil(b.Removed)
	row.HeldWhy, row.HeldSince, row.HeldAgreed = b.Held.Why, orNil(b.Held.Since), b.Held.Agreed
	row.SightingNotBefore, row.SightingSeenBy = orNil(b.Sighting.NotBefore), orNil(b.Sighting.SeenBy)
}

func sightingRow(s reading.Sighting) store.Sighting {
	return store.Sighting{BookingID: s.Booking, UID: s.UID, Title: s.Title, Status: string(s.Status), Form: s.Form, StartPoint: s.Span.Start, EndPoint: s.Span.End,
		NotBefore: orNil(s.NotBefore), SeenBy: s.SeenBy, OverNotBefore: orNil(s.Over.NotBefore), OverSeenBy: s.Over.SeenBy, TextID: s.Text.ID, Piece: s.Text.Piece}
}

// HistoryOf is what readings did to a booking after since and until until. now is the point at which it was
// when it went.
func HistoryOf(b store.Booking, over []store.Sighting, now int64, since, until time.Time) []reading.Event {
	sightings := make([]reading.Sighting, len(over))
	for i, s := range over {
		sightings[i] = reading.Sighting{Booking: s.BookingID, Shown: reading.Shown{UID: s.UID, Span: span.Span{Start: s.StartPoint, End: s.EndPoint}, Title: s.Title, Status: reading.Status(s.Status), Form: s.Form},
			Interval: intervalOf(s.NotBefore, &s.SeenBy)}
	}
	is := bookingOf(b)
	if is.Sighting.SeenBy.IsZero() { // it is from before sightings were kept
		is.Sighting = is.Stand
	}
	return reading.History(is, sightings, b.EndPoint <= now, since, until)
}

func noticesOf(words string) []booking.Notice {
	if words == "" {
		return nil
	}
	var all []booking.Notice
	for word := range strings.SplitSeq(words, ",") {
		all = append(all, booking.Notice(word))
	}
	return all
}

func orZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

func orNil(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

// believable leaves out times that nobody can mean.
func believable(t time.Time) *time.Time {
	if t.Year() < 1970 {
		return nil
	}
	return &t
}
