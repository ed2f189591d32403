package desk

import (
	"context"
	"errors"
	"slices"

	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/refresh"
	"wharf/service/store"
)

// AddLink makes a feed count on a calendar. The same link once more changes nothing;
// store.ErrTaken when the feed counts there in another way.
func (d *Desk) AddLink(ctx context.Context, feed int64, l Link) error {
	row, err := l.row(feed)
	if err != nil {
		return err
	}
	err = d.relink(ctx, row.CalendarID, feed, func(tx *store.Tx) (store.Link, error) {
		if _, err := tx.Calendar(row.CalendarID); err != nil {
			return row, err
		}
		return row, tx.CreateLink(row)
	})
	if !errors.Is(err, store.ErrTaken) {
		return err
	}
	all, failed := d.Store.LinksOf(ctx, feed)
	if failed != nil {
		return failed
	}
	if slices.ContainsFunc(all, func(l store.Link) bool {
		return l.CalendarID == row.CalendarID && l.Role == row.Role && l.Tentative == row.Tentative && l.Units == row.Units && l.Label == row.Label && l.Filter == row.Filter && l.Counting == row.Counting
	}) {
		return nil // it was sent before
	}
	return err
}

// LinkEdit is what is to change of a link; nil is left as it is.
type LinkEdit struct {
	Role, Tentative, Label *string
	Filter, Counting       *string
	Units                  *int
	Review                 *bool // somebody is to look at each entry
}

// EditLink changes how a feed counts on a calendar. The error is a *rules.FieldError when a
// setting is wrong.
func (d *Desk) EditLink(ctx context.Context, by By, calendar, feed int64, to LinkEdit) error {
	return d.explained(ctx, d.relink(ctx, calendar, feed, d.linkChange(by, calendar, feed, to)))
}

// TryEditLink says what a change of a link would lead to, and changes nothing. The errors are those of
// EditLink.
func (d *Desk) TryEditLink(ctx context.Context, by By, calendar, feed int64, to LinkEdit) ([]combine.Effect, error) {
	change := d.linkChange(by, calendar, feed, to)
	effects, err := d.Combiner.Try(ctx, []int64{calendar}, func(tx *store.Tx) error { return d.layAgain(ctx, tx, calendar, feed, change) })
	return effects, d.explained(ctx, err)
}

// linkChange gives the link as it is to be.
func (d *Desk) linkChange(by By, calendar, feed int64, to LinkEdit) func(*store.Tx) (store.Link, error) {
	e := d.editing(by, store.TopicLink, calendar, feed)
	return func(tx *store.Tx) (store.Link, error) {
		link, err := tx.LockLink(calendar, feed)
		if err != nil {
			return link, err
		}
		e.begin(link.Revision)
		set(e, "role", &link.Role, to.Role)
		set(e, "tentative", &link.Tentative, to.Tentative)
		set(e, "units", &link.Units, to.Units)
		set(e, "label", &link.Label, trimmed(to.Label))
		set(e, "filter", &link.Filter, trimmed(to.Filter))
		set(e, "counting", &link.Counting, trimmed(to.Counting))
		if to.Review != nil && *to.Review != link.Review {
			state := store.NotReviewed
			if *to.Review {
				state = store.Waiting
			}
			if err := tx.SetReview(link, state); err != nil {
				return link, err
			}
		}
		set(e, "review", &link.Review, to.Review)
		if err := e.save(tx, &link.Revision); err != nil {
			return link, err
		}
		if _, err := rules.NewLink(refresh.LinkText(link)); err != nil {
			return link, err
		}
		return link, tx.SaveLink(link)
	}
}

// relink lays a feed out on a calendar by the link that make gives.
func (d *Desk) relink(ctx context.Context, calendar, feed int64, make func(*store.Tx) (store.Link, error)) error {
	if err := d.Store.Tx(ctx, func(tx *store.Tx) error { return d.layAgain(ctx, tx, calendar, feed, make) }); err != nil {
		return err
	}
	d.Combiner.Calendars(ctx, calendar)
	return nil
}

// layAgain is relink in a transaction.
func (d *Desk) layAgain(ctx context.Context, tx *store.Tx, calendar, feed int64, make func(*store.Tx) (store.Link, error)) error {
	if _, err := tx.LockFeed(feed); err != nil {
		return err
	}
	link, err := make(tx)
	if err != nil {
		return err
	}
	if err := d.Refresher.LayOut(ctx, tx, link); err != nil {
		return err
	}
	return errors.Join(tx.TryAgain(calendar), tx.Changed(store.TopicCalendar, calendar))
}
