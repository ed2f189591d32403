package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"wharf/core/judge"
)

// counting are the verdicts of bookings that somebody may have to look at: what reflects is none.
var counting = []judge.Kind{judge.Counts, judge.Unclear, judge.Stale, judge.Rejected}

// ToReview lists the bookings of reviewed links that are in a state and not over, by calendar and start. ends gives the
// point from which on a calendar's bookings are not over.
func (s *Store) ToReview(ctx context.Context, state ReviewState, ends func(calendar int64) (int64, bool)) ([]Booking, error) {
	rows, err := many[Booking](s.db.WithContext(ctx).Where("removed_at IS NULL AND review = ? AND verdict IN ?", state, counting).Order("calendar_id, start_point, id"))
	kept := rows[:0]
	for _, b := range rows {
		if now, known := ends(b.CalendarID); known && b.EndPoint > now {
			kept = append(kept, b)
		}
	}
	return kept, err
}

// LockBookings returns bookings as they stand at this moment, held to the end of the transaction.
func (tx *Tx) LockBookings(ids []int64) ([]Booking, error) {
	return manyOf[Booking](ids, func(some []int64) *gorm.DB {
		return tx.db.Clauses(forUpdate).Where("id IN ? AND removed_at IS NULL", some).Order("id")
	})
}

// Decide keeps what somebody said of bookings that are held.
func (tx *Tx) Decide(ids []int64, says ReviewState, account string, at time.Time) error {
	rows := make([]Review, len(ids))
	for i, id := range ids {
		rows[i] = Review{BookingID: id, Says: says, Account: account, At: at}
	}
	if err := tx.db.CreateInBatches(rows, batch).Error; err != nil {
		return err
	}
	return inChunks(ids, func(some []int64) error {
		return tx.db.Model(&Booking{}).Where("id IN ?", some).Update("review", says).Error
	})
}

// SetReview says of all bookings of a link that somebody is to look at them, or that nobody is.
func (tx *Tx) SetReview(l Link, state ReviewState) error {
	return tx.db.Model(&Booking{}).Where("calendar_id = ? AND feed_id = ? AND removed_at IS NULL", l.CalendarID, l.FeedID).Update("review", state).Error
}

// LastReviews returns the last thing that was said of each booking.
func (s *Store) LastReviews(ctx context.Context, bookings []int64) (map[int64]Review, error) {
	rows, err := manyOf[Review](bookings, func(some []int64) *gorm.DB {
		return s.db.WithContext(ctx).Where("id IN (SELECT MAX(id) FROM reviews WHERE booking_id IN ? GROUP BY booking_id)", some)
	})
	last := make(map[int64]Review, len(rows))
	for _, r := range rows {
		last[r.BookingID] = r
	}
	return last, err
}
