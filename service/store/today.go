package store

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"wharf/core/exposure"
	"wharf/core/judge"
	"wharf/core/span"
)

// FeedStates lists the feeds by name, with what their state is told from and nothing else.
func (s *Store) FeedStates(ctx context.Context) ([]Feed, error) {
	return many[Feed](s.db.WithContext(ctx).Select("id", "platform_id", "name", "revision", "every_seconds", "schedule", "created_at", "paused_at", "last_good_start", "last_good_end", "failing_since", "fresh_since", "last_reading_id", "guarded_since").
		Where("removed_at IS NULL").Order("name"))
}

// Incoming says that a feed's platform counts on a calendar.
type Incoming struct {
	CalendarID, PlatformID int64
	Blocks                 bool
}

// Incomings lists what counts on the calendars, each platform once for a calendar.
func (s *Store) Incomings(ctx context.Context) ([]Incoming, error) {
	return many[Incoming](s.db.WithContext(ctx).Raw(`SELECT l.calendar_id, f.platform_id, MAX(l.role = 'blocks') AS blocks FROM links l
		JOIN feeds f ON f.id = l.feed_id WHERE f.removed_at IS NULL GROUP BY l.calendar_id, f.platform_id`))
}

// Outgoing is a publication, and how it was picked up.
type Outgoing struct {
	ID, CalendarID, PlatformID int64
	Name                       string
	Person                     bool // the recipient sells nothing
	LastAt                     *time.Time
	Gaps                       exposure.Gaps `gorm:"serializer:json"`
}

// Outgoings lists the publications by name.
func (s *Store) Outgoings(ctx context.Context) ([]Outgoing, error) {
	return many[Outgoing](s.db.WithContext(ctx).Raw(`SELECT p.id, p.calendar_id, p.platform_id, p.name, f.person, g.last_at, COALESCE(g.gaps, '{}') AS gaps
		FROM publications p JOIN platforms f ON f.id = p.platform_id LEFT JOIN pickup_gaps g ON g.publication_id = p.id WHERE p.removed_at IS NULL ORDER BY p.name`))
}

// Bounded lists, by start, the current bookings that begin or end within the span given for their calendar, its end
// included; without those that are another's.
func (s *Store) Bounded(ctx context.Context, within map[int64]span.Span) ([]Booking, error) {
	together := map[span.Span][]int64{}
	for calendar, span := range within {
		together[span] = append(together[span], calendar)
	}
	var all []Booking
	for span, calendars := range together {
		// Two looks, each by an index of its own.
		for _, end := range []string{"start_point BETWEEN ? AND ?", "end_point BETWEEN ? AND ? AND start_point < ?"} {
			values := []any{span.Start, span.End, span.Start}[:strings.Count(end, "?")]
			rows, err := many[Booking](s.db.WithContext(ctx).Select("id", "calendar_id", "start_point", "end_point", "tentative", "title").
				Where("removed_at IS NULL AND calendar_id IN ? AND verdict IN ?", calendars, []judge.Kind{judge.Counts, judge.Unclear, judge.Stale}).Where(end, values...))
			if err != nil {
				return nil, err
			}
			all = append(all, rows...)
		}
	}
	slices.SortFunc(all, func(a, b Booking) int { return cmp.Or(a.Span().Compare(b.Span()), cmp.Compare(a.ID, b.ID)) })
	return all, nil
}
