package refresh

import (
	"context"
	"errors"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"wharf/core/publish"
	"wharf/core/schedule"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/store"
	"wharf/service/stumble"
)

// Run reads what is due, combines what is dirty and moves windows on, until ctx ends. It
// returns when the readings that were going on have stopped. It looks for work when something
// is due (After), when woken, and at every tick for what other processes have left.
func (r *Refresher) Run(ctx context.Context, tick <-chan time.Time) {
	var workers sync.WaitGroup
	defer workers.Wait()
	r.alarm.init()
	due := make(chan store.Feed)
	for range r.Workers {
		workers.Go(func() { r.work(ctx, due) })
	}
	workers.Go(func() { r.handOut(ctx, due) })
	for rounds := 0; ; rounds++ {
		if rounds > 0 { // else it has just begun to look
			r.Wake()
		}
		if rounds%forgetRounds == forgetRounds-1 && r.KeepGone > 0 {
			if err := r.Store.ForgetGone(ctx, r.Now().Add(-r.KeepGone)); err != nil && ctx.Err() == nil {
				r.Log.Warn("entries that are long gone cannot be forgotten; it is tried again", "error", err)
			}
		}
		if err := errors.Join(r.moveWindows(ctx), r.Combiner.All(ctx)); err != nil && ctx.Err() == nil {
			r.Log.Error("background work failed; it is tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick:
		}
	}
}

// forgetRounds is after how many rounds what is long gone is forgotten.
const forgetRounds = 120

// ahead is how many due feeds are looked up at once for each worker.
const ahead = 16

// handOut gives due feeds to the workers as they become free, and sleeps until the next is due
// when there are no more.
func (r *Refresher) handOut(ctx context.Context, due chan<- store.Feed) {
	for {
		began := r.Now()
		feeds, err := r.Store.DueFeeds(ctx, began, ahead*r.Workers)
		// Other processes see the same list: each begins elsewhere in it.
		rand.Shuffle(len(feeds), func(i, j int) { feeds[i], feeds[j] = feeds[j], feeds[i] })
		for _, feed := range feeds {
			select {
			case due <- feed:
			case <-ctx.Done():
				return
			}
		}
		if len(feeds) == ahead*r.Workers {
			continue
		}
		next, failed := r.Store.NextDue(ctx, began)
		if err = errors.Join(err, failed); err != nil && ctx.Err() == nil {
			r.Log.Error("due feeds cannot be listed; it is tried again", "error", err)
		}
		if last := began.Add(longestSleep); next.After(last) {
			next = last
		}
		if again := began.Add(sleepBusy); (len(feeds) > 0 || err != nil) && again.Before(next) {
			next = again // one that nobody could read is still due
		}
		if !r.alarm.sleep(ctx, next, r.Now, r.After) {
			return
		}
	}
}

// How long the one who hands feeds out sleeps: at most, since another process can make one due,
// and while what was handed out may still be due.
const (
	longestSleep = time.Minute
	sleepBusy    = time.Second
)

// work reads what it is given until ctx ends.
func (r *Refresher) work(ctx context.Context, due <-chan store.Feed) {
	for {
		select {
		case <-ctx.Done():
			return
		case feed := <-due:
			_, err := r.Read(ctx, feed)
			if err != nil && !errors.Is(err, ErrBusy) && !errors.Is(err, store.ErrLost) && ctx.Err() == nil {
				r.Log.Error("feed could not be read", "feed", feed.Name, "error", err)
			}
		}
	}
}

// moveWindows lays out every calendar whose local day has changed since it was last laid
// out, and marks those whose conflicts have ended, or that are to be judged again by now.
func (r *Refresher) moveWindows(ctx context.Context) error {
	today := func(name string) string {
		loc, err := zone.Load(name)
		if err != nil {
			return ""
		}
		return span.DateOf(r.Now().In(loc)).String()
	}
	stale, err := r.Store.StaleCalendars(ctx, r.Now(), today)
	if err != nil {
		return err
	}
	for _, calendar := range stale {
		if err := r.moveWindow(ctx, calendar, today(calendar.Zone)); err != nil {
			r.Combiner.Failed(ctx, calendar.ID, err)
		}
	}
	ended, err := r.Store.EndedConflicts(ctx, r.Now())
	if err != nil {
		return err
	}
	again, err := r.Store.RecheckedCalendars(ctx, r.Now())
	if err != nil {
		return err
	}
	for _, id := range append(ended, again...) {
		if err := r.Store.Tx(ctx, func(tx *store.Tx) error { return tx.MarkDirty(id) }); err != nil {
			return err
		}
	}
	return nil
}

func (r *Refresher) moveWindow(ctx context.Context, calendar store.Calendar, day string) (err error) {
	defer stumble.Catch(&err)
	return r.Store.Tx(ctx, func(tx *store.Tx) error {
		links, err := tx.LockLinksOfCalendar(calendar.ID)
		if err != nil {
			return err
		}
		for _, link := range links {
			_, err := tx.LockFeed(link.FeedID)
			if errors.Is(err, store.ErrNotFound) {
				continue // removed in this moment
			}
			if err != nil {
				return err
			}
			if err := r.LayOut(ctx, tx, link); err != nil {
				return err
			}
		}
		holds, err := tx.HoldsOf(calendar.ID)
		if err != nil {
			return err
		}
		series := slices.DeleteFunc(holds, func(h store.Hold) bool { return h.State.Repeat == "" }) // of others a day changes nothing
		if err := r.LayOutHolds(ctx, tx, calendar, series); err != nil {
			return err
		}
		loc, err := zone.Load(calendar.Zone)
		if err != nil {
			return err
		}
		if err := errors.Join(tx.MoveWindows(calendar.ID, publish.Step(r.Now(), loc)), tx.SetLaidOutOn(calendar.ID, day)); err != nil {
			return err
		}
		return tx.MarkDirty(calendar.ID) // a new day may end conflicts and move publications on
	})
}

// longestAside is how long a feed that fails is set aside at most.
const longestAside = 24 * time.Hour

// ScheduleOf is when a feed is read.
func ScheduleOf(f store.Feed) schedule.Schedule {
	if s, err := schedule.Parse(f.Schedule, 0); err == nil {
		return s
	}
	return schedule.Schedule{Every: time.Duration(f.EverySeconds) * time.Second}
}

// DueAfter is when a feed is due that was read until then; store.Never if it is not.
func DueAfter(f store.Feed, read time.Time) time.Time {
	if f.Uploaded() {
		return store.Never
	}
	next, err := ScheduleOf(f).Next(read)
	if err != nil {
		return store.Never
	}
	return next
}

// nextAt is when a feed is due after an attempt: by its schedule, not before its platform says, and where it
// fails, the later the longer it has failed.
func (r *Refresher) nextAt(feed store.Feed, got Got) time.Time {
	next := DueAfter(feed, got.finished)
	if next.Equal(store.Never) {
		return next
	}
	if r.Jitter != nil && feed.Schedule == "" { // so that what was added together is not read together for ever
		next = next.Add(r.Jitter(next.Sub(got.finished) / 20))
	}
	least := got.finished.Add(got.result.RetryAfter)
	if got.err != nil && feed.FailingSince != nil {
		failed := got.finished.Sub(*feed.FailingSince)
		if !got.overran {
			failed /= 4 // else it is set aside for as long again as it has failed
		}
		least = later(least, got.finished.Add(min(failed, longestAside)))
	}
	return later(next, least)
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// FeedState says whether what is shown of a feed can be relied on.
type FeedState string

const (
	Fresh   FeedState = "fresh"
	Late    FeedState = "late"    // it was not read well for twice its interval
	Failing FeedState = "failing" // its last reading failed
	Paused  FeedState = "paused"  // somebody wants it not to be read
	Guarded FeedState = "guarded" // it no longer shows so much at once that this stands until a person looks
)

// State says how a feed stands at now, and since when.
func State(f store.Feed, now time.Time) (FeedState, time.Time) {
	switch {
	case f.PausedAt != nil:
		return Paused, *f.PausedAt
	case f.FailingSince != nil:
		return Failing, *f.FailingSince
	case f.GuardedSince != nil:
		return Guarded, *f.GuardedSince
	case late(f, now):
		return Late, lateFrom(f)
	case f.FreshSince != nil:
		return Fresh, *f.FreshSince
	}
	return Late, f.CreatedAt
}

// late: no good reading for twice the interval, or an hour past a fixed time.
func late(f store.Feed, now time.Time) bool { return f.LastGoodEnd != nil && now.After(lateFrom(f)) }

func lateFrom(f store.Feed) time.Time {
	at, never := ScheduleOf(f).Late(*f.LastGoodEnd)
	if never {
		return store.Never
	}
	return at
}
