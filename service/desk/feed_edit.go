package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/refresh"
	"wharf/service/store"
)

// FeedEdit is what is to change of a feed; nil is left as it is.
type FeedEdit struct {
	Name, Platform, Color *string
	Every                 *int    // seconds
	Schedule              *string // instead of Every, as core/schedule writes it
	Paused                *bool
	Source                *Source   // that it comes from now on
	Snapshot              bool      // it is not read any more, and its link is forgotten; what it shows stays
	Categories            *[]string // that all it brings in has
	Class                 *string   // of what has none itself
	Mirrors               *[]int64  // feeds whose platforms its own is linked to directly
}

// EditFeed changes a feed. A new link or file is read first, and must give a calendar; what it gives
// takes the place of what was there. The errors are those of AddFeed.
func (d *Desk) EditFeed(ctx context.Context, by By, id int64, to FeedEdit) error {
	change, err := d.feedChange(ctx, by, id, to)
	if err != nil {
		return err
	}
	var calendars []int64
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		calendars, err = change(tx)
		return err
	})
	if err != nil {
		return d.explained(ctx, err)
	}
	d.Combiner.Calendars(ctx, calendars...)
	return nil
}

// TryEditFeed says what a change of a feed would lead to, and changes nothing. The errors are those of
// EditFeed.
func (d *Desk) TryEditFeed(ctx context.Context, by By, id int64, to FeedEdit) ([]combine.Effect, error) {
	change, err := d.feedChange(ctx, by, id, to)
	if err != nil {
		return nil, err
	}
	links, err := d.Store.LinksOf(ctx, id)
	if err != nil {
		return nil, err
	}
	effects, err := d.Combiner.Try(ctx, calendarsOf(links), func(tx *store.Tx) error {
		_, err := change(tx)
		return err
	})
	return effects, d.explained(ctx, err)
}

// feedChange checks a change of a feed and reads its new source, if any. What it returns makes the change, and
// returns the calendars on which that changes something.
func (d *Desk) feedChange(ctx context.Context, by By, id int64, to FeedEdit) (func(*store.Tx) ([]int64, error), error) {
	e := d.editing(by, store.TopicFeed, id, 0)
	if to.Every != nil {
		if err := d.checkEvery(time.Duration(*to.Every) * time.Second); err != nil {
			return nil, err
		}
	}
	if to.Source == nil {
		return func(tx *store.Tx) ([]int64, error) { return d.editFeed(ctx, tx, e, id, to, nil) }, nil
	}
	// Before the source is read: a stale edit need not wait for that.
	row, err := d.Store.Feed(ctx, id)
	if err != nil {
		return nil, err
	}
	e.begin(row.Revision)
	if err := e.stale(); err != nil {
		return nil, d.explained(ctx, err)
	}
	got, err := d.read(ctx, *to.Source)
	if err != nil {
		return nil, err
	}
	point := func(tx *store.Tx, feed store.Feed) ([]int64, error) {
		d.Refresher.Point(&feed, got)
		feed, err := tx.BreakClaim(feed)
		if err != nil {
			return nil, err
		}
		if err := tx.SaveFeed(feed); err != nil {
			return nil, err
		}
		return d.Refresher.Commit(ctx, tx, feed, got)
	}
	return func(tx *store.Tx) ([]int64, error) { return d.editFeed(ctx, tx, e, id, to, point) }, nil
}

// editFeed changes a feed; point, if any, makes it one that is read elsewhere. It returns the calendars on
// which that changes something.
func (d *Desk) editFeed(ctx context.Context, tx *store.Tx, e *editing, id int64, to FeedEdit, point func(*store.Tx, store.Feed) ([]int64, error)) (calendars []int64, err error) {
	feed, err := tx.LockFeed(id)
	if err != nil {
		return nil, err
	}
	was := feed
	mirrored, err := setMirrors(tx, e, feed, to.Mirrors)
	if err != nil {
		return nil, err
	}
	if err := d.applyToFeed(tx, e, &feed, to); err != nil {
		return nil, err
	}
	links, err := tx.LinksOfFeed(id)
	if err != nil {
		return nil, err
	}
	if feed.PlatformID != was.PlatformID || mirrored {
		// What comes from it is another platform's own now, or reflects one, and is published
		// to others.
		calendars = calendarsOf(links)
		if err := tx.MarkDirty(calendars...); err != nil {
			return nil, err
		}
	}
	if point != nil {
		more, err := point(tx, feed)
		return append(calendars, more...), errors.Join(err, tx.Changed(store.TopicFeed, id))
	}
	if to.Snapshot {
		if feed, err = tx.BreakClaim(feed); err != nil {
			return nil, err
		}
		was.LeaseUntil = nil
	}
	// Whoever is reading it goes on; SaveFeed would end that claim.
	if err := errors.Join(tx.SaveFeed(feed), tx.KeepClaim(feed, was.LeaseUntil), tx.Changed(store.TopicFeed, id)); err != nil {
		return nil, err
	}
	if feed.Categories != was.Categories || feed.Class != was.Class {
		for _, l := range links {
			if err := d.Refresher.LayOut(ctx, tx, l); err != nil {
				return nil, err
			}
		}
		calendars = calendarsOf(links)
	}
	return calendars, nil
}

