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
	Source
	Name, Platform string
	Color          string // "": the first of Palette that the fewest feeds have
	Palette        []string
	Every          time.Duration // 0: the default
	Schedule       string        // instead of Every, as core/schedule writes it
	Categories     []string      // that all it brings in has
	Class          string        // of what has none itself
	Link           *Link         // on which calendar it counts at once; nil: on none
}

// Source is where a feed comes from: a link, or a file.
type Source struct {
	URL            string
	User, Password string // that the platform asks for; kept sealed, in the link
	File           *refresh.File
}

// read reads what a person names. The error is a *rules.FieldError for a user name that cannot be, else those
// of refresh.First.
func (d *Desk) read(ctx context.Context, s Source) (refresh.Got, error) {
	if s.File != nil {
		return d.Refresher.ReadFile(ctx, *s.File)
	}
	full, err := fetch.WithPassword(s.URL, s.User, s.Password)
	if err != nil {
		return refresh.Got{}, &rules.FieldError{Field: "user", Err: err}
	}
	return d.Refresher.First(ctx, full)
}

// Link is what is laid down about how a feed counts on a calendar; "" and 0 are the defaults.
type Link struct {
	Calendar        int64
	Role, Tentative string
	Units           int
	Label           string
	Filter          string // which of its entries; as core/rules writes it
	Counting        string // how many units each takes; likewise
}

// row is the link as it is stored. The error is a *rules.FieldError.
func (l Link) row(feed int64) (store.Link, error) {
	r, err := rules.NewLink(rules.LinkText{Role: l.Role, Tentative: l.Tentative, Units: l.Units, Counting: l.Counting, Filter: l.Filter})
	return store.Link{CalendarID: l.Calendar, FeedID: feed, Role: string(r.Role), Tentative: string(r.Tentative), Units: r.Units, Label: strings.TrimSpace(l.Label),
		Filter: r.Filter.String(), Counting: r.Counting.String()}, err
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
	given, err := rules.NewGiven(f.Categories, f.Class)
	if err != nil {
		return 0, err
	}
	got, err := d.read(ctx, f.Source)
	if err != nil {
		return 0, err
	}
	var id int64
	var calendars []int64
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		platform, err := recipientNamed(tx, f.Platform, false)
		if err != nil {
			return err
		}
		now := d.Now()
		row := store.Feed{Name: strings.TrimSpace(f.Name), PlatformID: platform.ID, Color: f.Color, EverySeconds: int(when.every / time.Second), Schedule: when.text,
			Categories: strings.Join(given.Categories, "\n"), Class: string(given.Class), CreatedAt: now, DueAt: now}
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
