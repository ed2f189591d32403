package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/rules"
	"wharf/core/schedule"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/store"
)

// Feed is what is laid down about a new feed.
type Feed struct {
	Name, Platform, URL string
	User, Password      string // that the platform asks for; kept sealed, in the link
	Color               string // "": the first of Palette that the fewest feeds have
	Palette             []string
	Every               time.Duration // 0: the default
	Schedule            string        // instead of Every, as core/schedule writes it
	Link                *Link         // on which calendar it counts at once; nil: on none
}

// Link is what is laid down about how a feed counts on a calendar; "" and 0 are the defaults.
type Link struct {
	Calendar        int64
	Role, Tentative string
	Units           int
	Label           string
	Filter          string // which of its entries; as core/rules writes it
}

// row is the link as it is stored. The error is a *rules.FieldError.
func (l Link) row(feed int64) (store.Link, error) {
	r, err := rules.NewLink(l.Role, l.Tentative, l.Units, l.Filter)
	return store.Link{CalendarID: l.Calendar, FeedID: feed, Role: string(r.Role), Tentative: string(r.Tentative), Units: r.Units, Label: strings.TrimSpace(l.Label), Filter: r.Filter.String()}, err
}

// AddFeed checks a feed's link by reading it, and adds the feed only if that gives a calendar.
// The error is a *fetch.Error or an *ical.NotCalendarError when the link is at fault, a
// *rules.FieldError when a setting is, and store.ErrTaken when its name is in use.
func (d *Desk) AddFeed(ctx context.Context, f Feed) (int64, error) {
	if f.Every == 0 {
		f.Every = d.DefaultEvery
	}
	when, err := d.schedule(f.Schedule, f.Every)
	if err != nil {
		return 0, err
	}
	link, err := d.firstLink(ctx, f.Link)
	if err != nil {
		return 0, err
	}
	if f.Color == "" {
		used, err := d.Store.CountColors(ctx)
		if err != nil {
			return 0, err
		}
		f.Color = slices.MinFunc(f.Palette, func(a, b string) int { return used[a] - used[b] })
	}
	full, err := fetch.WithPassword(f.URL, f.User, f.Password)
	if err != nil {
		return 0, &rules.FieldError{Field: "user", Err: err}
	}
	got, err := d.Refresher.First(ctx, full)
	if err != nil {
		return 0, err
	}
	var id int64
	var calendars []int64
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		platform, err := tx.PlatformNamed(strings.TrimSpace(f.Platform))
		if err != nil {
			return err
		}
		now := d.Now()
		row := store.Feed{Name: strings.TrimSpace(f.Name), PlatformID: platform.ID, Color: f.Color, EverySeconds: int(when.every / time.Second), Schedule: when.text, CreatedAt: now, DueAt: now}
		d.Refresher.Point(&row, got)
		if err := tx.CreateFeed(&row); err != nil {
			return err
		}
		if link != nil {
			link.FeedID = row.ID
			if err := tx.CreateLink(*link); err != nil {
				return fmt.Errorf("link: %w", err)
			}
		}
		id = row.ID
		calendars, err = d.Refresher.Commit(ctx, tx, row, got)
		return err
	})
	if err != nil {
		return 0, err
	}
	d.Combiner.Calendars(ctx, calendars...)
	return id, nil
}

// firstLink is the link that a new feed is to have at once, checked; nil for none.
func (d *Desk) firstLink(ctx context.Context, l *Link) (*store.Link, error) {
	if l == nil {
		return nil, nil
	}
	row, err := l.row(0)
	if err != nil {
		return nil, err
	}
	return &row, d.checkCalendar(ctx, row.CalendarID)
}

// laidDown is when a feed is to be read.
type laidDown struct {
	text  string // "": every so long
	every time.Duration
}

