// Package refresh reads feeds: what is due, who claims it, and one reading from fetch to
// store.
//
// A feed is claimed by a compare-and-set on its fencing number, fetched without holding
// anything, and stored in one transaction that holds the feed's row: its entries, what
// they mean on each linked calendar, and a dirty mark on each calendar that changed. A
// reading that fails or is no calendar changes nothing but the record of it. One that
// says what the last one said writes nothing but the feed's own row.
package refresh

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"log/slog"
	"net/url"
	"strings"
	"sync"
	"time"

	"wharf/core/ical"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/service/combine"
	"wharf/service/crash"
	"wharf/service/document"
	"wharf/service/fetch"
	"wharf/service/secret"
	"wharf/service/store"
	"wharf/service/stumble"
)

// ErrBusy says that another reading of the feed is going on.
var ErrBusy = errors.New("the feed is being read at this moment: try again in a minute")

// ErrUploaded says that a feed is a file, which is not read by itself.
var ErrUploaded = errors.New("the feed is a file that was uploaded: upload a newer one to replace it")

// Refresher reads feeds.
type Refresher struct {
	Store    *store.Store
	Box      *secret.Box
	Fetcher  *fetch.Fetcher
	Combiner *combine.Combiner
	MintKey  []byte
	Now      func() time.Time
	Log      *slog.Logger
	Lease    time.Duration // how long a claim lasts; longer than any fetch
	Workers  int           // readings at once
	// MaxBookings is how many bookings one feed may have on one calendar.
	MaxBookings int
	Guard       reading.Guard // of what feeds no longer show; a Share of 0 holds nothing back
	WholeEvery  time.Duration // after which a feed is read whole, though it says that it has not changed
	KeepGone    time.Duration // how long an entry is known that its feed no longer shows
	// Done is told of each reading: how long it took, and how late it began; below 0 where it was not due.
	Done func(outcome store.Outcome, took, late time.Duration)
	// After is a channel on which something comes after so long; nil: Run looks for work at ticks alone.
	After func(time.Duration) <-chan time.Time

	// Limits are those of a document, and Memory bounds what all that are being read at once take, in
	// bytes; 0: nothing does.
	Limits ical.Limits
	Memory int64
	// HostPatience is how long a reading waits for others of its host; 0: two seconds.
	HostPatience time.Duration
	// Jitter is a random part of so long, by which readings are put off; nil: none.
	Jitter func(most time.Duration) time.Duration

	alarm   alarm
	opened  sync.Once
	room    *room    // nil: any number
	reading sync.Map // the IDs of the feeds that this process is reading
}

// urlPlace is the place for which feed links are sealed.
const urlPlace = "feed-url"

// Read reads one feed now and combines the calendars that it counts on. ErrBusy if somebody
// else is reading it, be it this process, whose claim has run out meanwhile.
//
// Whatever goes wrong, the reading ends: with a record of how, or, where it was broken off
// or the database is away, with the claim let go.
func (r *Refresher) Read(ctx context.Context, feed store.Feed) (store.Reading, error) {
	return r.readFeed(ctx, feed, true)
}

func (r *Refresher) readFeed(ctx context.Context, feed store.Feed, scheduled bool) (store.Reading, error) {
	began := r.Now()
	if _, busy := r.reading.LoadOrStore(feed.ID, true); busy {
		return store.Reading{}, ErrBusy
	}
	defer r.reading.Delete(feed.ID)
	feed, ok, err := r.Store.ClaimFeed(ctx, feed, r.Now(), r.Now().Add(r.Lease))
	if err != nil {
		return store.Reading{}, err
	}
	if !ok {
		return store.Reading{}, ErrBusy
	}
	leave := func() {}
	defer func() { leave() }() // when all that follows from it is combined
	record, calendars, err := r.read(ctx, feed, scheduled, &leave)
	if err != nil && !errors.Is(err, ErrBusy) && !errors.Is(err, ErrUploaded) && (store.IsFull(err) || !store.IsPassing(err)) {
		r.Log.Error("a reading could not be kept", "feed", feed.Name, "error", err)
		record, calendars, err = r.recordFailure(ctx, feed, err)
	}
	if err != nil {
		r.letGo(ctx, feed)
		return store.Reading{}, err
	}
	if r.Done != nil {
		late := time.Duration(-1)
		if scheduled {
			late = max(began.Sub(feed.DueAt), 0)
		}
		r.Done(record.Outcome, r.Now().Sub(began), late)
	}
	r.Log.Info("feed read", "feed", feed.Name, "outcome", record.Outcome, "entries", record.Entries,
		"added", record.Added, "changed", record.Changed, "removed", record.Removed, "message", record.Message)
	crash.At(crash.Committed)
	r.Combiner.Calendars(ctx, calendars...)
	return record, nil
}

