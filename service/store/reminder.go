package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"wharf/core/judge"
	"wharf/core/rules"
)

// TopicReminder is of changes of reminders.
const TopicReminder = "reminder"

// Reminded is a reminder with one of the bookings that it is of.
type Reminded struct {
	Reminder
	Booking Booking    `gorm:"embedded;embeddedPrefix:b_"`
	DoneFor *time.Time // for which moment somebody has dealt with it
}

// notReminded are the verdicts of bookings of which nobody is to be reminded: they count no more.
var notReminded = []judge.Kind{judge.Expired, judge.Rejected}

// Reminded lists the reminders of one booking, and where it is of a hold those of that; or all of them (0). Each comes
// with every current booking that it is of, by start.
func (s *Store) Reminded(ctx context.Context, booking int64) ([]Reminded, error) {
	of, values := "", []any{notReminded}
	if booking != 0 {
		of, values = " AND b.id = ?", append(values, booking)
	}
	each := func(on string) string {
		return `SELECT r.*, d.due_at AS done_for, b.id AS b_id, b.calendar_id AS b_calendar_id, b.start_point AS b_start_point, b.end_point AS b_end_point, b.title AS b_title
			FROM reminders r JOIN bookings b ON ` + on + ` LEFT JOIN reminders_done d ON d.reminder_id = r.id AND d.booking_id = b.id
			WHERE b.removed_at IS NULL AND b.verdict NOT IN ?` + of
	}
	return many[Reminded](s.db.WithContext(ctx).Raw(each("b.id = r.booking_id")+" UNION ALL "+each("b.hold_id = r.hold_id")+" ORDER BY b_start_point, b_id, id", append(values, values...)...))
}

// Reminder returns a reminder.
func (s *Store) Reminder(ctx context.Context, id int64) (Reminder, error) {
	return one[Reminder](s.db.WithContext(ctx).Where("id = ?", id))
}

// AddReminder keeps a reminder; where there is the same already, it stays that one.
func (s *Store) AddReminder(ctx context.Context, r *Reminder) error {
	return s.Tx(ctx, func(tx *Tx) error {
		of := tx.db.Where("lead = ?", r.Lead)
		if r.HoldID != nil {
			of = of.Where("hold_id = ?", *r.HoldID)
		} else {
			of = of.Where("booking_id = ?", *r.BookingID)
		}
		same, err := many[Reminder](of.Clauses(forUpdate))
		if err != nil {
			return err
		}
		if len(same) > 0 {
			*r = same[0]
			return nil
		}
		if err := tx.db.Create(r).Error; err != nil {
			return err
		}
		return errors.Join(tx.markReminded(*r), tx.Changed(TopicReminder, r.ID))
	})
}

// markReminded marks the calendars dirty of which a publication has the reminders of its bookings as alarms.
func (tx *Tx) markReminded(r Reminder) error {
	calendars, err := many[int64](tx.db.Raw(`SELECT DISTINCT b.calendar_id FROM bookings b JOIN publications p ON p.calendar_id = b.calendar_id AND p.removed_at IS NULL AND JSON_VALUE(p.options, '$.alarm') = ?
		WHERE b.removed_at IS NULL AND (b.id = ? OR b.hold_id = ?)`, rules.KeptAlarms, r.BookingID, r.HoldID))
	for _, id := range calendars {
		err = errors.Join(err, tx.MarkDirty(id))
	}
	return err
}

// LeadsOn is how long before each current booking of a calendar somebody is to be reminded, as it was laid down, by the
// booking.
func (tx *Tx) LeadsOn(calendar int64) (map[int64][]string, error) {
	type lead struct {
		BookingID int64
		Lead      string
	}
	rows, err := many[lead](tx.db.Raw(`SELECT b.id AS booking_id, r.lead FROM reminders r JOIN bookings b ON b.id = r.booking_id OR b.hold_id = r.hold_id
		WHERE b.calendar_id = ? AND b.removed_at IS NULL ORDER BY b.id, r.lead`, calendar))
	leads := map[int64][]string{}
	for _, r := range rows {
		leads[r.BookingID] = append(leads[r.BookingID], r.Lead)
	}
	return leads, err
}

// RemoveReminder takes a reminder away.
func (s *Store) RemoveReminder(ctx context.Context, id int64) error {
	return s.Tx(ctx, func(tx *Tx) error {
		r, err := one[Reminder](tx.db.Clauses(forUpdate).Where("id = ?", id))
		if err != nil {
			return err
		}
		return errors.Join(tx.markReminded(r), oneRow(tx.db.Delete(&r)), tx.Changed(TopicReminder, id))
	})
}

// ReminderDone notes that somebody has dealt with a reminder of a booking.
func (s *Store) ReminderDone(ctx context.Context, d ReminderDone) error {
	return s.Tx(ctx, func(tx *Tx) error {
		if err := tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&d).Error; err != nil {
			return err
		}
		return tx.Changed(TopicReminder, d.ReminderID)
	})
}

// oneRow is ErrNotFound where a change was of no row.
func oneRow(db *gorm.DB) error {
	if db.Error == nil && db.RowsAffected == 0 {
		return ErrNotFound
	}
	return db.Error
}
