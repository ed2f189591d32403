// Package combine brings one calendar up to date: its dirty marks, through core/judge,
// to verdicts, conflicts and publications, committed together.
//
// Any number of processes may combine at once. The calendar's row is held for the length
// of the transaction and its version raised by a compare-and-set, so that each state
// follows from the one before; exactly those marks are cleared that were seen.
//
// A calendar that fails is its own trouble: whoever changed something has changed it, the
// mark stays, and the calendar is set aside and tried again, less and less often.
package combine

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/conflict"
	"wharf/core/echo"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/service/store"
	"wharf/service/stumble"
)

// Combiner combines calendars.
type Combiner struct {
	Store *store.Store
	Now   func() time.Time
	Log   *slog.Logger
	Done  func(calendar int64, took time.Duration) // told of each; may be nil
	// Echoes are the rules by which reflections are judged; the zero Rules are the defaults.
	Echoes echo.Rules
	// Rendered is told of each which publications have a new version, once that is committed
	// and before anybody is answered; may be nil.
	Rendered func(publications []int64)
}

// Calendars combines those of the calendars that are dirty and not set aside, and those that
// become dirty by it. What fails is no error of whoever changed something: it is logged,
// and done by the background work.
func (c *Combiner) Calendars(ctx context.Context, ids ...int64) {
	if len(ids) == 0 {
		return
	}
	due, err := c.Store.DirtyCalendars(ctx, c.Now())
	if err != nil {
		c.Log.Warn("calendars are combined later", "error", err)
		return
	}
	waiting := map[int64]bool{}
	for _, id := range due {
		waiting[id] = true
	}
	for len(ids) > 0 {
		id := ids[0]
		ids = ids[1:]
		if !waiting[id] {
			continue
		}
		delete(waiting, id) // each once: two that mark each other are left to the background work
		others, err := c.Calendar(ctx, id)
		if err != nil {
			c.Failed(ctx, id, err)
		}
		for _, other := range others {
			waiting[other] = true
		}
		ids = append(ids, others...)
	}
}

// All combines every dirty calendar that is not set aside.
func (c *Combiner) All(ctx context.Context) error {
	ids, err := c.Store.DirtyCalendars(ctx, c.Now())
	if err != nil || len(ids) == 0 {
		return err
	}
	c.Calendars(ctx, ids...)
	return nil
}

// Calendar combines one calendar if it is dirty, and returns those that it marked dirty.
func (c *Combiner) Calendar(ctx context.Context, id int64) (others []int64, err error) {
	began := time.Now()
	done := outcome{}
	err = c.Store.Tx(ctx, func(tx *store.Tx) error {
		done = outcome{}
		calendar, err := tx.LockCalendar(id)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		marks, err := tx.DirtyOf(id)
		if err != nil || len(marks) == 0 {
			return err
		}
		if done, err = c.combine(ctx, tx, calendar, marks); err != nil {
			return err
		}
		return errors.Join(tx.Changed(store.TopicCalendar, id), tx.Changed(store.TopicPublication, done.rendered...))
	})
	if err != nil {
		return nil, err
	}
	if done.did && c.Rendered != nil {
		c.Rendered(done.rendered)
	}
	if done.did && c.Done != nil {
		c.Done(id, time.Since(began))
	}
	return done.others, nil
}

// recheckAfter is when a calendar is judged again of which time alone may change a verdict.
const recheckAfter = 10 * time.Minute

// outcome is what one combination came to.
type outcome struct {
	did      bool
	rendered []int64 // publications that have a new version
	others   []int64 // calendars that are dirty by it
}

// combine brings a calendar that is held up to date. A panic is an error of this calendar.
func (c *Combiner) combine(ctx context.Context, tx *store.Tx, calendar store.Calendar, marks []int64) (done outcome, err error) {
	defer stumble.Catch(&err)
	done.did = true
	var recheck *time.Time
	if done.rendered, done.others, recheck, err = c.judge(ctx, tx, calendar); err != nil {
		return done, err
	}
	if err := tx.NextVersion(calendar, recheck); err != nil {
		return done, err
	}
	if err := tx.TakeBack(calendar); err != nil {
		return done, err
	}
	return done, tx.ClearDirty(marks)
}

// How long a calendar that failed is left alone: twice as long each time.
const (
	firstRetry = 5 * time.Second
	mostRetry  = 15 * time.Minute
)

