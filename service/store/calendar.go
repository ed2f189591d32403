package store

import (
	"context"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/span"
)

// CreateCalendar adds a calendar; ErrTaken when its name is in use.
func (tx *Tx) CreateCalendar(c *Calendar) error {
	c.ID = 0
	if err := tx.db.Create(c).Error; err != nil {
		return err
	}
	return tx.Changed(TopicCalendar, c.ID)
}

// SaveCalendar changes a calendar that is held, all but what combining writes.
func (tx *Tx) SaveCalendar(c Calendar) error {
	return tx.db.Select("name", "zone", "capacity", "chance_limit", "group_id", "revision").Updates(&c).Error
}

// TryAgain lets a calendar that is set aside be tried at once: somebody has changed it.
func (tx *Tx) TryAgain(calendar int64) error {
	return tx.db.Model(&Calendar{}).Where("id = ? AND retry_at IS NOT NULL", calendar).Update("retry_at", nil).Error
}

// RemoveCalendar takes a calendar out of the lists, and what it was watched for. The links of its
// publications are revoked: it returns these. Its bookings, and what was carried and picked up,
// stay on record: platforms go on showing what they were sent.
func (tx *Tx) RemoveCalendar(id int64, now time.Time) (publications []int64, err error) {
	if err := tx.db.Exec("INSERT IGNORE INTO revoked_links (secret_hash, revoked_at) SELECT secret_hash, ? FROM publications WHERE calendar_id = ?", now, id).Error; err != nil {
		return nil, err
	}
	if err := tx.db.Model(&Publication{}).Where("calendar_id = ?", id).Pluck("id", &publications).Error; err != nil {
		return nil, err
	}
	gone := map[string]any{"removed_at": now, "body": []byte{}}
	if err := tx.db.Model(&Publication{}).Where("calendar_id = ? AND removed_at IS NULL", id).Updates(gone).Error; err != nil {
		return nil, err
	}
	if err := tx.removeParts(id); err != nil {
		return nil, err
	}
	for _, of := range []any{&Link{}, &Dirty{}, &Conflict{}} {
		if err := tx.db.Where("calendar_id = ?", id).Delete(of).Error; err != nil {
			return nil, err
		}
	}
	if err := tx.db.Model(&Calendar{}).Where("id = ?", id).Update("removed_at", now).Error; err != nil {
		return nil, err
	}
	if err := tx.Changed(TopicCalendar, id); err != nil {
		return nil, err
	}
	return publications, tx.Changed(TopicPublication, publications...)
}

// Calendars lists the calendars by name.
func (s *Store) Calendars(ctx context.Context) ([]Calendar, error) {
	return many[Calendar](s.db.WithContext(ctx).Where("removed_at IS NULL").Order("name"))
}

// Calendar returns a calendar.
func (s *Store) Calendar(ctx context.Context, id int64) (Calendar, error) {
	return one[Calendar](s.db.WithContext(ctx).Where("id = ? AND removed_at IS NULL", id))
}

// Calendar returns a calendar.
func (tx *Tx) Calendar(id int64) (Calendar, error) {
	return one[Calendar](tx.db.Where("id = ? AND removed_at IS NULL", id))
}

// LockCalendar returns the calendar and holds it to the end of the transaction. It must
// be the transaction's first statement, so that what is read after it is all that was
// committed before.
func (tx *Tx) LockCalendar(id int64) (Calendar, error) {
	return one[Calendar](tx.db.Clauses(forUpdate).Where("id = ? AND removed_at IS NULL", id))
}

// SetAside notes that a calendar cannot be brought up to date, why, and when that is tried
// again.
func (s *Store) SetAside(ctx context.Context, calendar int64, why string, now time.Time, retry func(failures int) time.Time) error {
	return s.Tx(ctx, func(tx *Tx) error {
		c, err := tx.LockCalendar(calendar)
		if err != nil {
			return err
		}
		c.Failures++
		if c.FailingSince == nil {
			c.FailingSince = &now
		}
		at := retry(c.Failures)
		c.RetryAt, c.Failure = &at, reading.Clip(why, FailureWidth)
		if err := tx.db.Select("failures", "failing_since", "failure", "retry_at").Updates(&c).Error; err != nil {
			return err
		}
		return tx.Changed(TopicCalendar, calendar)
	})
}

