package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestClientForPeople: what the commands say to a person, and what they refer to by
// number or by name.
func TestClientForPeople(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	for what, want := range map[string]string{
		"feed list":        "No feeds yet: add one with",
		"calendar list":    "No calendars yet: add one with",
		"publication list": "Nothing is published yet",
		"conflict list":    "No conflicts.",
	} {
		var noun, verb string
		_, err := fmt.Sscan(what, &noun, &verb)
		require.NoError(t, err)
		assert.Contains(t, w.run("", noun, verb), want, "an empty list says what to do first")
	}
	within(t, w.run("", "today"), "Nothing is double booked.", "No feed is read yet", "nobody comes or goes")
	w.book(0, "Lindqvist", 10, 12)
	w.book(1, "Harbour School", 11, 14)
	w.book(1, "Fenn", 1, 2)
	w.subscribe("Ketch Merrow")
	within(t, w.run("", "today"), "double booking, open", "Every feed is fresh (2)", "Directions that are missing: 2.", "Strand & Tern Charters never came for")
	w.round()
	within(t, w.run("", "today"), "Every platform is read, and gets back what the others sell.", "begins    Charter: Fenn ", "last day  Charter: Fenn ")
	assert.Equal(t, day(t, 0), lines[client.Today](t, w.run("", "today", "--json"))[0].Date)

	id := fmt.Sprint(w.conflicts()[0].Id)
	for _, tc := range []struct {
		args []string
		says []string
	}{
		{[]string{"feed", "list"}, []string{"Feed of Merrow Charter Desk", "fresh", "in "}},
		{[]string{"feed", "show", "feed of merrow charter desk"}, []string{"fresh since", "read every 1 h", "Link: http://127.0.0.1", "/…\n", "changed"}},
		{[]string{"feed", "refresh", "1", "Feed of Strand & Tern Charters"}, []string{"Feed of Merrow Charter Desk: 3 entries, unchanged", "Feed of Strand & Tern Charters: 3 entries, unchanged"}},
		{[]string{"calendar", "list"}, []string{"Ketch Merrow", "America/Halifax"}},
		{[]string{"calendar", "show", "1"}, []string{"First day", day(t, 10), day(t, 11), "2 days", "Lindqvist", "3 echoes of what we published set aside", "double booking, open"}},
		{[]string{"calendar", "show", "Ketch Merrow", "--echoes", "--from", day(t, 10), "--to", day(t, 11)}, []string{"Not bookable", "echo"}},
		{[]string{"calendar", "refresh", "Ketch Merrow"}, []string{"unchanged"}},
		{[]string{"conflict", "show", id}, []string{"double booking on Ketch Merrow, " + day(t, 11) + " to " + day(t, 11), "Made (it says)", "First seen"}},
		{[]string{"publication", "list"}, []string{"For Merrow Charter Desk", "version 1, "}},
		{[]string{"publication", "show", "For Merrow Charter Desk"}, []string{"version 2 with 2 bookings", "Link: http://", "Merrow Charter Desk importer"}},
		{[]string{"conflict", "acknowledge", id, "--note", "Called both"}, []string{"is acknowledged by harbour"}},
		{[]string{"conflict", "show", id}, []string{"acknowledged since", "harbour deals with it: Called both"}},
		{[]string{"conflict", "list", "--state", "acknowledged"}, []string{"double booking, acknowledged"}},
	} {
		out := w.run("", tc.args...)
		for _, part := range tc.says {
			assert.Contains(t, out, part, "%v", tc.args)
		}
	}
	for _, tc := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"feed", "show", "Nobody"}, 1, `there is no feed "Nobody": ` + "`wharf feed list` shows them"},
		{[]string{"feed", "refresh"}, 2, "or give --all"},
		{[]string{"calendar", "add", "X", "--zone", "Mars"}, 2, "not known: use an IANA name"},
		{[]string{"calendar", "show", "Ketch Merrow", "--from", "soon"}, 2, "write it as 2026-07-03"},
		{[]string{"calendar", "add"}, 2, "zone"},
		{[]string{"conflict", "show", "first"}, 2, "is no conflict's number"},
		{[]string{"conflict", "acknowledge", "99"}, 1, "nothing with this id"},
		{[]string{"publication", "add", "Again", "--calendar", "1", "--platform", "Merrow Charter Desk"}, 1, "has a link for the calendar already"},
		{[]string{"--token", "wrong", "feed", "list"}, 1, "run `wharf login"},
		{[]string{"--server", "http://127.0.0.1:1", "--token", "x", "feed", "list"}, 1, "no service answers"},
		{[]string{"--server", "nowhere", "feed", "list"}, 2, "is not an address"},
		{[]string{"login", "--name", "harbour", "--password-stdin"}, 1, "no password was given"},
	} {
		_, errs, code := w.try("", tc.args...)
		assert.Equal(t, tc.code, code, "%v: %s", tc.args, errs)
		assert.Contains(t, errs, tc.says, "%v", tc.args)
	}

	ctx := context.Background()
	calendar, err := client.Decode[client.Calendar](w.api.GetCalendar(ctx, 1))
	require.NoError(t, err)
	assert.Len(t, calendar.Links, 2)
	assert.Zero(t, calendar.OpenConflicts, "it is acknowledged")
	publication, err := client.Decode[client.Publication](w.api.GetPublication(ctx, 1))
	require.NoError(t, err)
	assert.Equal(t, publication.Version, *publication.LastPickupVersion)
	setup, err := client.Decode[client.Setup](w.api.GetSetup(ctx))
	require.NoError(t, err)
	assert.False(t, setup.Needed)
	conflict, err := client.Decode[client.Conflict](w.api.GetConflict(ctx, w.conflicts()[0].Id))
	require.NoError(t, err)
	assert.Equal(t, "Called both", *conflict.Note)
}

