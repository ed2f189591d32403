package refresh

import (
	"context"
	"errors"

	"wharf/core/reading"
	"wharf/core/rules"
	"wharf/service/secret"
	"wharf/service/store"
)

// Link makes a feed count on a calendar, and combines it. store.ErrTaken when it does
// already.
func (r *Refresher) Link(ctx context.Context, link store.Link) error {
	return r.relink(ctx, link.CalendarID, link.FeedID, func(tx *store.Tx) (store.Link, error) {
		if _, err := tx.Calendar(link.CalendarID); err != nil {
			return link, err
		}
		return link, tx.CreateLink(link)
	})
}

// EditLink changes how a feed counts on a calendar, and combines it. edit is run with the
// link as it stands, in the transaction that saves what it makes of it.
func (r *Refresher) EditLink(ctx context.Context, calendar, feed int64, edit func(*store.Tx, *store.Link) error) error {
	return r.relink(ctx, calendar, feed, func(tx *store.Tx) (store.Link, error) {
		link, err := tx.LockLink(calendar, feed)
		if err != nil {
			return link, err
		}
		if err := edit(tx, &link); err != nil {
			return link, err
		}
		return link, tx.SaveLink(link)
	})
}

// relink lays a feed out on a calendar by the link that make gives.
func (r *Refresher) relink(ctx context.Context, calendar, feed int64, make func(*store.Tx) (store.Link, error)) error {
	err := r.Store.Tx(ctx, func(tx *store.Tx) error {
		if _, err := tx.LockFeed(feed); err != nil {
			return err
		}
		link, err := make(tx)
		if err != nil {
			return err
		}
		if _, err := r.layOut(ctx, tx, feed, link, r.Now()); err != nil {
			return err
		}
		return errors.Join(tx.TryAgain(calendar), tx.Changed(store.TopicCalendar, calendar))
	})
	if errors.Is(err, reading.ErrTooMany) {
		err = r.tooMany()
	}
	if err != nil {
		return err
	}
	r.Combiner.Calendars(ctx, calendar)
	return nil
}

// Unlink takes a feed off a calendar, and combines it.
func (r *Refresher) Unlink(ctx context.Context, calendar, feed int64) error {
	err := r.Store.Tx(ctx, func(tx *store.Tx) error {
		if _, err := tx.LockFeed(feed); err != nil {
			return err
		}
		if _, err := tx.LockLink(calendar, feed); err != nil {
			return err
		}
		if err := tx.RemoveLink(calendar, feed, r.Now()); err != nil {
			return err
		}
		return tx.Changed(store.TopicCalendar, calendar)
	})
	if err != nil {
		return err
	}
	r.Combiner.Calendars(ctx, calendar)
	return nil
}

// Unsubscribe removes a feed; its bookings leave every calendar.
func (r *Refresher) Unsubscribe(ctx context.Context, feed int64) error {
	var links []store.Link
	err := r.Store.Tx(ctx, func(tx *store.Tx) error {
		row, err := tx.LockFeed(feed)
		if err != nil {
			return err
		}
		if _, err := tx.BreakClaim(row); err != nil {
			return err
		}
		if links, err = tx.LinksOfFeed(feed); err != nil {
			return err
		}
		if err := tx.RemoveFeed(feed, r.Now()); err != nil {
			return err
		}
		return tx.Changed(store.TopicFeed, feed)
	})
	if err != nil {
		return err
	}
	r.Combiner.Calendars(ctx, calendarsOf(links)...)
	return nil
}

func calendarsOf(links []store.Link) []int64 {
	ids := make([]int64, len(links))
	for i, l := range links {
		ids[i] = l.CalendarID
	}
	return ids
}

// EditFeed changes a feed. edit is run with the feed as it stands, in the transaction
// that saves what it makes of it. A new link ("" for none) is read first, and must give a
// calendar; what it gives takes the place of what was there.
func (r *Refresher) EditFeed(ctx context.Context, id int64, link string, edit func(*store.Tx, *store.Feed) error) error {
	var got fetched
	if link != "" {
		var err error
		if got, link, err = r.firstReading(ctx, link); err != nil {
			return err
		}
	}
	var calendars []int64
	err := r.Store.Tx(ctx, func(tx *store.Tx) error {
		feed, err := tx.LockFeed(id)
		if err != nil {
			return err
		}
		lease, platform := feed.LeaseUntil, feed.PlatformID
		if err := edit(tx, &feed); err != nil {
			return err
		}
		calendars = nil
		if feed.PlatformID != platform {
			// What comes from it is another platform's own now, and is published to others.
			links, err := tx.LinksOfFeed(id)
			if err != nil {
				return err
			}
			calendars = calendarsOf(links)
			if err := tx.MarkDirty(calendars...); err != nil {
				return err
			}
		}
		if link == "" {
			// Whoever is reading it goes on; SaveFeed would end that claim.
			return errors.Join(tx.SaveFeed(feed), tx.KeepClaim(feed, lease), tx.Changed(store.TopicFeed, id))
		}
		feed.URLCipher, feed.Address = r.Box.Seal(urlPlace, link), secret.Redact(link)
		feed.ETag, feed.LastModified = "", ""
		feed.Frame, feed.LastGoodStart = "", nil // what was read there says nothing of when this came to be
		if feed, err = tx.BreakClaim(feed); err != nil {
			return err
		}
		if err := tx.SaveFeed(feed); err != nil {
			return err
		}
		_, changed, err := r.commit(ctx, tx, feed, got)
		if err != nil {
			return err
		}
		calendars = append(calendars, changed...)
		return tx.Changed(store.TopicFeed, id)
	})
	if errors.Is(err, reading.ErrTooMany) {
		err = r.tooMany()
	}
	if err != nil {
		return err
	}
	r.Combiner.Calendars(ctx, calendars...)
	return nil
}

// EditCalendar changes a calendar, lays it out again and combines it. edit is run with
// the calendar as it stands, in the transaction that saves what it makes of it.
func (r *Refresher) EditCalendar(ctx context.Context, id int64, edit func(*store.Tx, *store.Calendar) error) error {
	err := r.Store.Tx(ctx, func(tx *store.Tx) error {
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
		calendar, err := tx.LockCalendar(id)
		if err != nil {
			return err
		}
		if err := edit(tx, &calendar); err != nil {
			return err
		}
		if _, err := rules.NewCalendar(calendar.Zone, calendar.Grain, calendar.Capacity); err != nil {
			return err
		}
		if err := errors.Join(tx.SaveCalendar(calendar), tx.TryAgain(id)); err != nil {
			return err
		}
		for _, l := range links {
			if _, err := r.layOut(ctx, tx, l.FeedID, l, r.Now()); err != nil {
				return err
			}
		}
		return errors.Join(tx.MarkDirty(id), tx.Changed(store.TopicCalendar, id))
	})
	if err != nil {
		return err
	}
	r.Combiner.Calendars(ctx, id)
	return nil
}