// TakeBack notes that a calendar that was set aside is up to date again.
func (tx *Tx) TakeBack(c Calendar) error {
	if c.FailingSince == nil {
		return nil
	}
	return tx.db.Model(&Calendar{}).Where("id = ?", c.ID).Updates(map[string]any{"failures": 0, "failing_since": nil, "failure": "", "retry_at": nil}).Error
}

// NextVersion raises the calendar's version by a compare-and-set, and notes when it is to be
// judged again though nothing changes (nil: never); ErrLost when somebody else has raised it.
func (tx *Tx) NextVersion(c Calendar, recheck *time.Time) error {
	r := tx.db.Model(&Calendar{}).Where("id = ? AND version = ?", c.ID, c.Version).Updates(map[string]any{"version": gorm.Expr("version + 1"), "recheck_at": recheck})
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrLost
	}
	return r.Error
}

// SetLaidOutOn notes the local day for which the calendar's window was laid out.
func (tx *Tx) SetLaidOutOn(calendar int64, day string) error {
	return tx.db.Model(&Calendar{}).Where("id = ?", calendar).Update("laid_out_on", day).Error
}

// CreateLink adds a link; ErrTaken when the feed counts on the calendar already.
func (tx *Tx) CreateLink(l Link) error { return tx.db.Create(&l).Error }

// SaveLink changes a link.
func (tx *Tx) SaveLink(l Link) error { return tx.db.Select("*").Updates(&l).Error }

// LockLink returns a link and holds it to the end of the transaction.
func (tx *Tx) LockLink(calendar, feed int64) (Link, error) {
	return one[Link](tx.db.Clauses(forUpdate).Where("calendar_id = ? AND feed_id = ?", calendar, feed))
}

// RemoveLink removes a link; the bookings of the feed leave the calendar.
func (tx *Tx) RemoveLink(calendar, feed int64, now time.Time) error {
	if err := tx.db.Where("calendar_id = ? AND feed_id = ?", calendar, feed).Delete(&Link{}).Error; err != nil {
		return err
	}
	err := tx.db.Model(&Booking{}).Where("calendar_id = ? AND feed_id = ? AND removed_at IS NULL", calendar, feed).Update("removed_at", now).Error
	if err != nil {
		return err
	}
	return tx.MarkDirty(calendar)
}

// SetNotices writes what a person should know about the entries of a link.
func (tx *Tx) SetNotices(l Link, notices string) error {
	return tx.db.Model(&Link{}).Where("calendar_id = ? AND feed_id = ?", l.CalendarID, l.FeedID).Update("notices", notices).Error
}

// Links lists the links of some calendars; of none: all of them.
func (s *Store) Links(ctx context.Context, calendars ...int64) ([]Link, error) {
	db := s.db.WithContext(ctx)
	if len(calendars) > 0 {
		db = db.Where("calendar_id IN ?", calendars)
	}
	return many[Link](db.Order("calendar_id, feed_id"))
}

// LinksOf lists the links of one feed.
func (s *Store) LinksOf(ctx context.Context, feed int64) ([]Link, error) {
	return many[Link](s.db.WithContext(ctx).Where("feed_id = ?", feed).Order("calendar_id"))
}

// LinksOfFeed lists the links of a feed.
func (tx *Tx) LinksOfFeed(feed int64) ([]Link, error) {
	return many[Link](tx.db.Where("feed_id = ?", feed).Order("calendar_id"))
}

// LinksOfCalendar lists the links of a calendar.
func (tx *Tx) LinksOfCalendar(calendar int64) ([]Link, error) {
	return many[Link](tx.db.Where("calendar_id = ?", calendar).Order("feed_id"))
}

// LockLinksOfCalendar is LinksOfCalendar as it stands at this moment, held to the end of the
// transaction: none of them is removed meanwhile.
func (tx *Tx) LockLinksOfCalendar(calendar int64) ([]Link, error) {
	return many[Link](tx.db.Clauses(forUpdate).Where("calendar_id = ?", calendar).Order("feed_id"))
}

// BookingsOf lists the bookings that a feed has, or had, on a calendar.
func (tx *Tx) BookingsOf(calendar, feed int64) ([]Booking, error) {
	return many[Booking](tx.db.Where("calendar_id = ? AND feed_id = ?", calendar, feed).Order("id"))
}

