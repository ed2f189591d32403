package desk_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/span"
	"wharf/internal/feedtest"
	"wharf/internal/localdb/dbtest"
	"wharf/service/desk"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var ctx = context.Background()

func ptr[T any](v T) *T { return &v }

// seen is somebody who has seen a revision.
func seen(revision int64) desk.By { return desk.By{Account: "harbour", Seen: revision} }

func serving(t *testing.T, body string) string {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte(body)) }))
	t.Cleanup(server.Close)
	return server.URL
}

// TestEditFeed: a new link takes the place of the old one whole or not at all; a reading
// of the old one that is going on meanwhile is lost, and one beside another edit is not.
func TestEditFeed(t *testing.T) {
	b := feedtest.New(t, feedtest.Event("a", "Ann", "20260720", "20260722"))
	claim := func() store.Feed {
		t.Helper()
		f, err := b.Store.Feed(ctx, b.Feed)
		require.NoError(t, err)
		f, ok, err := b.Store.ClaimFeed(ctx, f, b.Now, b.Now.Add(b.Refresher.Lease))
		require.NoError(t, err)
		require.True(t, ok)
		return f
	}
	save := func(f store.Feed) error {
		return b.Store.Tx(ctx, func(tx *store.Tx) error { return tx.SaveFeed(f) })
	}

	reader := claim()
	require.NoError(t, b.Desk.EditFeed(ctx, seen(1), b.Feed, desk.FeedEdit{Color: ptr("plum")}))
	now, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	assert.Equal(t, "plum", now.Color)
	require.NotNil(t, now.LeaseUntil, "who is reading goes on")
	reader.Color, reader.Revision = now.Color, now.Revision
	assert.NoError(t, save(reader))

	page := serving(t, "<!doctype html><title>Log in</title>")
	var not *ical.NotCalendarError
	assert.ErrorAs(t, b.Desk.EditFeed(ctx, seen(2), b.Feed, desk.FeedEdit{Source: &desk.Source{URL: page}}), &not)
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.Bookings(), "nothing is changed")

	reader = claim()
	next := serving(t, "BEGIN:VCALENDAR\r\n"+feedtest.Event("n", "Nan", "20260801", "20260803")+"END:VCALENDAR\r\n")
	var stale *desk.StaleError
	require.ErrorAs(t, b.Desk.EditFeed(ctx, seen(1), b.Feed, desk.FeedEdit{Source: &desk.Source{URL: next}}), &stale)
	require.Len(t, stale.Since, 1)
	assert.Equal(t, []string{"color", "teal", "plum", "harbour"}, []string{stale.Since[0].Field, stale.Since[0].Was, stale.Since[0].Became, stale.Since[0].Account})
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.Bookings())
	require.NoError(t, b.Desk.EditFeed(ctx, seen(2), b.Feed, desk.FeedEdit{Source: &desk.Source{URL: next}}))
	assert.Equal(t, []string{"08-01/08-03 Nan"}, b.Bookings())
	rows, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Nil(t, rows[0].NotBefore, "what was read by the old link says nothing of when it came to be")
	assert.ErrorIs(t, save(reader), store.ErrLost, "what was read by the old link is not wanted")
	assert.Equal(t, store.OutcomeUnchanged, b.Read("").Outcome, "from now on the new one is read")
}

