package refresh

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"wharf/core/reading"
	"wharf/core/recur"
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
	done, err := r.Fetcher.Enter(ctx, u.String())
	if err != nil {
		return Got{}, err
	}
	defer done()
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
	done()
	if err != nil {
		return Got{}, err
	}
	if got.result.Inside == "" {
		u.Fragment = ""
	} else {
		u.Fragment = got.result.Inside
	}
	if to, err := fetch.ParseLink(got.result.Moved); err == nil {
		to.Fragment, u = u.Fragment, to
		got.remarks = append(got.remarks, hasMoved(got.result.Moved))
	}
	got.finished, got.link = r.Now(), u.String()
	err = r.understand(ctx, &got)
	return got, err
}

// File is a calendar, or an archive with calendars, that a person gave.
type File struct {
	Name   string
	Body   []byte
	Inside string // the name of the calendar in an archive that is meant; "" where there is but one
}

// ReadFile reads a file. The errors are those of First.
func (r *Refresher) ReadFile(ctx context.Context, f File) (got Got, err error) {
	defer stumble.Catch(&err)
	now := r.Now()
	got = Got{started: now, finished: now, file: cmp.Or(path.Base(strings.ReplaceAll(strings.TrimSpace(f.Name), "\\", "/")), "a file"), result: fetch.Result{Body: f.Body}}
	inside, name, err := fetch.Unpack(f.Body, f.Inside, r.Fetcher.MaxBytes())
	if err != nil {
		return got, err
	}
	if inside != nil {
		got.result.Body = inside
		if name != "" {
			got.file += "#" + name
		}
	}
	err = r.understand(ctx, &got)
	return got, err
}

// understand reads the document of what came, when there is room for it.
func (r *Refresher) understand(ctx context.Context, got *Got) error {
	got.digest = digestOf(got.result.Body)
	leave, err := r.enter(ctx, int64(len(got.result.Body)))
	if err != nil {
		return err
	}
	defer leave()
	got.doc, err = r.readDocument(ctx, got.result.Body)
	return err
}

// hasMoved says that a feed is read at another address from now on.
func hasMoved(to string) string {
	return "the platform has moved this feed for good: it is read at " + private.Link(to) + " from now on"
}

// Document is what was read; nil where that is no calendar.
func (got Got) Document() *recur.Document { return got.doc }

// Link is that of a first reading, as it is to be kept.
func (got Got) Link() string { return got.link }

// File is the name of the file that was read; "" for a link.
func (got Got) File() string { return got.file }

// Remarks are those on how it was read.
func (got Got) Remarks() []string { return got.remarks }

// FreshFor is how long the platform says that what it gave holds; 0: it does not say.
func (got Got) FreshFor() time.Duration { return got.result.FreshFor }

// Offers are feeds that were found in what is no calendar.
func (got Got) Offers() []fetch.Offer { return fetch.OffersIn(got.result.Body, got.link) }

// UIDs are those of the first entries, so many at most.
func (got Got) UIDs(most int) []string {
	seen := map[string]bool{}
	for _, e := range got.doc.Entries {
		if e.UID != "" && len(seen) < most {
			seen[e.UID] = true
		}
	}
	return slices.Sorted(maps.Keys(seen))
}

// LinkOf is a feed's link, opened.
func (r *Refresher) LinkOf(feed store.Feed) (string, error) {
	return r.Box.Open(urlPlace, feed.URLCipher)
}

// Point makes a feed one that is read at the link of a first reading: what was read at another
// address says nothing of when that came to be which is there. A file takes the place of one that was
// there before as the next reading does.
func (r *Refresher) Point(feed *store.Feed, got Got) {
	if got.file != "" {
		was := feed.Uploaded()
		Detach(feed, "file "+reading.Clip(got.file, mostFileName))
		if was && feed.LastGoodStart != nil {
			return
		}
	} else {
		feed.URLCipher, feed.Address = r.Box.Seal(urlPlace, got.link), private.Link(got.link)
	}
	feed.ETag, feed.LastModified, feed.BodyDigest = "", "", ""
	feed.Frame, feed.LastGoodStart = "", nil
	feed.NewUIDs, feed.NewUIDsNotBefore, feed.NewUIDsSeenBy = "", nil, nil
}

// mostFileName is how many characters of a file's name are kept.
const mostFileName = 150

// Detach makes a feed one that is not read by itself; what it shows stays. address is what is shown for a link.
func Detach(feed *store.Feed, address string) {
	feed.URLCipher, feed.Address, feed.Schedule, feed.EverySeconds, feed.PausedAt = []byte{}, address, "once", 0, nil
	feed.FailingSince = nil
}

// Commit stores a first reading of a feed that is held. It returns the calendars on which
// something changed. The error is a *fetch.Error when there is too much in it.
func (r *Refresher) Commit(ctx context.Context, tx *store.Tx, feed store.Feed, got Got) ([]int64, error) {
	_, calendars, err := r.commit(ctx, tx, feed, got)
	return calendars, r.Explained(err)
}

// Explained says to a person that there is too much in a feed.
func (r *Refresher) Explained(err error) error {
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