// CurrentBookings lists a calendar's bookings that were not removed.
func (tx *Tx) CurrentBookings(calendar int64) ([]Booking, error) {
	return many[Booking](tx.db.Where("calendar_id = ? AND removed_at IS NULL", calendar).Order("id"))
}

// SaveSightings adds sightings that are over.
func (tx *Tx) SaveSightings(over []Sighting) error {
	if len(over) == 0 {
		return nil
	}
	return tx.db.CreateInBatches(over, batch).Error
}

// SightingsOf lists the sightings of a booking that are over, in their order.
func (s *Store) SightingsOf(ctx context.Context, booking int64) ([]Sighting, error) {
	return many[Sighting](s.db.WithContext(ctx).Where("booking_id = ?", booking).Order("id"))
}

// MostTouched is how many bookings that something happened to are listed.
const MostTouched = 2000

// BookingsTouched lists the bookings of feeds, on a calendar (0: any) and of a feed (0: any), to which something
// happened after a moment: they came, they show something else, or they went; with their sightings that are over.
func (s *Store) BookingsTouched(ctx context.Context, calendar, feed int64, since time.Time) ([]Booking, map[int64][]Sighting, error) {
	where := s.db.WithContext(ctx).Where("feed_id IS NOT NULL AND (COALESCE(sighting_seen_by, seen_by) > ? OR removed_at > ?)", since, since)
	if calendar != 0 {
		where = where.Where("calendar_id = ?", calendar)
	}
	if feed != 0 {
		where = where.Where("feed_id = ?", feed)
	}
	bookings, err := many[Booking](where.Order("id DESC").Limit(MostTouched))
	if err != nil {
		return nil, nil, err
	}
	ids := make([]int64, len(bookings))
	for i, b := range bookings {
		ids[i] = b.ID
	}
	of := map[int64][]Sighting{}
	for few := range slices.Chunk(ids, batch) {
		rows, err := many[Sighting](s.db.WithContext(ctx).Where("booking_id IN ?", few).Order("id"))
		if err != nil {
			return nil, nil, err
		}
		for _, r := range rows {
			of[r.BookingID] = append(of[r.BookingID], r)
		}
	}
	return bookings, of, nil
}

// SaveBookings adds and changes bookings.
func (tx *Tx) SaveBookings(added []*Booking, changed []Booking) error {
	if err := upsert(tx, changed); err != nil || len(added) == 0 {
		return err
	}
	return tx.db.CreateInBatches(added, batch).Error
}

// Originals returns the spans of the bookings that are or were on the calendar and are
// published under one of the UIDs.
func (tx *Tx) Originals(calendar int64, uids []string) (map[string]span.Span, error) {
	originals := map[string]span.Span{}
	for some := range chunks(uids) {
		rows, err := many[Booking](tx.db.Select("minted", "start_point", "end_point").Where("calendar_id = ? AND minted IN ?", calendar, some))
		if err != nil {
			return nil, err
		}
		for _, b := range rows {
			originals[b.Minted] = b.Span()
		}
	}
	return originals, nil
}

// EchoesElsewhere returns, by the IDs of the calendar's bookings, the UIDs of what their
// occurrences were found to reflect on another calendar.
func (tx *Tx) EchoesElsewhere(calendar int64) (map[int64]string, error) {
	var rows []struct {
		ID  int64
		UID string `gorm:"column:uid"`
	}
	err := tx.db.Raw(`SELECT b.id, COALESCE(JSON_VALUE(o.evidence, '$.item'), b.uid) AS uid FROM bookings b JOIN bookings o ON o.entry_id = b.entry_id AND o.occurrence = b.occurrence
		WHERE b.calendar_id = ? AND b.removed_at IS NULL AND o.calendar_id <> b.calendar_id AND o.removed_at IS NULL AND o.verdict = ?`, calendar, judge.Echo).Scan(&rows).Error
	uids := make(map[int64]string, len(rows))
	for _, r := range rows {
		uids[r.ID] = r.UID
	}
	return uids, err
}

// MarkOthersDirty marks the other calendars on which a feed counts, and returns them.
func (tx *Tx) MarkOthersDirty(calendar, feed int64) ([]int64, error) {
	links, err := tx.LinksOfFeed(feed)
	if err != nil {
		return nil, err
	}
	var others []int64
	for _, l := range links {
		if l.CalendarID != calendar {
			others = append(others, l.CalendarID)
		}
	}
	return others, tx.MarkDirty(others...)
}

