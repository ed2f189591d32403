package store

import (
	"cmp"
	"context"
	"errors"
	"io"
	"maps"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"wharf/core/carried"
	"wharf/core/exposure"
	"wharf/core/span"
)

// CreatePublication adds a publication; ErrTaken when its name is in use or its
// recipient has one for the calendar.
func (tx *Tx) CreatePublication(p *Publication) error {
	p.Body = []byte{}
	return tx.db.Create(p).Error
}

// summaryColumns is everything but the body.
var summaryColumns = []string{"id", "calendar_id", "platform_id", "name", "reader", "secret_hash", "secret_cipher", "version", "created_at", "revision", "rendered_name", "title", "tentative", "detail", "options", "window_step", "login_user", "login_hash", "expires_at", "page_hash", "page_cipher"}

// Publications lists the publications by name, without their bodies.
func (s *Store) Publications(ctx context.Context) ([]Publication, error) {
	return many[Publication](s.db.WithContext(ctx).Select(summaryColumns).Where("removed_at IS NULL").Order("name"))
}

// Publication returns a publication without its body.
func (s *Store) Publication(ctx context.Context, id int64) (Publication, error) {
	return one[Publication](s.db.WithContext(ctx).Select(summaryColumns).Where("id = ? AND removed_at IS NULL", id))
}

// PublicationsOf lists a calendar's publications without their bodies, the removed ones
// too, whose echoes are still to be known.
func (tx *Tx) PublicationsOf(calendar int64) ([]Publication, error) {
	return many[Publication](tx.db.Select(append(summaryColumns, "removed_at")).Where("calendar_id = ?", calendar).Order("id"))
}

// LockPublication returns a publication and holds it to the end of the transaction.
func (tx *Tx) LockPublication(id int64) (Publication, error) {
	return one[Publication](tx.db.Clauses(forUpdate).Select(summaryColumns).Where("id = ? AND removed_at IS NULL", id))
}

// SavePublication keeps what was edited of a publication that is held.
func (tx *Tx) SavePublication(p Publication) error {
	return tx.db.Select("name", "reader", "title", "tentative", "detail", "options", "rendered_name", "login_user", "login_hash", "expires_at", "revision").Updates(&p).Error
}

// RemovePublication revokes the link of a publication that is held.
func (tx *Tx) RemovePublication(p Publication, now time.Time) error {
	if err := tx.revoke(p.SecretHash, now); err != nil {
		return err
	}
	if err := tx.db.Model(&Publication{}).Where("id = ?", p.ID).Updates(map[string]any{"removed_at": now, "body": []byte{}}).Error; err != nil {
		return err
	}
	return tx.Changed(TopicPublication, p.ID)
}

// Served is a publication as a recipient gets it.
type Served struct {
	PublicationID int64
	SecretHash    []byte
	Version       int64
	At            time.Time
	ETag          string `gorm:"column:e_tag"`
	Body          []byte // as it is stored
	Name          string
	LoginHash     []byte     // who is asked for a name and a password; nil: nobody
	ExpiresAt     *time.Time // from when on it is served no more
}

// Texts are the document, packed and plain.
func (s Served) Texts() (packed, plain []byte, err error) {
	if !isPacked(s.Body) {
		return pack(s.Body), s.Body, nil
	}
	r, err := Unpack(s.Body)
	if err != nil {
		return nil, nil, err
	}
	plain, err = io.ReadAll(r)
	return s.Body, plain, err
}

func served(db *gorm.DB) *gorm.DB {
	return db.Table("publications p").Joins("JOIN versions v ON v.publication_id = p.id AND v.version = p.version").
		Where("p.removed_at IS NULL").Select("p.id AS publication_id, p.secret_hash, v.version, v.at, v.e_tag, p.body, p.name, p.login_hash, p.expires_at")
}

// ErrRevoked says that a publication's link was taken back.
var ErrRevoked = errors.New("this link was revoked")

