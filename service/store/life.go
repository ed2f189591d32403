package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"wharf/core/carried"
	"wharf/core/judge"
)

// Travel is one run of versions of a publication that carried something.
type Travel struct {
	PublicationID int64
	PlatformID    int64
	Reader        string
	FromVersion   int64
	ToVersion     int64 // 0: it is carried still
	Published     time.Time
	Withdrawn     *time.Time
	PickedUp      *time.Time `gorm:"-"` // by the recipient's kind of reader
}

// TravelsOf lists where something that is published under a UID went: the last run in each
// publication that was not removed.
func (s *Store) TravelsOf(ctx context.Context, minted string) ([]Travel, error) {
	db := s.db.WithContext(ctx)
	var rows []Travel
	err := db.Raw(`SELECT c.publication_id, p.platform_id, p.reader, c.from_version, c.to_version, f.at AS published, t.at AS withdrawn
		FROM carried c JOIN publications p ON p.id = c.publication_id AND p.removed_at IS NULL
		JOIN versions f ON f.publication_id = c.publication_id AND f.version = c.from_version
		LEFT JOIN versions t ON t.publication_id = c.publication_id AND c.to_version > 0 AND t.version = c.to_version + 1
		WHERE c.uid = ? AND NOT EXISTS (SELECT 1 FROM carried n WHERE n.publication_id = c.publication_id AND n.uid = c.uid AND n.from_version > c.from_version)
		ORDER BY c.publication_id`, minted).Scan(&rows).Error
	for i := range rows {
		if err != nil {
			return nil, err
		}
		err = rows[i].pickUp(db)
	}
	return rows, err
}

// pickUp finds when the recipient got it.
func (t *Travel) pickUp(db *gorm.DB) error {
	rows, err := many[Pickup](db.Where("publication_id = ?", t.PublicationID))
	if err != nil {
		return err
	}
	all := make([]carried.Pickup, len(rows))
	for i, p := range rows {
		all[i] = carried.Pickup{Version: p.Version, Agent: p.Agent, First: p.FirstAt, Last: p.LastAt, Times: p.Times}
	}
	own, _ := carried.OfRecipient(all, t.Reader)
	for _, p := range own {
		if p.Version >= t.FromVersion && (t.ToVersion == 0 || p.Version <= t.ToVersion) && (t.PickedUp == nil || p.First.Before(*t.PickedUp)) {
			t.PickedUp = &p.First
		}
	}
	return nil
}

// SeenAgain lists the bookings on a calendar that reflect, or may reflect, what is published under
// a UID.
func (s *Store) SeenAgain(ctx context.Context, calendar int64, minted string) ([]Booking, error) {
	return many[Booking](s.db.WithContext(ctx).Where("calendar_id = ? AND removed_at IS NULL AND JSON_VALUE(evidence, '$.item') = ?", calendar, minted).Order("seen_by, id"))
}

// MintedOn returns the bookings of calendars that are published under the UIDs, by UID.
func (s *Store) MintedOn(ctx context.Context, calendars []int64, minted []string) (map[string]Booking, error) {
	rows, err := manyOf[Booking](minted, func(some []string) *gorm.DB {
		return s.db.WithContext(ctx).Where("calendar_id IN ? AND minted IN ?", calendars, some)
	})
	byUID := make(map[string]Booking, len(rows))
	for _, b := range rows {
		byUID[b.Minted] = b
	}
	return byUID, err
}

// StaleBookings lists the bookings that are blocks of what is gone.
func (s *Store) StaleBookings(ctx context.Context) ([]Booking, error) {
	return many[Booking](s.db.WithContext(ctx).Where("removed_at IS NULL AND verdict = ?", judge.Stale).Order("feed_id, start_point, id"))
}

// FailedReadings counts the readings of a feed that failed in a time.
func (s *Store) FailedReadings(ctx context.Context, feed int64, from, to time.Time) (int64, error) {
	var n *int64
	err := s.db.WithContext(ctx).Raw("SELECT SUM(times) FROM readings WHERE feed_id = ? AND outcome = ? AND started_at BETWEEN ? AND ?", feed, OutcomeFailed, from, to).Scan(&n).Error
	if n == nil {
		return 0, err
	}
	return *n, err
}

// SourceOf is the text of a booking's entry, as its feed has it or had it last; "" where that is not kept.
func (s *Store) SourceOf(ctx context.Context, b Booking) (string, error) {
	e, err := one[Entry](s.db.WithContext(ctx).Where("id = ?", b.EntryID))
	if err == nil && e.TextID > 0 {
		var text string
		text, err = s.Text(ctx, e.TextID, e.Piece)
		return text, ignoreMissing(err)
	}
	return "", ignoreMissing(err)
}

func ignoreMissing(err error) error {
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	return err
}
