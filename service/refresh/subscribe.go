package refresh

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"wharf/core/reading"
	"wharf/service/fetch"
	"wharf/service/secret"
	"wharf/service/store"
	"wharf/service/stumble"
)

// Subscribe checks a link by reading it, and stores the feed only if it gives a
// calendar. The error is a *fetch.Error or *ical.NotCalendarError when the link is at
// fault.
func (r *Refresher) Subscribe(ctx context.Context, platform string, feed store.Feed, link string, on *store.Link) (store.Feed, error) {
	got, link, err := r.firstReading(ctx, link)
	if err != nil {
		return store.Feed{}, err
	}
	feed.URLCipher, feed.Address = r.Box.Seal(urlPlace, link), secret.Redact(link)
	feed.CreatedAt, feed.DueAt = got.started, got.finished
	var calendars []int64
	err = r.Store.Tx(ctx, func(tx *store.Tx) error {
		row := feed
		p, err := tx.PlatformNamed(platform)
		if err != nil {
			return err
		}
		row.PlatformID = p.ID
		if err := tx.CreateFeed(&row); err != nil {
			return err
		}
		if on != nil {
			on.FeedID = row.ID
			if err := tx.CreateLink(*on); err != nil {
				return fmt.Errorf("link: %w", err)
			}
		}
		if _, calendars, err = r.commit(ctx, tx, row, got); err != nil {
			return err
		}
		feed, err = tx.LockFeed(row.ID)
		return err
	})
	if errors.Is(err, reading.ErrTooMany) {
		err = r.tooMany()
	}
	if err != nil {
		return store.Feed{}, err
	}
	r.Combiner.Calendars(ctx, calendars...)
	return feed, nil
}

// firstReading reads a link that a person gave, and returns it as it is to be kept.
func (r *Refresher) firstReading(ctx context.Context, link string) (got fetched, kept string, err error) {
	defer stumble.Catch(&err)
	u, err := fetch.ParseLink(link)
	if err != nil {
		return fetched{}, "", &fetch.Error{Message: err.Error()}
	}
	got = fetched{started: r.Now()}
	got.result, err = r.Fetcher.Get(ctx, u.String(), fetch.Known{})
	if err != nil && isWebcal(link) {
		// webcal does not say whether it is https or http; the safer one goes first.
		plain := *u
		plain.Scheme = "http"
		if result, again := r.Fetcher.Get(ctx, plain.String(), fetch.Known{}); again == nil {
			u, got.result, err = &plain, result, nil
		}
	}
	if err != nil {
		return fetched{}, "", err
	}
	got.finished = r.Now()
	got.doc, err = readDocument(ctx, got.result.Body)
	return got, u.String(), err
}

func isWebcal(link string) bool {
	scheme, _, found := strings.Cut(link, ":")
	return found && strings.EqualFold(strings.TrimSpace(scheme), "webcal")
}

func (r *Refresher) tooMany() error {
	return &fetch.Error{Message: fmt.Sprintf("the feed has more than %d bookings on one calendar: check that this is the right link, or raise max-bookings", r.MaxBookings)}
}
