package desk

import (
	"context"
	"errors"
	"slices"
	"strings"

	"wharf/core/rules"
	"wharf/service/store"
)

// GroupEdit is what is to change of a group of calendars; nil is left as it is.
type GroupEdit struct {
	Name   *string
	Before *int64 // the group before which it is to come; 0: last
}

// EditGroup changes a group. The error is a *rules.FieldError when its name is another's, or when there is no
// group before which it could come.
func (d *Desk) EditGroup(ctx context.Context, by By, id int64, to GroupEdit) error {
	e := d.editing(by, store.TopicGroup, id, 0)
	err := d.Store.Tx(ctx, func(tx *store.Tx) error {
		groups, err := tx.LockGroups()
		if err != nil {
			return err
		}
		at := slices.IndexFunc(groups, func(g store.CalendarGroup) bool { return g.ID == id })
		if at < 0 {
			return store.ErrNotFound
		}
		one := groups[at]
		e.begin(one.Revision)
		if name := trimmed(to.Name); name != nil {
			if slices.ContainsFunc(groups, func(g store.CalendarGroup) bool { return g.ID != id && strings.EqualFold(g.Name, *name) }) {
				return &rules.FieldError{Field: "name", Err: errors.New("another group has this name: put the calendars into that one")}
			}
			set(e, "name", &one.Name, name)
		}
		if to.Before != nil {
			groups = slices.Delete(groups, at, at+1)
			at = len(groups)
			if *to.Before != 0 {
				if at = slices.IndexFunc(groups, func(g store.CalendarGroup) bool { return g.ID == *to.Before }); at < 0 {
					return &rules.FieldError{Field: "before", Err: errors.New("there is no such group to come before")}
				}
			}
			groups = slices.Insert(groups, at, one)
		}
		place := one.Position
		for i := range groups {
			groups[i].Position = i + 1
			if groups[i].ID == id {
				place = i + 1
			}
		}
		set(e, "position", &one.Position, &place)
		if err := e.save(tx, &one.Revision); err != nil {
			return err
		}
		groups[at] = one
		return errors.Join(tx.SaveGroups(groups), tx.Changed(store.TopicGroup, id))
	})
	return d.explained(ctx, err)
}

// groupOf is the group of a name, which is made where there is none; 0 for no name.
func groupOf(tx *store.Tx, name string) (int64, error) {
	name = strings.TrimSpace(name)
	if name == "" {
		return 0, nil
	}
	g, err := tx.GroupNamed(name)
	return g.ID, err
}
