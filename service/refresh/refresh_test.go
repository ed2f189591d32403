package refresh_test

import (
	"context"
	"database/sql"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/judge"
	"wharf/core/span"
	"wharf/internal/feedtest"
	"wharf/internal/localdb/dbtest"
	"wharf/service/refresh"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var ctx = context.Background()

type bench = feedtest.Bench

var (
	newBench = feedtest.New
	event    = feedtest.Event
)

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
			r := b.Read(tc.next)
			assert.Equal(t, []any{tc.outcome, tc.added, tc.changed, tc.removed}, []any{r.Outcome, r.Added, r.Changed, r.Removed})
			assert.Equal(t, tc.want, b.Bookings())
			assert.Equal(t, store.OutcomeUnchanged, b.Read(tc.next).Outcome, "a reading replayed")
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
		all, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
		require.NoError(t, err)
		for _, row := range all {
			ids = append(ids, fmt.Sprint(row.ID, row.Minted, row.SeenBy))
		}
		return ids
	}
	before := rows()
	db, err := sql.Open("mysql", b.DSN)
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
	conflicts, err := b.Store.Conflicts(ctx, b.Calendar, judge.Open)
	require.NoError(t, err)
	require.Len(t, conflicts, 1, "two alike are two")
	for n := 1; n <= 30; n++ {
		require.Equal(t, store.OutcomeUnchanged, b.Read(document(n)).Outcome)
	}
	assert.Equal(t, before, rows())
	assert.Equal(t, untouched, written(), "nothing is written but the feed's own row")
	readings, err := b.Store.Readings(ctx, b.Feed, 100)
	require.NoError(t, err)
	assert.Len(t, readings, 1, "only the first has a row of its own")
	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	assert.Equal(t, 30, f.Run().Times)
	assert.EqualValues(t, 30, f.Gaps.Count)
	assert.Equal(t, 30*time.Minute, f.Gaps.MeanWait(), "what happens waits half an hour for the next reading")
	after, err := b.Store.Conflicts(ctx, b.Calendar, judge.Open)
	require.NoError(t, err)
	assert.Equal(t, conflicts, after)

	for range 30 { // from now on they stay as they are
		require.Equal(t, store.OutcomeUnchanged, b.Read(document(30)).Outcome)
	}
	assert.Equal(t, before, rows())
	all, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
	require.NoError(t, err)
	for _, row := range all {
		assert.Equal(t, "30", row.UID[1:], "what stays is recorded")
		over, err := b.Store.SightingsOf(ctx, row.ID)
		require.NoError(t, err)
		assert.Len(t, over, 1)
	}
}

// TestSightings: what an entry showed, and its text, stay on record when it shows something
// else or is gone; what does not change stores nothing.
func TestSightings(t *testing.T) {
	ann, cy := event("a", "Ann", "20260720", "20260722"), event("c", "Cy", "20260801", "20260803")
	b := newBench(t, ann+cy)
	from := b.Now
	moved := event("a", "Ann", "20260725", "20260727", "LOCATION:Pier\r\n")
	b.Read(moved + cy)
	rows, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(span.NewDate(2026, 7, 25), span.NewDate(2026, 7, 27)))
	require.NoError(t, err)
	require.Len(t, rows, 1)
	over, err := b.Store.SightingsOf(ctx, rows[0].ID)
	require.NoError(t, err)
	require.Len(t, over, 1)
	first, last := span.Span{Start: over[0].StartPoint, End: over[0].EndPoint}.Format(span.Day)
	assert.Equal(t, []any{"2026-07-20", "2026-07-22", "a", "Ann", "firm", from, from, b.Now}, []any{first, last, over[0].UID, over[0].Title, over[0].Status, over[0].SeenBy, *over[0].OverNotBefore, over[0].OverSeenBy})
	text, err := b.Store.Text(ctx, over[0].TextID, over[0].Piece)
	require.NoError(t, err)
	assert.Equal(t, ann, text)

	b.Read(cy)
	over, err = b.Store.SightingsOf(ctx, rows[0].ID)
	require.NoError(t, err)
	require.Len(t, over, 2)
	text, err = b.Store.Text(ctx, over[1].TextID, over[1].Piece)
	require.NoError(t, err)
	assert.Equal(t, moved, text, "also of what is gone")
	assert.NotEqual(t, over[0].Form, over[1].Form)

	require.NoError(t, b.Store.ForgetGone(ctx, b.Now.Add(-time.Minute)))
	_, err = b.Store.Text(ctx, over[0].TextID, over[0].Piece)
	require.NoError(t, err, "one that is still shown came with it")
	// As an earlier Wharf left it, which kept no texts: they are taken from its last document.
	db, err := sql.Open("mysql", b.DSN)
	require.NoError(t, err)
	defer db.Close()
	for _, statement := range []string{"DELETE FROM texts", "UPDATE entries SET text_id = 0, piece = 0, form = ''", "UPDATE bookings SET status = '', form = ''"} {
		_, err = db.Exec(statement)
		require.NoError(t, err)
	}
	b.Read(event("c", "Cyril", "20260801", "20260803"))
	rows, err = b.Store.BookingsWithin(ctx, b.Calendar, span.Days(span.NewDate(2026, 8, 1), span.NewDate(2026, 8, 3)))
	require.NoError(t, err)
	over, err = b.Store.SightingsOf(ctx, rows[0].ID)
	require.NoError(t, err)
	require.Len(t, over, 1)
	text, err = b.Store.Text(ctx, over[0].TextID, over[0].Piece)
	require.NoError(t, err)
	assert.Equal(t, cy, text)
	assert.Equal(t, from, rows[0].SeenBy)

	b.Read("")
	b.Now = b.Now.AddDate(2, 0, 0)
	require.NoError(t, b.Store.ForgetGone(ctx, b.Now))
	over, err = b.Store.SightingsOf(ctx, rows[0].ID)
	require.NoError(t, err)
	assert.Empty(t, over)
	_, err = b.Store.Text(ctx, rows[0].ID, 0)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// TestGoneAndBack: a booking that is missing for a while is the same when it is back, also
