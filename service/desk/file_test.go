package desk_test

import (
	"archive/zip"
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/rules"
	"wharf/core/span"
	"wharf/internal/feedtest"
	"wharf/service/combine"
	"wharf/service/desk"
	"wharf/service/refresh"
	"wharf/service/store"
)

// file is a calendar of some events.
func file(name, events string) *desk.Source {
	return &desk.Source{File: &refresh.File{Name: name, Body: []byte("BEGIN:VCALENDAR\r\n" + events + "END:VCALENDAR\r\n")}}
}

// TestFile: a file is a feed that is never due; a newer one takes its place as the next reading does, and a
// snapshot makes a feed one that stays as it is.
func TestFile(t *testing.T) {
	b := feedtest.New(t, feedtest.Event("a", "Ann", "20260720", "20260722")+feedtest.Event("n", "Nan", "20260801", "20260803"))
	feed := func(id int64) store.Feed {
		f, err := b.Store.Feed(ctx, id)
		require.NoError(t, err)
		return f
	}
	require.NoError(t, b.Desk.EditFeed(ctx, seen(1), b.Feed, desk.FeedEdit{Snapshot: true}))
	kept := feed(b.Feed)
	assert.True(t, kept.Uploaded())
	assert.Empty(t, kept.URLCipher, "its link is forgotten")
	assert.Contains(t, kept.Address, "snapshot of ")
	assert.Equal(t, []string{"07-20/07-22 Ann", "08-01/08-03 Nan"}, b.Bookings())
	_, err := b.Refresher.ReadNow(ctx, b.Feed)
	require.ErrorIs(t, err, refresh.ErrUploaded)
	require.NoError(t, b.Desk.EditFeed(ctx, seen(2), b.Feed, desk.FeedEdit{Paused: ptr(true)}))
	require.NoError(t, b.Desk.EditFeed(ctx, seen(3), b.Feed, desk.FeedEdit{Paused: ptr(false)}))
	due, err := b.Store.DueFeeds(ctx, b.Now.AddDate(100, 0, 0), 10)
	require.NoError(t, err)
	assert.Empty(t, due, "not even once it was paused and resumed")

	before, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
	require.NoError(t, err)
	newer := file(`C:\Users\me\bookings.ics`, feedtest.Event("a", "Ann", "20260720", "20260723")+feedtest.Event("x", "Xan", "20260901", "20260902"))
	effects, err := b.Desk.TryEditFeed(ctx, seen(4), b.Feed, desk.FeedEdit{Source: newer})
	require.NoError(t, err)
	assert.Empty(t, effects, "nothing is published, and nothing clashes")
	require.NoError(t, b.Desk.EditFeed(ctx, seen(4), b.Feed, desk.FeedEdit{Source: newer}))
	assert.Equal(t, "file bookings.ics", feed(b.Feed).Address)
	assert.Equal(t, []string{"07-20/07-23 Ann", "09-01/09-02 Xan"}, b.Bookings())
	readings, err := b.Store.Readings(ctx, b.Feed, 1)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1, 1}, []int{readings[0].Added, readings[0].Changed, readings[0].Removed}, "told as any reading is")
	after, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Equal(t, before[0].ID, after[0].ID, "the same booking")

	var packed bytes.Buffer
	z := zip.NewWriter(&packed)
	for name, event := range map[string]string{"ketch.ics": feedtest.Event("k", "Kit", "20260710", "20260712"), "punt.ics": feedtest.Event("p", "Pat", "20260714", "20260715")} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte("BEGIN:VCALENDAR\r\n" + event + "END:VCALENDAR\r\n"))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	archive := &refresh.File{Name: "all.zip", Body: packed.Bytes()}
	tried, err := b.Desk.Try(ctx, desk.Source{File: archive}, b.Now.Location())
	require.NoError(t, err)
	require.Len(t, tried.Offers, 2, tried.Problem)
	assert.Equal(t, "#ketch.ics", tried.Offers[0].Link)
	inside := &refresh.File{Name: "all.zip", Body: packed.Bytes(), Inside: "ketch.ics"}
	tried, err = b.Desk.Try(ctx, desk.Source{File: inside}, b.Now.Location())
	require.NoError(t, err)
	assert.Equal(t, b.Calendar, tried.Proposal.Calendar)
	id, err := b.Desk.AddFeed(ctx, desk.Feed{Source: desk.Source{File: inside}, Name: "By hand", Platform: "Office", Color: "plum", Every: 3600e9, Categories: []string{"club"}, Class: "private",
		Link: &desk.Link{Calendar: b.Calendar, Counting: `title matches (\d+)`}})
	require.NoError(t, err)
	assert.Equal(t, "file all.zip#ketch.ics", feed(id).Address)
	assert.Equal(t, store.Never, feed(id).DueAt.UTC())
	rows, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Equal(t, []any{"Kit", "club", rules.Private}, []any{rows[0].Title, rows[0].Categories, rows[0].Class})
	require.NoError(t, b.Desk.EditFeed(ctx, seen(1), id, desk.FeedEdit{Categories: &[]string{"oar", "sail"}, Class: ptr("")}))
	rows, err = b.Store.BookingsWithin(ctx, b.Calendar, span.Days(0, 100000))
	require.NoError(t, err)
	assert.Equal(t, []any{"oar\nsail", rules.Class("")}, []any{rows[0].Categories, rows[0].Class}, "at once, though nothing is read")
	var not *rules.FieldError
	require.ErrorAs(t, b.Desk.EditFeed(ctx, seen(2), id, desk.FeedEdit{Class: ptr("secret")}), &not)
	assert.Equal(t, "class", not.Field)
}

