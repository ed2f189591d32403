package store

import (
	"context"
	"time"

	"wharf/core/judge"
)

// Ahead is what a feed has to come on a calendar.
type Ahead struct {
	CalendarID int64
	Bookings   int
	Points     int64 // days or nights, or seconds on the grain time
}

// AheadOf returns what counts of a feed (0: of all) on a calendar from the point on.
func (s *Store) AheadOf(ctx context.Context, calendar, feed, from int64) (Ahead, error) {
	a := Ahead{CalendarID: calendar}
	query := s.db.WithContext(ctx).Model(&Booking{}).
		Where("calendar_id = ? AND removed_at IS NULL AND blocks AND verdict = ? AND end_point > ?", calendar, judge.Counts, from)
	if feed != 0 {
		query = query.Where("feed_id = ?", feed)
	}
	err := query.Select("COUNT(*) AS bookings, COALESCE(SUM(end_point - GREATEST(start_point, ?)), 0) AS points", from).Scan(&a).Error
	a.CalendarID = calendar
	return a, err
}

// ConflictsWithFeed counts the open and acknowledged conflicts of a calendar (0: of all)
// that a booking of the feed is in.
func (s *Store) ConflictsWithFeed(ctx context.Context, calendar, feed int64) (int64, error) {
	var n int64
	query := s.db.WithContext(ctx).Table("conflicts c").Joins("JOIN conflict_bookings cb ON cb.conflict_id = c.id JOIN bookings b ON b.id = cb.booking_id").
		Where("c.state IN ? AND b.feed_id = ?", judge.Unsettled, feed)
	if calendar != 0 {
		query = query.Where("c.calendar_id = ?", calendar)
	}
	err := query.Distinct("c.id").Count(&n).Error
	return n, err
}

// RemoveFeed takes a feed off every calendar and out of the lists. Its bookings stay on
// record, for the conflicts that they were in and the echoes of them.
func (tx *Tx) RemoveFeed(id int64, now time.Time) error {
	links, err := tx.LinksOfFeed(id)
	if err != nil {
		return err
	}
	for _, l := range links {
		if err := tx.RemoveLink(l.CalendarID, id, now); err != nil {
			return err
		}
	}
	if err := tx.ForgetContent(id); err != nil {
		return err
	}
	return tx.db.Model(&Feed{}).Where("id = ?", id).Updates(map[string]any{"removed_at": now, "lease_until": nil}).Error
}
