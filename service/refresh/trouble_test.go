package refresh_test

import (
	"context"
	"database/sql"
	"errors"
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
	"wharf/service/refresh"
	"wharf/service/store"
)

// sql runs a statement beside the store, as no program of ours would.
func (b *bench) sql(statement string, args ...any) {
	b.t.Helper()
	db, err := sql.Open("mysql", b.dsn)
	require.NoError(b.t, err)
	defer db.Close()
	_, err = db.Exec(statement, args...)
	require.NoError(b.t, err)
}

// claimed reports whether somebody holds the feed.
func (b *bench) claimed() bool {
	b.t.Helper()
	f, err := b.store.Feed(ctx, b.feed)
	require.NoError(b.t, err)
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
			b.header = http.Header{"Etag": {"\"\xe9t\xe9\""}, "Last-Modified": {"d\xe9cembre"}}
			return []store.Reading{b.read(ann + event("n", "Nan", "20260901", "20260902"))}
		}, store.OutcomeChanged},
		{"66,000 entries that leave at once", func(b *bench) []store.Reading {
			b.sql("INSERT INTO entries (feed_id, uid, place, digest, seen_by) SELECT ?, seq, seq, seq, NOW(6) FROM seq_1_to_66000", b.feed)
			r := b.read(ann + event("n", "Nan", "20260901", "20260902"))
			assert.Equal(b.t, 66_000, r.Removed)
			return []store.Reading{r}
		}, store.OutcomeChanged},
		{"more than the database takes in one piece", func(b *bench) []store.Reading {
			r := b.read(event("n", "Nan", "20260901", "20260902", noise(3<<20)))
			require.NoError(b.t, b.r.EditLink(ctx, b.calendar, b.feed, func(_ *store.Tx, l *store.Link) error { l.Units = 2; return nil }), "and it is read again from the tables")
			return []store.Reading{r}
		}, store.OutcomeChanged},
		{"what makes the program stumble", func(b *bench) []store.Reading {
			box := b.r.Box
			b.r.Box = nil
			defer func() { b.r.Box = box }()
			return []store.Reading{b.read(ann)}
		}, store.OutcomeFailed},
		{"what the tables refuse", func(b *bench) []store.Reading {
			b.sql("ALTER TABLE entries RENAME COLUMN digest TO other")
			r := b.read(ann + event("n", "Nan", "20260901", "20260902"))
			b.sql("ALTER TABLE entries RENAME COLUMN other TO digest")
			return []store.Reading{r}
		}, store.OutcomeFailed},
	} {
		t.Run(tc.name, func(t *testing.T) {
			b := newBench(t, ann)
			var log strings.Builder
			b.r.Log = slog.New(slog.NewTextHandler(&log, nil))
			for _, r := range tc.do(b) {
				assert.Equal(t, tc.outcome, r.Outcome, r.Message)
				assert.NotZero(t, r.ID, "it is on record")
			}
			assert.False(t, b.claimed())
			assert.Less(t, log.Len(), 4000, "%s", log.String())
			f, err := b.store.Feed(ctx, b.feed)
			require.NoError(t, err)
			state, _ := refresh.State(f, b.now)
			if tc.outcome == store.OutcomeFailed {
				assert.Equal(t, refresh.Failing, state)
				assert.Equal(t, []string{"07-20/07-22 Ann"}, b.bookings(), "nothing is freed")
				assert.Equal(t, store.OutcomeUnchanged, b.read(ann).Outcome, "it is read again, and all is well")
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
	b.r.Log, b.r.Box = slog.New(slog.NewTextHandler(&log, nil)), nil
	r := b.read("")
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
	b.sql("UPDATE feeds SET url_cipher = ?", b.r.Box.Seal("feed-url", slow.URL))
	f, err := b.store.Feed(ctx, b.feed)
	require.NoError(t, err)
	reading, hangUp := context.WithCancel(ctx)
	ended := make(chan error, 1)
	go func() {
		_, err := b.r.Read(reading, f)
		ended <- err
	}()
	<-came
	assert.True(t, b.claimed())
	b.now = b.now.Add(10 * b.r.Lease)
	_, err = b.r.Read(ctx, f)
	assert.ErrorIs(t, err, refresh.ErrBusy, "the claim has run out, and its reader still works")
	hangUp()
	assert.ErrorIs(t, <-ended, context.Canceled)
	assert.False(t, b.claimed())
	close(release)
	b.now = b.now.Add(time.Minute)
	f, err = b.store.Feed(ctx, b.feed)
	require.NoError(t, err)
	_, err = b.r.Read(ctx, f)
	assert.NoError(t, err)
}

// TestTroubleOfACalendar: one calendar that cannot be laid out or combined is set aside, and
// neither the feed that counts on it nor any other calendar notices.
func TestTroubleOfACalendar(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	var log strings.Builder
	loud := slog.New(slog.NewTextHandler(&log, nil))
	b.r.Combiner = &combine.Combiner{Store: b.store, Now: b.r.Now, Log: loud}
	b.r.Log = slog.New(slog.DiscardHandler)
	broken := store.Calendar{Name: "Broken", Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: b.now}
	require.NoError(t, b.store.CreateCalendar(ctx, &broken))
	require.NoError(t, b.r.Link(ctx, store.Link{CalendarID: broken.ID, FeedID: b.feed, Role: "blocks", Tentative: "tentative", Units: 1}))
	b.sql("UPDATE calendars SET grain = 'week' WHERE id = ?", broken.ID)
	b.sql("INSERT INTO dirty (calendar_id) VALUES (?)", broken.ID)

	r := b.read(event("a", "Ann", "20260720", "20260722") + event("n", "Nan", "20260801", "20260803"))
	assert.Equal(t, store.OutcomeChanged, r.Outcome, r.Message)
	assert.Equal(t, []string{"07-20/07-22 Ann", "08-01/08-03 Nan"}, b.bookings(), "the sound one has it")
	rounds := func(n int) {
		stop, cancel := context.WithCancel(ctx)
		tick, done := make(chan time.Time), make(chan struct{})
		go func() { defer close(done); b.r.Run(stop, tick) }()
		for range n {
			tick <- b.now
		}
		cancel()
		<-done
	}
	b.now = b.now.AddDate(0, 0, 1)
	rounds(5)
	c, err := b.store.Calendar(ctx, broken.ID)
	require.NoError(t, err)
	require.NotNil(t, c.FailingSince)
	assert.Contains(t, c.Failure, `grain "week" is not known: use night, day or time`)
	assert.True(t, c.RetryAt.After(b.now))
	assert.Equal(t, 1, strings.Count(log.String(), "is set aside"), "said once: %s", log.String())
	sound, err := b.store.Calendar(ctx, b.calendar)
	require.NoError(t, err)
	assert.Equal(t, "2026-07-11", sound.LaidOutOn, "those after it are laid out all the same")

	for n := 2; n < 5; n++ { // later and later
		before := *c.RetryAt
		b.now = before
		rounds(1)
		c, err = b.store.Calendar(ctx, broken.ID)
		require.NoError(t, err)
		assert.Equal(t, n, c.Failures)
		assert.Greater(t, c.RetryAt.Sub(b.now), 5*time.Second<<(n-2))
	}
	require.NoError(t, b.r.EditCalendar(ctx, b.calendar, func(_ *store.Tx, c *store.Calendar) error { c.Capacity = 2; return nil }), "nobody else notices")
	b.sql("UPDATE calendars SET grain = 'day' WHERE id = ?", broken.ID)
	require.NoError(t, b.r.EditCalendar(ctx, broken.ID, func(_ *store.Tx, c *store.Calendar) error { c.Capacity = 2; return nil }), "it is tried at once when somebody changes it")
	rounds(1)
	c, err = b.store.Calendar(ctx, broken.ID)
	require.NoError(t, err)
	assert.Nil(t, c.FailingSince, "mended, it is up to date")
	assert.Zero(t, c.Failures)
	rows, err := b.store.BookingsOn(ctx, map[int64]span.Span{broken.ID: {Start: 0, End: 100000}})
	require.NoError(t, err)
	assert.Len(t, rows[broken.ID], 2, "with what was read meanwhile")
}

// TestAnotherPlatform: a feed that turns out to be another platform's is at once no longer
// sent to that one.
func TestAnotherPlatform(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	var other int64
	require.NoError(t, b.store.Tx(ctx, func(tx *store.Tx) error {
		p, err := tx.PlatformNamed("Berths")
		if err != nil {
			return err
		}
		other = p.ID
		publication := store.Publication{Title: "Spoken for", CalendarID: b.calendar, PlatformID: p.ID, Name: "For Berths", SecretHash: make([]byte, 32), SecretCipher: []byte("x"), CreatedAt: b.now}
		return errors.Join(tx.CreatePublication(&publication), tx.MarkDirty(b.calendar))
	}))
	require.NoError(t, b.r.Combiner.All(ctx))
	published := func() string {
		served, err := b.store.PublicationServed(ctx, make([]byte, 32))
		require.NoError(t, err)
		_, plain, err := served.Texts()
		require.NoError(t, err)
		return string(plain)
	}
	require.Contains(t, published(), "BEGIN:VEVENT")
	require.NoError(t, b.r.EditFeed(ctx, b.feed, "", func(_ *store.Tx, f *store.Feed) error { f.PlatformID = other; return nil }))
	assert.NotContains(t, published(), "BEGIN:VEVENT", "it is its own")
}

// TestWebcal: in whatever letters, webcal is tried by https and then by http.
func TestWebcal(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	link := serving(t, "BEGIN:VCALENDAR\r\n"+event("n", "Nan", "20260801", "20260803")+"END:VCALENDAR\r\n")
	for _, scheme := range []string{"webcal", "Webcal", "WEBCAL", " wEbCaL"} {
		require.NoError(t, b.r.EditFeed(ctx, b.feed, scheme+strings.TrimPrefix(link, "http"), keep), scheme)
	}
}
