package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// Reflected is something that a platform shows of what it was sent.
type Reflected struct {
	CalendarID, PlatformID int64
	Item                   string // the UID under which it was published
	SeenBy                 time.Time
}

// mostReflected is how many of the newest reflections are looked at.
const mostReflected = 3000

// Reflections lists the newest reflections of what was published, the newest first.
func (s *Store) Reflections(ctx context.Context) ([]Reflected, error) {
	return many[Reflected](s.db.WithContext(ctx).Raw(`SELECT e.calendar_id, f.platform_id, COALESCE(JSON_VALUE(e.evidence, '$.item'), e.uid) AS item, e.seen_by
		FROM bookings e JOIN feeds f ON f.id = e.feed_id WHERE e.verdict = 'echo' ORDER BY e.seen_by DESC LIMIT ?`, mostReflected))
}

// Sent is when something that one platform sold was published last of what another has by now.
type Sent struct {
	FromID, ToID int64
	At           *time.Time
}

// SentBefore lists, for every two platforms, when something was published last that is carried still, that the other has picked
// up, and that was published before a moment; nothing where there is none, though the direction is there.
func (s *Store) SentBefore(ctx context.Context, before time.Time) ([]Sent, error) {
	return many[Sent](s.db.WithContext(ctx).Raw(`SELECT f.platform_id AS from_id, p.platform_id AS to_id, MAX(CASE WHEN v.at < ? AND c.from_version <= k.version THEN v.at END) AS at
		FROM publications p JOIN platforms t ON t.id = p.platform_id AND NOT t.person
		JOIN links l ON l.calendar_id = p.calendar_id AND l.role = 'blocks' JOIN feeds f ON f.id = l.feed_id AND f.removed_at IS NULL AND f.platform_id <> p.platform_id
		LEFT JOIN bookings b ON b.calendar_id = p.calendar_id AND b.feed_id = f.id AND b.removed_at IS NULL
		LEFT JOIN carried c ON c.publication_id = p.id AND c.uid = b.minted AND c.to_version = 0
		LEFT JOIN versions v ON v.publication_id = p.id AND v.version = c.from_version
		LEFT JOIN (SELECT publication_id, MAX(version) AS version FROM pickups GROUP BY publication_id) k ON k.publication_id = p.id
		WHERE p.removed_at IS NULL GROUP BY f.platform_id, p.platform_id`, before))
}

// TravelOf is the run of versions in which a platform's publication of a calendar carried something; ErrNotFound for none.
func (s *Store) TravelOf(ctx context.Context, calendar, platform int64, minted string) (Travel, error) {
	db := s.db.WithContext(ctx)
	t, err := one[Travel](db.Table("carried c").Joins("JOIN publications p ON p.id = c.publication_id AND p.calendar_id = ? AND p.platform_id = ?", calendar, platform).
		Joins("JOIN versions f ON f.publication_id = c.publication_id AND f.version = c.from_version").Where("c.uid = ?", minted).
		Select("c.publication_id, p.platform_id, p.reader, c.from_version, c.to_version, f.at AS published").Order("c.from_version").Limit(1).Session(&gorm.Session{}))
	if err != nil {
		return t, err
	}
	return t, t.pickUp(db)
}
