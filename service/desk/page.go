package desk

import (
	"context"
	"errors"

	"wharf/core/rules"
	"wharf/service/secret"
	"wharf/service/store"
)

// pagePlace is the place for which the secrets of pages are sealed.
const pagePlace = "page-secret"

// OpenPage gives a publication a page for everybody, with a secret of its own; one that it has already gets another
// secret. A platform has none, since its own bookings would be missing: that is a *rules.FieldError.
func (d *Desk) OpenPage(ctx context.Context, account string, id int64) error {
	link := secret.New()
	return d.setPage(ctx, account, id, secret.Hash(link), d.Box.Seal(pagePlace, link))
}

// ClosePage takes the page of a publication away: its address answers 410.
func (d *Desk) ClosePage(ctx context.Context, account string, id int64) error {
	return d.setPage(ctx, account, id, nil, nil)
}

func (d *Desk) setPage(ctx context.Context, account string, id int64, hash, cipher []byte) error {
	return d.Store.Tx(ctx, func(tx *store.Tx) error {
		row, err := tx.LockPublication(id)
		if err != nil {
			return err
		}
		recipient, err := tx.LockPlatform(row.PlatformID)
		if err != nil {
			return err
		}
		if hash != nil && !recipient.Person {
			return &rules.FieldError{Field: "platform", Err: errors.New("what a platform gets leaves its own bookings out: make a page of a calendar that is given to a person")}
		}
		e := d.editing(By{Account: account, Seen: row.Revision}, store.TopicPublication, id, 0)
		e.begin(row.Revision)
		was, now := stateOf(row.PageHash), stateOf(hash)
		if hash != nil && row.PageHash != nil {
			now = "another" // neither secret is written down
		}
		set(e, "page", &was, &now)
		old := row.PageHash
		row.PageHash, row.PageCipher = hash, cipher
		return errors.Join(e.save(tx, &row.Revision), tx.SavePage(row, old, d.Now()))
	})
}

func stateOf(hash []byte) string {
	if hash == nil {
		return "none"
	}
	return "one"
}

// PageOf is the secret part of the address of a publication's page; "" for none.
func (d *Desk) PageOf(p store.Publication) (string, error) {
	if p.PageCipher == nil {
		return "", nil
	}
	return d.Box.Open(pagePlace, p.PageCipher)
}
