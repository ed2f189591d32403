package store

import (
	"context"

	"wharf/core/carried"
)

// PublishedOn lists the publications of a calendar that are not removed, without their bodies.
func (s *Store) PublishedOn(ctx context.Context, calendar int64) ([]Publication, error) {
	return many[Publication](s.db.WithContext(ctx).Select(summaryColumns).Where("calendar_id = ? AND removed_at IS NULL", calendar).Order("id"))
}

// CarriedBy is everything that each of some publications ever carried.
func (s *Store) CarriedBy(ctx context.Context, publications []int64) (map[int64][]carried.Row, error) {
	rows, err := many[Carried](s.db.WithContext(ctx).Where("publication_id IN ?", publications))
	all := make(map[int64][]carried.Row, len(publications))
	for _, r := range rows {
		all[r.PublicationID] = append(all[r.PublicationID], r.row())
	}
	return all, err
}

// ShownBy lists what a platform's feeds show on a calendar now.
func (s *Store) ShownBy(ctx context.Context, calendar, platform int64) ([]Booking, error) {
	return many[Booking](s.db.WithContext(ctx).Select("id", "feed_id", "uid", "start_point", "end_point").
		Where("calendar_id = ? AND removed_at IS NULL AND feed_id IN (SELECT id FROM feeds WHERE platform_id = ? AND removed_at IS NULL)", calendar, platform).Order("id"))
}