// Failed sets a calendar aside that could not be combined or laid out, unless that is of
// the moment and not of the calendar. It is logged once for each time that it is set aside.
func (c *Combiner) Failed(ctx context.Context, id int64, err error) {
	if store.IsPassing(err) {
		if ctx.Err() == nil {
			c.Log.Warn("a calendar is combined later", "calendar", id, "error", err)
		}
		return
	}
	now := c.Now()
	var until time.Time
	failed := c.Store.SetAside(context.WithoutCancel(ctx), id, sentence(err), now, func(failures int) time.Time {
		until = now.Add(min(mostRetry, firstRetry<<min(failures-1, 20)))
		return until
	})
	if errors.Is(failed, store.ErrNotFound) {
		return // it was removed meanwhile
	}
	c.Log.Error("a calendar cannot be brought up to date; it is set aside", "calendar", id, "until", until, "error", errors.Join(err, failed))
}

// sentence says to a coordinator why a calendar fails.
func sentence(err error) string {
	var large *store.TooLargeError
	if errors.As(err, &large) {
		return "What is published of it does not fit: " + large.Error() + "."
	}
	var field *rules.FieldError
	if errors.As(err, &field) {
		return "Its settings cannot be used: " + field.Error() + ". What was published last stays as it is."
	}
	return "Wharf stumbled over it: its log says where. What was published last stays as it is."
}

// judge reads the facts, draws the conclusions and writes what is new. It returns the
// publications that have a new version, the calendars that are to be judged again, and when this
// one is (nil: when something changes).
func (c *Combiner) judge(ctx context.Context, tx *store.Tx, calendar store.Calendar) (rendered, others []int64, recheck *time.Time, err error) {
	facts, known, err := c.facts(ctx, tx, calendar)
	if err != nil {
		return nil, nil, nil, err
	}
	result, err := judge.Judge(ctx, facts)
	if err != nil {
		return nil, nil, nil, err
	}
	if others, err = c.saveVerdicts(tx, calendar, known.bookings, result.Verdicts); err != nil {
		return nil, nil, nil, err
	}
	more, err := saveParts(tx, calendar.ID, known.parts, result.Parts)
	if err != nil {
		return nil, nil, nil, err
	}
	others = append(others, more...)
	if err := c.saveHabits(tx, calendar, known.habits, facts.Feeds, known.platforms, result.Habits); err != nil {
		return nil, nil, nil, err
	}
	if err := c.saveConflicts(tx, calendar, known.conflicts, facts.Conflicts, result.Conflicts); err != nil {
		return nil, nil, nil, err
	}
	for i, r := range result.Renditions {
		if r.Body == nil {
			continue
		}
		sum := sha256.Sum256(r.Body)
		v := store.Version{PublicationID: r.ID, Version: r.Version, At: c.Now(), ETag: hex.EncodeToString(sum[:12]), Bytes: int64(len(r.Body))}
		if err := tx.SaveVersion(v, facts.Publications[i].Name, r.Body, r.Change); err != nil {
			return nil, nil, nil, err
		}
		rendered = append(rendered, r.ID)
	}
	return rendered, others, recheckOf(result, facts.Now), nil
}

// recheckOf is when a calendar is judged again though nothing has changed; nil: never.
func recheckOf(r judge.Result, now time.Time) *time.Time {
	at := r.Next
	if again := now.Add(recheckAfter); r.Pending && (at.IsZero() || again.Before(at)) {
		at = again
	}
	if at.IsZero() {
		return nil
	}
	return &at
}

// saveVerdicts writes the verdicts that are new. Where an echo was found or is none any
// more, the other calendars of its feed are judged again: it returns these.
func (c *Combiner) saveVerdicts(tx *store.Tx, calendar store.Calendar, rows []store.Booking, verdicts []judge.Verdict) (others []int64, err error) {
	feeds := map[int64]bool{}
	var changed []store.Booking
	for i, v := range verdicts {
		b := rows[i]
		if b.Verdict == v.Kind && b.Evidence == v.Evidence && b.WithID == v.With {
			continue
		}
		if (b.Verdict == judge.Echo) != (v.Kind == judge.Echo) {
			feeds[b.FeedID] = true
		}
		b.Verdict, b.Evidence, b.WithID = v.Kind, v.Evidence, v.With
		changed = append(changed, b)
	}
	if err := tx.SetVerdicts(changed); err != nil {
		return nil, err
	}
	for _, feed := range slices.Sorted(maps.Keys(feeds)) {
		more, err := tx.MarkOthersDirty(calendar.ID, feed)
		if err != nil {
			return nil, err
		}
		others = append(others, more...)
	}
	return others, nil
}

// known is what is stored of a calendar, in the order of the facts.
type known struct {
	bookings  []store.Booking
	conflicts []store.ConflictWith
	habits    []store.Habit
	platforms map[int64]int64 // of feeds
	parts     []store.PartOn
}