// where it is published; what is gone for longer than it is kept is forgotten.
func TestGoneAndBack(t *testing.T) {
	ann, cy := event("a", "Ann", "20260720", "20260722"), event("c", "Cy", "20260801", "20260803")
	b := newBench(t, ann+cy)
	row := func() store.Booking {
		rows, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(span.NewDate(2026, 7, 20), span.NewDate(2026, 7, 22)))
		require.NoError(t, err)
		require.Len(t, rows, 1)
		return rows[0]
	}
	before := row()
	r := b.Read(cy)
	assert.Equal(t, 1, r.Removed)
	assert.Equal(t, []string{"08-01/08-03 Cy"}, b.Bookings())
	assert.Equal(t, 1, b.Read(ann+cy).Added)
	after := row()
	assert.Equal(t, []any{before.ID, before.Minted, before.SeenBy}, []any{after.ID, after.Minted, after.SeenBy})

	b.Read(cy)
	require.NoError(t, b.Store.ForgetGone(ctx, b.Now.Add(-time.Hour)))
	b.Read(ann + cy)
	assert.Equal(t, before.ID, row().ID, "gone too lately to be forgotten")
	b.Read(cy)
	require.NoError(t, b.Store.ForgetGone(ctx, b.Now.Add(time.Hour)))
	b.Read(ann + cy)
	assert.NotEqual(t, before.ID, row().ID)
}

// TestFailureChangesNothing: whatever goes wrong, what was read last stays, and its facts.
func TestFailureChangesNothing(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	good := b.Now
	b.Status = http.StatusInternalServerError
	for range 3 {
		assert.Equal(t, store.OutcomeFailed, b.Read("").Outcome)
	}
	b.Status = http.StatusOK
	b.CutOff = true
	assert.Equal(t, store.OutcomeFailed, b.Read("BEGIN:VEVENT\r\nUID:cut\r\n").Outcome, "cut off inside an event")
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.Bookings())
	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	state, since := refresh.State(f, b.Now)
	assert.Equal(t, refresh.Failing, state)
	assert.Equal(t, good.Add(time.Hour), since)
	readings, err := b.Store.Readings(ctx, b.Feed, 100)
	require.NoError(t, err)
	require.Len(t, readings, 3, "the first, a run of three alike, another")
	assert.Equal(t, 3, readings[1].Times)

	b.CutOff = false
	r := b.Read(event("a", "Ann", "20260720", "20260722") + event("n", "Nan", "20260901", "20260902"))
	assert.Equal(t, 1, r.Added)
	rows, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Nil(t, rows[0].NotBefore, "there from the first reading")
	assert.Equal(t, good, *rows[1].NotBefore, "the last good reading without it, not the failed ones")
	assert.Equal(t, b.Now, rows[1].SeenBy)
}

// TestWindowMovesOn: time alone brings later occurrences of a series into the window; they
// are as old as their entry.
func TestWindowMovesOn(t *testing.T) {
	b := newBench(t, event("s", "Class", "20260710", "20260711", "RRULE:FREQ=MONTHLY\r\n"))
	first := len(b.Bookings())
	run := func() {
		stop, cancel := context.WithCancel(ctx)
		tick := make(chan time.Time)
		done := make(chan struct{})
		go func() { defer close(done); b.Refresher.Run(stop, tick) }()
		tick <- b.Now // the round before this tick is over
		cancel()
		<-done
	}
	run()
	require.Len(t, b.Bookings(), first)
	b.Now = b.Now.AddDate(0, 2, 0)
	run()
	require.Len(t, b.Bookings(), first+2)
	rows, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
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
	r := b.Read(many.String())
	assert.Equal(t, store.OutcomeFailed, r.Outcome)
	assert.Contains(t, r.Message, "more than 100 bookings")
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.Bookings(), "a feed that is too large changes nothing")

	long := strings.Repeat("x", 100_000)
	r = b.Read(event(long, long, "20260720", "20260722", "DTSTAMP:00000101T000000Z", "CREATED:00010101T000000Z", "SEQUENCE:99999999999\r\n") +
		event(long, "Second", "20260901", "20260902", "RECURRENCE-ID:"+long+"\r\n") + event("z", "Far", "99990101", "99991231"))
	require.Equal(t, store.OutcomeChanged, r.Outcome, r.Message)
	assert.Len(t, b.Bookings(), 2, "the far one is beyond what the test asks for")
	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	assert.Contains(t, f.Remarks, "the override counts as an event of its own", "what was not understood is said")
	assert.Less(t, len(f.Remarks), 5000)
	assert.Equal(t, store.OutcomeUnchanged, b.Read(b.Body).Outcome)
}
