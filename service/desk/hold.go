package desk

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"time"

	"wharf/core/exposure"
	"wharf/core/hold"
	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/refresh"
	"wharf/service/store"
)

// What was done to a hold, as its steps have it.
const (
	heldFirst = "entered"
	heldNext  = "changed"
	cancelled = "cancelled"
	undone    = "undone"
)

// HoldEdit is what is to change of a hold, and of how much of a series.
type HoldEdit struct {
	hold.Edit
	Calendar *int64     // to which it moves; of all of it alone
	Scope    hold.Scope // "": all
	Of       string     // the instance at hand
	Cancel   bool       // instead of all that
	Undo     bool       // likewise: the last step is taken back
}

// MostHolds is how many holds are entered at once.
const MostHolds = 10000

// AddHolds enters holds on a calendar, all of them or none. The error is a *rules.FieldError when a setting is wrong.
func (d *Desk) AddHolds(ctx context.Context, account string, calendar int64, holds ...hold.Hold) (ids []int64, err error) {
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		row, err := tx.LockCalendar(calendar)
		if err != nil {
			return err
		}
		ids, err = d.addHolds(ctx, tx, account, row, 0, holds)
		return err
	})
	if err != nil {
		return nil, err
	}
	d.Combiner.Calendars(ctx, calendar)
	return ids, nil
}

// addHolds enters holds on a calendar that is held; adopted is the feed that they are copies of, which keep its UIDs, or 0.
func (d *Desk) addHolds(ctx context.Context, tx *store.Tx, account string, calendar store.Calendar, adopted int64, holds []hold.Hold) (ids []int64, err error) {
	if len(holds) > MostHolds {
		return nil, refused("file", "these are %d bookings: enter at most %d at once", len(holds), MostHolds)
	}
	k, err := rules.NewCalendar(calendar.Zone, calendar.Grain, calendar.Capacity)
	if err != nil {
		return nil, err
	}
	rows := make([]*store.Hold, len(holds))
	for i, h := range holds {
		if h, err = h.Checked(k); err != nil {
			return nil, err
		}
		if err := d.expiresLater(h.Expires); err != nil {
			return nil, err
		}
		if h.Created = d.Now().UTC().Truncate(time.Second); adopted == 0 {
			h.UID = "hold-" + rand.Text()
		}
		rows[i] = &store.Hold{CalendarID: calendar.ID, Revision: 1, State: h, CreatedAt: d.Now(), Adopted: adopted, UID: h.UID}
	}
	if err := tx.CreateHolds(rows); err != nil {
		return nil, err
	}
	steps, now := make([]store.HoldStep, len(rows)), make([]store.Hold, len(rows))
	for i, row := range rows {
		ids = append(ids, row.ID)
		now[i] = *row
		steps[i] = stepOf(*row, heldFirst, account, d.Now())
	}
	return ids, errors.Join(tx.SaveHoldSteps(steps), d.Refresher.LayOutHolds(ctx, tx, calendar, now))
}

func refused(field, format string, args ...any) error {
	return &rules.FieldError{Field: field, Err: fmt.Errorf(format, args...)}
}

func (d *Desk) expiresLater(at time.Time) error {
	if !at.IsZero() && !at.After(d.Now()) {
		return refused("expires", "%s is over: choose a time to come", at.UTC().Format(time.RFC3339))
	}
	return nil
}

func stepOf(h store.Hold, did, account string, at time.Time) store.HoldStep {
	return store.HoldStep{HoldID: h.ID, Revision: h.Revision, Did: did, Account: account, At: at, CalendarID: h.CalendarID, State: h.State, Cancelled: h.CancelledAt != nil}
}