// PublicationServed finds what is published under the hash of a secret. It is ErrRevoked
// for one that was taken back, and ErrNotFound also while nothing was rendered yet.
func (s *Store) PublicationServed(ctx context.Context, secretHash []byte) (Served, error) {
	row, err := one[Served](served(s.db.WithContext(ctx)).Where("p.secret_hash = ?", secretHash))
	if !errors.Is(err, ErrNotFound) {
		return row, err
	}
	return row, s.revokedOr(ctx, secretHash, err)
}

// PublicationsServed returns those of the publications that are published now.
func (s *Store) PublicationsServed(ctx context.Context, ids []int64) ([]Served, error) {
	return manyOf[Served](ids, func(some []int64) *gorm.DB { return served(s.db.WithContext(ctx)).Where("p.id IN ?", some) })
}

// NewestPublications lists the publications, the one whose version is the newest first.
func (s *Store) NewestPublications(ctx context.Context) ([]int64, error) {
	var ids []int64
	err := s.db.WithContext(ctx).Raw(`SELECT p.id FROM publications p JOIN versions v ON v.publication_id = p.id AND v.version = p.version
		WHERE p.removed_at IS NULL ORDER BY v.at DESC, p.id DESC`).Scan(&ids).Error
	return ids, err
}

// PublicationVersions returns every publication, by its ID, with its version and the hash of its secret alone.
func (s *Store) PublicationVersions(ctx context.Context) (map[int64]Publication, error) {
	rows, err := many[Publication](s.db.WithContext(ctx).Select("id", "version", "secret_hash").Where("removed_at IS NULL"))
	versions := make(map[int64]Publication, len(rows))
	for _, p := range rows {
		versions[p.ID] = p
	}
	return versions, err
}

// RenewLink gives a publication that is held another secret and revision; its old one is revoked.
func (tx *Tx) RenewLink(p Publication, old []byte, now time.Time) error {
	if err := tx.revoke(old, now); err != nil {
		return err
	}
	if err := tx.db.Select("secret_hash", "secret_cipher", "revision").Updates(&p).Error; err != nil {
		return err
	}
	return tx.Changed(TopicPublication, p.ID)
}

// SavePage gives a publication that is held a page for everybody, or takes it away; the old one, if any, is revoked.
func (tx *Tx) SavePage(p Publication, old []byte, now time.Time) error {
	if old != nil {
		if err := tx.revoke(old, now); err != nil {
			return err
		}
	}
	return errors.Join(tx.db.Select("page_hash", "page_cipher", "revision").Updates(&p).Error, tx.Changed(TopicPublication, p.ID))
}

// Page is what a page for everybody shows.
type Page struct {
	Publication Publication
	Calendar    Calendar
	Rows        []carried.Row
}

// PageServed finds the page for everybody under the hash of a secret. The error is ErrRevoked for one that was taken back.
func (s *Store) PageServed(ctx context.Context, secretHash []byte) (p Page, err error) {
	p.Publication, err = one[Publication](s.db.WithContext(ctx).Select(append(summaryColumns, "removed_at")).Where("page_hash = ?", secretHash))
	switch {
	case errors.Is(err, ErrNotFound):
		return p, s.revokedOr(ctx, secretHash, err)
	case err == nil && p.Publication.RemovedAt != nil:
		return p, ErrRevoked
	case err != nil:
		return p, err
	}
	if p.Calendar, err = s.Calendar(ctx, p.Publication.CalendarID); err != nil {
		return p, err
	}
	rows, err := many[Carried](s.db.WithContext(ctx).Where("publication_id = ? AND to_version = 0", p.Publication.ID))
	for _, r := range rows {
		p.Rows = append(p.Rows, r.row())
	}
	return p, err
}

