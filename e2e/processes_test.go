package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/localdb"
)

// watch stands in front of a platform and sees who reads its feed.
type watch struct {
	mu       sync.Mutex
	within   int // readings going on
	overlaps int
	last     time.Time
	longest  time.Duration // between two readings
	came     chan struct{} // holds a token when one has begun
}

func (s *watch) before(platform http.Handler) http.Handler {
	return http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if !strings.HasPrefix(r.URL.Path, "/ical/") {
			platform.ServeHTTP(rw, r)
			return
		}
		s.mu.Lock()
		s.within++
		if s.within > 1 {
			s.overlaps++
		}
		if now := time.Now(); !s.last.IsZero() {
			s.longest = max(s.longest, now.Sub(s.last))
			s.last = now
		} else {
			s.last = now
		}
		s.mu.Unlock()
		select {
		case s.came <- struct{}{}:
		default:
		}
		// Long enough to be killed in; a reader that is killed is gone at once.
		select {
		case <-r.Context().Done():
		case <-time.After(50 * time.Millisecond):
		}
		platform.ServeHTTP(rw, r)
		s.mu.Lock()
		s.within--
		s.mu.Unlock()
	})
}

// TestKilledInALoop: two and three processes on one database, one of them killed again and
// again while feeds are read, leave the tables that one undisturbed process leaves; every
// feed is read on schedule, and never twice at once.
func TestKilledInALoop(t *testing.T) {
	anyDay(t)
	t.Parallel()
	undisturbed := bookAndKill(t, 1, false)
	require.Contains(t, undisturbed, "double_booking")
	for _, n := range []int{2, 3} {
		t.Run(fmt.Sprint(n), func(t *testing.T) { assert.Equal(t, undisturbed, bookAndKill(t, n, true)) })
	}
}

func bookAndKill(t *testing.T, n int, kill bool) string {
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters", "Kittiwake Berths"}, "WHARF_LEASE=3s", "WHARF_FETCH_TIMEOUT=2s")
	var watches []*watch
	w.run("", "calendar", "add", "Ketch", "--zone", zoneName)
	for i, p := range w.platforms {
		s := &watch{came: make(chan struct{}, 1)}
		watches = append(watches, s)
		w.servers[i].Config.Handler = s.before(w.servers[i].Config.Handler)
		made := lines[client.Publication](t, w.run("", "publication", "add", "For "+p.Name, "--calendar", "Ketch", "--platform", p.Name, "--json"))
		// By the first process's own address: its proxy outlives it.
		require.NoError(t, p.SetImport(made[0].Url))
		w.run("", "feed", "add", w.feedLink(i), "--platform", p.Name, "--name", "Feed of "+p.Name, "--every", "1s", "--calendar", "Ketch")
	}
	processes := []*world{w}
	for range n - 1 {
		processes = append(processes, w.another())
	}
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	defer db.Close()
	const steps = 6
	for i := range steps {
		guest := fmt.Sprintf("Guest %d", i)
		w.book(i%3, guest, 3*i, 3*i+4) // each overlaps the next by a day
		if kill {
			<-watches[i%3].came // what came before this step is of no interest
			<-watches[i%3].came
			victim := processes[i%n]
			require.NoError(t, victim.process.Process.Kill())
			victim.died()
			victim.start(victim.env...)
		}
		w.eventually(guest+" is read", func() bool {
			return dump(t, db, "SELECT COUNT(*) FROM bookings WHERE title LIKE '%"+guest+"%'") == "1\n"
		})
	}
	for range 2 { // what is reflected is reflected again
		for _, p := range w.platforms {
			require.NoError(t, p.ImportNow(context.Background()))
		}
		before := dump(t, db, "SELECT readings FROM feeds ORDER BY id")
		w.eventually("every feed is read twice more", func() bool {
			var was, is [3]int
			_, err := fmt.Sscan(before, &was[0], &was[1], &was[2])
			require.NoError(t, err)
			_, err = fmt.Sscan(dump(t, db, "SELECT readings FROM feeds ORDER BY id"), &is[0], &is[1], &is[2])
			require.NoError(t, err)
			return is[0] > was[0]+1 && is[1] > was[1]+1 && is[2] > was[2]+1
		})
		w.eventually("all is combined", func() bool { return dump(t, db, "SELECT COUNT(*) FROM dirty") == "0\n" })
	}
	for i, s := range watches {
		s.mu.Lock()
		assert.Zero(t, s.overlaps, "feed %d was read twice at once", i)
		assert.Less(t, s.longest, 12*time.Second, "feed %d is read every second, and when its reader died after the lease of three", i)
		t.Logf("feed %d: at most %s between two readings", i, s.longest.Round(time.Millisecond))
		s.mu.Unlock()
	}
	var all strings.Builder
	for _, query := range []string{
		"SELECT name, entries, failing_since IS NULL FROM feeds ORDER BY name",
		"SELECT f.name, b.title, b.start_point, b.end_point, b.blocks, b.verdict, b.removed_at IS NULL FROM bookings b JOIN feeds f ON f.id = b.feed_id ORDER BY 1, 3, 2, 4",
		"SELECT kind, start_point, end_point, state FROM conflicts ORDER BY 2, 3, 1, 4",
		"SELECT p.name, c.start_point, c.end_point, c.units, c.tentative, c.sequence FROM carried c JOIN publications p ON p.id = c.publication_id WHERE c.to_version = 0 ORDER BY 1, 2, 3",
		"SELECT COUNT(*) FROM publications p JOIN versions v ON v.publication_id = p.id AND v.version = p.version AND v.bytes > 0 AND LENGTH(p.body) > 0",
	} {
		all.WriteString(dump(t, db, query) + "--\n")
	}
	return all.String()
}

