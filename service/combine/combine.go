// Package combine brings one calendar up to date: its dirty marks, through core/judge,
// to verdicts, conflicts and publications, committed together.
//
// Any number of processes may combine at once. The calendar's row is held for the length
// of the transaction and its version raised by a compare-and-set, so that each state
// follows from the one before; exactly those marks are cleared that were seen.
package combine

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/conflict"
	"wharf/core/judge"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/service/store"
)

// Combiner combines calendars.
type Combiner struct {
	Store *store.Store
	Now   func() time.Time
	Log   *slog.Logger
	Done  func(calendar int64, took time.Duration) // told of each; may be nil
	// Rendered is told of each which publications have a new version, once that is committed
	// and before anybody is answered; may be nil.
	Rendered func(publications []int64)
}

// Calendar combines one calendar if it is dirty.
func (c *Combiner) Calendar(ctx context.Context, id int64) error {
	began := time.Now()
	did := false
	var rendered []int64
	err := c.Store.Tx(ctx, func(tx *store.Tx) error {
		did, rendered = false, nil
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
		did = true
		if rendered, err = c.judge(tx, calendar); err != nil {
			return err
		}
		if err := tx.NextVersion(calendar); err != nil {
			return err
		}
		if err := tx.ClearDirty(marks); err != nil {
			return err
		}
		return errors.Join(tx.Changed(store.TopicCalendar, id), tx.Changed(store.TopicPublication, rendered...))
	})
	if err != nil {
		return fmt.Errorf("calendar %d could not be combined: %w", id, err)
	}
	if did && c.Rendered != nil {
		c.Rendered(rendered)
	}
	if did && c.Done != nil {
		c.Done(id, time.Since(began))
	}
	return nil
}

// All combines every dirty calendar, and goes on with the others when one fails.
func (c *Combiner) All(ctx context.Context) error {
	ids, err := c.Store.DirtyCalendars(ctx)
	if err != nil {
		return err
	}
	var failures error
	for _, id := range ids {
		failures = errors.Join(failures, c.Calendar(ctx, id))
	}
	return failures
}

// judge reads the facts, draws the conclusions and writes what is new. It returns the
// publications that have a new version.
func (c *Combiner) judge(tx *store.Tx, calendar store.Calendar) (rendered []int64, err error) {
	facts, rows, err := c.facts(tx, calendar)
	if err != nil {
		return nil, err
	}
	result := judge.Judge(facts)
	if err := c.saveVerdicts(tx, calendar, rows, result.Verdicts); err != nil {
		return nil, err
	}
	if err := c.saveConflicts(tx, calendar, facts.Conflicts, result.Conflicts); err != nil {
		return nil, err
	}
	for i, r := range result.Renditions {
		if r.Body == nil {
			continue
		}
		sum := sha256.Sum256(r.Body)
		v := store.Version{PublicationID: r.ID, Version: r.Version, At: c.Now(), ETag: hex.EncodeToString(sum[:12]), Bytes: int64(len(r.Body))}
		if err := tx.SaveVersion(v, facts.Publications[i].Name, r.Body, r.Change); err != nil {
			return nil, err
		}
		rendered = append(rendered, r.ID)
	}
	return rendered, nil
}

// saveVerdicts writes the verdicts that are new. Where an echo was found or is none any
// more, the other calendars of its feed are judged again.
func (c *Combiner) saveVerdicts(tx *store.Tx, calendar store.Calendar, rows []store.Booking, verdicts []judge.Verdict) error {
	others := map[int64]bool{}
	for i, v := range verdicts {
		was := rows[i]
		if was.Verdict == string(v.Kind) && was.Evidence == v.Evidence && was.WithID == v.With {
			continue
		}
		if err := tx.SetVerdict(was.ID, string(v.Kind), v.Evidence, v.With); err != nil {
			return err
		}
		if (was.Verdict == string(judge.Echo)) != (v.Kind == judge.Echo) {
			others[was.FeedID] = true
		}
	}
	for _, feed := range slices.Sorted(maps.Keys(others)) {
		if err := tx.MarkOthersDirty(calendar.ID, feed); err != nil {
			return err
		}
	}
	return nil
}

