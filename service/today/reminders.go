package today

import (
	"cmp"
	"context"
	"slices"
	"time"

	"wharf/core/reminder"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/store"
)

// Reminder is one of a booking that is not over, and that nobody has dealt with.
type Reminder struct {
	store.Reminded
	Lead  reminder.Lead
	Due   time.Time // from then on it is shown
	Grain span.Grain
	Zone  string
}

// Reminders lists the reminders of one booking or of all (0) at a moment, those that are due first come first.
func Reminders(ctx context.Context, db *store.Store, calendars []store.Calendar, booking int64, now time.Time) ([]Reminder, error) {
	rows, err := db.Reminded(ctx, booking)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	of := map[int64]store.Calendar{}
	for _, c := range calendars {
		of[c.ID] = c
	}
	at := PointsOf(calendars, now)
	var all []Reminder
	for _, r := range rows {
		calendar := of[r.Booking.CalendarID]
		point, known := at(calendar.ID)
		if !known || r.Booking.EndPoint <= point {
			continue
		}
		lead, err := reminder.Parse(r.Lead)
		if err != nil {
			return nil, err
		}
		loc, err := zone.Load(calendar.Zone)
		if err != nil {
			return nil, err
		}
		one := Reminder{Reminded: r, Lead: lead, Grain: span.Grain(calendar.Grain), Zone: calendar.Zone}
		if one.Due = lead.Due(r.Booking.StartPoint, one.Grain, loc); r.DoneFor == nil || !r.DoneFor.Equal(one.Due) {
			all = append(all, one)
		}
	}
	slices.SortStableFunc(all, func(a, b Reminder) int { return cmp.Or(a.Due.Compare(b.Due), cmp.Compare(a.ID, b.ID)) })
	return all, nil
}

// DueAt are those of reminders, which are in order, that are due at a moment.
func DueAt(all []Reminder, now time.Time) []Reminder {
	n := slices.IndexFunc(all, func(r Reminder) bool { return r.Due.After(now) })
	if n < 0 {
		return all
	}
	return all[:n]
}
