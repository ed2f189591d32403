// Command soak lets two processes of `wharf serve` read many feeds whose platforms fail in many ways, for a while,
// and then compares what Wharf has with what the platforms have, feed by feed.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"net/http/httptest"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"wharf/api/client"
	"wharf/bench/rig"
)

var (
	feeds  = flag.Int("feeds", 200, "feeds, each on a calendar of its own")
	every  = flag.Duration("every", 10*time.Second, "between readings of each")
	faulty = flag.Float64("faulty", 0.3, "share of the requests that go wrong")
	lasts  = flag.Duration("for", 90*time.Second, "how long platforms fail and sell")
	seed   = flag.Uint64("seed", 1, "of what goes wrong when, and of what is sold")
)

func main() {
	flag.Parse()
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "soak: "+err.Error())
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	s := newPlatforms(*feeds, *seed)
	server := httptest.NewServer(s)
	defer server.Close()
	defer s.heal() // who is kept waiting is let go
	env := []string{"WHARF_HOST_CONNECTIONS=0", "WHARF_HOST_RATE=0", "WHARF_FETCH_TIMEOUT=3s", "WHARF_LEASE=8s"}
	r, err := rig.Start(ctx, env...)
	if err != nil {
		return err
	}
	defer r.Stop()
	second, err := r.Another(ctx, env...)
	if err != nil {
		return err
	}
	calendars, err := subscribe(ctx, r, server.URL)
	if err != nil {
		return err
	}
	fmt.Printf("%d feeds, each read every %s by two processes for %s; %.0f %% of the requests go wrong, in %d ways (seed %d). %s, %d processors.\n",
		*feeds, *every, *lasts, 100**faulty, len(faults), *seed, runtime.Version(), runtime.NumCPU())
	if err := s.suffer(ctx, *lasts); err != nil {
		return err
	}
	asked := s.heal()
	well := time.Now()
	if err := rig.WaitFor(ctx, 4*time.Minute, func() (bool, error) { return readSince(ctx, r, well) }); err != nil {
		return fmt.Errorf("not all feeds are read again after it: %w", err)
	}
	fmt.Printf("%d requests, of which %d went wrong; all feeds were read well %s after it.\n", asked.all, asked.wrong, time.Since(well).Round(time.Second))
	late, err := lateness(r.Base, second)
	if err != nil {
		return err
	}
	fmt.Printf("Late, from due to begun, of %d readings (within the steps of the metric): p50 %s, p95 %s, p99 %s.\n", late.count, late.at(.5), late.at(.95), late.at(.99))
	return compare(ctx, r, s, calendars)
}

// subscribe adds a calendar for each feed, and returns these.
func subscribe(ctx context.Context, r *rig.Rig, base string) ([]int64, error) {
	calendars := make([]int64, *feeds)
	var all sync.WaitGroup
	var mu sync.Mutex
	var failed error
	room := make(chan struct{}, 8)
	for i := range *feeds {
		all.Go(func() {
			room <- struct{}{}
			defer func() { <-room }()
			id, err := subscribeTo(ctx, r, i, fmt.Sprintf("%s/%d.ics", base, i))
			mu.Lock()
			defer mu.Unlock()
			calendars[i] = id
			failed = errors.Join(failed, err)
		})
	}
	all.Wait()
	return calendars, failed
}

func subscribeTo(ctx context.Context, r *rig.Rig, i int, link string) (int64, error) {
	c, err := client.Decode[client.Calendar](r.API.CreateCalendar(ctx, client.CalendarRequest{Name: fmt.Sprint("Calendar ", i), Zone: "UTC", Grain: client.Day}))
	if err != nil {
		return 0, err
	}
	seconds := int(*every / time.Second)
	_, err = client.Decode[client.Feed](r.API.CreateFeed(ctx, client.FeedRequest{Url: &link, Platform: fmt.Sprint("Platform ", i%20), Name: fmt.Sprint("Feed ", i), Every: &seconds, Calendar: &c.Id}))
	return c.Id, err
}

// readSince reports whether every feed was read well since then.
func readSince(ctx context.Context, r *rig.Rig, since time.Time) (bool, error) {
	all, err := client.Decode[[]client.Feed](r.API.ListFeeds(ctx, nil))
	return err == nil && !slices.ContainsFunc(all, func(f client.Feed) bool {
		return f.State != client.Fresh || f.LastGood == nil || f.LastGood.Before(since)
	}), err
}

// compare holds what is on each calendar against what its platform has sold. The error says where they differ.
func compare(ctx context.Context, r *rig.Rig, s *platforms, calendars []int64) error {
	from := time.Now().UTC().AddDate(0, 0, -1)
	bookings, differ := 0, 0
	for i, id := range calendars {
		is, err := client.Decode[[]client.Booking](r.API.ListBookings(ctx, id, &client.ListBookingsParams{From: openapi_types.Date{Time: from}, To: openapi_types.Date{Time: from.AddDate(2, 0, 0)}}))
		if err != nil {
			return err
		}
		have := make([]string, len(is))
		for n, b := range is {
			have[n] = b.Start + "/" + b.End + " " + b.Title
		}
		slices.Sort(have)
		sold := s.sold(i)
		bookings += len(sold)
		if !slices.Equal(have, sold) {
			differ++
			fmt.Printf("Feed %d differs.\n  here:  %s\n  there: %s\n", i, strings.Join(have, ", "), strings.Join(sold, ", "))
		}
	}
	if differ > 0 {
		return fmt.Errorf("%d of %d feeds differ from their platforms", differ, len(calendars))
	}
	fmt.Printf("What is on the calendars is what the platforms have: %d bookings of %d feeds, none missing, none too many.\n", bookings, len(calendars))
	return nil
}