// letGoTimeout bounds how long a claim is let go.
const letGoTimeout = 3 * time.Second

// letGo ends the claim of a reading that came to nothing. Where that fails, it ends by
// itself.
func (r *Refresher) letGo(ctx context.Context, feed store.Feed) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), letGoTimeout)
	defer cancel()
	if err := r.Store.ReleaseClaim(ctx, feed); err != nil {
		r.Log.Warn("a claim ends by itself", "feed", feed.Name, "error", err)
	}
}

// ReadNow is Read for a person who waits: a reading that is going on is waited for, and
// then there is another. What came of it is combined when it returns.
func (r *Refresher) ReadNow(ctx context.Context, id int64) (store.Reading, error) {
	again := time.NewTicker(100 * time.Millisecond)
	defer again.Stop()
	patience := time.After(r.Lease)
	for {
		feed, err := r.Store.Feed(ctx, id)
		if err != nil {
			return store.Reading{}, err
		}
		record, err := r.readFeed(ctx, feed, false)
		if !errors.Is(err, ErrBusy) && !errors.Is(err, store.ErrLost) {
			return record, err
		}
		select {
		case <-ctx.Done():
			return store.Reading{}, ctx.Err()
		case <-patience:
			return store.Reading{}, ErrBusy
		case <-again.C:
		}
	}
}

// read fetches a claimed feed and stores what came of it. It returns the calendars that
// are to be combined; leave makes the room free that it takes. A panic on the way is this reading's failure.
func (r *Refresher) read(ctx context.Context, feed store.Feed, scheduled bool, leave *func()) (record store.Reading, calendars []int64, err error) {
	defer stumble.Catch(&err)
	if feed.Uploaded() {
		return store.Reading{}, nil, ErrUploaded
	}
	link, err := r.Box.Open(urlPlace, feed.URLCipher)
	if err != nil {
		return store.Reading{}, nil, err
	}
	done, err := r.askHost(ctx, link)
	if err != nil {
		return store.Reading{}, nil, err
	}
	defer done()
	got := Got{started: r.Now(), scheduled: scheduled}
	known := fetch.Known{ETag: feed.ETag, LastModified: feed.LastModified}
	whole := feed.WholeAt == nil || got.started.Sub(*feed.WholeAt) >= r.WholeEvery
	if whole {
		known = fetch.Known{} // who always says that nothing is new is not always right
	}
	got.result, got.err = r.Fetcher.Get(ctx, link, known)
	got.finished = r.Now()
	done()
	if got.result.Moved != "" {
		got.moved(link)
	}
	if ctx.Err() != nil {
		return store.Reading{}, nil, ctx.Err() // we are stopping: no fault of the feed
	}
	if got.err == nil && !got.result.NotModified {
		got.digest = digestOf(got.result.Body)
		got.same = !whole && got.digest == feed.BodyDigest && feed.NewUIDs == "" // one more reading is what settles new UIDs
	}
	if got.err == nil && !got.result.NotModified && !got.same {
		free, err := r.enter(ctx, int64(len(got.result.Body)))
		if err != nil {
			return store.Reading{}, nil, err
		}
		*leave = free
		got.doc, got.err = r.readDocument(ctx, got.result.Body)
		var not *ical.NotCalendarError
		got.overran = errors.As(got.err, &not) && strings.HasPrefix(not.Code, "too-")
	}
	crash.At(crash.Fetched)
	if ctx.Err() != nil {
		return store.Reading{}, nil, ctx.Err()
	}
	return r.keep(ctx, feed, got)
}

