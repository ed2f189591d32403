package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Platforms lists the platforms by name.
func (s *Store) Platforms(ctx context.Context) ([]Platform, error) {
	return many[Platform](s.db.WithContext(ctx).Order("name"))
}

// PlatformNamed returns the platform of that name, which is added if there is none.
func (tx *Tx) PlatformNamed(name string) (Platform, error) {
	if err := tx.db.Clauses(clause.OnConflict{DoNothing: true}).Create(&Platform{Name: name}).Error; err != nil {
		return Platform{}, err
	}
	return one[Platform](tx.db.Clauses(clause.Locking{Strength: "UPDATE"}).Where("name = ?", name))
}

// CreateFeed adds a feed; ErrTaken when its name is in use.
func (tx *Tx) CreateFeed(f *Feed) error { return tx.db.Create(f).Error }

// Feeds lists the feeds by name.
func (s *Store) Feeds(ctx context.Context) ([]Feed, error) {
	return many[Feed](s.db.WithContext(ctx).Order("name"))
}

// Feed returns a feed.
func (s *Store) Feed(ctx context.Context, id int64) (Feed, error) {
	return one[Feed](s.db.WithContext(ctx).Where("id = ?", id))
}

// DueFeeds returns at most n feeds that are due at now and claimed by nobody, the
// longest due first.
func (s *Store) DueFeeds(ctx context.Context, now time.Time, n int) ([]Feed, error) {
	return many[Feed](s.db.WithContext(ctx).Where("due_at <= ? AND (lease_until IS NULL OR lease_until <= ?)", now, now).
		Order("due_at, id").Limit(n))
}

// ClaimFeed takes the feed until the given time by a compare-and-set on its fencing
// number. It returns the feed as claimed, and false when another process was first.
func (s *Store) ClaimFeed(ctx context.Context, f Feed, now, until time.Time) (Feed, bool, error) {
	err := s.Tx(ctx, func(tx *Tx) error {
		r := tx.db.Model(&Feed{}).Where("id = ? AND fence = ? AND (lease_until IS NULL OR lease_until <= ?)", f.ID, f.Fence, now).
			Updates(map[string]any{"lease_until": until, "fence": gorm.Expr("fence + 1")})
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrLost
		}
		return r.Error
	})
	if errors.Is(err, ErrLost) {
		return f, false, nil
	}
	f.Fence++
	f.LeaseUntil = &until
	return f, err == nil, err
}

// LockFeed returns the feed and holds it to the end of the transaction.
func (tx *Tx) LockFeed(id int64) (Feed, error) {
	return one[Feed](tx.db.Clauses(clause.Locking{Strength: "UPDATE"}).Where("id = ?", id))
}

// SaveFeed writes the feed back and ends the claim on it, if the fencing number is
// still the claim's; else ErrLost.
func (tx *Tx) SaveFeed(f Feed) error {
	f.LeaseUntil = nil
	r := tx.db.Model(&Feed{}).Where("id = ? AND fence = ?", f.ID, f.Fence).Select("*").Omit("id", "fence").Updates(&f)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrLost
	}
	return r.Error
}

// LastReading returns the newest record of the feed's readings, or nil.
func (tx *Tx) LastReading(f Feed) (*Reading, error) {
	if f.LastReadingID == nil {
		return nil, nil
	}
	r, err := one[Reading](tx.db.Where("id = ?", *f.LastReadingID))
	return &r, err
}

// SaveReading adds or changes a record.
func (tx *Tx) SaveReading(r *Reading) error { return tx.db.Save(r).Error }

// Readings lists the newest n records of a feed, newest first.
func (s *Store) Readings(ctx context.Context, feed int64, n int) ([]Reading, error) {
	return many[Reading](s.db.WithContext(ctx).Where("feed_id = ?", feed).Order("id DESC").Limit(n))
}

// LastReadings returns the newest record of each feed, by feed.
func (s *Store) LastReadings(ctx context.Context) (map[int64]Reading, error) {
	rows, err := many[Reading](s.db.WithContext(ctx).Where("id IN (SELECT last_reading_id FROM feeds)"))
	byFeed := make(map[int64]Reading, len(rows))
	for _, r := range rows {
		byFeed[r.FeedID] = r
	}
	return byFeed, err
}

// SaveBody stores what a good reading gave.
func (tx *Tx) SaveBody(b Body) error {
	return tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&b).Error
}

// Body returns what the last good reading of a feed gave; ErrNotFound before the first.
func (tx *Tx) Body(feed int64) (Body, error) {
	return one[Body](tx.db.Where("feed_id = ?", feed))
}

// Entries lists a feed's entries in the order in which they were first seen.
func (tx *Tx) Entries(feed int64) ([]Entry, error) {
	return many[Entry](tx.db.Where("feed_id = ?", feed).Order("id"))
}

// ReplaceEntries adds, changes and removes entries; the added ones get their IDs.
func (tx *Tx) ReplaceEntries(added []*Entry, changed []Entry, removed []int64) error {
	if len(removed) > 0 {
		if err := tx.db.Where("id IN ?", removed).Delete(&Entry{}).Error; err != nil {
			return err
		}
	}
	for _, e := range changed {
		if err := tx.db.Save(&e).Error; err != nil {
			return err
		}
	}
	if len(added) == 0 {
		return nil
	}
	return tx.db.CreateInBatches(added, batch).Error
}

// batch is how many rows one INSERT carries.
const batch = 500

// PlatformOfFeeds returns the platform of each feed.
func (tx *Tx) PlatformOfFeeds() (map[int64]int64, error) {
	feeds, err := many[Feed](tx.db.Select("id", "platform_id"))
	platforms := make(map[int64]int64, len(feeds))
	for _, f := range feeds {
		platforms[f.ID] = f.PlatformID
	}
	return platforms, err
}
