package refresh

import (
	"context"
	"errors"
	"strconv"
	"time"

	"wharf/core/carried"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/rules"
	"wharf/service/store"
)

// LayOutHolds lays holds out on their calendar, which is held, as they stand, and marks it dirty.
func (r *Refresher) LayOutHolds(ctx context.Context, tx *store.Tx, calendar store.Calendar, holds []store.Hold) error {
	if len(holds) == 0 {
		return nil
	}
	k, err := rules.NewCalendar(calendar.Zone, calendar.Grain, calendar.Capacity)
	if err != nil {
		return errors.Join(errCalendar, err)
	}
	ids := make([]int64, len(holds))
	for i, h := range holds {
		ids[i] = h.ID
	}
	rows, err := tx.BookingsOfHolds(calendar.ID, ids)
	if err != nil {
		return err
	}
	of := map[int64][]store.Booking{}
	for _, b := range rows {
		of[b.HoldID] = append(of[b.HoldID], b)
	}
	var added []*store.Booking
	var changed []store.Booking
	for _, h := range holds {
		more, other, err := r.layOutHold(ctx, k, h, of[h.ID])
		if err != nil {
			return r.Explained(err)
		}
		added, changed = append(added, more...), append(changed, other...)
	}
	if len(added)+len(changed) == 0 {
		return nil
	}
	return errors.Join(tx.SaveBookings(added, changed), tx.MarkDirty(calendar.ID))
}

// layOutHold is what becomes of the bookings of a hold. What has moved stands where it is since now.
func (r *Refresher) layOutHold(ctx context.Context, k rules.Calendar, h store.Hold, rows []store.Booking) (added []*store.Booking, changed []store.Booking, err error) {
	now := r.Now()
	link := rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: max(1, h.State.Units)}
	if h.State.Closure && h.State.Units == 0 {
		link.Units = k.Capacity
	}
	place := reading.Place{Calendar: k, Link: link, Bookings: make([]reading.Booking, len(rows))}
	was := make(map[int64]store.Booking, len(rows))
	for i, b := range rows {
		place.Bookings[i], was[b.ID] = bookingOf(b), b
		place.Bookings[i].Entry = h.ID
	}
	doc := h.State.Document()
	entries := make([]reading.Entry, len(doc.Entries))
	for i, e := range doc.Entries {
		entries[i] = reading.Entry{ID: h.ID, Identity: reading.Identity{UID: e.UID}, Interval: reading.Interval{SeenBy: now}}
	}
	placed, err := reading.LayOut(ctx, doc, entries, place, now, r.MaxBookings)
	if err != nil {
		return nil, nil, err
	}
	for _, b := range placed.Added {
		row := store.Booking{CalendarID: h.CalendarID, HoldID: h.ID, Occurrence: b.Occurrence, Verdict: judge.Counts, Minted: carried.Mint(r.MintKey, "hold "+strconv.FormatInt(h.ID, 10), b.Occurrence)}
		apply(&row, b)
		row.Closure, row.ExpiresAt = h.State.Closure, orNil(h.State.Expires)
		added = append(added, &row)
	}
	for _, b := range placed.Changed {
		row := was[b.ID]
		if b.Removed.IsZero() && (b.Span != row.Span() || row.RemovedAt != nil) {
			b.Stand = reading.Interval{SeenBy: now}
		}
		apply(&row, b)
		was[b.ID] = row
	}
	for _, b := range rows {
		row := was[b.ID]
		if row.RemovedAt == nil {
			row.Closure, row.ExpiresAt = h.State.Closure, orNil(h.State.Expires)
		}
		if differs(row, b) {
			changed = append(changed, row)
		}
	}
	return added, changed, nil
}

// differs reports whether anything of a hold's booking is other than it was.
func differs(a, b store.Booking) bool {
	times := [][2]*time.Time{{a.ExpiresAt, b.ExpiresAt}, {a.RemovedAt, b.RemovedAt}, {a.NotBefore, b.NotBefore}}
	for _, t := range times {
		if !orZero(t[0]).Equal(orZero(t[1])) {
			return true
		}
	}
	return a.Span() != b.Span() || a.Title != b.Title || a.Tentative != b.Tentative || a.Units != b.Units || a.Closure != b.Closure || a.Categories != b.Categories ||
		a.Class != b.Class || a.Status != b.Status || a.Notices != b.Notices || !a.SeenBy.Equal(b.SeenBy)
}