// schedule checks when a feed is to be read: by a text, or, where that is empty, every so long.
func (d *Desk) schedule(text string, every time.Duration) (laidDown, error) {
	if text == "" {
		return laidDown{every: every}, d.checkEvery(every)
	}
	s, err := schedule.Parse(text, d.LeastEvery)
	if err != nil {
		return laidDown{}, &rules.FieldError{Field: "schedule", Err: err}
	}
	if s.Every > 0 && len(s.At) == 0 {
		return laidDown{every: s.Every}, nil
	}
	return laidDown{s.String(), s.Interval()}, nil
}

// checkEvery refuses intervals that are a burden to platforms.
func (d *Desk) checkEvery(every time.Duration) error {
	if every < d.LeastEvery {
		return &rules.FieldError{Field: "every", Err: fmt.Errorf("a feed is read at most every %s: choose a longer interval", d.LeastEvery)}
	}
	return nil
}

// checkCalendar refuses what is to be on a calendar that is not there.
func (d *Desk) checkCalendar(ctx context.Context, id int64) error {
	_, err := d.Store.Calendar(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return &rules.FieldError{Field: "calendar", Err: errors.New("there is no calendar with this id")}
	}
	return err
}

// FeedEdit is what is to change of a feed; nil is left as it is.
type FeedEdit struct {
	Name, Platform, Color *string
	Every                 *int    // seconds
	Schedule              *string // instead of Every, as core/schedule writes it
	Paused                *bool
	URL                   *string
	Mirrors               *[]int64 // feeds whose platforms its own is linked to directly
}

// EditFeed changes a feed. A new link is read first, and must give a calendar; what it gives
// takes the place of what was there. The errors are those of AddFeed.
func (d *Desk) EditFeed(ctx context.Context, by By, id int64, to FeedEdit) error {
	e := d.editing(by, store.TopicFeed, id, 0)
	if to.Every != nil {
		if err := d.checkEvery(time.Duration(*to.Every) * time.Second); err != nil {
			return err
		}
	}
	if to.URL == nil {
		return d.editFeed(ctx, e, id, to, nil)
	}
	// Before the link is read: a stale edit need not wait for that.
	row, err := d.Store.Feed(ctx, id)
	if err != nil {
		return err
	}
	e.begin(row.Revision)
	if err := e.stale(); err != nil {
		return d.explained(ctx, err)
	}
	got, err := d.Refresher.First(ctx, *to.URL)
	if err != nil {
		return err
	}
	return d.editFeed(ctx, e, id, to, func(tx *store.Tx, feed store.Feed) ([]int64, error) {
		d.Refresher.Point(&feed, got)
		feed, err := tx.BreakClaim(feed)
		if err != nil {
			return nil, err
		}
		if err := tx.SaveFeed(feed); err != nil {
			return nil, err
		}
		return d.Refresher.Commit(ctx, tx, feed, got)
	})
}

// editFeed changes a feed in one transaction; point, if any, makes it one that is read
// elsewhere, and returns the calendars on which that changes something.
func (d *Desk) editFeed(ctx context.Context, e *editing, id int64, to FeedEdit, point func(*store.Tx, store.Feed) ([]int64, error)) error {
	var calendars []int64
	err := d.Store.Tx(ctx, func(tx *store.Tx) error {
		calendars = nil
		feed, err := tx.LockFeed(id)
		if err != nil {
			return err
		}
		lease, platform := feed.LeaseUntil, feed.PlatformID
		mirrored, err := setMirrors(tx, e, feed, to.Mirrors)
		if err != nil {
			return err
		}
		if err := d.applyToFeed(tx, e, &feed, to); err != nil {
			return err
		}
		if feed.PlatformID != platform || mirrored {
			// What comes from it is another platform's own now, or reflects one, and is published
			// to others.
			links, err := tx.LinksOfFeed(id)
			if err != nil {
				return err
			}
			calendars = calendarsOf(links)
			if err := tx.MarkDirty(calendars...); err != nil {
				return err
			}
		}
		if point == nil {
			// Whoever is reading it goes on; SaveFeed would end that claim.
			return errors.Join(tx.SaveFeed(feed), tx.KeepClaim(feed, lease), tx.Changed(store.TopicFeed, id))
		}
		more, err := point(tx, feed)
		calendars = append(calendars, more...)
		return errors.Join(err, tx.Changed(store.TopicFeed, id))
	})
	if err != nil {
		return d.explained(ctx, err)
	}
	d.Combiner.Calendars(ctx, calendars...)
	return nil
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
		p, err := tx.PlatformNamed(*trimmed(to.Platform))
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
	if to.URL != nil {
		hidden := "…" // links are secrets
		set(e, "url", &feed.Address, &hidden)
	}
	return e.save(tx, &feed.Revision)
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
		}
	}
	return nil
}