// TestListsInParts: a list is read part by part, by the Link of each answer, and filtered.
func TestListsInParts(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.subscribe("Ketch Merrow")
	for i := range 4 {
		w.run("", "calendar", "add", fmt.Sprint("Calendar ", 9-i), "--zone", zoneName)
	}
	read := func(path string) (ids []int64) {
		for parts := 0; path != "" && parts < 10; parts++ {
			resp, err := http.DefaultClient.Do(w.request(http.MethodGet, path))
			require.NoError(t, err)
			var some []struct{ ID int64 }
			require.NoError(t, json.NewDecoder(resp.Body).Decode(&some))
			require.NoError(t, resp.Body.Close())
			require.Equal(t, http.StatusOK, resp.StatusCode)
			for _, one := range some {
				ids = append(ids, one.ID)
			}
			path, _, _ = strings.Cut(strings.TrimPrefix(resp.Header.Get("Link"), "<"), ">")
		}
		return ids
	}
	platform := lines[client.Feed](t, w.run("", "feed", "show", "2", "--json"))[0].Platform.Id
	for path, want := range map[string][]int64{
		"/api/v1/calendars":                 {5, 4, 3, 2, 1}, // by name
		"/api/v1/calendars?limit=2":         {1, 2, 3, 4, 5},
		"/api/v1/calendars?limit=5":         {1, 2, 3, 4, 5},
		"/api/v1/calendars?after=3":         {4, 5},
		"/api/v1/calendars?limit=1&after=9": nil,
		"/api/v1/feeds?limit=1":             {1, 2},
		fmt.Sprint("/api/v1/feeds?state=fresh&limit=1&platform=", platform): {2},
		"/api/v1/feeds?state=failing":                                       nil,
		"/api/v1/publications?calendar=1&limit=1":                           {1, 2},
		fmt.Sprint("/api/v1/publications?calendar=1&platform=", platform):   {2},
		"/api/v1/conflicts?limit=10&state=acknowledged":                     nil,
	} {
		assert.Equal(t, want, read(path), path)
	}
}
