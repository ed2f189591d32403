package shelf

import (
	"context"
	"errors"
	"sync"
	"time"

	"wharf/service/store"
)

// reader is one who has a version of a publication.
type reader struct {
	publication, version int64
	agent                string
}

// tally is what is to be written of a reader.
type tally struct {
	times       int64
	first, last time.Time
}

// ledger counts pickups between two writings.
type ledger struct {
	mu    sync.Mutex
	known map[reader]*tally // those whose first pickup is written, or waits for the database
	until time.Time         // the database counts as away
}

func newLedger() ledger { return ledger{known: map[reader]*tally{}} }

// firstTimeout bounds how long a recipient waits for its first pickup to be written.
const firstTimeout = 3 * time.Second

// awayFor is how long the database counts as away after a pickup could not be written.
const awayFor = 5 * time.Second

// PickedUp records that a reader has a version: it downloads it, or was told that the one
// it has is still the newest. The first time it is written before this returns; if that
// fails, it is written later.
func (s *Shelf) PickedUp(ctx context.Context, item *Item, agent string, at time.Time) {
	who := reader{item.PublicationID, item.Version, s.readers.as(item.PublicationID, agent)}
	if s.pickups.again(who, at) {
		return
	}
	if s.Now().Before(s.pickups.waitUntil()) {
		s.pickups.add(who, 1, at)
		return
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), firstTimeout)
	defer cancel()
	err := s.Store.RecordPickups(ctx, []store.Pickup{who.row(tally{1, at, at})})
	if err != nil && store.IsPassing(err) {
		s.pickups.wait(s.Now().Add(awayFor)) // who comes meanwhile does not wait for the same
	}
	switch {
	case err == nil:
		s.pickups.add(who, 0, at)
	case !errors.Is(err, store.ErrGone):
		s.Log.Warn("a pickup is written later", "publication", item.PublicationID, "error", err)
		s.pickups.add(who, 1, at)
	}
}

// BrokenOff takes back the pickup of a download that did not come to its end.
func (s *Shelf) BrokenOff(ctx context.Context, item *Item, agent string) {
	who := reader{item.PublicationID, item.Version, s.readers.as(item.PublicationID, agent)}
	if s.pickups.takeBack(who) {
		return
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), firstTimeout)
	defer cancel()
	if err := s.Store.ForgetPickup(ctx, item.PublicationID, item.Version, who.agent); err != nil {
		s.Log.Error("a broken-off pickup cannot be taken back", "publication", item.PublicationID, "error", err)
	}
}

func (l *ledger) waitUntil() time.Time {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.until
}

func (l *ledger) wait(until time.Time) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.until = until
}

// again counts a repeat; false when this is the reader's first.
func (l *ledger) again(who reader, at time.Time) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	t := l.known[who]
	if t == nil {
		return false
	}
	t.count(1, at, at)
	return true
}

// add makes the reader known, with so many pickups still to be written.
func (l *ledger) add(who reader, times int64, at time.Time) {
	l.mu.Lock()
	defer l.mu.Unlock()
	t := l.known[who]
	if t == nil {
		t = &tally{last: at}
		l.known[who] = t
	}
	if times > 0 {
		t.count(times, at, at)
	}
}

func (t *tally) count(times int64, first, last time.Time) {
	if t.times == 0 || first.Before(t.first) {
		t.first = first
	}
	if last.After(t.last) {
		t.last = last
	}
	t.times += times
}

// takeBack takes one pickup back that was not written yet. One that was is the reader's
// first, which will be its first again.
func (l *ledger) takeBack(who reader) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	t := l.known[who]
	if t != nil && t.times > 0 {
		t.times--
		return true
	}
	delete(l.known, who)
	return false
}

// forgetAfter is how long a reader that does not come is remembered here.
const forgetAfter = time.Hour

// take returns what is to be written, and forgets who has not come for long.
func (l *ledger) take(now time.Time) map[reader]tally {
	l.mu.Lock()
	defer l.mu.Unlock()
	out := map[reader]tally{}
	for who, t := range l.known {
		switch {
		case t.times > 0:
			out[who] = *t
			t.times = 0
		case now.Sub(t.last) > forgetAfter:
			delete(l.known, who)
		}
	}
	return out
}

func (l *ledger) putBack(taken map[reader]tally) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for who, t := range taken {
		if l.known[who] == nil {
			l.known[who] = &tally{}
		}
		l.known[who].count(t.times, t.first, t.last)
	}
}

func (r reader) row(t tally) store.Pickup {
	return store.Pickup{PublicationID: r.publication, Version: r.version, Agent: r.agent, FirstAt: t.first, LastAt: t.last, Times: t.times}
}

// Flush writes what was counted. What cannot be written is kept for the next time.
func (s *Shelf) Flush(ctx context.Context) {
	taken := s.pickups.take(s.Now())
	if len(taken) == 0 {
		return
	}
	rows := make([]store.Pickup, 0, len(taken))
	for who, t := range taken {
		rows = append(rows, who.row(t))
	}
	err := s.Store.RecordPickups(ctx, rows)
	if errors.Is(err, store.ErrGone) {
		err = s.flushEach(ctx, taken)
	}
	if err != nil {
		s.Log.Warn("pickups are written later", "readers", len(taken), "error", err)
		s.pickups.putBack(taken)
	}
}

// flushEach writes the counts one by one, so that those of what was removed hinder no
// others; taken is left with what remains to be written.
func (s *Shelf) flushEach(ctx context.Context, taken map[reader]tally) error {
	for who, t := range taken {
		if err := s.Store.RecordPickups(ctx, []store.Pickup{who.row(t)}); err != nil && !errors.Is(err, store.ErrGone) {
			return err
		}
		delete(taken, who)
	}
	return nil
}
