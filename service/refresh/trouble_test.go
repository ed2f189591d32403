package refresh_test

import (
	"context"
	"database/sql"
	"log/slog"
	"math/rand"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/span"
	"wharf/internal/localdb/dbtest"
	"wharf/service/combine"
	"wharf/service/desk"
	"wharf/service/refresh"
	"wharf/service/store"
)

// claimed reports whether somebody holds the feed.
// two is a value to change things to.
var two = 2

func claimed(b *bench) bool {
	b.T.Helper()
	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(b.T, err)
	return f.LeaseUntil != nil
}

// smallPackets makes connections to come take two megabytes in one piece, until the test is over.
func smallPackets(t *testing.T) {
	db, err := sql.Open("mysql", dbtest.New(t))
	require.NoError(t, err)
	_, err = db.Exec("SET GLOBAL max_allowed_packet = 2097152")
	require.NoError(t, err)
	t.Cleanup(func() {
		_, err := db.Exec("SET GLOBAL max_allowed_packet = DEFAULT")
		require.NoError(t, err)
		require.NoError(t, db.Close())
	})
}

// TestEveryReadingEnds: whatever a feed brings, its reading has an outcome, and nobody is
// left holding it.
func TestEveryReadingEnds(t *testing.T) {
	ann := event("a", "Ann", "20260720", "20260722")
	noise := func(n int) string { // in Latin-1, which does not compress
		rnd := rand.New(rand.NewSource(1))
		var b strings.Builder
		for b.Len() < n {
			b.WriteString("X-NOISE:")
			for range 4000 {
				b.WriteByte(byte(0xa0 + rnd.Intn(0x60)))
			}
			b.WriteString("\r\n")
		}
		return b.String()
	}
	smallPackets(t)
	for _, tc := range []struct {
		name    string
		do      func(b *bench) []store.Reading
		outcome store.Outcome
	}{
		{"an ETag that is no UTF-8", func(b *bench) []store.Reading {
			b.Header = http.Header{"Etag": {"\"\xe9t\xe9\""}, "Last-Modified": {"d\xe9cembre"}}
			return []store.Reading{b.Read(ann + event("n", "Nan", "20260901", "20260902"))}
		}, store.OutcomeChanged},
		{"66,000 entries that leave at once", func(b *bench) []store.Reading {
			b.SQL("INSERT INTO entries (feed_id, uid, place, digest, seen_by) SELECT ?, seq, seq, seq, NOW(6) FROM seq_1_to_66000", b.Feed)
			r := b.Read(ann + event("n", "Nan", "20260901", "20260902"))
			assert.Equal(b.T, 66_000, r.Removed)
			return []store.Reading{r}
		}, store.OutcomeChanged},
		{"more than the database takes in one piece", func(b *bench) []store.Reading {
			r := b.Read(event("n", "Nan", "20260901", "20260902", noise(3<<20)))
			require.NoError(b.T, b.Desk.EditLink(ctx, desk.By{Seen: 1}, b.Calendar, b.Feed, desk.LinkEdit{Units: &two}), "and it is read again from the tables")
			return []store.Reading{r}
		}, store.OutcomeChanged},
		{"what makes the program stumble", func(b *bench) []store.Reading {
			box := b.Refresher.Box
			b.Refresher.Box = nil
			defer func() { b.Refresher.Box = box }()
			return []store.Reading{b.Read(ann)}
		}, store.OutcomeFailed},
		{"what the tables refuse", func(b *bench) []store.Reading {
			b.SQL("ALTER TABLE entries RENAME COLUMN digest TO other")
			r := b.Read(ann + event("n", "Nan", "20260901", "20260902"))
			b.SQL("ALTER TABLE entries RENAME COLUMN other TO digest")
			return []store.Reading{r}
		}, store.OutcomeFailed},
	} {
		t.Run(tc.name, func(t *testing.T) {
			b := newBench(t, ann)
			var log strings.Builder
			b.Refresher.Log = slog.New(slog.NewTextHandler(&log, nil))
			for _, r := range tc.do(b) {
				assert.Equal(t, tc.outcome, r.Outcome, r.Message)
				assert.NotZero(t, r.ID, "it is on record")
			}
			assert.False(t, claimed(b))
			assert.Less(t, log.Len(), 4000, "%s", log.String())
			f, err := b.Store.Feed(ctx, b.Feed)
			require.NoError(t, err)
			state, _ := refresh.State(f, b.Now)
			if tc.outcome == store.OutcomeFailed {
				assert.Equal(t, refresh.Failing, state)
				assert.Equal(t, []string{"07-20/07-22 Ann"}, b.Bookings(), "nothing is freed")
				assert.Equal(t, store.OutcomeUnchanged, b.Read(ann).Outcome, "it is read again, and all is well")
			} else {
				assert.Equal(t, refresh.Fresh, state)
			}
		})
	}
}

// TestPlaceOfAStumble: the log says where in the code it was.
func TestPlaceOfAStumble(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	var log strings.Builder
	b.Refresher.Log, b.Refresher.Box = slog.New(slog.NewTextHandler(&log, nil)), nil
	r := b.Read("")
	assert.Contains(t, r.Message, "its log says where")
	assert.Regexp(t, `panic: .*secret\.\(\*Box\)\.Open .*secret\.go:\d+`, log.String())
}