// SetVerdicts writes what was found about bookings that are there: their verdicts and
// nothing else.
func (tx *Tx) SetVerdicts(bookings []Booking) error {
	if len(bookings) == 0 {
		return nil
	}
	only := clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"verdict", "evidence", "with_id"})}
	return tx.db.Clauses(only).CreateInBatches(bookings, batch).Error
}

// BookingsWithin lists a calendar's current bookings that overlap the span, by start.
func (s *Store) BookingsWithin(ctx context.Context, calendar int64, within span.Span) ([]Booking, error) {
	all, err := s.BookingsOn(ctx, map[int64]span.Span{calendar: within})
	return all[calendar], err
}

// BookingsOn lists, by calendar, the current bookings that overlap the span given for it, by
// start. It is one query, however many calendars there are.
func (s *Store) BookingsOn(ctx context.Context, within map[int64]span.Span) (map[int64][]Booking, error) {
	together := map[span.Span][]int64{}
	for calendar, span := range within {
		together[span] = append(together[span], calendar)
	}
	db := s.db.WithContext(ctx)
	where := db.Where("FALSE")
	for span, calendars := range together {
		where = where.Or("calendar_id IN ? AND start_point < ? AND end_point > ?", calendars, span.End, span.Start)
	}
	rows, err := many[Booking](db.Where("removed_at IS NULL").Where(where).Order("start_point, end_point, id"))
	all := make(map[int64][]Booking, len(within))
	for _, b := range rows {
		all[b.CalendarID] = append(all[b.CalendarID], b)
	}
	return all, err
}

// MarkDirty says that calendars must be combined again.
func (tx *Tx) MarkDirty(calendars ...int64) error {
	if len(calendars) == 0 {
		return nil
	}
	rows := make([]Dirty, len(calendars))
	for i, id := range calendars {
		rows[i].CalendarID = id
	}
	return tx.db.CreateInBatches(rows, batch).Error
}

// DirtyCalendars lists the calendars that must be combined, without those that are set
// aside beyond now.
func (s *Store) DirtyCalendars(ctx context.Context, now time.Time) ([]int64, error) {
	ids := []int64{}
	err := s.db.WithContext(ctx).Raw(`SELECT DISTINCT d.calendar_id FROM dirty d JOIN calendars c ON c.id = d.calendar_id
		WHERE c.removed_at IS NULL AND (c.retry_at IS NULL OR c.retry_at <= ?) ORDER BY d.calendar_id`, now).Scan(&ids).Error
	return ids, err
}

// DirtyOf returns the marks on a calendar, to be cleared when it is combined.
func (tx *Tx) DirtyOf(calendar int64) ([]int64, error) {
	ids := []int64{}
	err := tx.db.Model(&Dirty{}).Where("calendar_id = ?", calendar).Pluck("id", &ids).Error
	return ids, err
}

// ClearDirty removes exactly these marks: others may have been set since.
func (tx *Tx) ClearDirty(ids []int64) error {
	return inChunks(ids, func(some []int64) error { return tx.db.Where("id IN ?", some).Delete(&Dirty{}).Error })
}

// RecheckedCalendars lists the calendars that are to be judged again by now.
func (s *Store) RecheckedCalendars(ctx context.Context, now time.Time) ([]int64, error) {
	var ids []int64
	err := s.db.WithContext(ctx).Model(&Calendar{}).Where("removed_at IS NULL AND recheck_at <= ? AND (retry_at IS NULL OR retry_at <= ?)", now, now).Order("id").Pluck("id", &ids).Error
	return ids, err
}

// StaleCalendars lists the calendars whose window was laid out for another day than
// the one that today returns for their zone, without those that are set aside beyond now.
func (s *Store) StaleCalendars(ctx context.Context, now time.Time, today func(zone string) string) ([]Calendar, error) {
	all, err := s.Calendars(ctx)
	stale := all[:0]
	for _, c := range all {
		if (c.LaidOutOn == "" || c.LaidOutOn != today(c.Zone)) && (c.RetryAt == nil || !c.RetryAt.After(now)) {
			stale = append(stale, c)
		}
	}
	return stale, err
}
