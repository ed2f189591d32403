package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"wharf/service/store"
)

// editing is one edit of one thing by a person who has seen one revision of it.
type editing struct {
	store.Edit // what all its rows have in common; Revision is the one that was seen
	stand      int64
	rows       []store.Edit
}

// editing begins an edit; part is 0 but for links.
func (d *Desk) editing(by By, topic string, subject, part int64) *editing {
	return &editing{Edit: store.Edit{Topic: topic, Subject: subject, Part: part, Revision: by.Seen, Account: by.Account, At: d.Now()}}
}

// StaleError says that a thing is not at the revision that was seen.
type StaleError struct {
	Seen, Stand int64
	Since       []store.Edit // what was changed since, in order

	seen store.Edit
}

func (e *StaleError) Error() string {
	return fmt.Sprintf("revision %d was seen, and it is at %d", e.Seen, e.Stand)
}

// explained is what became of an edit: where it was refused for its revision, with what was
// changed since, by whom and when.
func (d *Desk) explained(ctx context.Context, err error) error {
	var stale *StaleError
	if !errors.As(err, &stale) {
		return err
	}
	since, failed := d.Store.EditsAfter(ctx, stale.seen)
	if failed != nil {
		return failed
	}
	stale.Since = since
	return stale
}

// begin notes at which revision the thing stands. It is to be called in the transaction, before
// set.
func (e *editing) begin(stand int64) { e.stand, e.rows = stand, nil }

// stale is the error of an edit of a revision that is not the newest.
func (e *editing) stale() error {
	if e.stand != e.Revision {
		return &StaleError{Seen: e.Revision, Stand: e.stand, seen: e.Edit}
	}
	return nil
}

// set gives a field its new value, if there is one, and notes what it was.
func set[T comparable](e *editing, name string, field *T, to *T) {
	if to == nil || *field == *to {
		return
	}
	row := e.Edit
	row.Revision++
	row.Field, row.Was, row.Became = name, fmt.Sprint(*field), fmt.Sprint(*to)
	e.rows = append(e.rows, row)
	*field = *to
}

// setList gives a field that is a list its new value, and notes what it was.
func setList[T comparable](e *editing, name string, field *[]T, to []T) {
	was, now := fmt.Sprint(*field), fmt.Sprint(to)
	if slices.Equal(*field, to) {
		return
	}
	set(e, name, &was, &now)
	*field = to
}

// save raises the revision if anything was set, and keeps the record of it. An edit that
// changes nothing succeeds from whatever revision it starts: it may be one whose answer was lost
// and that is sent again.
func (e *editing) save(tx *store.Tx, revision *int64) error {
	if len(e.rows) == 0 {
		return nil
	}
	if err := e.stale(); err != nil {
		return err
	}
	*revision++
	return tx.SaveEdits(e.rows)
}
