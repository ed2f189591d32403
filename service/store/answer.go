package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"wharf/core/echo"
)

// Answer is what a person said of the occurrence of an entry, on whatever calendar.
type Answer struct {
	ID         int64
	EntryID    int64
	Occurrence string
	Answer     echo.Answer
	SaidBy     string
	At         time.Time
	Until      *time.Time // it was taken back, or another one given
	EndedBy    string
}

// answered is an answer with the booking that it is about.
type answered struct {
	Answer
	BookingID int64
}

// answersWith loads the answers that stand on bookings, by booking.
func answersWith(db *gorm.DB, where string, args ...any) (map[int64]Answer, error) {
	var rows []answered
	err := db.Raw("SELECT a.*, b.id AS booking_id FROM bookings b JOIN answers a ON a.entry_id = b.entry_id AND a.occurrence = b.occurrence WHERE a.until IS NULL AND "+where, args...).Scan(&rows).Error
	all := make(map[int64]Answer, len(rows))
	for _, r := range rows {
		all[r.BookingID] = r.Answer
	}
	return all, err
}

// AnswersOn returns what was said of the bookings of a calendar, by booking.
func (tx *Tx) AnswersOn(calendar int64) (map[int64]Answer, error) {
	return answersWith(tx.db, "b.calendar_id = ?", calendar)
}

// AnswersOf returns what was said of bookings, by booking.
func (s *Store) AnswersOf(ctx context.Context, bookings []int64) (map[int64]Answer, error) {
	return answersOf(s.db.WithContext(ctx), bookings)
}

// AnswersOf returns what was said of bookings, by booking.
func (tx *Tx) AnswersOf(bookings []int64) (map[int64]Answer, error) {
	return answersOf(tx.db, bookings)
}

func answersOf(db *gorm.DB, bookings []int64) (map[int64]Answer, error) {
	all := map[int64]Answer{}
	return all, inChunks(bookings, func(some []int64) error {
		found, err := answersWith(db, "b.id IN ?", some)
		for id, a := range found {
			all[id] = a
		}
		return err
	})
}

// StepAnswers ends some answers, and begins others.
func (tx *Tx) StepAnswers(now time.Time, by string, ended []int64, begun []Answer) error {
	if err := inChunks(ended, func(some []int64) error {
		return tx.db.Model(&Answer{}).Where("id IN ?", some).Updates(map[string]any{"until": now, "ended_by": by}).Error
	}); err != nil || len(begun) == 0 {
		return err
	}
	return tx.db.CreateInBatches(begun, batch).Error
}

// CalendarsOfEntries are the calendars on which the entries of bookings are.
func (s *Store) CalendarsOfEntries(ctx context.Context, bookings []int64) ([]int64, error) {
	var all []int64
	err := inChunks(bookings, func(some []int64) error {
		var ids []int64
		err := s.db.WithContext(ctx).Raw("SELECT DISTINCT o.calendar_id FROM bookings b JOIN bookings o ON o.entry_id = b.entry_id WHERE b.id IN ? ORDER BY o.calendar_id", some).Scan(&ids).Error
		all = append(all, ids...)
		return err
	})
	return all, err
}