// TestDatabaseAway: while the database is away, publications are served from memory and
// their pickups counted, the API says when to ask again, and all goes on by itself when it
// is back.
func TestDatabaseAway(t *testing.T) {
	anyDay(t)
	t.Parallel()
	ctx := context.Background()
	dir := filepath.Join(t.TempDir(), "db")
	server, err := localdb.Start(ctx, dir, 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.Stop() })
	require.NoError(t, localdb.Create(ctx, server.DSN(""), "wharf"))
	w := newWorldOn(t, server.DSN("wharf"), []string{"Merrow Charter Desk", "Strand & Tern Charters"}, "WHARF_LOG_LEVEL=debug")
	w.book(0, "Lindqvist", 3, 5)
	w.run("", "calendar", "add", "Ketch", "--zone", zoneName)
	links := map[string]string{}
	for i, p := range w.platforms {
		w.run("", "feed", "add", w.feedLink(i), "--platform", p.Name, "--name", p.Name, "--every", "1s", "--calendar", "Ketch")
		made := lines[client.Publication](t, w.run("", "publication", "add", "For "+p.Name, "--calendar", "Ketch", "--platform", p.Name, "--json"))
		links[p.Name] = made[0].Url
	}
	w.stop()
	w.start(w.env...) // what is published was never asked for in this process

	pickups := func() int64 {
		n := int64(0)
		for _, p := range lines[client.Publication](t, w.run("", "publication", "list", "--json")) {
			n += p.Pickups
		}
		return n
	}
	const rounds = 3
	w.eventually("what is published is in memory", func() bool { return strings.Contains(w.log.String(), "publications loaded") })
	for away := range 2 {
		require.NoError(t, server.Stop())
		w.eventually("the API says when to ask again", func() bool {
			resp, err := http.DefaultClient.Do(w.request(http.MethodGet, "/api/v1/feeds"))
			require.NoError(t, err)
			defer resp.Body.Close()
			return resp.StatusCode == http.StatusServiceUnavailable && resp.Header.Get("Retry-After") != ""
		})
		for range rounds {
			for name, link := range links {
				status, body := fetch(t, link)
				require.Equal(t, http.StatusOK, status, body)
				sold := map[string]int{"Strand & Tern Charters": 1, "Merrow Charter Desk": away}[name] // by the other
				require.Equal(t, sold, strings.Count(body, "BEGIN:VEVENT"), "%s gets the newest version, and none of its own", name)
			}
		}
		for path, want := range map[string]int{"/healthz": 200, "/readyz": 503, "/p/nonsense.ics": 503} {
			status, _ := fetch(t, w.base()+path)
			assert.Equal(t, want, status, path)
		}
		_, errs, code := w.try("", "feed", "list")
		assert.Equal(t, 1, code)
		assert.Contains(t, errs, "the database does not answer")

		back, err := localdb.Start(ctx, dir, server.Port)
		require.NoError(t, err)
		server = back
		guest := fmt.Sprintf("Guest %d", away)
		w.book(1, guest, 8+2*away, 9+2*away)
		w.eventually("what was sold meanwhile is read", func() bool {
			out, _, code := w.try("", "calendar", "show", "Ketch")
			return code == 0 && strings.Contains(out, guest)
		})
		w.eventually("every pickup is counted", func() bool { return pickups() == int64(rounds*len(links)*(away+1)) })
		w.eventually("the new version is in memory, which nobody has asked for", func() bool {
			return strings.Count(w.log.String(), "a new version is on the shelf") > away
		})
	}
}