// AddLink makes a feed count on a calendar. The same link once more changes nothing;
// store.ErrTaken when the feed counts there in another way.
func (d *Desk) AddLink(ctx context.Context, feed int64, l Link) error {
	row, err := l.row(feed)
	if err != nil {
		return err
	}
	err = d.relink(ctx, row.CalendarID, feed, func(tx *store.Tx) (store.Link, error) {
		if _, err := tx.Calendar(row.CalendarID); err != nil {
			return row, err
		}
		return row, tx.CreateLink(row)
	})
	if !errors.Is(err, store.ErrTaken) {
		return err
	}
	all, failed := d.Store.LinksOf(ctx, feed)
	if failed != nil {
		return failed
	}
	if slices.ContainsFunc(all, func(l store.Link) bool {
		return l.CalendarID == row.CalendarID && l.Role == row.Role && l.Tentative == row.Tentative && l.Units == row.Units && l.Label == row.Label && l.Filter == row.Filter
	}) {
		return nil // it was sent before
	}
	return err
}

// LinkEdit is what is to change of a link; nil is left as it is.
type LinkEdit struct {
	Role, Tentative, Label *string
	Filter                 *string
	Units                  *int
}

// EditLink changes how a feed counts on a calendar. The error is a *rules.FieldError when a
// setting is wrong.
func (d *Desk) EditLink(ctx context.Context, by By, calendar, feed int64, to LinkEdit) error {
	e := d.editing(by, store.TopicLink, calendar, feed)
	err := d.relink(ctx, calendar, feed, func(tx *store.Tx) (store.Link, error) {
		link, err := tx.LockLink(calendar, feed)
		if err != nil {
			return link, err
		}
		e.begin(link.Revision)
		set(e, "role", &link.Role, to.Role)
		set(e, "tentative", &link.Tentative, to.Tentative)
		set(e, "units", &link.Units, to.Units)
		set(e, "label", &link.Label, trimmed(to.Label))
		set(e, "filter", &link.Filter, trimmed(to.Filter))
		if err := e.save(tx, &link.Revision); err != nil {
			return link, err
		}
		if _, err := rules.NewLink(link.Role, link.Tentative, link.Units, link.Filter); err != nil {
			return link, err
		}
		return link, tx.SaveLink(link)
	})
	return d.explained(ctx, err)
}

// relink lays a feed out on a calendar by the link that make gives.
func (d *Desk) relink(ctx context.Context, calendar, feed int64, make func(*store.Tx) (store.Link, error)) error {
	err := d.Store.Tx(ctx, func(tx *store.Tx) error {
		if _, err := tx.LockFeed(feed); err != nil {
			return err
		}
		link, err := make(tx)
		if err != nil {
			return err
		}
		if err := d.Refresher.LayOut(ctx, tx, link); err != nil {
			return err
		}
		return errors.Join(tx.TryAgain(calendar), tx.Changed(store.TopicCalendar, calendar))
	})
	if err != nil {
		return err
	}
	d.Combiner.Calendars(ctx, calendar)
	return nil
}
