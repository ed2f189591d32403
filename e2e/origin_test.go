package e2e

import (
	"context"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/core/carried"
	"wharf/core/judge"
	"wharf/core/span"
	"wharf/service/store"
)

// TestBookingWithoutAFeed: a booking that came from no feed is one like any other: in lists,
// conflicts, publications, reflections and removals, in API, client and console.
func TestBookingWithoutAFeed(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.book(0, "Lindqvist", 10, 12)
	w.subscribe("Ketch Merrow")
	w.putIn(1, "Guest pontoon", 11, 14)
	w.eventually("it clashes", func() bool { return len(w.conflicts()) == 1 })

	c := w.conflicts()[0]
	require.Len(t, c.Bookings, 2)
	assert.Equal(t, []string{"Lindqvist", "Guest pontoon"}, []string{c.Bookings[0].Title, c.Bookings[1].Title})
	ours := c.Bookings[1]
	assert.Equal(t, []any{"Wharf", true, true, true}, []any{ours.Label, ours.Feed == nil, ours.Platform == nil, ours.Color == nil})
	require.NotNil(t, c.First)
	assert.Equal(t, "Lindqvist was there first: it was in Wharf when there was nothing of the rest yet.", c.First.Why)

	for _, name := range []string{"For Merrow Charter Desk", "For Strand & Tern Charters"} {
		assert.Contains(t, publishedTo(t, w, name), carried.Mint([]byte("test"), "Guest pontoon")+" "+day(t, 11)+" "+day(t, 14)+" CONFIRMED Spoken for", "it is nobody's own")
	}
	w.round()
	w.round()
	require.Len(t, w.conflicts(), 1, "its reflections are echoes")
	assert.Len(t, w.platforms[1].Blocks(), 2)

	shown := w.run("", "calendar", "show", "Ketch Merrow")
	within(t, shown, "Guest pontoon", "Wharf", "3 echoes of what we published set aside", "double booking, open")
	within(t, w.run("", "conflict", "show", "1"), "Guest pontoon", "Wharf")
	within(t, w.run("", "conflict", "list"), "Guest pontoon", "Wharf")

	p := w.page(t)
	p.do(p.goTo("/"))
	p.see(".answer.alarm")
	within(t, p.text(".answer.alarm"), "Lindqvist and Guest pontoon")
	p.do(p.goTo("/conflicts/1"))
	p.see(".facts")
	within(t, p.text(".page"), "Guest pontoon was entered in Wharf", "cancel or move the booking on Wharf itself")
	assert.Empty(t, p.axe())
	p.do(p.goTo("/calendars/1"))
	p.see(".clash")
	p.do(click(`//button[contains(@class, "booking")][contains(., "Guest pontoon")]`))
	p.see(".panel")
	within(t, p.text(".panel"), "entered here, in no feed", "Entered")
	p.do(p.goTo("/board"))
	p.see(".booking")
	p.do(click(".open"))
	p.see(".row.sub")
	assert.Equal(t, 3, p.count(".row.sub"), "a line for each feed, and one for what came from none")
	assert.Equal(t, "Wharf", p.text(".row.sub:last-child .name"))
	p.do(viewport([2]int64{390, 844}), p.goTo("/calendars/1"))
	p.see(".agenda .clash")
	within(t, p.text(".agenda"), "Guest pontoon")
	p.content()

	// It goes with its calendar, of which it is said beforehand that it would, and not with a feed.
	w.run("", "feed", "remove", "Feed of Merrow Charter Desk", "--yes")
	require.Empty(t, w.conflicts())
	assert.Contains(t, publishedTo(t, w, "For Strand & Tern Charters")[0], day(t, 11))
	resp, err := w.api.RemoveCalendar(context.Background(), 1, nil)
	require.NoError(t, err)
	defer resp.Body.Close()
	var problem client.Problem
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&problem))
	require.NotNil(t, problem.Loses)
	assert.Contains(t, (*problem.Loses)[0], "1 booking to come on Ketch Merrow (3 days)")
	w.run("", "calendar", "remove", "Ketch Merrow", "--yes")
}

// putIn puts a booking on a calendar that no feed has.
func (w *world) putIn(calendar int64, title string, first, last int) {
	w.t.Helper()
	s, err := store.Open(context.Background(), w.dsn, 0)
	require.NoError(w.t, err)
	defer s.Close()
	entered := now()
	point := func(n int) int64 {
		d, err := span.ParseDate(day(w.t, n))
		require.NoError(w.t, err)
		return int64(d)
	}
	require.NoError(w.t, s.Tx(context.Background(), func(tx *store.Tx) error {
		b := store.Booking{CalendarID: calendar, Title: title, Minted: carried.Mint([]byte("test"), title), StartPoint: point(first), EndPoint: point(last),
			Blocks: true, Units: 1, Status: "firm", NotBefore: &entered, SeenBy: entered, Verdict: judge.Counts}
		if err := tx.SaveBookings([]*store.Booking{&b}, nil); err != nil {
			return err
		}
		return tx.MarkDirty(calendar)
	}))
}
