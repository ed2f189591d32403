package desk

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"wharf/core/carried"
	"wharf/core/publish"
	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/secret"
	"wharf/service/store"
)

// secretPlace is the place for which publication secrets are sealed.
const secretPlace = "publication-secret"

// Publication is what is laid down about a new publication.
type Publication struct {
	Calendar       int64
	Platform, Name string
}

// RecipientError says that a platform has a publication of the calendar already.
type RecipientError struct{ Publication string }

func (e *RecipientError) Error() string {
	return fmt.Sprintf("this platform has a link for the calendar already: %s", e.Publication)
}

// AddPublication makes a publication with a secret of its own. The error is a *RecipientError,
// and store.ErrTaken when its name is in use.
func (d *Desk) AddPublication(ctx context.Context, p Publication) (int64, error) {
	if err := d.checkCalendar(ctx, p.Calendar); err != nil {
		return 0, err
	}
	link := secret.New()
	row := store.Publication{CalendarID: p.Calendar, Name: strings.TrimSpace(p.Name), SecretHash: secret.Hash(link),
		SecretCipher: d.Box.Seal(secretPlace, link), CreatedAt: d.Now(), Title: publish.Placeholder, Detail: string(rules.Times)}
	err := d.Store.Tx(ctx, func(tx *store.Tx) error {
		row.ID = 0
		platform, err := tx.PlatformNamed(strings.TrimSpace(p.Platform))
		if err != nil {
			return err
		}
		row.PlatformID = platform.ID
		if err := tx.CreatePublication(&row); err != nil {
			return err
		}
		return errors.Join(tx.MarkDirty(row.CalendarID), tx.Changed(store.TopicPlatform, platform.ID))
	})
	if err != nil {
		return 0, d.takenBy(ctx, err, row)
	}
	d.Combiner.Calendars(ctx, row.CalendarID)
	return row.ID, nil
}

// takenBy says which of the two things that must differ does not.
func (d *Desk) takenBy(ctx context.Context, err error, row store.Publication) error {
	if !errors.Is(err, store.ErrTaken) {
		return err
	}
	all, failed := d.Store.Publications(ctx)
	if failed != nil {
		return failed
	}
	for _, p := range all {
		if p.CalendarID == row.CalendarID && p.PlatformID == row.PlatformID {
			return &RecipientError{p.Name}
		}
	}
	return err
}

// PublicationEdit is what is to change of a publication; nil is left as it is.
type PublicationEdit struct {
	Name *string
	// Reader is the first name in the User-Agent of the reader that is the recipient's own; "": most
	// of the last ones.
	Reader *string
	// Title is that of the times, Tentative how what is not firm goes out.
	Title, Tentative *string
}

// EditPublication changes a publication; store.ErrTaken when its new name is in use. The error may be a *rules.FieldError.
func (d *Desk) EditPublication(ctx context.Context, by By, id int64, to PublicationEdit) error {
	row, err := d.Store.Publication(ctx, id)
	if err != nil {
		return err
	}
	if err := d.Store.Tx(ctx, func(tx *store.Tx) error { return d.changePublication(tx, by, id, to) }); err != nil {
		return d.explained(ctx, err)
	}
	d.Combiner.Calendars(ctx, row.CalendarID)
	return nil
}

// TryEditPublication says what a change of a publication would lead to, and changes nothing. The errors are those of
// EditPublication.
func (d *Desk) TryEditPublication(ctx context.Context, by By, id int64, to PublicationEdit) ([]combine.Effect, error) {
	row, err := d.Store.Publication(ctx, id)
	if err != nil {
		return nil, err
	}
	effects, err := d.Combiner.Try(ctx, []int64{row.CalendarID}, func(tx *store.Tx) error { return d.changePublication(tx, by, id, to) })
	return effects, d.explained(ctx, err)
}

func (d *Desk) changePublication(tx *store.Tx, by By, id int64, to PublicationEdit) error {
	e := d.editing(by, store.TopicPublication, id, 0)
	row, err := tx.LockPublication(id)
	if err != nil {
		return err
	}
	e.begin(row.Revision)
	set(e, "name", &row.Name, trimmed(to.Name))
	if reader := trimmed(to.Reader); reader != nil {
		kind := carried.Product(*reader)
		set(e, "reader", &row.Reader, &kind)
	}
	title := row.Title
	set(e, "title", &row.Title, trimmed(to.Title))
	if row.Title != title {
		row.RenderedName = "" // every item is written anew
	}
	set(e, "tentative", &row.Tentative, to.Tentative)
	if _, err := rules.NewPublication(row.Detail, row.Title, row.Tentative); err != nil {
		return err
	}
	return errors.Join(e.save(tx, &row.Revision), tx.SavePublication(row), tx.MarkDirty(row.CalendarID), tx.Changed(store.TopicPublication, id))
}

// LinkOf is the secret part of a publication's link.
func (d *Desk) LinkOf(p store.Publication) (string, error) {
	return d.Box.Open(secretPlace, p.SecretCipher)
}
