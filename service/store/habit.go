package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"wharf/core/echo"
)

// Habits lists what is known of a platform, the latest first; past: also what was.
func (s *Store) Habits(ctx context.Context, platform int64, past bool) ([]Habit, error) {
	q := s.db.WithContext(ctx).Where("platform_id = ?", platform).Order("name, of_what, id DESC")
	if !past {
		q = q.Where("until IS NULL")
	}
	return many[Habit](q)
}

// HabitsOn lists what is known of the platforms of the feeds that count on a calendar: learnt
// there, or laid down by a person.
func (tx *Tx) HabitsOn(calendar int64) ([]Habit, error) {
	return many[Habit](tx.db.Where("until IS NULL AND (calendar_id = ? OR calendar_id IS NULL AND platform_id IN (SELECT platform_id FROM feeds WHERE id IN (SELECT feed_id FROM links WHERE calendar_id = ?)))",
		calendar, calendar).Order("id"))
}

// StepHabits ends some steps, and begins others.
func (tx *Tx) StepHabits(now time.Time, ended []int64, begun []Habit) error {
	for some := range chunks(ended) {
		if err := tx.db.Model(&Habit{}).Where("id IN ?", some).Update("until", now).Error; err != nil {
			return err
		}
	}
	if len(begun) == 0 {
		return nil
	}
	return tx.db.CreateInBatches(begun, batch).Error
}

// HabitLaidDown returns what a person laid down of a platform that is held; ErrNotFound for nothing.
func (tx *Tx) HabitLaidDown(platform int64, of echo.HabitOf) (Habit, error) {
	return one[Habit](tx.db.Where("platform_id = ? AND calendar_id IS NULL AND until IS NULL AND name = ? AND of_what = ?", platform, of.Name, of.Of))
}

// MarkDirtyOf marks the calendars dirty on which feeds of a platform count, and returns them.
func (tx *Tx) MarkDirtyOf(platform int64) ([]int64, error) {
	ids, err := calendarsOfPlatform(tx.db, platform)
	if err != nil {
		return nil, err
	}
	return ids, tx.MarkDirty(ids...)
}

// CalendarsOfPlatform are those on which feeds of a platform count.
func (s *Store) CalendarsOfPlatform(ctx context.Context, platform int64) ([]int64, error) {
	return calendarsOfPlatform(s.db.WithContext(ctx), platform)
}

func calendarsOfPlatform(db *gorm.DB, platform int64) (ids []int64, err error) {
	err = db.Raw("SELECT DISTINCT calendar_id FROM links WHERE feed_id IN (SELECT id FROM feeds WHERE platform_id = ? AND removed_at IS NULL) ORDER BY calendar_id", platform).Scan(&ids).Error
	return ids, err
}

// GoneSince lists the bookings that left a calendar's feeds since a moment.
func (tx *Tx) GoneSince(calendar int64, since time.Time) ([]Booking, error) {
	return many[Booking](tx.db.Where("calendar_id = ? AND removed_at > ? AND feed_id IS NOT NULL", calendar, since).Order("id"))
}
