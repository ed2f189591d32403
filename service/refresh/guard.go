package refresh

import (
	"context"

	"wharf/core/reading"
	"wharf/service/document"
	"wharf/service/store"
)

// agree lets a reading that found nothing changed count for what is held of the feed. It
// returns the calendars on which something is let go.
func (r *Refresher) agree(ctx context.Context, tx *store.Tx, feed *store.Feed, got Got) (calendars []int64, err error) {
	if feed.GuardedSince == nil {
		return nil, nil
	}
	doc := got.doc
	if doc == nil {
		if doc, err = document.Last(ctx, tx, feed.ID); err != nil || doc == nil {
			return nil, err
		}
	}
	known, err := tx.Entries(feed.ID)
	if err != nil {
		return nil, err
	}
	all, err := r.spots(tx, *feed)
	if err != nil {
		return nil, err
	}
	entries := reading.Recognise(document.Recorded(known), doc)
	for _, s := range all {
		placed, err := reading.Agree(ctx, doc, entries, s.place, reading.Times{Requested: got.started, Finished: got.finished, Scheduled: got.scheduled}, r.MaxBookings)
		if err != nil {
			return nil, err
		}
		if changed, err := r.savePlaced(tx, s, entries, placed); err != nil {
			return nil, err
		} else if changed {
			calendars = append(calendars, s.link.CalendarID)
		}
	}
	feed.GuardedSince, err = tx.GuardedSince(feed.ID)
	return calendars, err
}
