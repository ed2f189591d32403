package today

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"

	"wharf/core/exposure"
	"wharf/service/refresh"
	"wharf/service/store"
)

// Trip is how things pass from one platform to another, with the last whole way that was seen.
type Trip struct {
	From, To int64
	Passage  exposure.Passage
	exposure.Trip
	Booking *store.Booking // whose way it is; nil for none
}

type direction struct{ from, to int64 }

// Trips tells how things pass between every two platforms of which one sells a calendar that the other is given, by the
// names of neither. No recipient is overdue for the time overdueAfter.
func Trips(ctx context.Context, db *store.Store, overdueAfter time.Duration, now time.Time) ([]Trip, error) {
	directions, err := db.SentBefore(ctx, now.Add(-exposure.Quiet))
	if err != nil || len(directions) == 0 {
		return nil, err
	}
	stopped, err := unread(ctx, db, now)
	if err != nil {
		return nil, err
	}
	picked, err := pickingUp(ctx, db, overdueAfter, now)
	if err != nil {
		return nil, err
	}
	last, ever, err := lastSeen(ctx, db)
	if err != nil {
		return nil, err
	}
	trips := make([]Trip, 0, len(directions))
	for _, d := range directions {
		t := Trip{From: d.FromID, To: d.ToID}
		if found, seen := last[direction{d.FromID, d.ToID}]; seen {
			if err := t.way(ctx, db, found); err != nil {
				return nil, err
			}
		}
		var sent time.Time
		if d.At != nil {
			sent = *d.At
		}
		t.Passage = exposure.PassageOf(stopped[d.FromID], picked[d.ToID], sent, t.Seen, ever[d.ToID])
		trips = append(trips, t)
	}
	slices.SortFunc(trips, func(a, b Trip) int { return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.To, b.To)) })
	return trips, nil
}

// unread is since when each platform has a feed that is not read as it should be.
func unread(ctx context.Context, db *store.Store, now time.Time) (map[int64]time.Time, error) {
	feeds, err := db.FeedStates(ctx)
	since := map[int64]time.Time{}
	for _, f := range feeds {
		state, at := refresh.State(f, now)
		if was, had := since[f.PlatformID]; state != refresh.Fresh && (!had || at.Before(was)) {
			since[f.PlatformID] = at
		}
	}
	return since, err
}

// pickingUp is how each platform picks up, the worst of what it is given.
func pickingUp(ctx context.Context, db *store.Store, overdueAfter time.Duration, now time.Time) (map[int64]exposure.State, error) {
	all, err := db.Outgoings(ctx)
	states := map[int64]exposure.State{}
	worst := []exposure.State{"", exposure.OnTime, exposure.Overdue, exposure.NeverCame}
	for _, o := range all {
		var last time.Time
		if o.LastAt != nil {
			last = *o.LastAt
		}
		state := exposure.StateOf(last, o.Gaps, overdueAfter, now)
		if slices.Index(worst, state) > slices.Index(worst, states[o.PlatformID]) {
			states[o.PlatformID] = state
		}
	}
	return states, err
}

// found is a booking that was seen again on another platform.
type found struct {
	store.Reflected
	booking store.Booking
}

// lastSeen is the last booking of each direction that was seen at its end, and which platforms ever showed something of what
// they get.
func lastSeen(ctx context.Context, db *store.Store) (map[direction]found, map[int64]bool, error) {
	all, err := db.Reflections(ctx)
	if err != nil {
		return nil, nil, err
	}
	feeds, err := db.FeedStates(ctx)
	if err != nil {
		return nil, nil, err
	}
	platforms := map[int64]int64{}
	for _, f := range feeds {
		platforms[f.ID] = f.PlatformID
	}
	var calendars []int64
	var items []string
	for _, r := range all {
		calendars, items = append(calendars, r.CalendarID), append(items, r.Item)
	}
	slices.Sort(calendars)
	originals, err := db.MintedOn(ctx, slices.Compact(calendars), items)
	if err != nil {
		return nil, nil, err
	}
	last, ever := map[direction]found{}, map[int64]bool{}
	for _, r := range all { // the newest first
		ever[r.PlatformID] = true
		b, known := originals[r.Item]
		d := direction{platforms[b.FeedID], r.PlatformID}
		if _, had := last[d]; known && !had && d.from != 0 && d.from != d.to && b.CalendarID == r.CalendarID {
			last[d] = found{r, b}
		}
	}
	return last, ever, nil
}

// way takes the steps of a booking's way.
func (t *Trip) way(ctx context.Context, db *store.Store, f found) error {
	travel, err := db.TravelOf(ctx, f.CalendarID, t.To, f.Item)
	if errors.Is(err, store.ErrNotFound) {
		return nil // it came there by another way
	}
	if err != nil {
		return err
	}
	b := f.booking
	t.Booking, t.Trip = &b, exposure.Trip{Read: b.SeenBy, Published: travel.Published, Seen: f.SeenBy}
	if b.Created != nil {
		t.Made = *b.Created
	}
	if travel.PickedUp != nil {
		t.PickedUp = *travel.PickedUp
	}
	return nil
}
