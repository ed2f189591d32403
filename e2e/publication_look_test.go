package e2e

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestPublicationLook: what a recipient sees, and what of it the recipient shows, by a feed, a link or a file of theirs.
func TestPublicationLook(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	w.run("", "calendar", "add", "Ketch", "--zone", zoneName, "--grain", "day")
	dated := func(n int) string { return strings.ReplaceAll(day(t, n), "-", "") }
	// The desk shows one of its own, the first of what it is sent, and half of the second.
	theirs := icsFile(t, "UID:own", "DTSTART;VALUE=DATE:"+dated(20), "SUMMARY:Its own guest",
		"END:VEVENT", "BEGIN:VEVENT", "DTSTAMP:20260101T000000Z", "UID:b1", "DTSTART;VALUE=DATE:"+dated(3), "DTEND;VALUE=DATE:"+dated(5), "SUMMARY:Blocked",
		"END:VEVENT", "BEGIN:VEVENT", "DTSTAMP:20260101T000000Z", "UID:b2", "DTSTART;VALUE=DATE:"+dated(8), "DTEND;VALUE=DATE:"+dated(9), "SUMMARY:Blocked")
	w.run("", "feed", "add", theirs, "--platform", "Desk", "--name", "Ketch at the desk", "--calendar", "Ketch")
	w.run("", "hold", "add", "Ketch", day(t, 3), day(t, 4), "--title", "Ann", "--yes")
	w.run("", "hold", "add", "Ketch", day(t, 8), day(t, 9), "--title", "Ben", "--tentative", "--yes")
	w.run("", "publication", "add", "Ketch, for the desk", "--calendar", "Ketch", "--platform", "Desk")

	seen := lines[client.ShownEvent](t, w.run("", "publication", "preview", "Ketch, for the desk", "--json"))
	assert.Equal(t, []client.ShownEvent{
		{Start: day(t, 3), End: day(t, 5), Title: "Spoken for", Status: client.SeenConfirmed},
		{Start: day(t, 8), End: day(t, 10), Title: "Spoken for", Status: client.SeenTentative},
	}, seen)
	within(t, w.run("", "publication", "preview", "Ketch, for the desk"), "Desk sees 2 events", "taken, tentative")
	assert.Zero(t, lines[client.Publication](t, w.run("", "publication", "show", "Ketch, for the desk", "--json"))[0].Pickups, "a preview is no pickup")

	link := w.linkOf("Ketch, for the desk")
	for _, against := range [][]string{{"--feed", "Ketch at the desk"}, {theirs}} {
		out, _, code := w.try("", append([]string{"publication", "compare", "Ketch, for the desk"}, against...)...)
		assert.Equal(t, 1, code, "it does not show all")
		within(t, out, "Desk was sent 2 events from today on, and shows 3 events", "so it can sell it:\n  "+day(t, 9)+"  Spoken for", "was not sent it", day(t, 20)+"  Its own guest")
	}
	back := filepath.Join(t.TempDir(), "back.ics")
	_, text := fetch(t, link)
	require.NoError(t, os.WriteFile(back, []byte(text), 0o600))
	within(t, w.run("", "publication", "compare", "Ketch, for the desk", back), "All that it was sent is taken there.", "It shows nothing else.")
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"Ketch, for the desk"}, 2, "a link, a file, or --feed"}, {[]string{"Ketch, for the desk", back, "--feed", "Ketch at the desk"}, 2, "a link, a file, or --feed"},
		{[]string{"Ketch, for the desk", "--feed", "None"}, 1, "no feed"}, {[]string{"Ketch, for the desk", "/no/such.ics"}, 2, "neither a link nor a file"},
	} {
		_, errs, code := w.try("", append([]string{"publication", "compare"}, c.args...)...)
		assert.Equal(t, c.code, code, c.args)
		assert.Contains(t, errs, c.says)
	}

	for range 3 {
		code, _ := status(t, http.DefaultClient, http.MethodGet, link, "User-Agent", "Desk importer/2")
		require.Equal(t, 200, code)
	}
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			p := w.page(t)
			p.do(viewport(size), p.goTo("/publications"))
			p.do(click(`//h2/a[normalize-space()="Desk"]`))
			p.see("table.records", ".strip li")
			within(t, p.text("main"), "What Desk sees", "2 events", "It has the newest version")
			assert.Equal(t, 60, p.count(".strip li"))
			w.eventually("today's pickups are in the strip", func() bool { return p.count(".strip li:last-child.some, .strip li:last-child.many") == 1 })
			assert.Empty(t, p.axe())
			p.press("Hold it against Ketch at the desk")
			p.see(".comparison li")
			within(t, p.text(".comparison"), "It was sent 2 events and shows 3 events", "so it can sell it", "Its own guest")
			assert.Empty(t, p.axe())
			p.fits()
			p.content()
		})
	}
}

