package refresh_test

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/judge"
	"wharf/core/span"
	"wharf/internal/localdb/dbtest"
	"wharf/service/combine"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/secret"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var ctx = context.Background()

// bench is a refresher on a clock of its own, with one feed on one calendar by the day,
// whose document the test sets.
type bench struct {
	t        *testing.T
	now      time.Time
	body     string
	status   int
	store    *store.Store
	r        *refresh.Refresher
	feed     int64
	calendar int64
	cutOff   bool        // the next readings end early
	header   http.Header // of the answers
	dsn      string
}

func newBench(t *testing.T, body string) *bench {
	b := &bench{t: t, now: time.Date(2026, 7, 10, 12, 0, 0, 0, time.UTC), body: body, status: http.StatusOK}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		for name, values := range b.header {
			w.Header()[name] = values
		}
		w.WriteHeader(b.status)
		fmt.Fprint(w, "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n"+b.body)
		if !b.cutOff {
			fmt.Fprint(w, "END:VCALENDAR\r\n")
		}
	}))
	t.Cleanup(server.Close)
	clock := func() time.Time { return b.now }
	quiet := slog.New(slog.DiscardHandler)
	var err error
	b.dsn = dbtest.New(t)
	b.store, err = store.Open(ctx, b.dsn, 0)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, b.store.Close()) })
	box, err := secret.LoadBox(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)
	private, err := fetch.ParsePrivate("127.0.0.0/8:1-65535")
	require.NoError(t, err)
	b.r = &refresh.Refresher{Store: b.store, Box: box, Fetcher: fetch.New(fetch.Settings{Allowed: []fetch.Private{private}, MaxBytes: 64 << 20}),
		Combiner: &combine.Combiner{Store: b.store, Now: clock, Log: quiet}, MintKey: box.Derive("uid"), Now: clock, Log: quiet, Lease: time.Minute, Workers: 1, MaxBookings: 100}
	c := store.Calendar{Name: "Ketch", Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: b.now}
	require.NoError(t, b.store.CreateCalendar(ctx, &c))
	b.calendar = c.ID
	f, err := b.r.Subscribe(ctx, "Desk", store.Feed{Name: "Desk", Color: "teal", EverySeconds: 900}, server.URL, &store.Link{CalendarID: c.ID, Role: "blocks", Tentative: "tentative", Units: 1})
	require.NoError(t, err)
	b.feed = f.ID
	return b
}

// read reads the feed an hour later with another document.
func (b *bench) read(body string) store.Reading {
	b.t.Helper()
	b.now = b.now.Add(time.Hour)
	b.body = body
	f, err := b.store.Feed(ctx, b.feed)
	require.NoError(b.t, err)
	reading, err := b.r.Read(ctx, f)
	require.NoError(b.t, err)
	return reading
}

// bookings lists what is on the calendar: "id first/last title".
func (b *bench) bookings() []string {
	b.t.Helper()
	rows, err := b.store.BookingsWithin(ctx, b.calendar, span.Days(span.NewDate(2020, 1, 1), span.NewDate(2040, 1, 1)))
	require.NoError(b.t, err)
	var all []string
	for _, row := range rows {
		first, last := row.Span().Format(span.Day)
		all = append(all, fmt.Sprintf("%s/%s %s", first[5:], last[5:], row.Title))
	}
	return all
}

func event(uid, title string, first, last string, more ...string) string {
	return "BEGIN:VEVENT\r\nUID:" + uid + "\r\nSUMMARY:" + title + "\r\nDTSTART;VALUE=DATE:" + first + "\r\nDTEND;VALUE=DATE:" + last + "\r\n" + strings.Join(more, "\r\n") + "END:VEVENT\r\n"
}

