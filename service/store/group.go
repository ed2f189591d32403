package store

import (
	"context"

	"gorm.io/gorm/clause"
)

// TopicGroup is of changes of groups of calendars.
const TopicGroup = "group"

// Groups lists the groups that have calendars, in their order.
func (s *Store) Groups(ctx context.Context) ([]CalendarGroup, error) {
	return many[CalendarGroup](s.db.WithContext(ctx).Where("id IN (SELECT group_id FROM calendars WHERE removed_at IS NULL)").Order("position, id"))
}

// LockGroups lists all groups, in their order, and holds them to the end of the transaction.
func (tx *Tx) LockGroups() ([]CalendarGroup, error) {
	return many[CalendarGroup](tx.db.Clauses(forUpdate).Order("position, id"))
}

// GroupNamed returns the group of that name; it is added, after all others, if there is none.
func (tx *Tx) GroupNamed(name string) (CalendarGroup, error) {
	last := tx.db.Model(&CalendarGroup{}).Select("COALESCE(MAX(position), 0) + 1")
	var position int
	if err := last.Scan(&position).Error; err != nil {
		return CalendarGroup{}, err
	}
	if err := tx.db.Clauses(clause.OnConflict{DoNothing: true}).Create(&CalendarGroup{Name: name, Position: position}).Error; err != nil {
		return CalendarGroup{}, err
	}
	return one[CalendarGroup](tx.db.Where("name = ?", name))
}

// SaveGroups changes groups that are held.
func (tx *Tx) SaveGroups(groups []CalendarGroup) error { return upsert(tx, groups) }
