package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"wharf/core/judge"
	"wharf/core/span"
)

// ConflictWith is a conflict with the IDs of its bookings.
type ConflictWith struct {
	Conflict
	BookingIDs []int64
}

// ConflictsOf lists every conflict that a calendar has or had.
func (tx *Tx) ConflictsOf(calendar int64) ([]ConflictWith, error) {
	return conflictsWith(tx.db, tx.db.Where("calendar_id = ?", calendar).Order("id"))
}

// Conflicts lists the conflicts in the given states, of one calendar or (0) of all, by
// start.
func (s *Store) Conflicts(ctx context.Context, calendar int64, states ...judge.State) ([]ConflictWith, error) {
	db := s.db.WithContext(ctx)
	query := db.Where("state IN ?", states).Order("calendar_id, start_point, id")
	if calendar != 0 {
		query = query.Where("calendar_id = ?", calendar)
	}
	return conflictsWith(db, query)
}

// CountConflicts returns how many conflicts each calendar has, in the given states or (none
// given) in all.
func (s *Store) CountConflicts(ctx context.Context, states ...judge.State) (map[int64]int, error) {
	var rows []struct {
		CalendarID int64
		N          int
	}
	query := s.db.WithContext(ctx).Model(&Conflict{}).Select("calendar_id, COUNT(*) AS n").Group("calendar_id")
	if len(states) > 0 {
		query = query.Where("state IN ?", states)
	}
	err := query.Scan(&rows).Error
	counts := make(map[int64]int, len(rows))
	for _, r := range rows {
		counts[r.CalendarID] = r.N
	}
	return counts, err
}

// Conflict returns a conflict.
func (s *Store) Conflict(ctx context.Context, id int64) (ConflictWith, error) {
	return conflictOf(s.db.WithContext(ctx), id)
}

// Conflict returns a conflict.
func (tx *Tx) Conflict(id int64) (ConflictWith, error) { return conflictOf(tx.db, id) }

func conflictOf(db *gorm.DB, id int64) (ConflictWith, error) {
	rows, err := conflictsWith(db, db.Where("id = ?", id))
	if err != nil {
		return ConflictWith{}, err
	}
	if len(rows) == 0 {
		return ConflictWith{}, ErrNotFound
	}
	return rows[0], nil
}

func conflictsWith(db, query *gorm.DB) ([]ConflictWith, error) {
	conflicts, err := many[Conflict](query)
	if err != nil || len(conflicts) == 0 {
		return nil, err
	}
	ids := make([]int64, len(conflicts))
	for i, c := range conflicts {
		ids[i] = c.ID
	}
	pairs, err := manyOf[ConflictBooking](ids, func(some []int64) *gorm.DB {
		return db.Where("conflict_id IN ?", some).Order("conflict_id, booking_id")
	})
	if err != nil {
		return nil, err
	}
	among := map[int64][]int64{}
	for _, p := range pairs {
		among[p.ConflictID] = append(among[p.ConflictID], p.BookingID)
	}
	all := make([]ConflictWith, len(conflicts))
	for i, c := range conflicts {
		all[i] = ConflictWith{c, among[c.ID]}
	}
	return all, nil
}

// Bookings returns bookings by ID, removed ones too.
func (s *Store) Bookings(ctx context.Context, ids []int64) (map[int64]Booking, error) {
	return bookingsByID(s.db.WithContext(ctx), ids)
}

// Bookings returns bookings by ID, removed ones too.
func (tx *Tx) Bookings(ids []int64) (map[int64]Booking, error) { return bookingsByID(tx.db, ids) }

func bookingsByID(db *gorm.DB, ids []int64) (map[int64]Booking, error) {
	rows, err := manyOf[Booking](ids, func(some []int64) *gorm.DB { return db.Where("id IN ?", some) })
	byID := make(map[int64]Booking, len(rows))
	for _, b := range rows {
		byID[b.ID] = b
	}
	return byID, err
}

// SaveConflicts adds and changes conflicts with their bookings; those that are new get
// their IDs.
func (tx *Tx) SaveConflicts(conflicts []*ConflictWith) error {
	var known []Conflict
	var ids []int64
	var added []*Conflict
	for _, c := range conflicts {
		if c.ID == 0 {
			added = append(added, &c.Conflict)
		} else {
			known, ids = append(known, c.Conflict), append(ids, c.ID)
		}
	}
	if err := upsert(tx, known); err != nil {
		return err
	}
	if len(added) > 0 {
		if err := tx.db.CreateInBatches(added, batch).Error; err != nil {
			return err
		}
	}
	if err := inChunks(ids, func(some []int64) error {
		return tx.db.Where("conflict_id IN ?", some).Delete(&ConflictBooking{}).Error
	}); err != nil {
		return err
	}
	var pairs []ConflictBooking
	for _, c := range conflicts {
		for _, id := range c.BookingIDs {
			pairs = append(pairs, ConflictBooking{c.ID, id})
		}
	}
	if len(pairs) == 0 {
		return nil
	}
	return tx.db.CreateInBatches(pairs, 10*batch).Error // two columns each
}

// Acknowledge notes who deals with an open conflict; ErrNotFound unless it is open or
// acknowledged.
func (s *Store) Acknowledge(ctx context.Context, id int64, by, note string, now time.Time) error {
	return s.Tx(ctx, func(tx *Tx) error {
		r := tx.db.Model(&Conflict{}).Where("id = ? AND state IN ?", id, judge.Unsettled).
			Updates(map[string]any{"state": judge.Acknowledged, "acknowledged_by": by, "note": note})
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrNotFound
		}
		if r.Error != nil {
			return r.Error
		}
		return errors.Join(tx.LogConflicts([]ConflictEvent{{ConflictID: id, At: now, Event: EventAcknowledged, SaidBy: by, Note: note}}), tx.Changed(TopicConflict, id))
	})
}

// EndedConflicts lists calendars with open or acknowledged conflicts that end at or
// before the given points of their grains.
func (s *Store) EndedConflicts(ctx context.Context, now time.Time) ([]int64, error) {
	ids := []int64{}
	err := s.db.WithContext(ctx).Raw(`SELECT DISTINCT c.calendar_id FROM conflicts c JOIN calendars k ON k.id = c.calendar_id
		WHERE k.grain = ? AND c.state IN ? AND c.end_point <= ?`, span.Time, judge.Unsettled, now.Unix()).Scan(&ids).Error
	return ids, err
}
