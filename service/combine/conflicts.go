package combine

import (
	"slices"
	"time"

	"wharf/core/judge"
	"wharf/service/store"
)

// mostTold is how many changes of conflicts are logged one by one.
const mostTold = 20

// saveConflicts writes the conflicts that are new or differ from what is known.
func (c *Combiner) saveConflicts(tx *store.Tx, calendar store.Calendar, known []store.ConflictWith, before, after []judge.Conflict) error {
	var changed []*store.ConflictWith
	var was []store.ConflictWith
	for i, k := range after {
		row := store.ConflictWith{}
		if i < len(before) {
			if sameConflict(before[i], k) {
				continue
			}
			row = known[i]
		}
		was = append(was, row)
		if row.ID == 0 || row.State != judge.Open && k.State == judge.Open {
			row.OpenedAt, row.ClearedAt, row.AcknowledgedBy = c.Now(), nil, ""
		}
		if k.State == judge.Cleared && row.State != judge.Cleared {
			now := c.Now()
			row.ClearedAt = &now
		}
		row.CalendarID, row.Kind, row.State = calendar.ID, k.Kind, k.State
		row.StartPoint, row.EndPoint, row.BookingIDs = k.Span.Start, k.Span.End, k.Bookings
		changed = append(changed, &row)
	}
	if err := tx.SaveConflicts(changed); err != nil {
		return err
	}
	var events []store.ConflictEvent
	for i, row := range changed {
		events = append(events, eventsOf(was[i], *row, c.Now())...)
	}
	if err := tx.LogConflicts(events); err != nil {
		return err
	}
	for _, row := range changed[:min(len(changed), mostTold)] {
		c.Log.Info("conflict", "calendar", calendar.Name, "conflict", row.ID, "kind", row.Kind, "state", row.State)
	}
	if more := len(changed) - mostTold; more > 0 {
		c.Log.Info("conflicts", "calendar", calendar.Name, "more", more)
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

// eventsOf is what happened to a conflict.
func eventsOf(was, is store.ConflictWith, now time.Time) (all []store.ConflictEvent) {
	add := func(kind store.EventKind, note string, booking int64) {
		all = append(all, store.ConflictEvent{ConflictID: is.ID, At: now, Event: kind, Note: note, BookingID: booking})
	}
	switch {
	case was.ID == 0:
		add(store.EventOpened, string(is.Kind), 0)
		return all
	case is.State != was.State && is.State == judge.Cleared:
		add(store.EventCleared, "", 0)
		return all
	case is.State != was.State && is.State == judge.Past:
		add(store.EventPast, "", 0)
		return all
	case is.State != was.State && (was.State == judge.Cleared || was.State == judge.Past):
		add(store.EventReopened, "", 0)
	}
	for _, id := range is.BookingIDs {
		if !slices.Contains(was.BookingIDs, id) {
			add(store.EventGained, "", id)
		}
	}
	if is.Kind != was.Kind {
		add(store.EventBecame, string(is.Kind), 0)
	}
	return all
}