// TestLinkAccess: a link may ask for a name and a password, and end; only wrong ones are slowed down, and who shares an
// address with somebody who guesses gets theirs all the same.
func TestLinkAccess(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	w.run("", "calendar", "add", "Ketch", "--zone", zoneName, "--grain", "day")
	w.run("quiet harbour\n", "publication", "add", "Ketch, for Ida", "--calendar", "Ketch", "--person", "Ida", "--user", "ida", "--password-file", "-")
	link := w.linkOf("Ketch, for Ida")
	get := func(source, link, user, password string) (int, http.Header) {
		r, err := http.NewRequest(http.MethodGet, link, nil)
		require.NoError(t, err)
		if user != "" {
			r.SetBasicAuth(user, password)
		}
		resp, err := from(source).Do(r)
		require.NoError(t, err)
		resp.Body.Close()
		return resp.StatusCode, resp.Header
	}
	code, header := get("127.0.0.5", link, "", "")
	assert.Equal(t, 401, code)
	assert.Contains(t, header.Get("WWW-Authenticate"), "Basic")
	code, header = get("127.0.0.5", link, "ida", "quiet harbour")
	assert.Equal(t, 200, code)
	assert.Equal(t, "inline; filename=Ketch-for-Ida.ics", header.Get("Content-Disposition"))
	assert.EqualValues(t, 1, lines[client.Publication](t, w.run("", "publication", "show", "Ketch, for Ida", "--json"))[0].Pickups, "who is refused picks nothing up")
	codes := map[int]int{}
	for range 100 {
		code, _ := get("127.0.0.6", link, "ida", "guess")
		codes[code]++
	}
	assert.Positive(t, codes[401])
	assert.Positive(t, codes[429], "%v", codes)
	code, _ = get("127.0.0.6", link, "ida", "quiet harbour")
	assert.Equal(t, 200, code, "the right one from the same address")

	// A link that this process has not seen yet, from where somebody guesses.
	for range 80 {
		get("127.0.0.7", w.base()+"/p/nothing.ics", "", "")
	}
	code, _ = get("127.0.0.7", w.base()+"/p/nothing.ics", "", "")
	assert.Equal(t, 429, code)
	other := w.another()
	other.run("", "publication", "add", "Ketch, for Jo", "--calendar", "Ketch", "--person", "Jo")
	code, _ = get("127.0.0.7", strings.Replace(other.linkOf("Ketch, for Jo"), other.address, w.address, 1), "", "")
	assert.Equal(t, 200, code)

	w.run("", "publication", "edit", "Ketch, for Ida", "--user", "")
	w.eventually("it asks for nothing any more", func() bool { code, _ := get("127.0.0.8", link, "", ""); return code == 200 })
	within(t, w.run("", "publication", "edit", "Ketch, for Ida", "--until", day(t, 2)), "Changed")
	require.NotNil(t, lines[client.Publication](t, w.run("", "publication", "show", "Ketch, for Ida", "--json"))[0].Expires)
	for _, c := range []struct {
		options []string
		code    int
		says    string
	}{
		{[]string{"--until", day(t, -2)}, 2, "over already"}, {[]string{"--until", "soon"}, 2, "2026-12-20T14:00"}, {[]string{"--user", "x:y"}, 1, "no colon"}, {[]string{"--user", "jo"}, 1, "give the password"},
	} {
		_, errs, code := w.try("", append([]string{"publication", "edit", "Ketch, for Ida"}, c.options...)...)
		assert.Equal(t, c.code, code, errs)
		assert.Contains(t, errs, c.says)
	}
}
