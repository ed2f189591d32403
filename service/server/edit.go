package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	gen "wharf/api/server"
	"wharf/service/store"
)

// editing is one edit of one thing by a person who has seen one revision of it.
type editing struct {
	store.Edit // what all its rows have in common; Revision is the one that was seen
	stand      int64
	rows       []store.Edit
}

// editing begins an edit; part is 0 but for links.
func (s *server) editing(ctx context.Context, topic string, subject, part, seen int64) *editing {
	return &editing{Edit: store.Edit{Topic: topic, Subject: subject, Part: part, Revision: seen, Account: accountOf(ctx).Name, At: s.Now()}}
}

// staleError says that the thing is not at the revision that was seen.
type staleError struct {
	seen  store.Edit
	stand int64
}

func (e *staleError) Error() string {
	return fmt.Sprintf("revision %d was seen, and it is at %d", e.seen.Revision, e.stand)
}

// begin notes at which revision the thing stands. It is to be called in the transaction, before
// set.
func (e *editing) begin(stand int64) { e.stand, e.rows = stand, nil }

// stale is the error of an edit of a revision that is not the newest.
func (e *editing) stale() error {
	if e.stand != e.Revision {
		return &staleError{e.Edit, e.stand}
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

// explained is what became of an edit: where it was refused for its revision, the problem
// says what was changed since, by whom and when.
func (s *server) explained(ctx context.Context, err error) error {
	var stale *staleError
	if !errors.As(err, &stale) {
		return err
	}
	p := &problem{Status: http.StatusConflict, Code: gen.ProblemCodeStaleRevision, Title: "It has changed meanwhile"}
	edits, failed := s.Store.EditsAfter(ctx, stale.seen)
	if failed != nil {
		return failed
	}
	var sentences []string
	for _, e := range edits {
		message := fmt.Sprintf("%s changed it from %q to %q on %s", e.Account, e.Was, e.Became, e.At.UTC().Format(time.RFC3339))
		if e.Field == "url" {
			message = fmt.Sprintf("%s gave it another link on %s", e.Account, e.At.UTC().Format(time.RFC3339))
		}
		p.Errors = append(p.Errors, fieldError{e.Field, message})
		sentences = append(sentences, e.Field+": "+message)
	}
	if len(sentences) == 0 {
		sentences = []string{stale.Error()}
	}
	p.Detail = strings.Join(sentences, "; ") + ". Look at it as it is now, then make your change again."
	return p
}

// trimmed is a text of a request without the spaces around it.
func trimmed(text *string) *string {
	if text == nil {
		return nil
	}
	t := strings.TrimSpace(*text)
	return &t
}

func (s *server) EditPlatform(ctx context.Context, r gen.EditPlatformRequestObject) (gen.EditPlatformResponseObject, error) {
	e := s.editing(ctx, store.TopicPlatform, r.Id, 0, r.Body.Revision)
	var row store.Platform
	err := s.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		if row, err = tx.LockPlatform(r.Id); err != nil {
			return err
		}
		e.begin(row.Revision)
		set(e, "name", &row.Name, trimmed(&r.Body.Name))
		return errors.Join(e.save(tx, &row.Revision), tx.SavePlatform(row), tx.Changed(store.TopicPlatform, r.Id))
	})
	if err != nil {
		return nil, s.explained(ctx, taken(err, "name", "another platform has this name: choose one that you will tell apart"))
	}
	return gen.EditPlatform200JSONResponse(platformJSON(row)), nil
}

