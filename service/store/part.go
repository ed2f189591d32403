package store

import (
	"context"

	"gorm.io/gorm/clause"

	"wharf/core/publish"
)

// Parts are the other calendars that publications show, in order, by the publication; without what they show.
func (s *Store) Parts(ctx context.Context) (map[int64][]int64, error) {
	rows, err := many[PublicationPart](s.db.WithContext(ctx).Select("publication_id", "calendar_id").Order("calendar_id"))
	parts := map[int64][]int64{}
	for _, r := range rows {
		parts[r.PublicationID] = append(parts[r.PublicationID], r.CalendarID)
	}
	return parts, err
}

// PartsFor lists what the publications of a calendar show of other calendars, in the order of those.
func (tx *Tx) PartsFor(calendar int64) ([]PublicationPart, error) {
	return many[PublicationPart](tx.db.Where("publication_id IN (SELECT id FROM publications WHERE calendar_id = ? AND removed_at IS NULL)", calendar).Order("publication_id, calendar_id"))
}

// PartOn is a publication of another calendar that shows this one, too.
type PartOn struct {
	Publication
	Items []publish.Item
}

// PartsOn lists the publications of other calendars that show a calendar, with what they show of it.
func (tx *Tx) PartsOn(calendar int64) ([]PartOn, error) {
	parts, err := many[PublicationPart](tx.db.Where("calendar_id = ?", calendar).Order("publication_id"))
	if err != nil {
		return nil, err
	}
	var all []PartOn
	for _, p := range parts {
		rows, err := many[Publication](tx.db.Select(summaryColumns).Where("id = ? AND removed_at IS NULL", p.PublicationID))
		if err != nil {
			return nil, err
		}
		for _, row := range rows {
			all = append(all, PartOn{row, p.Items})
		}
	}
	return all, nil
}

// SavePart keeps what a publication shows of another calendar, and marks its own one dirty.
func (tx *Tx) SavePart(of Publication, calendar int64, items []publish.Item) error {
	part := PublicationPart{PublicationID: of.ID, CalendarID: calendar, Items: append([]publish.Item{}, items...)} // none is no NULL
	if err := tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&part).Error; err != nil {
		return err
	}
	return tx.MarkDirty(of.CalendarID)
}

// SetParts lays down which other calendars a publication that is held shows.
func (tx *Tx) SetParts(p Publication, calendars []int64) error {
	gone := tx.db.Where("publication_id = ?", p.ID)
	if len(calendars) > 0 {
		gone = gone.Where("calendar_id NOT IN ?", calendars)
	}
	if err := gone.Delete(&PublicationPart{}).Error; err != nil {
		return err
	}
	for _, id := range calendars {
		part := PublicationPart{PublicationID: p.ID, CalendarID: id, Items: []publish.Item{}}
		if err := tx.db.Clauses(clause.OnConflict{DoNothing: true}).Create(&part).Error; err != nil {
			return err
		}
	}
	return tx.MarkDirty(append([]int64{p.CalendarID}, calendars...)...)
}

// removeParts takes a calendar out of the publications of others, and marks those calendars dirty.
func (tx *Tx) removeParts(calendar int64) error {
	parts, err := tx.PartsOn(calendar)
	if err != nil {
		return err
	}
	for _, p := range parts {
		if err := tx.MarkDirty(p.CalendarID); err != nil {
			return err
		}
	}
	return tx.db.Where("calendar_id = ?", calendar).Delete(&PublicationPart{}).Error
}
