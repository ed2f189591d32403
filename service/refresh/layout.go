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
	body, err := tx.Body(feed)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil // nothing was read yet
	}
	if err != nil {
		return false, err
	}
	doc, err := unpack(ctx, body)
	if err != nil {
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

// unpack reads a stored document.
func unpack(ctx context.Context, packed []byte) (*recur.Document, error) {
	text, err := store.Unpack(packed)
	if err != nil {
		return nil, err
	}
	defer text.Close()
	return recur.Read(ical.NewReader(whileWanted{ctx, text}))
}
