package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"wharf/core/judge"
)

// EventKind is what happened to a conflict.
type EventKind string

const (
	EventOpened       EventKind = "opened"
	EventReopened     EventKind = "reopened"
	EventGained       EventKind = "gained" // a booking more is among it
	EventBecame       EventKind = "became" // it is of another kind; the note says which
	EventAcknowledged EventKind = "acknowledged"
	EventAnswered     EventKind = "answered" // somebody said what a booking of it is; the note says what
	EventUndone       EventKind = "undone"   // and took that back
	EventCleared      EventKind = "cleared"
	EventPast         EventKind = "past"
)

// ConflictEvent is one thing that happened to a conflict.
type ConflictEvent struct {
	ID         int64
	ConflictID int64
	At         time.Time
	Event      EventKind
	SaidBy     string // "" where nobody did it
	Note       string
	BookingID  int64 `gorm:"default:null"`
}

// LogConflicts adds to what happened to conflicts.
func (tx *Tx) LogConflicts(events []ConflictEvent) error {
	if len(events) == 0 {
		return nil
	}
	return tx.db.CreateInBatches(events, batch).Error
}

// ConflictEvents lists what happened to a conflict, the first first.
func (s *Store) ConflictEvents(ctx context.Context, conflict int64) ([]ConflictEvent, error) {
	return many[ConflictEvent](s.db.WithContext(ctx).Where("conflict_id = ?", conflict).Order("id"))
}

// UnsettledWith lists the open and acknowledged conflicts that some of the bookings are among.
func (tx *Tx) UnsettledWith(bookings []int64) ([]ConflictBooking, error) {
	return manyOf[ConflictBooking](bookings, func(some []int64) *gorm.DB {
		return tx.db.Where("booking_id IN ? AND conflict_id IN (SELECT id FROM conflicts WHERE state IN ?)", some, judge.Unsettled).Order("conflict_id, booking_id")
	})
}
