package refresh

import (
	"context"
	"errors"

	"wharf/core/ical"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/service/store"
)

// LayOut lays the feed of a link, which is held, out on the link's calendar as its last good
// reading left it. The error is a *fetch.Error when there is too much in it.
func (r *Refresher) LayOut(ctx context.Context, tx *store.Tx, link store.Link) error {
	doc, err := lastDocument(ctx, tx, link.FeedID)
	if err != nil || doc == nil {
		return err
	}
	known, err := tx.Entries(link.FeedID)
	if err != nil {
		return err
	}
	s, err := spotOf(tx, link)
	if err != nil {
		return err
	}
	entries := reading.Recognise(entriesOf(known), doc)
	placed, err := reading.LayOut(ctx, doc, entries, s.place, r.Now(), r.MaxBookings)
	if err != nil {
		return r.Explained(err)
	}
	_, err = r.savePlaced(tx, s, entries, placed)
	return err
}

// LastDocument is what the last good reading of a feed gave; nil before the first.
func (r *Refresher) LastDocument(ctx context.Context, tx *store.Tx, feed int64) (*recur.Document, error) {
	return lastDocument(ctx, tx, feed)
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
