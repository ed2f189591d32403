package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"wharf/core/exposure"
	"wharf/core/span"
)

// TopicHold is of edits of holds; of changes it is their calendar's.
const TopicHold = "hold"

// Holds lists the holds that are not cancelled, of a calendar (0: of all), the newest first.
func (s *Store) Holds(ctx context.Context, calendar int64) ([]Hold, error) {
	db := s.db.WithContext(ctx).Where("cancelled_at IS NULL AND calendar_id IN (SELECT id FROM calendars WHERE removed_at IS NULL)")
	if calendar != 0 {
		db = db.Where("calendar_id = ?", calendar)
	}
	return many[Hold](db.Order("id DESC"))
}

// Hold returns a hold, also one that is cancelled.
func (s *Store) Hold(ctx context.Context, id int64) (Hold, error) {
	return one[Hold](s.db.WithContext(ctx).Where("id = ?", id))
}

// Original is how a hold that was copied from a feed stands to what that shows now.
type Original struct {
	HoldID    int64
	FeedID    int64
	There     int64 // bookings of the original
	Differing int64 // of the hold's, from those
}

// OriginalsOf lists the holds that were copied and are not as their originals are any more; of one hold, or of all (0).
func (s *Store) OriginalsOf(ctx context.Context, hold int64) ([]Original, error) {
	where, of := "", []any{}
	if hold != 0 {
		where, of = " AND h.id = ?", []any{hold}
	}
	return many[Original](s.db.WithContext(ctx).Raw(`SELECT * FROM (SELECT h.id AS hold_id, h.adopted AS feed_id,
		(SELECT COUNT(*) FROM bookings o WHERE o.calendar_id = h.calendar_id AND o.feed_id = h.adopted AND o.uid = h.uid AND o.removed_at IS NULL) AS there,
		(SELECT COUNT(*) FROM bookings c LEFT JOIN bookings o ON o.calendar_id = c.calendar_id AND o.feed_id = h.adopted AND o.uid = h.uid AND o.occurrence = c.occurrence
			AND o.removed_at IS NULL AND o.start_point = c.start_point AND o.end_point = c.end_point
			WHERE c.calendar_id = h.calendar_id AND c.hold_id = h.id AND c.removed_at IS NULL AND o.id IS NULL) AS differing
		FROM holds h WHERE h.adopted <> 0 AND h.cancelled_at IS NULL`+where+`) x WHERE there = 0 OR differing > 0 ORDER BY hold_id`, of...))
}

// AdoptedFrom lists the holds that were copied from a feed and are not cancelled.
func (tx *Tx) AdoptedFrom(feed int64) ([]Hold, error) {
	return many[Hold](tx.db.Where("adopted = ? AND cancelled_at IS NULL", feed).Order("id"))
}

// ForgetOriginals notes that a feed is not watched any more: what was copied from it stands by itself.
func (tx *Tx) ForgetOriginals(feed int64) error {
	return tx.db.Model(&Hold{}).Where("adopted = ?", feed).Update("adopted", 0).Error
}

// HoldSteps lists what a hold ever was, in order.
func (s *Store) HoldSteps(ctx context.Context, id int64) ([]HoldStep, error) {
	return many[HoldStep](s.db.WithContext(ctx).Where("hold_id = ?", id).Order("revision"))
}

// LockHold returns a hold as it stands at this moment, held to the end of the transaction. Its calendar is to be held before.
func (tx *Tx) LockHold(id int64) (Hold, error) {
	return one[Hold](tx.db.Clauses(forUpdate).Where("id = ?", id))
}

// HoldStep returns a hold as it was from a revision on.
func (tx *Tx) HoldStep(id, revision int64) (HoldStep, error) {
	return one[HoldStep](tx.db.Where("hold_id = ? AND revision = ?", id, revision))
}

// HoldsOf lists the holds of a calendar that are not cancelled.
func (tx *Tx) HoldsOf(calendar int64) ([]Hold, error) {
	return many[Hold](tx.db.Where("calendar_id = ? AND cancelled_at IS NULL", calendar).Order("id"))
}

// CreateHolds adds holds; they get their IDs.
func (tx *Tx) CreateHolds(holds []*Hold) error { return tx.db.CreateInBatches(holds, batch).Error }

// SaveHold changes a hold that is held.
func (tx *Tx) SaveHold(h Hold) error { return tx.db.Select("*").Updates(&h).Error }

// SaveHoldSteps keeps what holds are from now on.
func (tx *Tx) SaveHoldSteps(steps []HoldStep) error { return tx.db.CreateInBatches(steps, batch).Error }

// BookingsOfHolds lists the bookings of holds on a calendar, the removed ones too.
func (tx *Tx) BookingsOfHolds(calendar int64, holds []int64) ([]Booking, error) {
	return manyOf[Booking](holds, func(some []int64) *gorm.DB {
		return tx.db.Where("calendar_id = ? AND hold_id IN ?", calendar, some).Order("id")
	})
}

// LengthsOn lists how long the last so many bookings of a calendar are, by when they begin, without those of a hold.
func (s *Store) LengthsOn(ctx context.Context, calendar, without int64, n int) ([]int64, error) {
	rows, err := many[Booking](s.db.WithContext(ctx).Select("start_point", "end_point").
		Where("calendar_id = ? AND removed_at IS NULL AND blocks AND NOT closure AND (hold_id IS NULL OR hold_id <> ?) AND verdict = 'booking'", calendar, without).Order("start_point DESC").Limit(n))
	lengths := make([]int64, len(rows))
	for i, b := range rows {
		lengths[i] = span.Span{Start: b.StartPoint, End: b.EndPoint}.Len()
	}
	return lengths, err
}

// Aware is a platform that sells a calendar, and how it comes to know what is taken.
type Aware struct {
	PlatformID    int64
	PublicationID int64 // 0: nothing is given back to it
	LastAt        *time.Time
	Gaps          exposure.Gaps `gorm:"serializer:json"`
}

// Awares lists the platforms whose feeds block on a calendar, by name.
func (s *Store) Awares(ctx context.Context, calendar int64) ([]Aware, error) {
	return many[Aware](s.db.WithContext(ctx).Raw(`SELECT DISTINCT f.platform_id, COALESCE(p.id, 0) AS publication_id, g.last_at, COALESCE(g.gaps, '{}') AS gaps, n.name
		FROM links l JOIN feeds f ON f.id = l.feed_id AND f.removed_at IS NULL JOIN platforms n ON n.id = f.platform_id
		LEFT JOIN publications p ON p.calendar_id = l.calendar_id AND p.platform_id = f.platform_id AND p.removed_at IS NULL
		LEFT JOIN pickup_gaps g ON g.publication_id = p.id
		WHERE l.calendar_id = ? AND l.role = 'blocks' ORDER BY n.name`, calendar))
}

// EndBookings takes the bookings of a hold away that are on a calendar.
func (tx *Tx) EndBookings(calendar, hold int64, now time.Time) error {
	return tx.db.Model(&Booking{}).Where("calendar_id = ? AND hold_id = ? AND removed_at IS NULL", calendar, hold).Update("removed_at", now).Error
}
