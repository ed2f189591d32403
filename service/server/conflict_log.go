package server

import (
	"context"
	"fmt"
	"time"

	gen "wharf/api/server"
	"wharf/core/conflict"
	"wharf/core/echo"
	"wharf/internal/sentences"
	"wharf/service/store"
)

// lifeOf says what happened to a conflict, and how much later it was found than it could have been.
func (s *server) lifeOf(ctx context.Context, k store.ConflictWith, bookings []gen.Booking) (*[]gen.ConflictEvent, *string, error) {
	rows, err := s.Store.ConflictEvents(ctx, k.ID)
	if err != nil {
		return nil, nil, err
	}
	var ids []int64
	for _, e := range rows {
		if e.BookingID != 0 {
			ids = append(ids, e.BookingID)
		}
	}
	named, err := s.Store.Bookings(ctx, ids)
	if err != nil {
		return nil, nil, err
	}
	log := make([]gen.ConflictEvent, len(rows))
	for i, e := range rows {
		title := named[e.BookingID].Title
		if i > 0 && e.Event == store.EventCleared && e.At.Sub(rows[i-1].At) < time.Minute && rows[i-1].Event == store.EventAnswered {
			e.Note = string(store.EventAnswered)
		}
		log[i] = gen.ConflictEvent{At: e.At, Event: gen.ConflictEventEvent(e.Event), By: optional(e.SaidBy), Note: optional(e.Note), Sentence: eventSentence(e, title)}
	}
	found, err := s.foundLate(ctx, k, bookings)
	return &log, optional(found), err
}

func eventSentence(e store.ConflictEvent, title string) string {
	title = sentences.Title(title, "an untitled booking")
	switch e.Event {
	case store.EventOpened:
		return fmt.Sprintf("It opened: %s.", kindNow(e.Note))
	case store.EventReopened:
		return "It came back, and opened again."
	case store.EventGained:
		return fmt.Sprintf("%s came in addition.", title)
	case store.EventBecame:
		return fmt.Sprintf("It became: %s.", kindNow(e.Note))
	case store.EventAcknowledged:
		if e.Note == "" {
			return fmt.Sprintf("%s said to deal with it.", e.SaidBy)
		}
		return fmt.Sprintf("%s said to deal with it: “%s”.", e.SaidBy, e.Note)
	case store.EventAnswered:
		return fmt.Sprintf("%s said that %s is %s.", e.SaidBy, title, sentences.Answer(echo.Answer(e.Note)))
	case store.EventUndone:
		return fmt.Sprintf("%s took back what was said of %s.", e.SaidBy, title)
	case store.EventCleared:
		if e.Note != "" {
			return "It cleared by that."
		}
		return "It cleared: what the feeds show leads to it no longer."
	}
	return "Its time was over."
}

func kindNow(kind string) string {
	switch conflict.Kind(kind) {
	case conflict.DoubleBooking:
		return "a double booking"
	case conflict.TentativeClash:
		return "a tentative clash"
	case conflict.Unclear:
		return "perhaps sold twice"
	}
	return "a conflict"
}

// foundLate says how much later a conflict was found than it could have been, and what delayed it;
// "" where nothing tells.
func (s *server) foundLate(ctx context.Context, k store.ConflictWith, bookings []gen.Booking) (string, error) {
	var later *gen.Booking
	for i, b := range bookings {
		if later == nil || b.SeenBy.After(later.SeenBy) {
			later = &bookings[i]
		}
	}
	switch {
	case later == nil || later.Feed == nil:
		return "", nil
	case later.NotBefore == nil:
		return fmt.Sprintf("%s was on its feed when Wharf first read that: it could not be found earlier.", titleOf(*later)), nil
	}
	made, exact := *later.NotBefore, false
	if c := later.Created; c != nil && !c.Before(made) && !c.After(later.SeenBy) {
		made, exact = *c, true
	}
	failed, err := s.Store.FailedReadings(ctx, *later.Feed, made, later.SeenBy)
	if err != nil {
		return "", err
	}
	text := fmt.Sprintf("%s came in between two readings of its feed, %s apart: it was found at most so much later than it could have been.", titleOf(*later), spoken(later.SeenBy.Sub(made)))
	if exact {
		text = fmt.Sprintf("%s was made, by its own date, %s before Wharf read it: so much later it was found than it could have been.", titleOf(*later), spoken(later.SeenBy.Sub(made)))
	}
	if failed > 0 {
		text += fmt.Sprintf(" %s failed in between.", plural(failed, "reading", "readings"))
	}
	if late := k.OpenedAt.Sub(later.SeenBy); late > time.Minute {
		text += fmt.Sprintf(" It opened %s after that: until then the facts, or somebody's answer, said otherwise.", spoken(late))
	}
	return text, nil
}

func titleOf(b gen.Booking) string { return sentences.Title(b.Title, "The later booking") }

// spoken is a length of time as people say it.
func spoken(d time.Duration) string {
	switch {
	case d < 2*time.Minute:
		return plural(int64(d/time.Second), "second", "seconds")
	case d < 2*time.Hour:
		return plural(int64(d/time.Minute), "minute", "minutes")
	case d < 48*time.Hour:
		return plural(int64(d/time.Hour), "hour", "hours")
	}
	return plural(int64(d/(24*time.Hour)), "day", "days")
}