// keep stores an attempt. One with too many bookings is stored as failed.
func (r *Refresher) keep(ctx context.Context, feed store.Feed, got Got) (record store.Reading, calendars []int64, err error) {
	attempt := func(tx *store.Tx) error {
		record, calendars, err = r.commit(ctx, tx, feed, got)
		return err
	}
	if err = r.Store.Tx(ctx, attempt); errors.Is(err, reading.ErrTooMany) || errors.Is(err, reading.ErrTooOften) {
		got.doc, got.err, got.overran = nil, r.Explained(err), true
		err = r.Store.Tx(ctx, attempt)
	}
	if errors.Is(err, store.ErrNotFound) {
		err = store.ErrLost // it was removed meanwhile
	}
	return record, calendars, err
}

// recordFailure stores a reading that could not be kept as failed, in a transaction of its
// own.
func (r *Refresher) recordFailure(ctx context.Context, feed store.Feed, why error) (store.Reading, []int64, error) {
	message := "Wharf could not keep what it read: its log says why, and the feed is read again at the next time"
	var stumbled *stumble.Error
	switch {
	case store.IsFull(why):
		message = "the disk of Wharf's database is full, so nothing of this reading could be kept: make room, and the feed is read again at the next time"
	case errors.As(why, &stumbled):
		message = "Wharf stumbled over what the platform sent: its log says where, and the feed is read again at the next time"
	}
	now := r.Now()
	return r.keep(ctx, feed, Got{started: now, finished: now, err: &fetch.Error{Message: message}})
}

// enter waits until there is room for a document of so many bytes.
func (r *Refresher) enter(ctx context.Context, bytes int64) (leave func(), err error) {
	if r.Memory <= 0 {
		return func() {}, nil
	}
	r.opened.Do(func() { r.room = newRoom(r.Memory, r.Lease/4) })
	return r.room.enter(ctx, bytes)
}

// readDocument reads the text of a feed, until ctx ends.
func (r *Refresher) readDocument(ctx context.Context, text []byte) (*recur.Document, error) {
	in := ical.NewReader(document.WhileWanted{Context: ctx, Reader: bytes.NewReader(text)})
	if r.Limits != (ical.Limits{}) {
		in.Limits = r.Limits
	}
	doc, err := recur.Read(in)
	if err != nil {
		return nil, err // also of one that is cut off: a feed is read whole or not at all
	}
	return doc, nil
}

// Got is what one attempt at a feed gave.
type Got struct {
	link              string // of a first reading, as it is to be kept
	file              string // or the name of the file that it was
	started, finished time.Time
	overran           bool     // there is more in it than there may be
	scheduled         bool     // it was due
	remarks           []string // on how it was read
	result            fetch.Result
	digest            string          // of what came
	same              bool            // byte for byte what came last
	doc               *recur.Document // nil when nothing new came
	err               error
}

