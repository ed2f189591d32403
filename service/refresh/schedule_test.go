package refresh_test

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/feedtest"
	"wharf/service/combine"
	"wharf/service/desk"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/secret"
	"wharf/service/store"
)

// TestProcessesShareTheWork: of many feeds that are due, two processes read each once, as
// fast as their workers are free and not as the clock ticks; and at the next time again.
func TestProcessesShareTheWork(t *testing.T) {
	const feeds = 60
	var mu sync.Mutex
	asked := map[string]int{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		asked[r.URL.Path]++
		mu.Unlock()
		fmt.Fprint(w, "BEGIN:VCALENDAR\r\n"+event(r.URL.Path, "Guest", "20260720", "20260722")+"END:VCALENDAR\r\n")
	}))
	t.Cleanup(server.Close)
	var clockMu sync.Mutex
	now := time.Date(2026, 7, 10, 12, 0, 0, 0, time.UTC)
	clock := func() time.Time {
		clockMu.Lock()
		defer clockMu.Unlock()
		return now
	}
	dsn, quiet, key := feedtest.Database(t), slog.New(slog.DiscardHandler), filepath.Join(t.TempDir(), "key")
	private, err := fetch.ParsePrivate("127.0.0.0/8:1-65535")
	require.NoError(t, err)
	run, stop := context.WithCancel(ctx)
	var running sync.WaitGroup
	var all []*refresh.Refresher
	var ticks []chan time.Time
	for range 2 {
		s, err := store.Open(ctx, dsn, 0)
		require.NoError(t, err)
		t.Cleanup(func() { require.NoError(t, s.Close()) })
		box, err := secret.LoadBox(key)
		require.NoError(t, err)
		r := &refresh.Refresher{Store: s, Box: box, Fetcher: fetch.New(fetch.Settings{Allowed: []fetch.Private{private}}), MintKey: box.Derive("uid"),
			Combiner: &combine.Combiner{Store: s, Now: clock, Log: quiet}, Now: clock, Log: quiet, Lease: time.Minute, Workers: 4, MaxBookings: 100}
		all, ticks = append(all, r), append(ticks, make(chan time.Time))
	}
	for i := range feeds {
		subscriber := &desk.Desk{Store: all[0].Store, Refresher: all[0], Combiner: all[0].Combiner, Now: clock}
		_, err := subscriber.AddFeed(ctx, desk.Feed{Name: fmt.Sprint("Feed ", i), Platform: "Desk", Color: "teal", Every: 15 * time.Minute, Source: desk.Source{URL: fmt.Sprintf("%s/%d.ics", server.URL, i)}})
		require.NoError(t, err)
	}
	for i, r := range all {
		running.Go(func() { r.Run(run, ticks[i]) })
	}
	everywhere := func(times int) bool {
		mu.Lock()
		defer mu.Unlock()
		for i := range feeds {
			if asked[fmt.Sprintf("/%d.ics", i)] != times {
				return false
			}
		}
		return true
	}
	for round := range 3 {
		clockMu.Lock()
		now = now.Add(time.Hour)
		clockMu.Unlock()
		for _, tick := range ticks {
			tick <- time.Time{} // one each
		}
		require.Eventually(t, func() bool { return everywhere(round + 2) }, 30*time.Second, 10*time.Millisecond, "every feed is read in round %d", round)
		require.Eventually(t, func() bool {
			rows, err := all[0].Store.Feeds(ctx)
			for _, f := range rows {
				if f.Readings != int64(round+2) {
					return false
				}
			}
			return err == nil
		}, 30*time.Second, 10*time.Millisecond, "and stored")
	}
	for _, tick := range ticks {
		tick <- time.Time{}
	}
	assert.True(t, everywhere(4), "and not once more than it is due")
	stop()
	running.Wait()
	rows, err := all[1].Store.Feeds(ctx)
	require.NoError(t, err)
	for _, f := range rows {
		assert.EqualValues(t, 4, f.Readings, f.Name)
		assert.Nil(t, f.LeaseUntil, "nothing stays claimed")
	}
}