// facts collects what the judgement rests on.
func (c *Combiner) facts(ctx context.Context, tx *store.Tx, calendar store.Calendar) (f judge.Facts, rows known, err error) {
	k, err := rules.NewCalendar(calendar.Zone, calendar.Grain, calendar.Capacity)
	if err != nil {
		return f, rows, err
	}
	f = judge.Facts{Calendar: k, Now: c.Now(), Echoes: c.Echoes}
	if calendar.ChanceLimit > 0 {
		f.Echoes.Limit = calendar.ChanceLimit
	}
	if rows.bookings, err = tx.CurrentBookings(calendar.ID); err != nil {
		return f, rows, err
	}
	if rows.platforms, err = feedsOn(tx, calendar.ID, &f); err != nil {
		return f, rows, err
	}
	if rows.habits, err = habitsOn(tx, calendar.ID, rows.platforms, &f); err != nil {
		return f, rows, err
	}
	if err := goneFrom(tx, calendar.ID, &f); err != nil {
		return f, rows, err
	}
	if err := bookingsOn(tx, calendar.ID, rows.bookings, rows.platforms, &f); err != nil {
		return f, rows, err
	}
	if err := publishedOf(tx, calendar.ID, &f); err != nil {
		return f, rows, err
	}
	if err := alarmsOn(tx, calendar.ID, &f); err != nil {
		return f, rows, err
	}
	if rows.parts, err = partsOn(tx, calendar, &f); err != nil {
		return f, rows, err
	}
	if err := sourcesOn(ctx, tx, rows.bookings, &f); err != nil {
		return f, rows, err
	}
	rows.conflicts, err = tx.ConflictsOf(calendar.ID)
	for _, k := range rows.conflicts {
		f.Conflicts = append(f.Conflicts, judge.Conflict{ID: k.ID, State: k.State, Conflict: conflict.Conflict{
			Kind: k.Kind, Span: span.Span{Start: k.StartPoint, End: k.EndPoint}, Bookings: k.BookingIDs}})
	}
	return f, rows, err
}

// feedsOn adds the feeds that count on a calendar, and returns their platforms.
func feedsOn(tx *store.Tx, calendar int64, f *judge.Facts) (platforms map[int64]int64, err error) {
	feeds, err := tx.FeedsOn(calendar)
	if err != nil {
		return nil, err
	}
	declared, err := tx.MirrorsOn(calendar)
	if err != nil {
		return nil, err
	}
	mirrors := map[int64][]int64{}
	for _, m := range declared {
		mirrors[m.FeedID] = append(mirrors[m.FeedID], m.OfID)
	}
	platforms = make(map[int64]int64, len(feeds))
	for _, feed := range feeds {
		platforms[feed.ID] = feed.PlatformID
		f.Feeds = append(f.Feeds, judge.Feed{ID: feed.ID, Platform: feed.PlatformID, Read: orZero(feed.LastGoodStart), Mirrors: mirrors[feed.ID]})
	}
	return platforms, nil
}

// bookingsOn adds a calendar's bookings, and the originals of what some of them may reflect.
func bookingsOn(tx *store.Tx, calendar int64, rows []store.Booking, platforms map[int64]int64, f *judge.Facts) error {
	elsewhere, err := tx.EchoesElsewhere(calendar)
	if err != nil {
		return err
	}
	answers, err := tx.AnswersOn(calendar)
	if err != nil {
		return err
	}
	var minted []string
	for _, b := range rows {
		if carried.LooksMinted(b.UID) {
			minted = append(minted, b.UID)
		}
		if uid := elsewhere[b.ID]; uid != "" && uid != b.UID {
			minted = append(minted, uid)
		}
		f.Bookings = append(f.Bookings, judge.Booking{
			ID: b.ID, Feed: b.FeedID, Platform: platforms[b.FeedID], UID: b.UID, Key: b.Occurrence, Minted: b.Minted,
			Booking: booking.Booking{Span: b.Span(), Tentative: b.Tentative, Blocks: b.Blocks, Units: b.Units},
			Title:   b.Title, Form: b.Form, Created: orZero(b.Created), Stand: standOf(b),
			Sighting: reading.Interval{NotBefore: orZero(b.SightingNotBefore), SeenBy: orZero(b.SightingSeenBy)},
			Revision: recur.Revision{Sequence: b.Sequence, Stamp: orZero(b.Stamp)}, EchoElsewhere: elsewhere[b.ID], Answer: answers[b.ID].Answer,
			Closure: b.Closure, Expires: orZero(b.ExpiresAt), Rejected: b.Review == store.Rejected,
			Categories: lines(b.Categories), Discreet: b.Class == rules.Private || b.Class == rules.Confidential || b.Review == store.Waiting,
		})
	}
	f.Originals, err = tx.Originals(calendar, minted)
	return err
}

// lines are the texts of which each has a line.
func lines(text string) []string {
	if text == "" {
		return nil
	}
	return strings.Split(text, "\n")
}

// standOf is when a booking can have come to be where it is.
func standOf(b store.Booking) reading.Interval {
	return reading.Interval{NotBefore: orZero(b.NotBefore), SeenBy: b.SeenBy}
}

func orZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}
