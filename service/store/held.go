package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"wharf/core/reading"
)

// Held lists what a feed does not show and stands all the same, in order of calendar and start.
func (s *Store) Held(ctx context.Context, feed int64) ([]Booking, error) {
	return many[Booking](held(s.db.WithContext(ctx), feed).Order("calendar_id, start_point, id"))
}

// Held lists what a feed does not show and stands all the same.
func (tx *Tx) Held(feed int64) ([]Booking, error) {
	return many[Booking](held(tx.db, feed).Order("id"))
}

func held(db *gorm.DB, feed int64) *gorm.DB {
	return db.Where("feed_id = ? AND held_why <> '' AND removed_at IS NULL", feed)
}

// GuardedSince is since when something of a feed waits for a person or for readings that agree; nil
// when nothing does.
func (tx *Tx) GuardedSince(feed int64) (*time.Time, error) {
	first, err := many[Booking](held(tx.db.Select("held_since"), feed).Where("held_why = ?", reading.Lost).Order("held_since").Limit(1))
	if err != nil || len(first) == 0 {
		return nil, err
	}
	return first[0].HeldSince, nil
}

// SetFreed notes what readings freed lately by a link.
func (tx *Tx) SetFreed(l Link, freed []reading.Freed) error {
	l.Freed = freed
	return tx.db.Select("freed").Updates(&l).Error
}

// SetGuarded notes since when a feed that is held is guarded, and its revision.
func (tx *Tx) SetGuarded(f Feed, since *time.Time) error {
	return tx.db.Model(&Feed{}).Where("id = ?", f.ID).Updates(map[string]any{"guarded_since": since, "revision": f.Revision}).Error
}

// CountHeld returns how many bookings wait for somebody, by feed.
func (s *Store) CountHeld(ctx context.Context, feeds ...int64) (map[int64]int, error) {
	rows, err := manyOf[struct {
		FeedID int64
		N      int
	}](feeds, func(some []int64) *gorm.DB {
		return s.db.WithContext(ctx).Model(&Booking{}).Where("feed_id IN ? AND held_why = ? AND removed_at IS NULL", some, reading.Lost).Select("feed_id, COUNT(*) AS n").Group("feed_id")
	})
	counts := map[int64]int{}
	for _, r := range rows {
		counts[r.FeedID] = r.N
	}
	return counts, err
}