// revokedOr is ErrRevoked for the hash of a secret that was taken back, else the error.
func (s *Store) revokedOr(ctx context.Context, secretHash []byte, err error) error {
	var revoked int64
	if err := s.db.WithContext(ctx).Table("revoked_links").Where("secret_hash = ?", secretHash).Count(&revoked).Error; err != nil {
		return err
	}
	if revoked > 0 {
		return ErrRevoked
	}
	return err
}

func (tx *Tx) revoke(secretHash []byte, now time.Time) error {
	return tx.db.Clauses(clause.OnConflict{DoNothing: true}).Create(&RevokedLink{SecretHash: secretHash, RevokedAt: now}).Error
}

// Published is what was published of a calendar, and picked up, by publication.
type Published struct {
	Carried  map[int64][]carried.Row
	Versions map[int64][]carried.Version
	Pickups  map[int64][]carried.Pickup
}

// PublishedOf returns every item that the calendar's publications carry or carried, their
// versions and the pickups of them.
func (tx *Tx) PublishedOf(calendar int64) (Published, error) {
	p := Published{map[int64][]carried.Row{}, map[int64][]carried.Version{}, map[int64][]carried.Pickup{}}
	const these = "publication_id IN (SELECT id FROM publications WHERE calendar_id = ?)"
	rows, err := many[Carried](tx.db.Where(these, calendar).Order("id"))
	if err != nil {
		return p, err
	}
	for _, r := range rows {
		p.Carried[r.PublicationID] = append(p.Carried[r.PublicationID], r.row())
	}
	versions, err := many[Version](tx.db.Select("publication_id", "version", "at").Where(these, calendar).Order("publication_id, version"))
	if err != nil {
		return p, err
	}
	for _, v := range versions {
		p.Versions[v.PublicationID] = append(p.Versions[v.PublicationID], carried.Version{Number: v.Version, At: v.At})
	}
	pickups, err := many[Pickup](tx.db.Where(these, calendar).Order("publication_id, first_at, id"))
	for _, k := range pickups {
		p.Pickups[k.PublicationID] = append(p.Pickups[k.PublicationID], carried.Pickup{Version: k.Version, Agent: k.Agent, First: k.FirstAt, Last: k.LastAt, Times: k.Times})
	}
	return p, err
}

func (r Carried) row() carried.Row {
	return carried.Row{ID: r.ID, Sequence: r.Sequence, Stamp: r.Stamp, From: r.FromVersion, To: r.ToVersion,
		Item: carried.Item{Name: carried.Name{UID: r.UID, Recurrence: r.Recurrence}, Span: span.Span{Start: r.StartPoint, End: r.EndPoint},
			Units: r.Units, Tentative: r.Tentative, Content: r.Content, Sent: r.Sent, Grain: r.Grain}}
}

// MoveWindows moves the windows of a calendar's publications on to a step.
func (tx *Tx) MoveWindows(calendar int64, step span.Date) error {
	return tx.db.Model(&Publication{}).Where("calendar_id = ? AND removed_at IS NULL AND window_step < ?", calendar, step).Update("window_step", step).Error
}

// SaveVersion writes the next version of a publication under its name and what it carries.
func (tx *Tx) SaveVersion(v Version, name string, body []byte, change carried.Change) error {
	packed := pack(body)
	if most := tx.packet / 2; int64(len(packed)) > most { // each byte may have to be escaped
		return &TooLargeError{int64(len(packed)), most}
	}
	err := inChunks(change.Close, func(some []int64) error {
		return tx.db.Model(&Carried{}).Where("id IN ?", some).Update("to_version", v.Version-1).Error
	})
	if err != nil {
		return err
	}
	rows := make([]Carried, len(change.Open))
	for i, r := range change.Open {
		rows[i] = Carried{PublicationID: v.PublicationID, UID: r.UID, Recurrence: r.Recurrence, Content: r.Content, Sent: r.Sent, Grain: r.Grain, StartPoint: r.Span.Start, EndPoint: r.Span.End, Units: r.Units,
			Tentative: r.Tentative, Sequence: r.Sequence, Stamp: r.Stamp, FromVersion: r.From, ToVersion: r.To}
	}
	if len(rows) > 0 {
		if err := tx.db.CreateInBatches(&rows, batch).Error; err != nil {
			return err
		}
	}
	if err := tx.db.Create(&v).Error; err != nil {
		return err
	}
	return tx.db.Model(&Publication{}).Where("id = ?", v.PublicationID).Updates(map[string]any{"version": v.Version, "body": packed, "rendered_name": name}).Error
}

