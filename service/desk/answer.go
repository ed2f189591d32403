package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"wharf/core/echo"
	"wharf/core/judge"
	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/store"
)

// MostAnswered is how many bookings one answer may be about.
const MostAnswered = 1000

// Answer is what a person says of bookings, with the answers that they have seen.
type Answer struct {
	Conflict int64           // in which they were asked; 0: in none
	Says     echo.Answer     // "": what was said is taken back
	Bookings map[int64]int64 // with the IDs of the answers that they have seen; 0: none
}

// AnsweredError says that somebody else has answered meanwhile.
type AnsweredError struct {
	Title string
	Is    *store.Answer // nil: it was taken back
}

func (e *AnsweredError) Error() string {
	if e.Is == nil {
		return fmt.Sprintf("what was said of %q was taken back", e.Title)
	}
	return fmt.Sprintf("%s answered about %q meanwhile", e.Is.SaidBy, e.Title)
}

// OverError says that there is nothing to answer any more, since a conflict is over.
type OverError struct {
	State judge.State
	Since *time.Time
}

func (e *OverError) Error() string { return "the conflict is " + string(e.State) }

// Answer keeps what a person says of bookings: it stands whatever is read later. All of it, or
// nothing: the error is an *AnsweredError when somebody else answered meanwhile, an *OverError
// when the conflict is over, and a *rules.FieldError when there is no booking to say it of.
func (d *Desk) Answer(ctx context.Context, by By, a Answer) error {
	calendars, err := d.askedOn(ctx, a)
	if err != nil {
		return err
	}
	err = d.Store.Tx(ctx, func(tx *store.Tx) error { return d.answer(tx, by, a, calendars) })
	if err == nil {
		d.Combiner.Calendars(ctx, calendars...)
	}
	return err
}

// TryAnswer says what an answer would change, and changes nothing. The errors are those of Answer.
func (d *Desk) TryAnswer(ctx context.Context, by By, a Answer) ([]combine.Effect, error) {
	calendars, err := d.askedOn(ctx, a)
	if err != nil {
		return nil, err
	}
	return d.Combiner.Try(ctx, calendars, func(tx *store.Tx) error { return d.answer(tx, by, a, calendars) })
}

// askedOn are the calendars that an answer is about, in the order in which they are held.
func (d *Desk) askedOn(ctx context.Context, a Answer) ([]int64, error) {
	if len(a.Bookings) == 0 || len(a.Bookings) > MostAnswered {
		return nil, &rules.FieldError{Field: "bookings", Err: fmt.Errorf("say it of 1 to %d bookings at once", MostAnswered)}
	}
	calendars, err := d.Store.CalendarsOfEntries(ctx, a.ids())
	slices.Sort(calendars)
	return slices.Compact(calendars), err
}

func (a Answer) ids() (ids []int64) {
	for id := range a.Bookings {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	return ids
}

// answer writes an answer, in a transaction that holds the calendars.
func (d *Desk) answer(tx *store.Tx, by By, a Answer, calendars []int64) error {
	for _, id := range calendars {
		if _, err := tx.LockCalendar(id); err != nil {
			return err
		}
	}
	if err := stillAsked(tx, a); err != nil {
		return err
	}
	bookings, err := tx.Bookings(a.ids())
	if err != nil {
		return err
	}
	stands, err := tx.AnswersOf(a.ids())
	if err != nil {
		return err
	}
	var ended []int64
	var begun []store.Answer
	for _, id := range a.ids() {
		b, known := bookings[id]
		if err := answerable(b, known); err != nil {
			return err
		}
		was, answered := stands[id]
		switch {
		case was.Answer == a.Says: // whoever said it
			continue
		case was.ID != a.Bookings[id] && answered:
			return &AnsweredError{b.Title, &was}
		case was.ID != a.Bookings[id]:
			return &AnsweredError{b.Title, nil}
		}
		if answered {
			ended = append(ended, was.ID)
		}
		if a.Says != "" {
			begun = append(begun, store.Answer{EntryID: b.EntryID, Occurrence: b.Occurrence, Answer: a.Says, SaidBy: by.Account, At: d.Now()})
		}
	}
	if err := errors.Join(tx.StepAnswers(d.Now(), by.Account, ended, begun), d.logAnswer(tx, by, a)); err != nil {
		return err
	}
	return tx.MarkDirty(calendars...)
}

// stillAsked reports whether the conflict in which somebody was asked still needs an answer.
func stillAsked(tx *store.Tx, a Answer) error {
	if a.Conflict == 0 || a.Says == "" { // what was said may be taken back when it is over, too
		return nil
	}
	k, err := tx.Conflict(a.Conflict)
	if err == nil && !slices.Contains(judge.Unsettled, k.State) {
		return &OverError{k.State, k.ClearedAt}
	}
	return err
}

// answerable reports whether there is anything to say of a booking.
func answerable(b store.Booking, known bool) error {
	wrong := func(format string, args ...any) error {
		return &rules.FieldError{Field: "bookings", Err: fmt.Errorf(format, args...)}
	}
	switch {
	case !known:
		return wrong("one of them was removed with its feed or calendar: look at the page anew")
	case b.RemovedAt != nil:
		return wrong("%q has left its feed, so it takes nothing any more: nothing needs to be said of it", b.Title)
	case b.EntryID == 0:
		return wrong("%q came from no feed: nobody can have reflected it", b.Title)
	}
	return nil
}

// logAnswer notes in the life of the conflicts that the bookings are among what was said.
func (d *Desk) logAnswer(tx *store.Tx, by By, a Answer) error {
	among, err := tx.UnsettledWith(a.ids())
	if err != nil {
		return err
	}
	kind := store.EventAnswered
	if a.Says == "" {
		kind = store.EventUndone
	}
	events := make([]store.ConflictEvent, len(among))
	for i, k := range among {
		events[i] = store.ConflictEvent{ConflictID: k.ConflictID, At: d.Now(), Event: kind, SaidBy: by.Account, Note: string(a.Says), BookingID: k.BookingID}
	}
	return tx.LogConflicts(events)
}