// facts collects what the judgement rests on; rows are the bookings in the same order.
func (c *Combiner) facts(tx *store.Tx, calendar store.Calendar) (judge.Facts, []store.Booking, error) {
	k, err := rules.NewCalendar(calendar.Zone, calendar.Grain, calendar.Capacity)
	if err != nil {
		return judge.Facts{}, nil, err
	}
	f := judge.Facts{Calendar: k, Now: c.Now()}
	rows, err := tx.CurrentBookings(calendar.ID)
	if err != nil {
		return f, nil, err
	}
	platforms, err := tx.PlatformOfFeeds(calendar.ID)
	if err != nil {
		return f, nil, err
	}
	elsewhere, err := tx.EchoesElsewhere(calendar.ID)
	if err != nil {
		return f, nil, err
	}
	var minted []string
	for _, b := range rows {
		if carried.LooksMinted(b.UID) {
			minted = append(minted, b.UID)
		}
	}
	if f.Originals, err = tx.Originals(calendar.ID, minted); err != nil {
		return f, nil, err
	}
	for _, b := range rows {
		f.Bookings = append(f.Bookings, judge.Booking{
			ID: b.ID, Feed: b.FeedID, Platform: platforms[b.FeedID], UID: b.UID, Key: b.Occurrence, Minted: b.Minted,
			Booking:  booking.Booking{Span: b.Span(), Tentative: b.Tentative, Blocks: b.Blocks, Units: b.Units},
			Revision: recur.Revision{Sequence: b.Sequence, Stamp: orZero(b.Stamp)}, EchoElsewhere: elsewhere[b.ID],
		})
	}
	publications, err := tx.PublicationsOf(calendar.ID)
	if err != nil {
		return f, nil, err
	}
	for _, p := range publications {
		history, err := tx.CarriedBy(p.ID)
		if err != nil {
			return f, nil, err
		}
		f.Publications = append(f.Publications, judge.Publication{ID: p.ID, Platform: p.PlatformID, Name: p.Name, Version: p.Version, History: history,
			Renamed: p.Name != p.RenderedName, Revoked: p.RemovedAt != nil})
	}
	known, err := tx.ConflictsOf(calendar.ID)
	for _, k := range known {
		f.Conflicts = append(f.Conflicts, judge.Conflict{ID: k.ID, State: judge.State(k.State), Conflict: conflict.Conflict{
			Kind: conflict.Kind(k.Kind), Span: span.Span{Start: k.StartPoint, End: k.EndPoint}, Bookings: k.BookingIDs}})
	}
	return f, rows, err
}

func orZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// saveConflicts writes the conflicts that are new or differ from what is known.
func (c *Combiner) saveConflicts(tx *store.Tx, calendar store.Calendar, before, after []judge.Conflict) error {
	known, err := tx.ConflictsOf(calendar.ID)
	if err != nil {
		return err
	}
	for i, k := range after {
		row := store.ConflictWith{}
		if i < len(before) {
			if sameConflict(before[i], k) {
				continue
			}
			row = known[i]
		}
		if row.ID == 0 || row.State != string(judge.Open) && k.State == judge.Open {
			row.OpenedAt, row.ClearedAt, row.AcknowledgedBy = c.Now(), nil, ""
		}
		if k.State == judge.Cleared && row.State != string(judge.Cleared) {
			now := c.Now()
			row.ClearedAt = &now
		}
		row.CalendarID, row.Kind, row.State = calendar.ID, string(k.Kind), string(k.State)
		row.StartPoint, row.EndPoint, row.BookingIDs = k.Span.Start, k.Span.End, k.Bookings
		if err := tx.SaveConflict(&row); err != nil {
			return err
		}
		c.Log.Info("conflict", "calendar", calendar.Name, "conflict", row.ID, "kind", row.Kind, "state", row.State)
	}
	return nil
}

func sameConflict(a, b judge.Conflict) bool {
	return a.State == b.State && a.Span == b.Span && a.Kind == b.Kind && sameIDs(a.Bookings, b.Bookings)
}

func sameIDs(a, b []int64) bool {
	a, b = slices.Clone(a), slices.Clone(b)
	slices.Sort(a)
	slices.Sort(b)
	return slices.Equal(a, b)
}
