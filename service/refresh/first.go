package refresh

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"wharf/core/reading"
	"wharf/internal/private"
	"wharf/service/fetch"
	"wharf/service/store"
	"wharf/service/stumble"
)

// First reads a link that a person gave. The error is a *fetch.Error or an
// *ical.NotCalendarError when the link is at fault.
func (r *Refresher) First(ctx context.Context, link string) (got Got, err error) {
	defer stumble.Catch(&err)
	u, err := fetch.ParseLink(link)
	if err != nil {
		return Got{}, &fetch.Error{Message: err.Error()}
	}
	got = Got{started: r.Now()}
	got.result, err = r.Fetcher.Get(ctx, u.String(), fetch.Known{})
	var failed *fetch.Error
	if errors.As(err, &failed) && !failed.Untrusted && isWebcal(link) {
		// webcal does not say whether it is https or http; the safer one goes first, and nobody who
		// shows a wrong certificate is asked again without one.
		plain := *u
		plain.Scheme = "http"
		if result, again := r.Fetcher.Get(ctx, plain.String(), fetch.Known{}); again == nil {
			u, got.result, err = &plain, result, nil
			got.remarks = []string{"the platform gives this feed over http only: whoever is on the way can read and change it"}
		}
	}
	if err != nil {
		return Got{}, err
	}
	got.finished, got.link = r.Now(), u.String()
	done, err := r.enter(ctx, int64(len(got.result.Body)))
	if err != nil {
		return got, err
	}
	defer done()
	got.doc, err = r.readDocument(ctx, got.result.Body)
	return got, err
}

// Point makes a feed one that is read at the link of a first reading: what was read at another
// address says nothing of when that came to be which is there.
func (r *Refresher) Point(feed *store.Feed, got Got) {
	feed.URLCipher, feed.Address = r.Box.Seal(urlPlace, got.link), private.Link(got.link)
	feed.ETag, feed.LastModified = "", ""
	feed.Frame, feed.LastGoodStart = "", nil
	feed.NewUIDs, feed.NewUIDsNotBefore, feed.NewUIDsSeenBy = "", nil, nil
}

// Commit stores a first reading of a feed that is held. It returns the calendars on which
// something changed. The error is a *fetch.Error when there is too much in it.
func (r *Refresher) Commit(ctx context.Context, tx *store.Tx, feed store.Feed, got Got) ([]int64, error) {
	_, calendars, err := r.commit(ctx, tx, feed, got)
	return calendars, r.explained(err)
}

// explained says to a person that there is too much in a feed.
func (r *Refresher) explained(err error) error {
	switch {
	case errors.Is(err, reading.ErrTooMany):
		return r.tooMany()
	case errors.Is(err, reading.ErrTooOften):
		return &fetch.Error{Message: "the events of the feed come round far more often than bookings do: check that this is the right link, or raise max-bookings"}
	}
	return err
}

func isWebcal(link string) bool {
	scheme, _, found := strings.Cut(link, ":")
	return found && strings.EqualFold(strings.TrimSpace(scheme), "webcal")
}

func (r *Refresher) tooMany() error {
	return &fetch.Error{Message: fmt.Sprintf("the feed has more than %d bookings on one calendar: check that this is the right link, or raise max-bookings", r.MaxBookings)}
}