// EditHold changes, cancels or takes back; it returns the calendars on which something is other than it was.
func (d *Desk) EditHold(ctx context.Context, by By, id int64, to HoldEdit) error {
	calendars, err := d.calendarsOf(ctx, id, to)
	if err != nil {
		return err
	}
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		for _, c := range calendars {
			if _, err := tx.LockCalendar(c); err != nil {
				return err
			}
		}
		return d.editHold(ctx, tx, by, id, to)
	})
	if err != nil {
		return d.explainedHold(ctx, id, err)
	}
	d.Combiner.Calendars(ctx, calendars...)
	return nil
}

// explainedHold is what became of an edit: where it was refused for the revision that was seen, with what was done since.
func (d *Desk) explainedHold(ctx context.Context, id int64, err error) error {
	var stale *StaleError
	if !errors.As(err, &stale) {
		return err
	}
	steps, err := d.Store.HoldSteps(ctx, id)
	if err != nil {
		return err
	}
	for i, s := range steps {
		if s.Revision > stale.Seen && i > 0 {
			was := steps[i-1].State
			stale.Since = append(stale.Since, store.Edit{Topic: store.TopicHold, Subject: id, Revision: s.Revision, Account: s.Account, At: s.At, Field: s.Did,
				Was: was.Start + " to " + was.End, Became: s.State.Start + " to " + s.State.End})
		}
	}
	return stale
}

// calendarsOf are those that an edit may be about, in order.
func (d *Desk) calendarsOf(ctx context.Context, id int64, to HoldEdit) ([]int64, error) {
	row, err := d.Store.Hold(ctx, id)
	if err != nil {
		return nil, err
	}
	all := []int64{row.CalendarID}
	add := func(c int64) {
		for _, known := range all {
			if known == c {
				return
			}
		}
		if all = append(all, c); c < all[0] {
			all[0], all[len(all)-1] = c, all[0]
		}
	}
	if to.Calendar != nil {
		if _, err := d.Store.Calendar(ctx, *to.Calendar); err != nil {
			return nil, fieldErrorf("calendar", err, "there is no calendar %d", *to.Calendar)
		}
		add(*to.Calendar)
	}
	if to.Undo {
		steps, err := d.Store.HoldSteps(ctx, id)
		if err != nil {
			return nil, err
		}
		if last := steps[len(steps)-1]; last.UndoTo > 0 {
			add(steps[last.UndoTo-1].CalendarID)
		}
	}
	return all, nil
}

// editHold is EditHold in a transaction that holds the calendars.
func (d *Desk) editHold(ctx context.Context, tx *store.Tx, by By, id int64, to HoldEdit) error {
	row, err := tx.LockHold(id)
	if err != nil {
		return err
	}
	if row.Revision != by.Seen {
		return &StaleError{Seen: by.Seen, Stand: row.Revision, seen: store.Edit{Topic: store.TopicHold, Subject: id, Revision: by.Seen}}
	}
	was := row
	step := store.HoldStep{UndoTo: row.Revision}
	var goesOn *hold.Hold
	switch {
	case to.Undo:
		step, err = d.undo(ctx, tx, by, &row)
	case row.CancelledAt != nil:
		err = refused("hold", "it is cancelled: undo that first")
	case to.Cancel:
		step.Did = cancelled
		err = d.cancel(tx, &row, to)
	default:
		step.Did = heldNext
		goesOn, err = d.change(tx, &row, to)
	}
	if err != nil {
		return err
	}
	now, err := tx.Calendar(row.CalendarID)
	if err != nil {
		return err
	}
	if goesOn != nil {
		ids, err := d.addHolds(ctx, tx, by.Account, now, 0, []hold.Hold{*goesOn})
		if err != nil {
			return err
		}
		step.WithID = ids[0]
	}
	row.Revision++
	kept := stepOf(row, step.Did, by.Account, d.Now())
	kept.UndoTo, kept.WithID = step.UndoTo, step.WithID
	if err := errors.Join(tx.SaveHold(row), tx.SaveHoldSteps([]store.HoldStep{kept})); err != nil {
		return err
	}
	if was.CalendarID != row.CalendarID || row.CancelledAt != nil {
		if err := errors.Join(tx.EndBookings(was.CalendarID, id, d.Now()), tx.MarkDirty(was.CalendarID)); err != nil {
			return err
		}
	}
	if row.CancelledAt != nil {
		return nil
	}
	return d.Refresher.LayOutHolds(ctx, tx, now, []store.Hold{row})
}

