package refresh

import (
	"context"

	"wharf/core/reading"
	"wharf/service/document"
	"wharf/service/store"
)

// LayOut lays the feed of a link, which is held, out on the link's calendar as its last good
// reading left it. The error is a *fetch.Error when there is too much in it.
func (r *Refresher) LayOut(ctx context.Context, tx *store.Tx, link store.Link) error {
	doc, err := document.Last(ctx, tx, link.FeedID)
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
	entries := reading.Recognise(document.Recorded(known), doc)
	placed, err := reading.LayOut(ctx, doc, entries, s.place, r.Now(), r.MaxBookings)
	if err != nil {
		return r.Explained(err)
	}
	_, err = r.savePlaced(tx, s, entries, placed)
	return err
}
