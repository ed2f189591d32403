// Package firstday gives tests the first day of a calendar without a service: every feed is read once and the calendar is
// judged, by the same functions as the service's, so that one day takes a millisecond and a year of them can be tried.
package firstday

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"slices"
	"strconv"
	"time"

	"wharf/core/echo"
	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
)

// Feed is a feed with the document that it gives on that day.
type Feed struct {
	Platform int64
	Document []byte
	Link     rules.Link
}

// most is how many bookings a feed may have.
const most = 10_000

// Facts are what is known after the first readings, which begin a second apart at now. Bookings have ids from 1 on; those
// of the n-th feed are of feed n+1.
func Facts(calendar rules.Calendar, now time.Time, feeds []Feed) (judge.Facts, error) {
	f := judge.Facts{Calendar: calendar, Now: now.Add(time.Duration(len(feeds)) * time.Second)}
	for n, feed := range feeds {
		begun := now.Add(time.Duration(n) * time.Second)
		doc, err := recur.Read(ical.NewReader(bytes.NewReader(feed.Document)))
		if err != nil {
			return f, fmt.Errorf("feed %d: %w", n, err)
		}
		c, err := reading.Read(context.Background(), reading.Feed{}, nil, doc, []reading.Place{{Calendar: calendar, Link: feed.Link}},
			reading.Times{Requested: begun, Finished: begun, Scheduled: true}, most)
		if err != nil {
			return f, fmt.Errorf("feed %d: %w", n, err)
		}
		f.Feeds = append(f.Feeds, judge.Feed{ID: int64(n + 1), Platform: feed.Platform, Read: begun, Known: echo.Said{}})
		for _, b := range c.Places[0].Added {
			id := int64(len(f.Bookings) + 1)
			f.Bookings = append(f.Bookings, judge.Booking{ID: id, Feed: int64(n + 1), Platform: feed.Platform, UID: b.UID, Key: b.Occurrence, Minted: fmt.Sprint("minted-", id),
				Booking: b.Booking, Title: b.Title, Form: b.Form, Revision: b.Revision, Created: b.Created, Stand: b.Stand, Sighting: b.Sighting})
		}
	}
	return f, nil
}

// Conflicts judges the facts as the service does, each time that a feed has been read, with what was learnt of the platforms
// by then; and returns how many conflicts of each kind there are in the end.
func Conflicts(f judge.Facts) (map[string]int, error) {
	kinds := map[string]int{}
	for read := 1; read <= len(f.Feeds); read++ {
		so := f
		so.Feeds = f.Feeds[:read]
		so.Bookings = slices.DeleteFunc(slices.Clone(f.Bookings), func(b judge.Booking) bool { return b.Feed > int64(read) })
		r, err := judge.Judge(context.Background(), so)
		if err != nil {
			return nil, err
		}
		for _, h := range r.Habits {
			f.Feeds[h.Feed-1].Known[h.HabitOf] = h.Value
		}
		clear(kinds)
		for _, c := range r.Conflicts {
			kinds[string(c.Kind)]++
		}
	}
	return kinds, nil
}

// Days calls try with noon of each of forty days in a row, or of as many as WHARF_DAYS says: four hundred have both
// changes of the clock, the end of February and of the year.
func Days(try func(n int, noon time.Time)) error {
	days := 40
	if text := os.Getenv("WHARF_DAYS"); text != "" {
		var err error
		if days, err = strconv.Atoi(text); err != nil {
			return fmt.Errorf("WHARF_DAYS: %w", err)
		}
	}
	for n := range days {
		try(n, time.Date(2026, 12, 1+n, 12, 0, 0, 0, time.UTC))
	}
	return nil
}