// TestLetGo: a reading that is broken off, by a client that hangs up or by the end of the
// service, leaves the feed to others at once; while it goes on, this process does not read
// the feed twice, even when the claim has run out.
func TestLetGo(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	came, release := make(chan bool, 1), make(chan bool)
	slow := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		came <- true
		select {
		case <-release:
		case <-r.Context().Done():
		}
	}))
	t.Cleanup(slow.Close)
	b.SQL("UPDATE feeds SET url_cipher = ?", b.Refresher.Box.Seal("feed-url", slow.URL))
	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	reading, hangUp := context.WithCancel(ctx)
	ended := make(chan error, 1)
	go func() {
		_, err := b.Refresher.Read(reading, f)
		ended <- err
	}()
	<-came
	assert.True(t, claimed(b))
	b.Now = b.Now.Add(10 * b.Refresher.Lease)
	_, err = b.Refresher.Read(ctx, f)
	assert.ErrorIs(t, err, refresh.ErrBusy, "the claim has run out, and its reader still works")
	hangUp()
	assert.ErrorIs(t, <-ended, context.Canceled)
	assert.False(t, claimed(b))
	close(release)
	b.Now = b.Now.Add(time.Minute)
	f, err = b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	_, err = b.Refresher.Read(ctx, f)
	assert.NoError(t, err)
}

// TestTroubleOfACalendar: one calendar that cannot be laid out or combined is set aside, and
// neither the feed that counts on it nor any other calendar notices.
func TestTroubleOfACalendar(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	var log strings.Builder
	loud := slog.New(slog.NewTextHandler(&log, nil))
	b.Refresher.Combiner = &combine.Combiner{Store: b.Store, Now: b.Refresher.Now, Log: loud}
	b.Refresher.Log = slog.New(slog.DiscardHandler)
	broken := store.Calendar{Name: "Broken", Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: b.Now}
	require.NoError(t, b.Store.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&broken) }))
	require.NoError(t, b.Desk.AddLink(ctx, b.Feed, desk.Link{Calendar: broken.ID}))
	b.SQL("UPDATE calendars SET grain = 'week' WHERE id = ?", broken.ID)
	b.SQL("INSERT INTO dirty (calendar_id) VALUES (?)", broken.ID)

	r := b.Read(event("a", "Ann", "20260720", "20260722") + event("n", "Nan", "20260801", "20260803"))
	assert.Equal(t, store.OutcomeChanged, r.Outcome, r.Message)
	assert.Equal(t, []string{"07-20/07-22 Ann", "08-01/08-03 Nan"}, b.Bookings(), "the sound one has it")
	rounds := func(n int) {
		stop, cancel := context.WithCancel(ctx)
		tick, done := make(chan time.Time), make(chan struct{})
		go func() { defer close(done); b.Refresher.Run(stop, tick) }()
		for range n {
			tick <- b.Now
		}
		cancel()
		<-done
	}
	b.Now = b.Now.AddDate(0, 0, 1)
	rounds(5)
	c, err := b.Store.Calendar(ctx, broken.ID)
	require.NoError(t, err)
	require.NotNil(t, c.FailingSince)
	assert.Contains(t, c.Failure, `grain "week" is not known: use night, day or time`)
	assert.True(t, c.RetryAt.After(b.Now))
	assert.Equal(t, 1, strings.Count(log.String(), "is set aside"), "said once: %s", log.String())
	sound, err := b.Store.Calendar(ctx, b.Calendar)
	require.NoError(t, err)
	assert.Equal(t, "2026-07-11", sound.LaidOutOn, "those after it are laid out all the same")

	for n := 2; n < 5; n++ { // later and later
		before := *c.RetryAt
		b.Now = before
		rounds(1)
		c, err = b.Store.Calendar(ctx, broken.ID)
		require.NoError(t, err)
		assert.Equal(t, n, c.Failures)
		assert.Greater(t, c.RetryAt.Sub(b.Now), 5*time.Second<<(n-2))
	}
	require.NoError(t, b.Desk.EditCalendar(ctx, desk.By{Seen: 1}, b.Calendar, desk.CalendarEdit{Capacity: &two}), "nobody else notices")
	b.SQL("UPDATE calendars SET grain = 'day' WHERE id = ?", broken.ID)
	require.NoError(t, b.Desk.EditCalendar(ctx, desk.By{Seen: 1}, broken.ID, desk.CalendarEdit{Capacity: &two}), "it is tried at once when somebody changes it")
	rounds(1)
	c, err = b.Store.Calendar(ctx, broken.ID)
	require.NoError(t, err)
	assert.Nil(t, c.FailingSince, "mended, it is up to date")
	assert.Zero(t, c.Failures)
	rows, err := b.Store.BookingsOn(ctx, map[int64]span.Span{broken.ID: {Start: 0, End: 100000}})
	require.NoError(t, err)
	assert.Len(t, rows[broken.ID], 2, "with what was read meanwhile")
}