// digestOf tells contents apart.
func digestOf(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

// moved notes where a feed is to be read from now on.
func (got *Got) moved(from string) {
	was, err := url.Parse(from)
	to, failed := fetch.ParseLink(got.result.Moved)
	if err != nil || failed != nil {
		return
	}
	to.Fragment = was.Fragment
	got.link = to.String()
	got.remarks = append(got.remarks, hasMoved(got.link))
}

// commit stores an attempt, if the claim on the feed still holds. It returns the
// calendars on which something changed.
func (r *Refresher) commit(ctx context.Context, tx *store.Tx, claimed store.Feed, got Got) (record store.Reading, calendars []int64, err error) {
	feed, err := tx.LockFeed(claimed.ID)
	if err != nil {
		return store.Reading{}, nil, err
	}
	if feed.Fence != claimed.Fence {
		return store.Reading{}, nil, store.ErrLost
	}
	record = store.Reading{FeedID: feed.ID, StartedAt: got.started, FinishedAt: got.finished, Times: 1, TookMS: got.finished.Sub(got.started).Milliseconds(),
		Status: got.result.Status, Bytes: int64(len(got.result.Body)), Outcome: store.OutcomeUnchanged, Entries: feed.Entries}
	switch {
	case got.err != nil:
		record.Outcome, record.Message, record.Entries = store.OutcomeFailed, strings.ToValidUTF8(got.err.Error(), "�"), 0
		var failed *fetch.Error
		if errors.As(got.err, &failed) {
			record.Status, got.result.RetryAfter = failed.Status, failed.RetryAfter
		}
	case got.doc != nil:
		if calendars, err = r.commitDocument(ctx, tx, &feed, got, &record); err != nil {
			return store.Reading{}, nil, err
		}
	default:
		if calendars, err = r.agree(ctx, tx, &feed, got); err != nil {
			return store.Reading{}, nil, err
		}
	}
	feed.Readings++
	feed.DueAt = r.nextAt(feed, got)
	if record.Outcome == store.OutcomeFailed {
		err = r.noteFailure(tx, &feed, &record)
	} else {
		err = r.noteGood(tx, &feed, &record, got)
	}
	if err != nil {
		return store.Reading{}, nil, err
	}
	if feed.Uploaded() {
		feed.DueAt = store.Never
	}
	r.alarm.ring(feed.DueAt)
	return record, calendars, tx.SaveFeed(feed)
}

// commitDocument stores what a document leads to (core/reading). It returns the calendars on
// which something changed.
func (r *Refresher) commitDocument(ctx context.Context, tx *store.Tx, feed *store.Feed, got Got, record *store.Reading) (calendars []int64, err error) {
	c, err := compared(ctx, tx, *feed, got)
	if err != nil {
		return nil, err
	}
	record.Entries, feed.Entries = len(c.Entries), len(c.Entries)
	newFrame := feed.Frame != c.Frame
	feed.Frame = c.Frame
	feed.NewUIDs, feed.NewUIDsNotBefore, feed.NewUIDsSeenBy = c.UIDs.Digest, orNil(c.UIDs.NotBefore), orNil(c.UIDs.SeenBy)
	if c.Unchanged {
		return r.agree(ctx, tx, feed, got)
	}
	all, err := r.spots(tx, *feed)
	if err != nil {
		return nil, err
	}
	places := make([]reading.Place, len(all))
	for i, s := range all {
		places[i] = s.place
	}
	if err := c.LayOut(ctx, got.doc, places, r.MaxBookings); err != nil {
		return nil, err
	}
	record.Added, record.Changed, record.Removed = len(c.Added)+len(c.Returned), len(c.Changed), len(c.Removed)
	if !c.Unchanged || newFrame {
		if err := tx.SaveBody(feed.ID, got.result.Body); err != nil {
			return nil, err
		}
	}
	if c.Unchanged {
		return r.agree(ctx, tx, feed, got)
	}
	if !c.Nothing() {
		record.Outcome = store.OutcomeChanged
	}
	feed.Remarks = strings.Join(append(c.Remarks, got.remarks...), "\n")
	return r.saveChanges(tx, feed, got, &c, all)
}

// compared is what a document changes of what is recorded of its feed, with what has come
// back of what was gone.
func compared(ctx context.Context, tx *store.Tx, feed store.Feed, got Got) (reading.Changes, error) {
	known, err := tx.Entries(feed.ID)
	if err != nil {
		return reading.Changes{}, err
	}
	times := reading.Times{Requested: got.started, Finished: got.finished, Scheduled: got.scheduled}
	c := reading.Compare(recorded(feed, known), got.doc, times)
	if c.Unchanged {
		return c, nil
	}
	read, err := keepOldTexts(ctx, tx, feed, known)
	if err != nil {
		return c, err
	}
	if read {
		c = reading.Compare(recorded(feed, known), got.doc, times)
	}
	if len(c.Added) > 0 {
		gone, err := tx.GoneEntries(feed.ID)
		if err != nil {
			return c, err
		}
		c.Return(document.Recorded(gone))
	}
	return c, nil
}

// saveChanges writes what a reading changed, and returns the calendars on which it did.
func (r *Refresher) saveChanges(tx *store.Tx, feed *store.Feed, got Got, c *reading.Changes, all []spot) (calendars []int64, err error) {
	if err := saveTexts(tx, feed.ID, got.finished, got.doc, c.Entries, c.Rewritten()); err != nil {
		return nil, err
	}
	if err := saveEntries(tx, feed.ID, c); err != nil {
		return nil, err
	}
	for i, s := range all {
		changed, err := r.savePlaced(tx, s, c.Entries, c.Places[i])
		if err != nil {
			return nil, err
		}
		if changed {
			calendars = append(calendars, s.link.CalendarID)
		}
	}
	feed.GuardedSince, err = tx.GuardedSince(feed.ID)
	return calendars, err
}