// change is what an edit makes of a hold, and the hold that goes on where it is cut.
func (d *Desk) change(tx *store.Tx, row *store.Hold, to HoldEdit) (goesOn *hold.Hold, err error) {
	if to.Calendar != nil && *to.Calendar != row.CalendarID {
		if to.Scope != "" && to.Scope != hold.All {
			return nil, refused("calendar", "a series moves to another calendar as a whole")
		}
		row.CalendarID = *to.Calendar
	}
	k, err := rulesOf(tx, row.CalendarID)
	if err != nil {
		return nil, err
	}
	if to.Expires != nil {
		if err := d.expiresLater(*to.Expires); err != nil {
			return nil, err
		}
	}
	row.State, goesOn, err = row.State.Change(k, scopeOf(to), to.Of, to.Edit)
	return goesOn, err
}

func (d *Desk) cancel(tx *store.Tx, row *store.Hold, to HoldEdit) error {
	k, err := rulesOf(tx, row.CalendarID)
	if err != nil {
		return err
	}
	is, left, err := row.State.Cancel(k, scopeOf(to), to.Of)
	if err != nil {
		return err
	}
	if row.State = is; !left {
		now := d.Now()
		row.CancelledAt = &now
	}
	return nil
}

// undo makes a hold what it was before its last step that was not taken back yet.
func (d *Desk) undo(ctx context.Context, tx *store.Tx, by By, row *store.Hold) (step store.HoldStep, err error) {
	last, err := tx.HoldStep(row.ID, row.Revision)
	if err != nil {
		return step, err
	}
	step.Did = undone
	now := d.Now()
	if last.WithID != 0 { // what goes on elsewhere since is here again
		with, err := tx.LockHold(last.WithID)
		if err != nil {
			return step, err
		}
		if with.CancelledAt == nil {
			if err := d.editHold(ctx, tx, By{by.Account, with.Revision}, with.ID, HoldEdit{Cancel: true}); err != nil {
				return step, err
			}
		}
	}
	if last.UndoTo == 0 {
		if row.CancelledAt != nil {
			return step, refused("hold", "there is nothing left to take back")
		}
		row.CancelledAt = &now
		step.UndoTo = 0
		return step, nil
	}
	before, err := tx.HoldStep(row.ID, last.UndoTo)
	if err != nil {
		return step, err
	}
	row.State, row.CalendarID, row.CancelledAt = before.State, before.CalendarID, nil
	if before.Cancelled {
		row.CancelledAt = &now
	}
	step.UndoTo = before.UndoTo
	return step, nil
}

func scopeOf(to HoldEdit) hold.Scope {
	if to.Scope == "" {
		return hold.All
	}
	return to.Scope
}

func rulesOf(tx *store.Tx, calendar int64) (rules.Calendar, error) {
	row, err := tx.Calendar(calendar)
	if err != nil {
		return rules.Calendar{}, err
	}
	return rules.NewCalendar(row.Zone, row.Grain, row.Capacity)
}

// HoldTrial is what is to be known before a hold is kept.
type HoldTrial struct {
	Questions []hold.Question
	Effects   []combine.Effect // conflicts that it would open, or clear
	Unaware   []Unaware        // the platforms that sell the calendar, the last to know first
}

// Unaware is a platform that will know of it only later.
type Unaware struct {
	Platform int64
	Given    bool          // there is a publication for it
	Last     *time.Time    // pickup; nil: it never came
	Gaps     exposure.Gaps // between its pickups
}

// othersCompared is how many bookings of a calendar the length of a hold is compared with.
const othersCompared = 40

