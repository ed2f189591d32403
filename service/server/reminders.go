package server

import (
	"context"

	gen "wharf/api/server"
	"wharf/service/store"
	"wharf/service/today"
)

// ListReminders lists reminders of what is not over.
func (s *server) ListReminders(ctx context.Context, r gen.ListRemindersRequestObject) (gen.ListRemindersResponseObject, error) {
	calendars, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	all, err := today.Reminders(ctx, s.Store, calendars, orEmpty(r.Params.Booking), s.Now())
	if by := r.Params.DueBy; by != nil {
		all = today.DueAt(all, *by)
	}
	return gen.ListReminders200JSONResponse(remindersJSON(all, namedOf(calendars))), err
}

// Remind keeps a reminder.
func (s *server) Remind(ctx context.Context, r gen.RemindRequestObject) (gen.RemindResponseObject, error) {
	kept, err := s.Desk.Remind(ctx, accountOf(ctx).Name, orEmpty(r.Body.Booking), orEmpty(r.Body.Hold), r.Body.Before)
	if err != nil {
		return nil, err
	}
	calendars, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	return gen.Remind201JSONResponse(remindersJSON([]today.Reminder{kept}, namedOf(calendars))[0]), nil
}

// RemoveReminder takes a reminder away.
func (s *server) RemoveReminder(ctx context.Context, r gen.RemoveReminderRequestObject) (gen.RemoveReminderResponseObject, error) {
	return gen.RemoveReminder204Response{}, s.Desk.RemoveReminder(ctx, r.Id)
}

// ReminderDone notes that somebody has dealt with a reminder.
func (s *server) ReminderDone(ctx context.Context, r gen.ReminderDoneRequestObject) (gen.ReminderDoneResponseObject, error) {
	return gen.ReminderDone204Response{}, s.Desk.ReminderDone(ctx, accountOf(ctx).Name, r.Id, r.Body.Booking)
}

func namedOf(calendars []store.Calendar) map[int64]gen.Named {
	named := make(map[int64]gen.Named, len(calendars))
	for _, c := range calendars {
		named[c.ID] = gen.Named{Id: c.ID, Name: c.Name}
	}
	return named
}

func remindersJSON(rows []today.Reminder, calendars map[int64]gen.Named) []gen.Reminder {
	all := make([]gen.Reminder, len(rows))
	for i, r := range rows {
		all[i] = gen.Reminder{Id: r.ID, Booking: r.Booking.ID, Hold: r.HoldID, Title: r.Booking.Title, Calendar: calendars[r.Booking.CalendarID], Grain: gen.Grain(r.Grain), Zone: r.Zone,
			Before: r.Lead.String(), Says: r.Lead.Words(), Due: r.Due, By: r.Account}
		all[i].Start, all[i].End = r.Booking.Span().Format(r.Grain)
	}
	return all
}
