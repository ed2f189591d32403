package refresh

import (
	"context"
	"errors"
	"time"

	"wharf/core/ical"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/service/store"
)

// layOut lays a feed out on the calendar of a link as its last good reading left it. It
// returns true if there is anything to combine.
func (r *Refresher) layOut(ctx context.Context, tx *store.Tx, feed int64, link store.Link, now time.Time) (bool, error) {
	doc, err := lastDocument(ctx, tx, feed)
	if err != nil || doc == nil {
		return false, err
	}
	known, err := tx.Entries(feed)
	if err != nil {
		return false, err
	}
	s, err := spotOf(tx, link)
	if err != nil {
		return false, err
	}
	entries := reading.Recognise(entriesOf(known), doc)
	placed, err := reading.LayOut(ctx, doc, entries, s.place, now, r.MaxBookings)
	if err != nil {
		return false, err
	}
	return r.savePlaced(tx, s, entries, placed)
}

// lastDocument is what the last good reading of a feed gave; nil before the first.
func lastDocument(ctx context.Context, tx *store.Tx, feed int64) (*recur.Document, error) {
	packed, err := tx.Body(feed)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	text, err := store.Unpack(packed)
	if err != nil {
		return nil, err
	}
	defer text.Close()
	return recur.Read(ical.NewReader(whileWanted{ctx, text}))
}