// setMirrors says which feeds a feed that is held mirrors, and reports whether that is new. A
// feed cannot mirror itself, nor through others.
func setMirrors(tx *store.Tx, e *editing, feed store.Feed, to *[]int64) (bool, error) {
	e.begin(feed.Revision)
	if to == nil {
		return false, nil
	}
	declared, err := tx.Mirrors()
	if err != nil {
		return false, err
	}
	of := map[int64][]int64{}
	for _, m := range declared {
		of[m.FeedID] = append(of[m.FeedID], m.OfID)
	}
	now := slices.Compact(slices.Sorted(slices.Values(*to)))
	for _, id := range now {
		if _, err := tx.LockFeed(id); err != nil {
			return false, fieldErrorf("mirrors", err, "there is no feed %d", id)
		}
		if id == feed.ID || reaches(of, id, feed.ID) {
			return false, &rules.FieldError{Field: "mirrors", Err: errors.New("a feed cannot mirror itself, nor a feed that mirrors it: say of one of them where it comes from")}
		}
	}
	was := of[feed.ID]
	if slices.Equal(was, now) {
		return false, nil
	}
	before, after := fmt.Sprint(was), fmt.Sprint(now)
	set(e, "mirrors", &before, &after)
	return true, tx.SetMirrors(feed.ID, now)
}

// fieldErrorf says of a field that what it names is not there.
func fieldErrorf(field string, err error, format string, args ...any) error {
	if errors.Is(err, store.ErrNotFound) {
		return &rules.FieldError{Field: field, Err: fmt.Errorf(format, args...)}
	}
	return err
}

// reaches reports whether a feed mirrors another, be it through others.
func reaches(of map[int64][]int64, from, to int64) bool {
	seen := map[int64]bool{}
	for next := []int64{from}; len(next) > 0; next = next[1:] {
		if next[0] == to {
			return true
		}
		if !seen[next[0]] {
			seen[next[0]] = true
			next = append(next, of[next[0]]...)
		}
	}
	return false
}

// applyToFeed sets what is to change of a feed that is held.
func (d *Desk) applyToFeed(tx *store.Tx, e *editing, feed *store.Feed, to FeedEdit) error {
	set(e, "name", &feed.Name, trimmed(to.Name))
	set(e, "color", &feed.Color, to.Color)
	if err := d.applySchedule(e, feed, to); err != nil {
		return err
	}
	if to.Platform != nil {
		p, err := recipientNamed(tx, *to.Platform, false)
		if err != nil {
			return err
		}
		was, err := tx.LockPlatform(feed.PlatformID)
		if err != nil {
			return err
		}
		set(e, "platform", &was.Name, &p.Name)
		feed.PlatformID = p.ID
	}
	if err := applyGiven(e, feed, to); err != nil {
		return err
	}
	switch hidden := "…"; { // links are secrets
	case to.Source != nil && to.Source.File != nil:
		set(e, "file", &feed.Address, &to.Source.File.Name)
	case to.Source != nil:
		set(e, "url", &feed.Address, &hidden)
	case to.Snapshot && !feed.Uploaded():
		kept := "snapshot of " + feed.Address
		set(e, "snapshot", &feed.Address, &kept)
		refresh.Detach(feed, kept)
		feed.DueAt = store.Never
	}
	return e.save(tx, &feed.Revision)
}

// applyGiven sets what is said of all that a feed brings in.
func applyGiven(e *editing, feed *store.Feed, to FeedEdit) error {
	categories, class := strings.Split(feed.Categories, "\n"), feed.Class
	if to.Categories != nil {
		categories = *to.Categories
	}
	if to.Class != nil {
		class = *to.Class
	}
	given, err := rules.NewGiven(categories, class)
	if err != nil {
		return err
	}
	now, as := strings.Join(given.Categories, "\n"), string(given.Class)
	set(e, "categories", &feed.Categories, &now)
	set(e, "class", &feed.Class, &as)
	return nil
}

// applySchedule sets when a feed is read, and whether it is.
func (d *Desk) applySchedule(e *editing, feed *store.Feed, to FeedEdit) error {
	var when laidDown
	switch {
	case to.Schedule != nil:
		var err error
		if when, err = d.schedule(*to.Schedule, time.Duration(feed.EverySeconds)*time.Second); err != nil {
			return err
		}
	case to.Every != nil:
		when.every = time.Duration(*to.Every) * time.Second
	default:
		when = laidDown{feed.Schedule, time.Duration(feed.EverySeconds) * time.Second}
	}
	every := int(when.every / time.Second)
	if when.text != feed.Schedule || every != feed.EverySeconds {
		if when.text != feed.Schedule {
			set(e, "schedule", &feed.Schedule, &when.text)
		} else {
			set(e, "every", &feed.EverySeconds, &every)
		}
		feed.EverySeconds = every
		if due := refresh.DueAfter(*feed, d.Now()); feed.Schedule != "" || due.Before(feed.DueAt) {
			feed.DueAt = due
		}
	}
	if to.Paused != nil && *to.Paused != (feed.PausedAt != nil) {
		was := feed.PausedAt != nil
		set(e, "paused", &was, to.Paused)
		now := d.Now()
		if feed.PausedAt = &now; !*to.Paused {
			feed.PausedAt, feed.DueAt = nil, now // it is read again at once
			if feed.Uploaded() {
				feed.DueAt = store.Never
			}
		}
	}
	return nil
}
