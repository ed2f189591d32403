package refresh_test

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/span"
	"wharf/service/store"
)

// keep changes nothing of a feed but what the link changes.
func keep(*store.Tx, *store.Feed) error { return nil }

func serving(t *testing.T, body string) string {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte(body)) }))
	t.Cleanup(server.Close)
	return server.URL
}

// TestEditFeed: a new link takes the place of the old one whole or not at all; a reading
// of the old one that is going on meanwhile is lost, and one beside another edit is not.
func TestEditFeed(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722"))
	claim := func() store.Feed {
		t.Helper()
		f, err := b.store.Feed(ctx, b.feed)
		require.NoError(t, err)
		f, ok, err := b.store.ClaimFeed(ctx, f, b.now, b.now.Add(b.r.Lease))
		require.NoError(t, err)
		require.True(t, ok)
		return f
	}
	save := func(f store.Feed) error {
		return b.store.Tx(ctx, func(tx *store.Tx) error { return tx.SaveFeed(f) })
	}

	reader := claim()
	require.NoError(t, b.r.EditFeed(ctx, b.feed, "", func(_ *store.Tx, f *store.Feed) error { f.Color = "plum"; return nil }))
	now, err := b.store.Feed(ctx, b.feed)
	require.NoError(t, err)
	assert.Equal(t, "plum", now.Color)
	require.NotNil(t, now.LeaseUntil, "who is reading goes on")
	reader.Color = now.Color
	assert.NoError(t, save(reader))

	page := serving(t, "<!doctype html><title>Log in</title>")
	var not *ical.NotCalendarError
	assert.ErrorAs(t, b.r.EditFeed(ctx, b.feed, page, keep), &not)
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.bookings(), "nothing is changed")

	reader = claim()
	next := serving(t, "BEGIN:VCALENDAR\r\n"+event("n", "Nan", "20260801", "20260803")+"END:VCALENDAR\r\n")
	refused := errors.New("seen another revision")
	assert.ErrorIs(t, b.r.EditFeed(ctx, b.feed, next, func(*store.Tx, *store.Feed) error { return refused }), refused)
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.bookings())
	require.NoError(t, b.r.EditFeed(ctx, b.feed, next, keep))
	assert.Equal(t, []string{"08-01/08-03 Nan"}, b.bookings())
	rows, err := b.store.BookingsWithin(ctx, b.calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Nil(t, rows[0].NotBefore, "what was read by the old link says nothing of when it came to be")
	assert.ErrorIs(t, save(reader), store.ErrLost, "what was read by the old link is not wanted")
	assert.Equal(t, store.OutcomeUnchanged, b.read("").Outcome, "from now on the new one is read")
}

// TestEditLink: how a feed counts is applied to what was read of it, without reading it.
func TestEditLink(t *testing.T) {
	b := newBench(t, event("a", "Ann", "20260720", "20260722", "STATUS:TENTATIVE\r\n"))
	b.status = http.StatusInternalServerError // it is not asked
	edit := func(change func(*store.Link)) []store.Booking {
		t.Helper()
		require.NoError(t, b.r.EditLink(ctx, b.calendar, b.feed, func(_ *store.Tx, l *store.Link) error { change(l); return nil }))
		var rows []store.Booking
		require.NoError(t, b.store.Tx(ctx, func(tx *store.Tx) (err error) {
			rows, err = tx.CurrentBookings(b.calendar)
			return err
		}))
		return rows
	}
	first := edit(func(*store.Link) {})
	require.Len(t, first, 1)
	assert.True(t, first[0].Tentative)
	firm := edit(func(l *store.Link) { l.Tentative, l.Units = "firm", 3 })
	require.Len(t, firm, 1)
	assert.False(t, firm[0].Tentative)
	assert.Equal(t, 3, firm[0].Units)
	assert.Equal(t, first[0].ID, firm[0].ID, "it is the same booking")
	assert.Empty(t, edit(func(l *store.Link) { l.Tentative = "ignore" }))
	again := edit(func(l *store.Link) { l.Tentative = "tentative" })
	require.Len(t, again, 1)
	assert.Equal(t, first[0].ID, again[0].ID)

	require.NoError(t, b.r.Unlink(ctx, b.calendar, b.feed))
	assert.Empty(t, b.bookings())
	assert.ErrorIs(t, b.r.Unlink(ctx, b.calendar, b.feed), store.ErrNotFound)
	require.NoError(t, b.r.Link(ctx, store.Link{CalendarID: b.calendar, FeedID: b.feed, Role: "blocks", Tentative: "tentative", Units: 1}))
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.bookings())

	f, err := b.store.Feed(ctx, b.feed)
	require.NoError(t, err)
	require.NoError(t, b.r.Unsubscribe(ctx, b.feed))
	assert.Empty(t, b.bookings())
	_, err = b.r.Read(ctx, f)
	assert.Error(t, err, "a removed feed is read no more")
	due, err := b.store.DueFeeds(ctx, b.now.AddDate(1, 0, 0), 10)
	require.NoError(t, err)
	assert.Empty(t, due)
}

// TestEditCalendar: another zone lays the feeds out anew.
func TestEditCalendar(t *testing.T) {
	b := newBench(t, "BEGIN:VEVENT\r\nUID:a\r\nSUMMARY:Late\r\nDTSTART:20260720T220000Z\r\nDTEND:20260721T010000Z\r\nEND:VEVENT\r\n")
	assert.Equal(t, []string{"07-20/07-22 Late"}, b.bookings(), "two days in UTC")
	zone := func(name string) error {
		return b.r.EditCalendar(ctx, b.calendar, func(_ *store.Tx, c *store.Calendar) error { c.Zone = name; return nil })
	}
	require.NoError(t, zone("America/Halifax"))
	assert.Equal(t, []string{"07-20/07-21 Late"}, b.bookings(), "one in Halifax")
	assert.ErrorContains(t, zone("Mars"), "IANA name")
	assert.Equal(t, []string{"07-20/07-21 Late"}, b.bookings())
}