// RecordPickups adds to the counts: each row says how often a reader came for a version
// since it was last written. It is ErrGone when the publication of one is no more.
func (s *Store) RecordPickups(ctx context.Context, rows []Pickup) error {
	if len(rows) == 0 {
		return nil
	}
	return s.Tx(ctx, func(tx *Tx) error {
		fresh := slices.Clone(rows) // a second try must not find the first one's IDs in them
		err := tx.db.Clauses(clause.OnConflict{DoUpdates: clause.Assignments(map[string]any{
			"last_at": gorm.Expr("GREATEST(last_at, VALUES(last_at))"), "times": gorm.Expr("times + VALUES(times)"),
		})}).CreateInBatches(fresh, batch).Error
		if errors.Is(err, gorm.ErrForeignKeyViolated) {
			return ErrGone
		}
		if err != nil {
			return err
		}
		byPublication := map[int64][]Pickup{}
		days := map[PickupDay]int64{}
		for _, r := range rows {
			byPublication[r.PublicationID] = append(byPublication[r.PublicationID], r)
			days[PickupDay{PublicationID: r.PublicationID, Day: r.LastAt.UTC().Truncate(24 * time.Hour)}] += r.Times
		}
		if err := tx.addDays(days); err != nil {
			return err
		}
		ids := slices.Sorted(maps.Keys(byPublication))
		for _, id := range ids {
			if err := tx.addGaps(id, byPublication[id]); err != nil {
				return err
			}
		}
		return tx.Changed(TopicPickup, ids...)
	})
}

// addDays adds pickups to the sums of their days.
func (tx *Tx) addDays(days map[PickupDay]int64) error {
	rows := make([]PickupDay, 0, len(days))
	for d, times := range days {
		d.Times = times
		rows = append(rows, d)
	}
	// In the same order everywhere: two who add at once must not lock each other out.
	slices.SortFunc(rows, func(a, b PickupDay) int {
		return cmp.Or(cmp.Compare(a.PublicationID, b.PublicationID), a.Day.Compare(b.Day))
	})
	return tx.db.Clauses(clause.OnConflict{DoUpdates: clause.Assignments(map[string]any{"times": gorm.Expr("times + VALUES(times)")})}).CreateInBatches(rows, batch).Error
}

// PickupDays are the sums of the days since one, in order; a day without a pickup has none.
func (s *Store) PickupDays(ctx context.Context, publication int64, since time.Time) ([]PickupDay, error) {
	return many[PickupDay](s.db.WithContext(ctx).Where("publication_id = ? AND day >= ?", publication, since.UTC().Format(time.DateOnly)).Order("day"))
}