// TestEditLink: how a feed counts is applied to what was read of it, without reading it.
func TestEditLink(t *testing.T) {
	b := feedtest.New(t, feedtest.Event("a", "Ann", "20260720", "20260722", "STATUS:TENTATIVE\r\n"))
	b.Status = http.StatusInternalServerError // it is not asked
	revision := int64(1)
	edit := func(to desk.LinkEdit) []store.Booking {
		t.Helper()
		require.NoError(t, b.Desk.EditLink(ctx, seen(revision), b.Calendar, b.Feed, to))
		if to != (desk.LinkEdit{}) {
			revision++
		}
		var rows []store.Booking
		require.NoError(t, b.Store.Tx(ctx, func(tx *store.Tx) (err error) {
			rows, err = tx.CurrentBookings(b.Calendar)
			return err
		}))
		return rows
	}
	first := edit(desk.LinkEdit{})
	require.Len(t, first, 1)
	assert.True(t, first[0].Tentative)
	firm := edit(desk.LinkEdit{Tentative: ptr("firm"), Units: ptr(3)})
	require.Len(t, firm, 1)
	assert.False(t, firm[0].Tentative)
	assert.Equal(t, 3, firm[0].Units)
	assert.Equal(t, first[0].ID, firm[0].ID, "it is the same booking")
	assert.Empty(t, edit(desk.LinkEdit{Tentative: ptr("ignore")}))
	again := edit(desk.LinkEdit{Tentative: ptr("tentative")})
	require.Len(t, again, 1)
	assert.Equal(t, first[0].ID, again[0].ID)

	var loses *desk.WouldLoseError
	require.ErrorAs(t, b.Desk.RemoveLink(ctx, b.Calendar, b.Feed, ""), &loses)
	assert.Equal(t, []desk.Loss{{Kind: desk.CountsNoMore, Calendar: "Ketch", Grain: span.Day, Bookings: 1, Points: 2},
		{Kind: desk.ConflictsUnseen, Calendar: "Ketch", Conflicts: 1}}, loses.Losses)
	require.NoError(t, b.Desk.RemoveLink(ctx, b.Calendar, b.Feed, loses.Confirm))
	assert.Empty(t, b.Bookings())
	assert.ErrorIs(t, b.Desk.RemoveLink(ctx, b.Calendar, b.Feed, ""), store.ErrNotFound)
	require.NoError(t, b.Desk.AddLink(ctx, b.Feed, desk.Link{Calendar: b.Calendar}))
	require.NoError(t, b.Desk.AddLink(ctx, b.Feed, desk.Link{Calendar: b.Calendar}), "sent again")
	assert.ErrorIs(t, b.Desk.AddLink(ctx, b.Feed, desk.Link{Calendar: b.Calendar, Units: 2}), store.ErrTaken)
	assert.Equal(t, []string{"07-20/07-22 Ann"}, b.Bookings())
	back, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Equal(t, []any{first[0].ID, first[0].SeenBy, first[0].SightingSeenBy}, []any{back[0].ID, back[0].SeenBy, back[0].SightingSeenBy}, "the same since the same time: no reading has seen it go")

	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	require.ErrorAs(t, b.Desk.RemoveFeed(ctx, b.Feed, ""), &loses)
	require.NoError(t, b.Desk.RemoveFeed(ctx, b.Feed, loses.Confirm))
	assert.Empty(t, b.Bookings())
	_, err = b.Refresher.Read(ctx, f)
	assert.Error(t, err, "a removed feed is read no more")
	due, err := b.Store.DueFeeds(ctx, b.Now.AddDate(1, 0, 0), 10)
	require.NoError(t, err)
	assert.Empty(t, due)
}

// TestEditCalendar: another zone lays the feeds out anew.
func TestEditCalendar(t *testing.T) {
	b := feedtest.New(t, "BEGIN:VEVENT\r\nUID:a\r\nSUMMARY:Late\r\nDTSTART:20260720T220000Z\r\nDTEND:20260721T010000Z\r\nEND:VEVENT\r\n")
	assert.Equal(t, []string{"07-20/07-22 Late"}, b.Bookings(), "two days in UTC")
	revision := int64(1)
	zone := func(name string) error {
		return b.Desk.EditCalendar(ctx, seen(revision), b.Calendar, desk.CalendarEdit{Zone: &name})
	}
	require.NoError(t, zone("America/Halifax"))
	revision++
	assert.Equal(t, []string{"07-20/07-21 Late"}, b.Bookings(), "one in Halifax")
	assert.ErrorContains(t, zone("Mars"), "IANA name")
	assert.Equal(t, []string{"07-20/07-21 Late"}, b.Bookings())
}

// TestAnotherPlatform: a feed that turns out to be another platform's is at once no longer
// sent to that one.
func TestAnotherPlatform(t *testing.T) {
	b := feedtest.New(t, feedtest.Event("a", "Ann", "20260720", "20260722"))
	require.NoError(t, b.Store.Tx(ctx, func(tx *store.Tx) error {
		p, err := tx.PlatformNamed("Berths")
		if err != nil {
			return err
		}
		publication := store.Publication{Title: "Spoken for", CalendarID: b.Calendar, PlatformID: p.ID, Name: "For Berths", SecretHash: make([]byte, 32), SecretCipher: []byte("x"), CreatedAt: b.Now}
		return errors.Join(tx.CreatePublication(&publication), tx.MarkDirty(b.Calendar))
	}))
	require.NoError(t, b.Refresher.Combiner.All(ctx))
	published := func() string {
		served, err := b.Store.PublicationServed(ctx, make([]byte, 32))
		require.NoError(t, err)
		_, plain, err := served.Texts()
		require.NoError(t, err)
		return string(plain)
	}
	require.Contains(t, published(), "BEGIN:VEVENT")
	require.NoError(t, b.Desk.EditFeed(ctx, desk.By{Seen: 1}, b.Feed, desk.FeedEdit{Platform: ptr("Berths")}))
	assert.NotContains(t, published(), "BEGIN:VEVENT", "it is its own")
}

// TestWebcal: in whatever letters, webcal is tried by https and then by http.
func TestWebcal(t *testing.T) {
	b := feedtest.New(t, feedtest.Event("a", "Ann", "20260720", "20260722"))
	link := serving(t, "BEGIN:VCALENDAR\r\n"+feedtest.Event("n", "Nan", "20260801", "20260803")+"END:VCALENDAR\r\n")
	for _, scheme := range []string{"webcal", "Webcal", "WEBCAL", " wEbCaL"} {
		f, err := b.Store.Feed(ctx, b.Feed)
		require.NoError(t, err)
		require.NoError(t, b.Desk.EditFeed(ctx, desk.By{Seen: f.Revision}, b.Feed, desk.FeedEdit{Source: &desk.Source{URL: scheme + strings.TrimPrefix(link, "http")}}), scheme)
	}
}
