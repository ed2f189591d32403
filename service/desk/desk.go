// Package desk is where people change what they lay down: platforms, feeds and how they count,
// calendars, publications; and where they say that they deal with a conflict.
//
// In: what a person wants to have changed, and which revision of it they have seen. Out: it is
// changed, in one transaction with the record of who changed what; what it means for calendars
// and publications is worked out before they are answered, so that the next pickup has it.
// An edit of anything but the newest revision is refused with what was changed since, and a
// removal until the person has seen what it would lose. Both are told as data: sentences are
// made of them where they are shown.
package desk

import (
	"context"
	"errors"
	"strings"
	"time"

	"wharf/core/echo"
	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/refresh"
	"wharf/service/secret"
	"wharf/service/store"
)

// Desk changes what people lay down.
type Desk struct {
	Store     *store.Store
	Refresher *refresh.Refresher // reads links, and lays feeds out on calendars
	Combiner  *combine.Combiner
	Box       *secret.Box
	Now       func() time.Time
	// Revoked is told of publications whose links were taken back; may be nil.
	Revoked func(publications ...int64)

	DefaultEvery time.Duration // between readings of a feed that names no interval
	LeastEvery   time.Duration // the shortest interval that may be chosen
}

// By is who changes something, and the revision of it that they have seen.
type By struct {
	Account string
	Seen    int64
}

// revoked passes on that links were taken back.
func (d *Desk) revoked(publications ...int64) {
	if d.Revoked != nil {
		d.Revoked(publications...)
	}
}

// trimmed is a text without the spaces around it.
func trimmed(text *string) *string {
	if text == nil {
		return nil
	}
	t := strings.TrimSpace(*text)
	return &t
}

// AddPlatform adds a platform; store.ErrTaken when its name is in use.
func (d *Desk) AddPlatform(ctx context.Context, name string) (row store.Platform, err error) {
	err = d.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		if row, err = tx.CreatePlatform(strings.TrimSpace(name)); err != nil {
			return err
		}
		return tx.Changed(store.TopicPlatform, row.ID)
	})
	return row, err
}

// EditPlatform gives a platform another name; store.ErrTaken when that is in use.
func (d *Desk) EditPlatform(ctx context.Context, by By, id int64, name string) (row store.Platform, err error) {
	e := d.editing(by, store.TopicPlatform, id, 0)
	err = d.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		if row, err = tx.LockPlatform(id); err != nil {
			return err
		}
		e.begin(row.Revision)
		set(e, "name", &row.Name, trimmed(&name))
		return errors.Join(e.save(tx, &row.Revision), tx.SavePlatform(row), tx.Changed(store.TopicPlatform, id))
	})
	return row, d.explained(ctx, err)
}

// Calendar is what is laid down about a new calendar.
type Calendar struct {
	Name, Zone, Grain string
	Capacity          int    // 0: 1
	Group             string // in which it is shown; "": in none
}

// AddCalendar adds a calendar. The error is a *rules.FieldError when a setting is wrong, and
// store.ErrTaken when its name is in use.
func (d *Desk) AddCalendar(ctx context.Context, c Calendar) (int64, error) {
	if c.Capacity == 0 {
		c.Capacity = 1
	}
	if _, err := rules.NewCalendar(c.Zone, c.Grain, c.Capacity); err != nil {
		return 0, err
	}
	row := store.Calendar{Name: strings.TrimSpace(c.Name), Zone: c.Zone, Grain: c.Grain, Capacity: c.Capacity, CreatedAt: d.Now()}
	err := d.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		if row.GroupID, err = groupOf(tx, c.Group); err != nil {
			return err
		}
		return tx.CreateCalendar(&row)
	})
	return row.ID, err
}

// CalendarEdit is what is to change of a calendar; nil is left as it is.
type CalendarEdit struct {
	Name, Zone  *string
	Group       *string // in which it is shown; "": in none
	Capacity    *int
	ChanceLimit *float64 // 0: that of the service
}

// EditCalendar changes a calendar, and lays out anew what counts on it. The error is a
// *rules.FieldError when a setting is wrong.
func (d *Desk) EditCalendar(ctx context.Context, by By, id int64, to CalendarEdit) error {
	e := d.editing(by, store.TopicCalendar, id, 0)
	err := d.Store.Tx(ctx, func(tx *store.Tx) error {
		// Feeds are held before calendars, everywhere.
		links, err := tx.LockLinksOfCalendar(id)
		if err != nil {
			return err
		}
		for _, l := range links {
			if _, err := tx.LockFeed(l.FeedID); err != nil {
				return err
			}
		}
		row, err := tx.LockCalendar(id)
		if err != nil {
			return err
		}
		e.begin(row.Revision)
		set(e, "name", &row.Name, trimmed(to.Name))
		set(e, "zone", &row.Zone, to.Zone)
		set(e, "capacity", &row.Capacity, to.Capacity)
		set(e, "chanceLimit", &row.ChanceLimit, to.ChanceLimit)
		if to.Group != nil {
			group, err := groupOf(tx, *to.Group)
			if err != nil {
				return err
			}
			set(e, "group", &row.GroupID, &group)
		}
		if err := e.save(tx, &row.Revision); err != nil {
			return err
		}
		if _, err := rules.NewCalendar(row.Zone, row.Grain, row.Capacity); err != nil {
			return err
		}
		if err := (echo.Rules{Limit: row.ChanceLimit}).Check(); err != nil {
			return &rules.FieldError{Field: "chanceLimit", Err: err}
		}
		if err := errors.Join(tx.SaveCalendar(row), tx.TryAgain(id)); err != nil {
			return err
		}
		for _, l := range links {
			if err := d.Refresher.LayOut(ctx, tx, l); err != nil {
				return err
			}
		}
		holds, err := tx.HoldsOf(id)
		if err != nil {
			return err
		}
		return errors.Join(d.Refresher.LayOutHolds(ctx, tx, row, holds), tx.MarkDirty(id), tx.Changed(store.TopicCalendar, id))
	})
	if err != nil {
		return d.explained(ctx, err)
	}
	d.Combiner.Calendars(ctx, id)
	return nil
}

// Acknowledge notes that somebody deals with a conflict; store.ErrNotFound when it is neither
// open nor acknowledged.
func (d *Desk) Acknowledge(ctx context.Context, account string, conflict int64, note string) error {
	return d.Store.Acknowledge(ctx, conflict, account, note, d.Now())
}

// calendarsOf are the calendars of links.
func calendarsOf(links []store.Link) []int64 {
	ids := make([]int64, len(links))
	for i, l := range links {
		ids[i] = l.CalendarID
	}
	return ids
}