// addGaps adds the gaps before and between pickups of a publication to their sums. Of those
// that were counted together the length is their mean.
func (tx *Tx) addGaps(publication int64, pickups []Pickup) error {
	slices.SortFunc(pickups, func(a, b Pickup) int { return a.FirstAt.Compare(b.FirstAt) })
	for i, p := range pickups { // as times are stored: what was cut off is no gap
		pickups[i].FirstAt, pickups[i].LastAt = p.FirstAt.Truncate(time.Microsecond), p.LastAt.Truncate(time.Microsecond)
	}
	// Made before it is held: to hold a row that is not there locks the gap, and two that are
	// new at once would lock each other out.
	first := PickupGaps{PublicationID: publication, LastAt: pickups[0].FirstAt}
	if err := tx.db.Clauses(clause.OnConflict{DoNothing: true}).Create(&first).Error; err != nil {
		return err
	}
	row, err := one[PickupGaps](tx.db.Clauses(forUpdate).Where("publication_id = ?", publication))
	if err != nil {
		return err
	}
	for _, p := range pickups {
		if gap := p.FirstAt.Sub(row.LastAt); gap > 0 { // before the first there is none
			row.Gaps.Add(gap, 1)
		}
		if p.Times > 1 {
			row.Gaps.Add(p.LastAt.Sub(p.FirstAt)/time.Duration(p.Times-1), p.Times-1)
		}
		if p.LastAt.After(row.LastAt) {
			row.LastAt = p.LastAt
		}
	}
	return tx.db.Select("last_at", "gaps").Updates(&row).Error
}

// PickupGaps returns the sums of the gaps between the pickups of a publication; ErrNotFound
// before the first pickup.
func (s *Store) PickupGaps(ctx context.Context, publication int64) (PickupGaps, error) {
	return one[PickupGaps](s.db.WithContext(ctx).Where("publication_id = ?", publication))
}

// ErrGone says that what a row belongs to was removed.
var ErrGone = errors.New("what this belongs to was removed")

// ForgetPickup takes one pickup back: the download was broken off.
func (s *Store) ForgetPickup(ctx context.Context, publication, version int64, agent string) error {
	return s.Tx(ctx, func(tx *Tx) error {
		these := tx.db.Model(&Pickup{}).Where("publication_id = ? AND version = ? AND agent = ?", publication, version, agent)
		if err := these.Session(&gorm.Session{}).Update("times", gorm.Expr("times - 1")).Error; err != nil {
			return err
		}
		return these.Session(&gorm.Session{}).Where("times <= 0").Delete(&Pickup{}).Error
	})
}

// Pickups lists the newest n pickups of a publication, newest first.
func (s *Store) Pickups(ctx context.Context, publication int64, n int) ([]Pickup, error) {
	return many[Pickup](s.db.WithContext(ctx).Where("publication_id = ?", publication).Order("first_at DESC, id DESC").Limit(n))
}

// PublicationCounts is what a list of publications shows beside each.
type PublicationCounts struct {
	PublicationID int64
	Items         int
	VersionAt     *time.Time
	Pickups       int64
	LastPickup    *time.Time
	LastVersion   *int64
	Gaps          exposure.Gaps `gorm:"serializer:json"`
}

// CountPublications returns the counts of publications, by their IDs.
func (s *Store) CountPublications(ctx context.Context, ids ...int64) (map[int64]PublicationCounts, error) {
	rows, err := manyOf[PublicationCounts](ids, func(some []int64) *gorm.DB {
		return s.db.WithContext(ctx).Raw(`SELECT p.id AS publication_id, v.at AS version_at,
		(SELECT COUNT(*) FROM carried c WHERE c.publication_id = p.id AND c.to_version = 0) AS items,
		COALESCE((SELECT SUM(times) FROM pickups k WHERE k.publication_id = p.id), 0) AS pickups,
		COALESCE((SELECT gaps FROM pickup_gaps g WHERE g.publication_id = p.id), '{}') AS gaps,
		(SELECT MAX(last_at) FROM pickups k WHERE k.publication_id = p.id) AS last_pickup,
		(SELECT version FROM pickups k WHERE k.publication_id = p.id ORDER BY last_at DESC, version DESC LIMIT 1) AS last_version
		FROM publications p LEFT JOIN versions v ON v.publication_id = p.id AND v.version = p.version WHERE p.id IN ?`, some)
	})
	counts := make(map[int64]PublicationCounts, len(rows))
	for _, r := range rows {
		counts[r.PublicationID] = r
	}
	return counts, err
}