// TestOneReadingAndTheNext: what core/reading finds is what the tables hold.
func TestOneReadingAndTheNext(t *testing.T) {
	a, c := event("a", "Ann", "20260720", "20260722"), event("c", "Cy", "20260801", "20260803")
	begun := event("g", "Gus", "20260708", "20260715")
	ended := event("e", "Eve", "20260701", "20260703")
	all := a + c + begun + ended
	for _, tc := range []struct {
		name, next              string
		added, changed, removed int
		outcome                 store.Outcome
		want                    []string
	}{
		{"the same", all, 0, 0, 0, store.OutcomeUnchanged, []string{"07-01/07-03 Eve", "07-08/07-15 Gus", "07-20/07-22 Ann", "08-01/08-03 Cy"}},
		{"one moved, one more, one less", event("a", "Ann", "20260725", "20260727") + event("n", "Nan", "20260901", "20260902") + begun + ended, 1, 1, 1, store.OutcomeChanged,
			[]string{"07-01/07-03 Eve", "07-08/07-15 Gus", "07-25/07-27 Ann", "09-01/09-02 Nan"}},
		{"all of it is called off, by METHOD alone", "METHOD:CANCEL\r\n" + all, 0, 3, 0, store.OutcomeChanged, []string{"07-01/07-03 Eve"}},
	} {
		t.Run(tc.name, func(t *testing.T) {
			b := newBench(t, all)
			r := b.read(tc.next)
			assert.Equal(t, []any{tc.outcome, tc.added, tc.changed, tc.removed}, []any{r.Outcome, r.Added, r.Changed, r.Removed})
			assert.Equal(t, tc.want, b.bookings())
			assert.Equal(t, store.OutcomeUnchanged, b.read(tc.next).Outcome, "a reading replayed")
		})
	}
}

// TestNewUIDsAtEveryReading: thirty readings in which every UID is new change nothing.
func TestNewUIDsAtEveryReading(t *testing.T) {
	document := func(n int) string {
		return event(fmt.Sprint("x", n), "Guest", "20260720", "20260722") + event(fmt.Sprint("y", n), "Guest", "20260720", "20260722") + event(fmt.Sprint("z", n), "Other", "20260801", "20260803")
	}
	b := newBench(t, document(0))
	rows := func() (ids []string) {
		all, err := b.store.BookingsWithin(ctx, b.calendar, span.Days(0, 100000))
		require.NoError(t, err)
		for _, row := range all {
			ids = append(ids, fmt.Sprint(row.ID, row.Minted, row.SeenBy))
		}
		return ids
	}
	before := rows()
	db, err := sql.Open("mysql", b.dsn)
	require.NoError(t, err)
	defer db.Close()
	written := func() (sums []string) {
		for _, table := range []string{"entries", "bookings", "sightings", "texts", "bodies", "readings", "links", "conflicts", "carried", "versions", "dirty", "changes"} {
			var name, sum string
			require.NoError(t, db.QueryRow("CHECKSUM TABLE "+table).Scan(&name, &sum))
			sums = append(sums, table+" "+sum)
		}
		return sums
	}
	untouched := written()
	conflicts, err := b.store.Conflicts(ctx, b.calendar, judge.Open)
	require.NoError(t, err)
	require.Len(t, conflicts, 1, "two alike are two")
	for n := 1; n <= 30; n++ {
		require.Equal(t, store.OutcomeUnchanged, b.read(document(n)).Outcome)
	}
	assert.Equal(t, before, rows())
	assert.Equal(t, untouched, written(), "nothing is written but the feed's own row")
	readings, err := b.store.Readings(ctx, b.feed, 100)
	require.NoError(t, err)
	assert.Len(t, readings, 1, "only the first has a row of its own")
	f, err := b.store.Feed(ctx, b.feed)
	require.NoError(t, err)
	assert.Equal(t, 30, f.Run().Times)
	assert.EqualValues(t, 30, f.Gaps.Count)
	assert.Equal(t, 30*time.Minute, f.Gaps.MeanWait(), "what happens waits half an hour for the next reading")
	after, err := b.store.Conflicts(ctx, b.calendar, judge.Open)
	require.NoError(t, err)
	assert.Equal(t, conflicts, after)

	for range 30 { // from now on they stay as they are
		require.Equal(t, store.OutcomeUnchanged, b.read(document(30)).Outcome)
	}
	assert.Equal(t, before, rows())
	all, err := b.store.BookingsWithin(ctx, b.calendar, span.Days(0, 100000))
	require.NoError(t, err)
	for _, row := range all {
		assert.Equal(t, "30", row.UID[1:], "what stays is recorded")
		over, err := b.store.SightingsOf(ctx, row.ID)
		require.NoError(t, err)
		assert.Len(t, over, 1)
	}
}

