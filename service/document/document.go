// Package document is what the feeds were last read to say: their documents, as they were stored, with what is
// recorded of the entries in them. Whoever lays a feed out anew, or shows all that it gives, takes it from here, without
// asking the platform.
package document

import (
	"context"
	"errors"
	"io"
	"time"

	"wharf/core/ical"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/service/store"
)

// Last is what the last good reading of a feed gave; nil before the first.
func Last(ctx context.Context, tx *store.Tx, feed int64) (*recur.Document, error) {
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
	return recur.Read(ical.NewReader(WhileWanted{Context: ctx, Reader: text}))
}

// Sources are the entries of a feed's last document by their IDs; none before the first.
func Sources(ctx context.Context, tx *store.Tx, feed int64) (*recur.Document, map[int64]recur.Entry, error) {
	doc, err := Last(ctx, tx, feed)
	if err != nil || doc == nil {
		return nil, nil, err
	}
	known, err := tx.Entries(feed)
	if err != nil {
		return nil, nil, err
	}
	all := make(map[int64]recur.Entry, len(known))
	for i, e := range reading.Recognise(Recorded(known), doc) {
		all[e.ID] = doc.Entries[i]
	}
	return doc, all, nil
}

// Recorded are entries as they are recorded.
func Recorded(rows []store.Entry) []reading.Entry {
	entries := make([]reading.Entry, len(rows))
	for i, e := range rows {
		entries[i] = reading.Entry{ID: e.ID, Identity: reading.Identity{UID: e.UID, Place: e.Place, Digest: e.Digest}, Form: e.Form, Interval: reading.Interval{NotBefore: orZero(e.NotBefore), SeenBy: e.SeenBy},
			ChangedBy: orZero(e.ChangedBy), Gone: orZero(e.GoneAt), Text: reading.TextAt{ID: e.TextID, Piece: e.Piece}}
	}
	return entries
}

func orZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// WhileWanted reads until its context ends.
type WhileWanted struct {
	Context context.Context
	io.Reader
}

// Read reads; its error is the context's once that has ended.
func (r WhileWanted) Read(p []byte) (int, error) {
	if err := r.Context.Err(); err != nil {
		return 0, err
	}
	return r.Reader.Read(p)
}