// TestOpens: an edit and a removal say first what they would open, and for whom.
func TestOpens(t *testing.T) {
	b := feedtest.New(t, feedtest.Event("a", "Ann, 2 boats", "20260720", "20260722")+feedtest.Event("n", "Nan", "20260801", "20260803"))
	_, err := b.Desk.AddPublication(ctx, desk.Publication{Calendar: b.Calendar, Platform: "Berths", Name: "For Berths"})
	require.NoError(t, err)
	link := desk.LinkEdit{Role: ptr("shows")}
	effects, err := b.Desk.TryEditLink(ctx, seen(1), b.Calendar, b.Feed, link)
	require.NoError(t, err)
	require.Len(t, effects, 2)
	assert.Equal(t, combine.Withdraws, effects[0].Kind)
	effects, err = b.Desk.TryEditLink(ctx, seen(1), b.Calendar, b.Feed, desk.LinkEdit{Counting: ptr(`title matches (\d+) boats`)})
	require.NoError(t, err)
	require.Len(t, effects, 1, "two boats are more than there is room for")
	assert.Equal(t, combine.Opens, effects[0].Kind)
	effects, err = b.Desk.TryEditFeed(ctx, seen(1), b.Feed, desk.FeedEdit{Source: file("one.ics", feedtest.Event("n", "Nan", "20260801", "20260803"))})
	require.NoError(t, err)
	require.Len(t, effects, 1)
	var loses *desk.WouldLoseError
	require.ErrorAs(t, b.Desk.RemoveFeed(ctx, b.Feed, ""), &loses)
	require.Len(t, loses.Losses, 2)
	assert.Equal(t, desk.SoldAgain, loses.Losses[1].Kind)
	assert.Equal(t, []string{"Berths"}, loses.Losses[1].Recipients)
	assert.Len(t, loses.Losses[1].Spans, 2)
	assert.Equal(t, []string{"07-20/07-22 Ann, 2 boats", "08-01/08-03 Nan"}, b.Bookings(), "nothing was changed")
	assert.ErrorContains(t, b.Desk.RemoveFeed(ctx, b.Feed, "another"), "things would be lost")
}