// TryHold says what entering a hold would lead to.
func (d *Desk) TryHold(ctx context.Context, account string, calendar int64, h hold.Hold) (t HoldTrial, err error) {
	t.Effects, err = d.Combiner.Try(ctx, []int64{calendar}, func(tx *store.Tx) error {
		row, err := tx.Calendar(calendar)
		if err != nil {
			return err
		}
		_, err = d.addHolds(ctx, tx, account, row, 0, []hold.Hold{h})
		return err
	})
	if err != nil {
		return t, err
	}
	return t, d.asks(ctx, &t, calendar, 0, h)
}

// TryHoldEdit says what an edit of a hold would lead to.
func (d *Desk) TryHoldEdit(ctx context.Context, by By, id int64, to HoldEdit) (t HoldTrial, err error) {
	calendars, err := d.calendarsOf(ctx, id, to)
	if err != nil {
		return t, err
	}
	var then store.Hold
	t.Effects, err = d.Combiner.Try(ctx, calendars, func(tx *store.Tx) error {
		if err := d.editHold(ctx, tx, by, id, to); err != nil {
			return err
		}
		then, err = tx.LockHold(id)
		return err
	})
	if err != nil || to.Cancel || to.Undo {
		return t, d.explainedHold(ctx, id, err)
	}
	h := then.State
	if to.Scope == hold.One || to.Scope == hold.Rest { // what is asked about is what was written
		if to.Start != nil && to.End != nil {
			h.Start, h.End, h.Repeat = *to.Start, *to.End, ""
		}
	}
	return t, d.asks(ctx, &t, then.CalendarID, id, h)
}

// asks adds what is to be asked about a hold, and who will know of it only later.
func (d *Desk) asks(ctx context.Context, t *HoldTrial, calendar, without int64, h hold.Hold) error {
	row, err := d.Store.Calendar(ctx, calendar)
	if err != nil {
		return err
	}
	k, err := rules.NewCalendar(row.Zone, row.Grain, row.Capacity)
	if err != nil {
		return err
	}
	if h, err = h.Checked(k); err != nil {
		return err
	}
	others, err := d.Store.LengthsOn(ctx, calendar, without, othersCompared)
	if err != nil {
		return err
	}
	t.Questions = h.Questions(k, others)
	rows, err := d.Store.Awares(ctx, calendar)
	for _, r := range rows {
		t.Unaware = append(t.Unaware, Unaware{Platform: r.PlatformID, Given: r.PublicationID != 0, Last: r.LastAt, Gaps: r.Gaps})
	}
	return err
}

// HoldImport is what came of a file of bookings.
type HoldImport struct {
	Entered int
	Left    []string         // what was not entered, and why
	Effects []combine.Effect // of a trial
}

// ImportHolds enters the bookings of a calendar file on a calendar, all of them or none; a trial enters none.
func (d *Desk) ImportHolds(ctx context.Context, account string, calendar int64, file refresh.File, trial bool) (done HoldImport, err error) {
	row, err := d.Store.Calendar(ctx, calendar)
	if err != nil {
		return done, fieldErrorf("calendar", err, "there is no calendar %d", calendar)
	}
	k, err := rules.NewCalendar(row.Zone, row.Grain, row.Capacity)
	if err != nil {
		return done, err
	}
	got, err := d.read(ctx, Source{File: &file})
	if err != nil {
		return done, err
	}
	holds, left := hold.FromDocument(got.Document(), k, d.Now())
	done = HoldImport{Entered: len(holds), Left: left}
	if len(holds) == 0 {
		return done, refused("file", "there is no booking to enter in it")
	}
	if trial {
		done.Effects, err = d.Combiner.Try(ctx, []int64{calendar}, func(tx *store.Tx) error {
			_, err := d.addHolds(ctx, tx, account, row, 0, holds)
			return err
		})
		return done, err
	}
	_, err = d.AddHolds(ctx, account, calendar, holds...)
	return done, err
}
