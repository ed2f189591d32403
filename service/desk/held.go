package desk

import (
	"context"
	"fmt"
	"slices"

	"wharf/core/reading"
	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/store"
)

// Held is what a person says of bookings that a feed does not show any more.
type Held struct {
	Feed     int64
	LetGo    bool // else they stand
	Bookings []int64
}

// DecideHeld lets bookings go that a feed does not show any more, or keeps them: all of them, or nothing.
// The error is a *rules.FieldError when one of them is not held any more.
func (d *Desk) DecideHeld(ctx context.Context, by By, h Held) error {
	calendars, err := d.heldOn(ctx, h)
	if err != nil {
		return err
	}
	err = d.Store.Tx(ctx, func(tx *store.Tx) error { return d.decideHeld(tx, by, h) })
	if err == nil {
		d.Combiner.Calendars(ctx, calendars...)
	}
	return err
}

// TryHeld says what a decision would change, and changes nothing. The errors are those of DecideHeld.
func (d *Desk) TryHeld(ctx context.Context, by By, h Held) ([]combine.Effect, error) {
	calendars, err := d.heldOn(ctx, h)
	if err != nil {
		return nil, err
	}
	return d.Combiner.Try(ctx, calendars, func(tx *store.Tx) error { return d.decideHeld(tx, by, h) })
}

// heldOn are the calendars that a decision is about, in the order in which they are held.
func (d *Desk) heldOn(ctx context.Context, h Held) (calendars []int64, err error) {
	if _, err := d.Store.Feed(ctx, h.Feed); err != nil {
		return nil, err
	}
	rows, err := d.Store.Held(ctx, h.Feed)
	for _, b := range rows {
		calendars = append(calendars, b.CalendarID)
	}
	return slices.Compact(calendars), err
}

func (d *Desk) decideHeld(tx *store.Tx, by By, h Held) error {
	feed, err := tx.LockFeed(h.Feed)
	if err != nil {
		return err
	}
	held, err := tx.Held(h.Feed)
	if err != nil {
		return err
	}
	says := "kept"
	if h.LetGo {
		says = "let go"
	}
	var changed []store.Booking
	for _, id := range h.Bookings {
		i := slices.IndexFunc(held, func(b store.Booking) bool { return b.ID == id })
		if i < 0 {
			return &rules.FieldError{Field: "bookings", Err: fmt.Errorf("booking %d is not held any more: look at what is, then decide", id)}
		}
		b := held[i]
		if b.HeldWhy = reading.Kept; h.LetGo {
			now := d.Now()
			b.HeldWhy, b.RemovedAt = "", &now
		}
		changed = append(changed, b)
	}
	return d.saveHeld(tx, by, feed, says, changed)
}

// saveHeld writes what became of held bookings, and who said so.
func (d *Desk) saveHeld(tx *store.Tx, by By, feed store.Feed, says string, changed []store.Booking) error {
	if err := tx.SaveBookings(nil, changed); err != nil {
		return err
	}
	calendars := map[int64]bool{}
	for _, b := range changed {
		calendars[b.CalendarID] = true
	}
	links, err := tx.LinksOfFeed(feed.ID)
	if err != nil {
		return err
	}
	for _, l := range links {
		if !calendars[l.CalendarID] {
			continue
		}
		if err := tx.SetFreed(l, nil); err != nil { // what is left is confirmed
			return err
		}
		if err := tx.MarkDirty(l.CalendarID); err != nil {
			return err
		}
	}
	since, err := tx.GuardedSince(feed.ID)
	if err != nil {
		return err
	}
	by.Seen = feed.Revision
	e := d.editing(by, store.TopicFeed, feed.ID, 0)
	e.begin(feed.Revision)
	was, became := fmt.Sprintf("%d held", len(changed)), fmt.Sprintf("%d %s", len(changed), says)
	set(e, "held", &was, &became)
	if err := e.save(tx, &feed.Revision); err != nil {
		return err
	}
	if err := tx.SetGuarded(feed, since); err != nil {
		return err
	}
	return tx.Changed(store.TopicFeed, feed.ID)
}