// TestSightings: what an entry showed, and its text, stay on record when it shows something
// else or is gone; what does not change stores nothing.
func TestSightings(t *testing.T) {
	ann, cy := event("a", "Ann", "20260720", "20260722"), event("c", "Cy", "20260801", "20260803")
	b := newBench(t, ann+cy)
	from := b.now
	moved := event("a", "Ann", "20260725", "20260727", "LOCATION:Pier\r\n")
	b.read(moved + cy)
	rows, err := b.store.BookingsWithin(ctx, b.calendar, span.Days(span.NewDate(2026, 7, 25), span.NewDate(2026, 7, 27)))
	require.NoError(t, err)
	require.Len(t, rows, 1)
	over, err := b.store.SightingsOf(ctx, rows[0].ID)
	require.NoError(t, err)
	require.Len(t, over, 1)
	first, last := span.Span{Start: over[0].StartPoint, End: over[0].EndPoint}.Format(span.Day)
	assert.Equal(t, []any{"2026-07-20", "2026-07-22", "a", "Ann", "firm", from, from, b.now}, []any{first, last, over[0].UID, over[0].Title, over[0].Status, over[0].SeenBy, *over[0].OverNotBefore, over[0].OverSeenBy})
	text, err := b.store.Text(ctx, over[0].TextID, over[0].Piece)
	require.NoError(t, err)
	assert.Equal(t, ann, text)

	b.read(cy)
	over, err = b.store.SightingsOf(ctx, rows[0].ID)
	require.NoError(t, err)
	require.Len(t, over, 2)
	text, err = b.store.Text(ctx, over[1].TextID, over[1].Piece)
	require.NoError(t, err)
	assert.Equal(t, moved, text, "also of what is gone")
	assert.NotEqual(t, over[0].Form, over[1].Form)

	require.NoError(t, b.store.ForgetGone(ctx, b.now.Add(-time.Minute)))
	_, err = b.store.Text(ctx, over[0].TextID, over[0].Piece)
	require.NoError(t, err, "one that is still shown came with it")
	// As an earlier Wharf left it, which kept no texts: they are taken from its last document.
	db, err := sql.Open("mysql", b.dsn)
	require.NoError(t, err)
	defer db.Close()
	for _, statement := range []string{"DELETE FROM texts", "UPDATE entries SET text_id = 0, piece = 0, form = ''", "UPDATE bookings SET status = '', form = ''"} {
		_, err = db.Exec(statement)
		require.NoError(t, err)
	}
	b.read(event("c", "Cyril", "20260801", "20260803"))
	rows, err = b.store.BookingsWithin(ctx, b.calendar, span.Days(span.NewDate(2026, 8, 1), span.NewDate(2026, 8, 3)))
	require.NoError(t, err)
	over, err = b.store.SightingsOf(ctx, rows[0].ID)
	require.NoError(t, err)
	require.Len(t, over, 1)
	text, err = b.store.Text(ctx, over[0].TextID, over[0].Piece)
	require.NoError(t, err)
	assert.Equal(t, cy, text)
	assert.Equal(t, from, rows[0].SeenBy)

	b.read("")
	b.now = b.now.AddDate(2, 0, 0)
	require.NoError(t, b.store.ForgetGone(ctx, b.now))
	over, err = b.store.SightingsOf(ctx, rows[0].ID)
	require.NoError(t, err)
	assert.Empty(t, over)
	_, err = b.store.Text(ctx, rows[0].ID, 0)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// TestGoneAndBack: a booking that is missing for a while is the same when it is back, also
// where it is published; what is gone for longer than it is kept is forgotten.
func TestGoneAndBack(t *testing.T) {
	ann, cy := event("a", "Ann", "20260720", "20260722"), event("c", "Cy", "20260801", "20260803")
	b := newBench(t, ann+cy)
	row := func() store.Booking {
		rows, err := b.store.BookingsWithin(ctx, b.calendar, span.Days(span.NewDate(2026, 7, 20), span.NewDate(2026, 7, 22)))
		require.NoError(t, err)
		require.Len(t, rows, 1)
		return rows[0]
	}
	before := row()
	r := b.read(cy)
	assert.Equal(t, 1, r.Removed)
	assert.Equal(t, []string{"08-01/08-03 Cy"}, b.bookings())
	assert.Equal(t, 1, b.read(ann+cy).Added)
	after := row()
	assert.Equal(t, []any{before.ID, before.Minted, before.SeenBy}, []any{after.ID, after.Minted, after.SeenBy})

	b.read(cy)
	require.NoError(t, b.store.ForgetGone(ctx, b.now.Add(-time.Hour)))
	b.read(ann + cy)
	assert.Equal(t, before.ID, row().ID, "gone too lately to be forgotten")
	b.read(cy)
	require.NoError(t, b.store.ForgetGone(ctx, b.now.Add(time.Hour)))
	b.read(ann + cy)
	assert.NotEqual(t, before.ID, row().ID)
}

// TestFailureChangesNothing: whatever goes wrong, what was read last stays, and its facts.
func TestFailureChangesNothing(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	good := b.now
	b.status = http.StatusInternalServerError
	for range 3 {
		assert.Equal(t, store.OutcomeFailed, b.read("").Outcome)
	}
	b.status = http.StatusOK
	b.cutOff = true
	assert.Equal(t, store.OutcomeFailed, b.read("BEGIN:VEVENT\r\nUID:cut\r\n").Outcome, "cut off inside an event")
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.bookings())
	f, err := b.store.Feed(ctx, b.feed)
	require.NoError(t, err)
	state, since := refresh.State(f, b.now)
	assert.Equal(t, refresh.Failing, state)
	assert.Equal(t, good.Add(time.Hour), since)
	readings, err := b.store.Readings(ctx, b.feed, 100)
	require.NoError(t, err)
	require.Len(t, readings, 3, "the first, a run of three alike, another")
	assert.Equal(t, 3, readings[1].Times)

	b.cutOff = false
	r := b.read(event("a", "Ann", "20260720", "20260722") + event("n", "Nan", "20260901", "20260902"))
	assert.Equal(t, 1, r.Added)
	rows, err := b.store.BookingsWithin(ctx, b.calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Nil(t, rows[0].NotBefore, "there from the first reading")
	assert.Equal(t, good, *rows[1].NotBefore, "the last good reading without it, not the failed ones")
	assert.Equal(t, b.now, rows[1].SeenBy)
}

// TestWindowMovesOn: time alone brings later occurrences of a series into the window; they
// are as old as their entry.
func TestWindowMovesOn(t *testing.T) {
	b := newBench(t, event("s", "Class", "20260710", "20260711", "RRULE:FREQ=MONTHLY\r\n"))
	first := len(b.bookings())
	run := func() {
		stop, cancel := context.WithCancel(ctx)
		tick := make(chan time.Time)
		done := make(chan struct{})
		go func() { defer close(done); b.r.Run(stop, tick) }()
		tick <- b.now // the round before this tick is over
		cancel()
		<-done
	}
	run()
	require.Len(t, b.bookings(), first)
	b.now = b.now.AddDate(0, 2, 0)
	run()
	require.Len(t, b.bookings(), first+2)
	rows, err := b.store.BookingsWithin(ctx, b.calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Equal(t, rows[0].SeenBy, rows[len(rows)-1].SeenBy)
}

// TestAbsurdFeeds: what no honest platform writes neither breaks a reading nor fills the
// tables.
func TestAbsurdFeeds(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	var many strings.Builder
	for n := range 101 {
		many.WriteString(event(fmt.Sprint("n", n), "Guest", "20260801", "20260802"))
	}
	r := b.read(many.String())
	assert.Equal(t, store.OutcomeFailed, r.Outcome)
	assert.Contains(t, r.Message, "more than 100 bookings")
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.bookings(), "a feed that is too large changes nothing")

	long := strings.Repeat("x", 100_000)
	r = b.read(event(long, long, "20260720", "20260722", "DTSTAMP:00000101T000000Z", "CREATED:00010101T000000Z", "SEQUENCE:99999999999\r\n") +
		event(long, "Second", "20260901", "20260902", "RECURRENCE-ID:"+long+"\r\n") + event("z", "Far", "99990101", "99991231"))
	require.Equal(t, store.OutcomeChanged, r.Outcome, r.Message)
	assert.Len(t, b.bookings(), 2, "the far one is beyond what the test asks for")
	f, err := b.store.Feed(ctx, b.feed)
	require.NoError(t, err)
	assert.Contains(t, f.Remarks, "the override counts as an event of its own", "what was not understood is said")
	assert.Less(t, len(f.Remarks), 5000)
	assert.Equal(t, store.OutcomeUnchanged, b.read(b.body).Outcome)
}