func (s *server) EditFeed(ctx context.Context, r gen.EditFeedRequestObject) (gen.EditFeedResponseObject, error) {
	e := s.editing(ctx, store.TopicFeed, r.Id, 0, r.Body.Revision)
	if r.Body.Every != nil {
		if err := s.checkEvery(time.Duration(*r.Body.Every) * time.Second); err != nil {
			return nil, err
		}
	}
	link := ""
	if r.Body.Url != nil {
		link = *r.Body.Url
		// Before the link is read: a stale edit need not wait for that.
		row, err := s.Store.Feed(ctx, r.Id)
		if err != nil {
			return nil, err
		}
		e.begin(row.Revision)
		if err := e.stale(); err != nil {
			return nil, s.explained(ctx, err)
		}
	}
	err := s.Refresher.EditFeed(ctx, r.Id, link, func(tx *store.Tx, row *store.Feed) error {
		e.begin(row.Revision)
		set(e, "name", &row.Name, trimmed(r.Body.Name))
		set(e, "color", &row.Color, (*string)(r.Body.Color))
		if r.Body.Every != nil && *r.Body.Every != row.EverySeconds {
			set(e, "every", &row.EverySeconds, r.Body.Every)
			if due := s.Now().Add(time.Duration(row.EverySeconds) * time.Second); due.Before(row.DueAt) {
				row.DueAt = due
			}
		}
		if r.Body.Platform != nil {
			p, err := tx.PlatformNamed(*trimmed(r.Body.Platform))
			if err != nil {
				return err
			}
			was, err := tx.LockPlatform(row.PlatformID)
			if err != nil {
				return err
			}
			set(e, "platform", &was.Name, &p.Name)
			row.PlatformID = p.ID
		}
		if link != "" {
			address := "…"
			set(e, "url", &row.Address, &address)
		}
		return e.save(tx, &row.Revision)
	})
	if err != nil {
		return nil, s.explained(ctx, taken(err, "name", feedNameTaken))
	}
	one, err := s.feedJSON(ctx, r.Id)
	return gen.EditFeed200JSONResponse(one), err
}

func (s *server) EditCalendar(ctx context.Context, r gen.EditCalendarRequestObject) (gen.EditCalendarResponseObject, error) {
	e := s.editing(ctx, store.TopicCalendar, r.Id, 0, r.Body.Revision)
	err := s.Refresher.EditCalendar(ctx, r.Id, func(tx *store.Tx, row *store.Calendar) error {
		e.begin(row.Revision)
		set(e, "name", &row.Name, trimmed(r.Body.Name))
		set(e, "zone", &row.Zone, r.Body.Zone)
		set(e, "capacity", &row.Capacity, r.Body.Capacity)
		return e.save(tx, &row.Revision)
	})
	if err != nil {
		return nil, s.explained(ctx, taken(err, "name", calendarNameTaken))
	}
	one, err := s.calendarJSON(ctx, r.Id)
	return gen.EditCalendar200JSONResponse(one), err
}

func (s *server) EditLink(ctx context.Context, r gen.EditLinkRequestObject) (gen.EditLinkResponseObject, error) {
	e := s.editing(ctx, store.TopicLink, r.Id, r.Feed, r.Body.Revision)
	err := s.Refresher.EditLink(ctx, r.Id, r.Feed, func(tx *store.Tx, row *store.Link) error {
		e.begin(row.Revision)
		set(e, "role", &row.Role, (*string)(r.Body.Role))
		set(e, "tentative", &row.Tentative, (*string)(r.Body.Tentative))
		set(e, "units", &row.Units, r.Body.Units)
		set(e, "label", &row.Label, trimmed(r.Body.Label))
		return e.save(tx, &row.Revision)
	})
	if err != nil {
		return nil, s.explained(ctx, err)
	}
	one, err := s.calendarJSON(ctx, r.Id)
	return gen.EditLink200JSONResponse(one), err
}

func (s *server) EditPublication(ctx context.Context, r gen.EditPublicationRequestObject) (gen.EditPublicationResponseObject, error) {
	e := s.editing(ctx, store.TopicPublication, r.Id, 0, r.Body.Revision)
	var row store.Publication
	err := s.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		if row, err = tx.LockPublication(r.Id); err != nil {
			return err
		}
		e.begin(row.Revision)
		set(e, "name", &row.Name, trimmed(&r.Body.Name))
		return errors.Join(e.save(tx, &row.Revision), tx.RenamePublication(row), tx.MarkDirty(row.CalendarID), tx.Changed(store.TopicPublication, r.Id))
	})
	if err != nil {
		return nil, s.explained(ctx, taken(err, "name", publicationNameTaken))
	}
	s.Combiner.Calendars(ctx, row.CalendarID)
	one, err := s.publicationJSON(ctx, r.Id)
	return gen.EditPublication200JSONResponse(one), err
}
