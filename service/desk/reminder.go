package desk

import (
	"context"
	"errors"
	"slices"

	"wharf/core/reminder"
	"wharf/service/store"
	"wharf/service/today"
)

// Remind keeps a reminder of a booking, or of a hold (the other is 0); of what was entered by hand it is each time that
// it is on. It returns the reminder with the next time at which it is due. The error is a *rules.FieldError.
func (d *Desk) Remind(ctx context.Context, account string, booking, hold int64, text string) (today.Reminder, error) {
	lead, err := reminder.Parse(text)
	if err != nil {
		return today.Reminder{}, refused("before", "%v", err)
	}
	row := store.Reminder{Lead: lead.String(), Account: account, CreatedAt: d.Now()}
	switch {
	case (booking == 0) == (hold == 0):
		return today.Reminder{}, refused("booking", "say which booking it is of, or which hold: one of them")
	case hold != 0:
		h, err := d.Store.Hold(ctx, hold)
		if err != nil || h.CancelledAt != nil {
			return today.Reminder{}, errors.Join(unlessMissing(err), refused("hold", "there is no hold %d any more: look at the list as it is now", hold))
		}
		row.HoldID = &h.ID
	default:
		known, err := d.Store.Bookings(ctx, []int64{booking})
		b, there := known[booking]
		if err != nil || !there || b.RemovedAt != nil {
			return today.Reminder{}, errors.Join(err, refused("booking", "there is no booking %d any more: look at the calendar as it is now", booking))
		}
		if row.BookingID = &b.ID; b.HoldID != 0 {
			row.HoldID, row.BookingID = &b.HoldID, nil
		}
	}
	calendars, err := d.Store.Calendars(ctx)
	if err != nil {
		return today.Reminder{}, err
	}
	if err := d.Store.AddReminder(ctx, &row); err != nil {
		return today.Reminder{}, err
	}
	if err := d.Combiner.All(ctx); err != nil { // some publication may tell it
		return today.Reminder{}, err
	}
	kept, err := d.reminded(ctx, calendars, row.ID, booking)
	if errors.Is(err, store.ErrNotFound) {
		return kept, errors.Join(unlessMissing(d.Store.RemoveReminder(ctx, row.ID)), refused("booking", "it is over: nothing is left to be reminded of"))
	}
	return kept, err
}

// RemoveReminder takes a reminder away.
func (d *Desk) RemoveReminder(ctx context.Context, id int64) error {
	if err := d.Store.RemoveReminder(ctx, id); err != nil {
		return err
	}
	return d.Combiner.All(ctx) // some publication may tell it
}

func unlessMissing(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	return err
}

// reminded is the next reminder of a booking, or of any (0), as it stands.
func (d *Desk) reminded(ctx context.Context, calendars []store.Calendar, id, booking int64) (today.Reminder, error) {
	all, err := today.Reminders(ctx, d.Store, calendars, booking, d.Now())
	if err != nil {
		return today.Reminder{}, err
	}
	n := slices.IndexFunc(all, func(r today.Reminder) bool { return r.ID == id })
	if n < 0 {
		return today.Reminder{}, store.ErrNotFound
	}
	return all[n], nil
}

// ReminderDone notes that somebody has dealt with a reminder of a booking; it comes again if the booking moves.
func (d *Desk) ReminderDone(ctx context.Context, account string, id, booking int64) error {
	calendars, err := d.Store.Calendars(ctx)
	if err != nil {
		return err
	}
	r, err := d.reminded(ctx, calendars, id, booking)
	if err != nil {
		return err
	}
	return d.Store.ReminderDone(ctx, store.ReminderDone{ReminderID: id, BookingID: booking, DueAt: r.Due, Account: account, At: d.Now()})
}
