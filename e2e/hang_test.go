package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/localdb"
	"wharf/internal/localdb/dbtest"
)

// TestDatabaseHangs: a database that is there and does not answer is away, within seconds;
// what is published goes on.
func TestDatabaseHangs(t *testing.T) {
	anyDay(t)
	t.Parallel()
	ctx := context.Background()
	server, err := localdb.Start(ctx, filepath.Join(t.TempDir(), "db"), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.Resume(); _ = server.Stop() })
	require.NoError(t, localdb.Create(ctx, server.DSN(""), "wharf"))
	w := newWorldOn(t, server.DSN("wharf"), nil, "WHARF_QUERY_TIMEOUT=2s", "WHARF_REQUEST_TIMEOUT=6s")
	const calendars = 20
	for i := range calendars {
		w.run("", "calendar", "add", fmt.Sprint("Calendar ", i), "--zone", zoneName)
	}
	published := lines[client.Publication](t, w.run("", "publication", "add", "For P", "--calendar", "Calendar 1", "--platform", "P", "--json"))[0]
	status, _ := fetch(t, published.Url)
	require.Equal(t, http.StatusOK, status)

	db, err := sql.Open("mysql", server.DSN("wharf"))
	require.NoError(t, err)
	defer db.Close()
	questions := func() int {
		n, err := strconv.Atoi(strings.Fields(dump(t, db, "SHOW GLOBAL STATUS LIKE 'Questions'"))[1])
		require.NoError(t, err)
		return n
	}
	// What the service asks by itself meanwhile counts, too: one time without much of that is enough.
	w.eventually("the bookings of all calendars are not asked for one by one", func() bool {
		before := questions()
		for range 5 {
			resp, err := http.DefaultClient.Do(w.request(http.MethodGet, "/api/v1/bookings?from="+day(t, 0)+"&to="+day(t, 3)))
			require.NoError(t, err)
			require.NoError(t, resp.Body.Close())
			require.Equal(t, http.StatusOK, resp.StatusCode)
		}
		return questions()-before < 5*calendars
	})

	require.NoError(t, server.Pause())
	hasty := &http.Client{Timeout: patience}
	var group sync.WaitGroup
	for range 40 { // more than there are connections
		group.Go(func() {
			resp, err := hasty.Do(w.request(http.MethodGet, "/api/v1/feeds"))
			if assert.NoError(t, err) {
				assert.Equal(t, http.StatusServiceUnavailable, resp.StatusCode)
				assert.NotEmpty(t, resp.Header.Get("Retry-After"))
				_ = resp.Body.Close()
			}
		})
	}
	group.Wait()
	for _, agent := range []string{"one who was here", "a new one", "another"} {
		r, err := http.NewRequest(http.MethodGet, published.Url, nil)
		require.NoError(t, err)
		r.Header.Set("User-Agent", agent)
		resp, err := hasty.Do(r)
		require.NoError(t, err, agent)
		require.NoError(t, resp.Body.Close())
		assert.Equal(t, http.StatusOK, resp.StatusCode, agent)
	}
	require.NoError(t, server.Resume())
	w.eventually("all goes on by itself, and every pickup is counted", func() bool {
		out, _, code := w.try("", "publication", "show", "For P", "--json")
		return code == 0 && lines[client.Publication](t, out)[0].Pickups == 4
	})
	assert.Less(t, strings.Count(w.log.String(), "level=ERROR"), 200)
}

// TestKilledWhileStarting: of several processes that start at once on an empty database, each
// killed at some moment, the next one always comes up.
func TestKilledWhileStarting(t *testing.T) {
	anyDay(t)
	t.Parallel()
	for round := range 4 {
		dsn, key := dbtest.New(t), "WHARF_KEY_FILE="+filepath.Join(t.TempDir(), "key")
		var group sync.WaitGroup
		for range 3 {
			group.Go(func() {
				for range 2 {
					cmd := exec.Command(binary, "serve")
					cmd.Env = append(os.Environ(), "WHARF_LISTEN=127.0.0.1:0", "WHARF_PUBLIC_URL=http://127.0.0.1", "WHARF_DATABASE="+dsn, key)
					if !assert.NoError(t, cmd.Start()) {
						return
					}
					select {
					case <-time.After(100*time.Millisecond + rand.N(900*time.Millisecond)):
					case <-t.Context().Done():
					}
					_ = cmd.Process.Kill()
					_ = cmd.Wait() // it was killed
				}
			})
		}
		group.Wait()
		w := newWorldOn(t, dsn, nil, key)
		w.run("", "calendar", "add", "Hall", "--zone", "UTC")
		w.stop()
		t.Logf("round %d: up", round)
	}
}

// TestStopsInTime: the service ends when it is told to, also in the middle of a reading,
// and leaves the feed to others.
func TestStopsInTime(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil, "WHARF_STOP_TIMEOUT=3s", "WHARF_FETCH_TIMEOUT=50s", "WHARF_LEASE=60s")
	came := make(chan bool)
	var good atomic.Bool
	good.Store(true)
	slow := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if good.Load() {
			_, _ = io.WriteString(rw, "BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n")
			return
		}
		came <- true
		<-r.Context().Done()
	}))
	t.Cleanup(slow.Close)
	w.run("", "feed", "add", slow.URL, "--platform", "P", "--name", "Slow", "--every", "1s")
	w.run("", "calendar", "add", "Hall", "--zone", "UTC")
	link := lines[client.Publication](t, w.run("", "publication", "add", "For P", "--calendar", "Hall", "--platform", "P", "--json"))[0].Url
	good.Store(false)
	<-came
	var left sync.WaitGroup
	left.Go(func() { // takes all the time that there is
		_, _, _ = w.try("", "feed", "add", slow.URL, "--platform", "P", "--name", "Slower") // it is broken off
	})
	t.Cleanup(left.Wait)
	<-came
	for range 3 {
		status, _ := fetch(t, link)
		require.Equal(t, http.StatusOK, status)
	}
	w.stop()
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	defer db.Close()
	assert.Equal(t, "1\n", dump(t, db, "SELECT lease_until IS NULL FROM feeds"))
	assert.Equal(t, "3\n", dump(t, db, "SELECT SUM(times) FROM pickups"), "what was counted last is written all the same")
}

// TestCompressed: answers and files are packed for whoever takes them so.
func TestCompressed(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	for i := range 30 {
		w.run("", "calendar", "add", fmt.Sprint("Calendar ", i), "--zone", zoneName)
	}
	for _, path := range []string{"/api/v1/calendars", "/api/v1/openapi.yaml", "/"} {
		for coding, want := range map[string]string{"gzip": "gzip", "identity": ""} {
			r := w.request(http.MethodGet, path)
			r.URL.Host = w.address // the proxy takes the coding off
			r.Header.Set("Accept-Encoding", coding)
			resp, err := http.DefaultClient.Do(r)
			require.NoError(t, err)
			require.NoError(t, resp.Body.Close())
			if path == "/" && resp.ContentLength > 0 && resp.ContentLength < 1024 {
				continue // too small to be worth it
			}
			assert.Equal(t, want, resp.Header.Get("Content-Encoding"), "%s in %s", path, coding)
			assert.Contains(t, resp.Header.Values("Vary"), "Accept-Encoding", path)
		}
	}
}
