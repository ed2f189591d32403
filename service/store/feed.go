package store

import (
	"wharf/core/echo"
	"wharf/core/judge"

	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Platforms lists the platforms by name.
func (s *Store) Platforms(ctx context.Context) ([]Platform, error) {
	return many[Platform](s.db.WithContext(ctx).Where("removed_at IS NULL").Order("name"))
}

// AllPlatforms lists the removed ones too, of which there may still be bookings on record.
func (s *Store) AllPlatforms(ctx context.Context) ([]Platform, error) {
	return many[Platform](s.db.WithContext(ctx).Order("name"))
}

// Platform returns a platform.
func (s *Store) Platform(ctx context.Context, id int64) (Platform, error) {
	return one[Platform](s.db.WithContext(ctx).Where("id = ? AND removed_at IS NULL", id))
}

// LockPlatform returns the platform and holds it to the end of the transaction.
func (tx *Tx) LockPlatform(id int64) (Platform, error) {
	return one[Platform](tx.db.Clauses(forUpdate).Where("id = ? AND removed_at IS NULL", id))
}

// SavePlatform changes a platform that is held.
func (tx *Tx) SavePlatform(p Platform) error { return tx.db.Select("*").Updates(&p).Error }

// CreatePlatform adds a platform; ErrTaken when its name is in use.
func (tx *Tx) CreatePlatform(name string) (Platform, error) {
	known, err := one[Platform](tx.db.Clauses(forUpdate).Where("name = ?", name))
	if err == nil && known.RemovedAt == nil {
		return Platform{}, ErrTaken
	}
	if err != nil && !errors.Is(err, ErrNotFound) {
		return Platform{}, err
	}
	return tx.PlatformNamed(name)
}

// PlatformNamed returns the platform of that name and holds it. It is added if there is
// none; one that was removed is the same again, since what is known of it stays true.
func (tx *Tx) PlatformNamed(name string) (Platform, error) { return tx.RecipientNamed(name, false) }

// RecipientNamed returns the platform or person of that name, whichever it is; if there is none, it is made one as said.
func (tx *Tx) RecipientNamed(name string, person bool) (Platform, error) {
	again := clause.OnConflict{DoUpdates: clause.Assignments(map[string]any{"removed_at": nil})}
	if err := tx.db.Clauses(again).Create(&Platform{Name: name, Person: person}).Error; err != nil {
		return Platform{}, err
	}
	return one[Platform](tx.db.Clauses(forUpdate).Where("name = ?", name))
}

// Persons are the recipients that sell nothing.
func (tx *Tx) Persons() (map[int64]bool, error) {
	rows, err := many[Platform](tx.db.Select("id").Where("person"))
	persons := make(map[int64]bool, len(rows))
	for _, p := range rows {
		persons[p.ID] = true
	}
	return persons, err
}

var forUpdate = clause.Locking{Strength: "UPDATE"}

// CreateFeed adds a feed; ErrTaken when its name is in use.
func (tx *Tx) CreateFeed(f *Feed) error { return tx.db.Create(f).Error }

// Feeds lists the feeds by name, without the sums of their gaps.
func (s *Store) Feeds(ctx context.Context) ([]Feed, error) {
	return many[Feed](s.db.WithContext(ctx).Omit("gaps").Where("removed_at IS NULL").Order("name"))
}

// Never is when a feed is due that is not read again.
var Never = time.Date(9999, 12, 31, 0, 0, 0, 0, time.UTC)

// FeedsShowing counts how many of some UIDs each feed shows at present.
func (s *Store) FeedsShowing(ctx context.Context, uids []string) (map[int64]int, error) {
	counts := map[int64]int{}
	if len(uids) == 0 {
		return counts, nil
	}
	rows, err := many[struct {
		FeedID int64
		N      int
	}](s.db.WithContext(ctx).Table("entries").Select("feed_id, COUNT(DISTINCT uid) AS n").Where("gone_at IS NULL AND uid IN ?", uids).Group("feed_id"))
	for _, r := range rows {
		counts[r.FeedID] = r.N
	}
	return counts, err
}

// AllFeeds lists the feeds that have, or had, bookings on some calendars, the removed ones too; of no calendar:
// all of them.
func (s *Store) AllFeeds(ctx context.Context, calendars ...int64) ([]Feed, error) {
	db := s.db.WithContext(ctx).Omit("gaps")
	if len(calendars) > 0 {
		db = db.Where("id IN (SELECT feed_id FROM links WHERE calendar_id IN ? UNION SELECT feed_id FROM bookings WHERE calendar_id IN ?)", calendars, calendars)
	}
	return many[Feed](db.Order("name"))
}

// Feed returns a feed.
func (s *Store) Feed(ctx context.Context, id int64) (Feed, error) {
	return one[Feed](s.db.WithContext(ctx).Where("id = ? AND removed_at IS NULL", id))
}

// Given is a feed with what is said of all that it brings in alone.
func (tx *Tx) Given(feed int64) (Feed, error) {
	return one[Feed](tx.db.Select("id", "categories", "class").Where("id = ?", feed))
}

// DueFeeds returns at most n feeds that are due at now and claimed by nobody, the
// longest due first.
func (s *Store) DueFeeds(ctx context.Context, now time.Time, n int) ([]Feed, error) {
	return many[Feed](s.db.WithContext(ctx).Where("live = 1 AND paused_at IS NULL AND due_at <= ? AND (lease_until IS NULL OR lease_until <= ?)", now, now).
		Order("due_at, id").Limit(n))
}

// NextDue is when the next feed is due that is not due at now, or the next claim ends on one that is; Never if there is none.
func (s *Store) NextDue(ctx context.Context, now time.Time) (time.Time, error) {
	var next time.Time
	err := s.db.WithContext(ctx).Raw(`SELECT CAST(LEAST(
		COALESCE((SELECT due_at FROM feeds WHERE live = 1 AND due_at > ? AND paused_at IS NULL ORDER BY due_at LIMIT 1), ?),
		COALESCE((SELECT MIN(lease_until) FROM feeds WHERE live = 1 AND due_at <= ? AND lease_until > ? AND paused_at IS NULL), ?)) AS DATETIME(6))`, now, Never, now, now, Never).Scan(&next).Error
	return next, err
}

// ClaimFeed takes the feed until the given time by a compare-and-set on its fencing
// number. It returns the feed as claimed, and false when another process was first.
func (s *Store) ClaimFeed(ctx context.Context, f Feed, now, until time.Time) (Feed, bool, error) {
	// A single statement; a lost deadlock is somebody else's claim.
	r := s.db.WithContext(ctx).Model(&Feed{}).Where("id = ? AND fence = ? AND live = 1 AND (lease_until IS NULL OR lease_until <= ?)", f.ID, f.Fence, now).
		Updates(map[string]any{"lease_until": until, "fence": gorm.Expr("fence + 1")})
	if lostLock(r.Error) || r.Error == nil && r.RowsAffected == 0 {
		return f, false, nil
	}
	if r.Error != nil {
		return f, false, r.Error
	}
	f.Fence++
	f.LeaseUntil = &until
	return f, true, nil
}

// LockFeed returns the feed and holds it to the end of the transaction.
func (tx *Tx) LockFeed(id int64) (Feed, error) {
	return one[Feed](tx.db.Clauses(forUpdate).Where("id = ? AND removed_at IS NULL", id))
}

// ReleaseClaim lets a claim go whose reading came to nothing, so that the feed is read again
// when it is due.
func (s *Store) ReleaseClaim(ctx context.Context, f Feed) error {
	return s.db.WithContext(ctx).Model(&Feed{}).Where("id = ? AND fence = ?", f.ID, f.Fence).Update("lease_until", nil).Error
}

// KeepClaim gives a feed that was saved back the claim that somebody has on it.
func (tx *Tx) KeepClaim(f Feed, until *time.Time) error {
	return tx.db.Model(&Feed{}).Where("id = ? AND fence = ?", f.ID, f.Fence).Update("lease_until", until).Error
}

// BreakClaim makes whoever is reading the feed lose it: what it reads is not wanted any
// more. It returns the feed as it is then.
func (tx *Tx) BreakClaim(f Feed) (Feed, error) {
	f.Fence++
	return f, tx.db.Model(&Feed{}).Where("id = ?", f.ID).Update("fence", f.Fence).Error
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

// Mirrors lists which feeds mirror which, of feeds that are there.
func (s *Store) Mirrors(ctx context.Context) ([]Mirror, error) {
	return many[Mirror](mirrors(s.db.WithContext(ctx)))
}

// Mirrors lists which feeds mirror which, of feeds that are there.
func (tx *Tx) Mirrors() ([]Mirror, error) { return many[Mirror](mirrors(tx.db)) }

func mirrors(db *gorm.DB) *gorm.DB {
	return db.Where("feed_id IN (SELECT id FROM feeds WHERE removed_at IS NULL) AND of_id IN (SELECT id FROM feeds WHERE removed_at IS NULL)").Order("feed_id, of_id")
}

// MirrorsOn lists which of the feeds that count on a calendar mirror which others.
func (tx *Tx) MirrorsOn(calendar int64) ([]Mirror, error) {
	return many[Mirror](tx.db.Where("feed_id IN (SELECT feed_id FROM links WHERE calendar_id = ?)", calendar).Order("feed_id, of_id"))
}

// PairedFeeds lists the feeds that show dates which a feed shows too, though nothing was sent: it
// may mirror them.
func (s *Store) PairedFeeds(ctx context.Context, feed int64) ([]Paired, error) {
	rows := []Paired{}
	err := s.db.WithContext(ctx).Raw(`SELECT f.id AS of_id, COUNT(*) AS pairs FROM links on_it JOIN bookings b ON b.calendar_id = on_it.calendar_id AND b.feed_id = on_it.feed_id
		JOIN feeds f ON f.platform_id = JSON_VALUE(b.evidence, '$.platform') AND f.removed_at IS NULL
		JOIN links l ON l.feed_id = f.id AND l.calendar_id = b.calendar_id
		WHERE on_it.feed_id = ? AND b.verdict IN (?, ?) AND b.removed_at IS NULL AND JSON_VALUE(b.evidence, '$.kind') = ?
		GROUP BY f.id ORDER BY pairs DESC, f.id`, feed, judge.Unclear, judge.Echo, echo.Paired).Scan(&rows).Error
	return rows, err
}

// SetMirrors says which feeds a feed mirrors.
func (tx *Tx) SetMirrors(feed int64, of []int64) error {
	if err := tx.db.Where("feed_id = ?", feed).Delete(&Mirror{}).Error; err != nil || len(of) == 0 {
		return err
	}
	rows := make([]Mirror, len(of))
	for i, id := range of {
		rows[i] = Mirror{feed, id}
	}
	return tx.db.CreateInBatches(rows, batch).Error
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

// LastReadings returns the newest record of each of the feeds, by feed.
func (s *Store) LastReadings(ctx context.Context, feeds []Feed) (map[int64]Reading, error) {
	ids := []int64{}
	for _, f := range feeds {
		if f.LastReadingID != nil {
			ids = append(ids, *f.LastReadingID)
		}
	}
	rows, err := manyOf[Reading](ids, func(some []int64) *gorm.DB { return s.db.WithContext(ctx).Where("id IN ?", some) })
	byFeed := make(map[int64]Reading, len(rows))
	for _, r := range rows {
		byFeed[r.FeedID] = r
	}
	return byFeed, err
}

// CountColors returns how many feeds have each colour.
func (s *Store) CountColors(ctx context.Context) (map[string]int, error) {
	var rows []struct {
		Color string
		N     int
	}
	err := s.db.WithContext(ctx).Model(&Feed{}).Select("color, COUNT(*) AS n").Where("removed_at IS NULL").Group("color").Scan(&rows).Error
	counts := map[string]int{}
	for _, r := range rows {
		counts[r.Color] = r.N
	}
	return counts, err
}

// SaveBody stores what a good reading gave, packed.
func (tx *Tx) SaveBody(feed int64, body []byte) error {
	part := 0
	for some := range tx.parts(pack(body)) {
		if err := tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&BodyPart{feed, part, some}).Error; err != nil {
			return err
		}
		part++
	}
	// Looked for before they are deleted: a DELETE that finds nothing locks the gap, and two
	// feeds that are new at once would lock each other out.
	var more int64
	if err := tx.db.Model(&BodyPart{}).Where("feed_id = ? AND part >= ?", feed, part).Count(&more).Error; err != nil || more == 0 {
		return err
	}
	return tx.db.Where("feed_id = ? AND part >= ?", feed, part).Delete(&BodyPart{}).Error
}

// Body returns what the last good reading of a feed gave, for Unpack; ErrNotFound before the
// first.
func (tx *Tx) Body(feed int64) ([]byte, error) {
	var body []byte
	for part := 0; ; part++ {
		row, err := one[BodyPart](tx.db.Where("feed_id = ? AND part = ?", feed, part))
		if errors.Is(err, ErrNotFound) && part > 0 {
			return body, nil
		}
		if err != nil {
			return nil, err
		}
		body = append(body, row.Body...)
	}
}

// Entries lists the entries that a feed shows, in the order in which they were first seen.
func (tx *Tx) Entries(feed int64) ([]Entry, error) {
	return many[Entry](tx.db.Where("feed_id = ? AND gone_at IS NULL", feed).Order("id"))
}

// GoneEntries lists the entries that a feed no longer shows, the one that went last first.
func (tx *Tx) GoneEntries(feed int64) ([]Entry, error) {
	return many[Entry](tx.db.Where("feed_id = ? AND gone_at IS NOT NULL", feed).Order("gone_at DESC, id"))
}

// ForgetGone removes entries that have been gone since before then, sightings that are over
// since before then, and texts that belong to neither, some at a time.
func (s *Store) ForgetGone(ctx context.Context, before time.Time) error {
	db := s.db.WithContext(ctx)
	for _, statement := range []string{
		"DELETE FROM entries WHERE gone_at < ? LIMIT 10000",
		"DELETE FROM sightings WHERE over_seen_by < ? LIMIT 10000",
		`DELETE FROM texts WHERE at < ? AND NOT EXISTS (SELECT 1 FROM entries e WHERE e.text_id = texts.id)
			AND NOT EXISTS (SELECT 1 FROM sightings s WHERE s.text_id = texts.id) LIMIT 10000`,
	} {
		if err := db.Exec(statement, before).Error; err != nil {
			return err
		}
	}
	return nil
}

// LoseEntries notes that a feed no longer shows entries.
func (tx *Tx) LoseEntries(ids []int64, at time.Time) error {
	return inChunks(ids, func(some []int64) error {
		return tx.db.Model(&Entry{}).Where("id IN ?", some).Update("gone_at", at).Error
	})
}

// SaveEntries adds and changes entries; the added ones get their IDs.
func (tx *Tx) SaveEntries(added []*Entry, changed []Entry) error {
	if err := upsert(tx, changed); err != nil || len(added) == 0 {
		return err
	}
	return tx.db.CreateInBatches(added, batch).Error
}

// upsert writes rows that are there already, many by one statement.
func upsert[T any](tx *Tx, rows []T) error {
	if len(rows) == 0 {
		return nil
	}
	return tx.db.Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(rows, batch).Error
}

// ForgetContent removes what was read of a feed.
func (tx *Tx) ForgetContent(feed int64) error {
	if err := tx.db.Where("feed_id = ?", feed).Delete(&Entry{}).Error; err != nil {
		return err
	}
	return tx.db.Where("feed_id = ?", feed).Delete(&BodyPart{}).Error
}

// FeedsOn returns the feeds that count on a calendar, with their platforms and last good
// readings alone.
func (tx *Tx) FeedsOn(calendar int64) ([]Feed, error) {
	return many[Feed](tx.db.Select("id", "platform_id", "last_good_start").Where("id IN (SELECT feed_id FROM links WHERE calendar_id = ?)", calendar).Order("id"))
}
