package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestTrips: the whole way of a booking from one platform to another is read off what happens anyway, and a direction that stands
// still says which half of it does.
func TestTrips(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.subscribe("Ketch Merrow")
	trips := func() map[string]client.Trip {
		out, _, _ := w.try("", "publication", "trips", "--json")
		all := map[string]client.Trip{}
		for _, trip := range lines[client.Trip](t, out) {
			all[trip.From.Name] = trip
		}
		return all
	}
	all := trips()
	require.Len(t, all, 2)
	assert.Equal(t, client.TripNotFetched, all["Merrow Charter Desk"].Passage, "nobody came yet")
	w.round()
	assert.Equal(t, client.TripUntried, trips()["Merrow Charter Desk"].Passage)
	w.book(0, "Lindqvist", 10, 12)
	w.run("", "feed", "refresh", "--all")
	w.round()
	all = trips()
	way := all["Merrow Charter Desk"]
	assert.Equal(t, []any{"Strand & Tern Charters", day(t, 10), day(t, 12)}, []any{way.To.Name, *way.Start, *way.End})
	require.NotNil(t, way.Read)
	require.NotNil(t, way.Published)
	require.NotNil(t, way.PickedUp)
	require.NotNil(t, way.Seen)
	assert.False(t, way.Published.Before(*way.Read))
	assert.False(t, way.PickedUp.Before(*way.Published))
	assert.False(t, way.Seen.Before(*way.PickedUp))
	out := w.run("", "publication", "trips")
	within(t, out, "Merrow Charter Desk to Strand & Tern Charters", "Ketch Merrow, "+day(t, 10), "picked up", "seen there")

	w.run("", "feed", "pause", "Feed of Merrow Charter Desk")
	assert.Equal(t, client.TripNotRead, trips()["Merrow Charter Desk"].Passage)
	out, _, code := w.try("", "publication", "trips")
	assert.Equal(t, 1, code, "something stands still")
	within(t, out, "The first half stands still: what Merrow Charter Desk sells is not read as it should be.")
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			p := w.page(t)
			p.do(viewport(size), p.goTo("/both-ways"))
			p.see(`a[href="/both-ways/trips"]`)
			p.do(click(`a[href="/both-ways/trips"]`))
			p.see(".trips ol li")
			within(t, p.text(".trips"), "The first half stands still", "Merrow Charter Desk to Strand & Tern Charters", "seen there")
			assert.Equal(t, 1, p.count(".trips > li.still"))
			assert.Empty(t, p.axe())
			p.fits()
			p.content()
		})
	}
}

// TestPairing: a feed that shows what only one publication carried is likely its recipient's, whatever the platform was called.
func TestPairing(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.run("", "calendar", "add", "Ketch Merrow", "--zone", zoneName, "--grain", "day")
	w.run("", "feed", "add", w.feedLink(1), "--platform", "Strand & Tern Charters", "--name", "Ketch at Strand", "--calendar", "Ketch Merrow")
	w.run("", "feed", "add", w.feedLink(0), "--platform", "Merrow, the desk", "--name", "Ketch at the desk", "--calendar", "Ketch Merrow")
	for i, p := range w.platforms {
		made := lines[client.Publication](t, w.run("", "publication", "add", "For "+p.Name, "--calendar", "Ketch Merrow", "--platform", p.Name, "--json"))
		require.NoError(t, w.platforms[i].SetImport(made[0].Url))
	}
	pairings := func() []client.Pairing {
		return lines[client.Today](t, w.run("", "today", "--json"))[0].Pairings
	}
	assert.Empty(t, pairings(), "nothing tells yet")
	for n := range 3 {
		w.book(1, "Guest", 10+4*n, 12+4*n)
	}
	w.run("", "feed", "refresh", "--all")
	w.round()
	found := pairings()
	require.Len(t, found, 1)
	assert.Equal(t, []any{"Ketch at the desk", "Merrow, the desk", "For Merrow Charter Desk", "Merrow Charter Desk"}, []any{found[0].Feed.Name, found[0].Platform.Name, found[0].Publication.Name, found[0].Recipient.Name})
	within(t, w.run("", "today"), "Ketch at the desk of Merrow, the desk shows what only For Merrow Charter Desk carried", `--platform "Merrow Charter Desk"`)
	p := w.page(t)
	p.do(p.goTo("/"))
	p.press("They are one")
	p.do(gone(button("They are one")))
	p.content()
	assert.Empty(t, pairings())
	within(t, w.run("", "feed", "show", "Ketch at the desk"), "Merrow Charter Desk")
}
