package e2e

import (
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/hostile"
	"wharf/standin"
)

// stay is an event of whole days, counted from today.
func stay(uid, title string, first, last int, more ...string) string {
	day := func(n int) string { return "VALUE=DATE:" + now().UTC().AddDate(0, 0, n).Format("20060102") }
	return hostile.Event(uid, append([]string{"DTSTART;" + day(first), "DTEND;" + day(last), "SUMMARY:" + title}, more...)...)
}

// chooses gives a file to the page's file input, as a person does who chooses it.
func (p *page) chooses(selector, name string, content []byte) {
	p.t.Helper()
	eval[bool](p, fmt.Sprintf(`(() => {
		const input = document.querySelector(%q)
		const files = new DataTransfer()
		files.items.add(new File([Uint8Array.from(atob(%q), (c) => c.charCodeAt(0))], %q))
		input.files = files.files
		input.dispatchEvent(new Event('change', { bubbles: true }))
		return true
	})()`, selector, base64.StdEncoding.EncodeToString(content), name))
}

// TestFiles: a calendar comes as a file, is replaced by a newer one with what that changes said first, and a
// feed can stay as it was last.
func TestFiles(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	dir := t.TempDir()
	write := func(name, text string) string {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		return file
	}
	first := hostile.Calendar(stay("a", "Osei", 3, 5), stay("b", "Lindqvist", 8, 10))
	second := hostile.Calendar(stay("a", "Osei", 3, 6), stay("c", "Tern", 12, 14))
	w.run("", "calendar", "add", "Ketch", "--zone", "UTC", "--grain", "day")
	w.run("", "publication", "add", "For Berths", "--calendar", "Ketch", "--platform", "Berths")
	out := w.run("", "feed", "try", write("ketch.ics", first))
	within(t, out, "ketch.ics", "2 entries", "Osei", "Lindqvist")
	within(t, w.run("", "feed", "add", filepath.Join(dir, "ketch.ics"), "--platform", "Office", "--name", "By hand", "--calendar", "Ketch", "--category", "club", "--class", "private"),
		"Uploaded By hand", "It stays as it is until a newer file replaces it.")
	within(t, w.run("", "feed", "show", "By hand"), "All it brings in: club private", "file ketch.ics", "next not again")
	booking := lines[client.Booking](t, w.run("", "calendar", "show", "Ketch", "--json"))[0]
	require.NotNil(t, booking.Categories)
	assert.Equal(t, []string{"club"}, *booking.Categories)
	assert.Equal(t, client.BookingPrivate, *booking.Class)
	_, errs, code := w.try("", "feed", "refresh", "By hand")
	assert.Equal(t, 1, code)
	within(t, errs, "could not be read")
	assert.NotContains(t, w.run("", "feed", "refresh", "--all"), "By hand", "nothing is read of a file")

	_, errs, code = w.try("", "feed", "edit", "By hand", "--from", write("newer.ics", second))
	assert.Equal(t, 1, code)
	within(t, errs, "Berths is no longer told that", "nothing was changed")
	within(t, w.run("", "feed", "edit", "By hand", "--from", filepath.Join(dir, "newer.ics"), "--yes"), "By hand")
	within(t, w.run("", "feed", "changes", "By hand"), "Tern", "new", "gone", "Osei, ", " -> Osei, ")
	for flag, wrong := range map[string]string{"--schedule": "at 25:00 UTC", "--color": "puce", "--class": "secret", "--category": "a,b\nc", "--every": "40d0h"} {
		_, _, code := w.try("", "feed", "edit", "By hand", flag, wrong)
		assert.Equal(t, 2, code, flag)
	}
	_, errs, code = w.try("", "feed", "edit", "By hand", "--schedule", "at 06:00 Europe/Atlantis")
	assert.Equal(t, 2, code)
	within(t, errs, "IANA")
	for file, says := range map[string]string{"missing.ics": "neither a link nor a file", dir: "is a directory"} {
		_, errs, code := w.try("", "feed", "add", file, "--platform", "Office", "--name", "Other")
		assert.Equal(t, 2, code)
		within(t, errs, says)
	}
	_, errs, code = w.try("", "feed", "add", write("table.csv", "Guest,From,To\nOsei,2026-07-03,2026-07-05\nTern,2026-07-08,2026-07-09\n"), "--platform", "Office", "--name", "Other")
	assert.Equal(t, 1, code)
	within(t, errs, "spreadsheet")
	for body, field := range map[string]string{`{"platform":"A","name":"B"}`: "url", `{"platform":"A","name":"B","url":"http://a/b.ics","file":{"name":"x","content":""}}`: "file",
		`{"platform":"A","name":"B","file":{"name":"x","content":"QkVHSU4="},"class":"secret"}`: "class"} {
		resp, problem := w.answer("POST", "/api/v1/feeds", body, nil)
		assert.Contains(t, []int{400, 422}, resp.StatusCode, body)
		if assert.NotNil(t, problem.Errors, body) {
			assert.Equal(t, field, (*problem.Errors)[0].Field)
		}
	}
	resp, _ := w.answer("POST", "/api/v1/feeds", `{"platform":"A","name":"B","url":"`+strings.Repeat("x", 30<<20)+`"}`, nil)
	assert.Equal(t, http.StatusRequestEntityTooLarge, resp.StatusCode)

	p := w.page(t)
	n := 0
	for where, size := range sizes {
		n++
		p.do(viewport(size), p.goTo("/feeds"))
		p.press("Subscribe to feeds")
		p.see(".el-dialog textarea")
		p.chooses(".el-dialog input[type=file]", "punt.ics", []byte(hostile.Calendar(stay("p", "Harbour School", 20, 22))))
		p.see(".trial .next")
		within(t, p.text(".trial"), "punt.ics", "1 entry", "Harbour School")
		assert.Empty(t, p.axe(), where)
		p.do(fill(".trial input[placeholder='Where it comes from']", "Slip office"), fill(".trial input[placeholder='The thing and the platform']", fmt.Sprint("Punt ", n)))
		p.press("Subscribe to it")
		p.do(shows(fmt.Sprintf(`//h2[contains(., "Punt %d")]`, n)))

		// A newer file takes nights away: what opens is said first.
		p.do(p.goTo("/feeds/1"))
		p.see(".strip")
		p.chooses("input[type=file]", "newest.ics", []byte(hostile.Calendar(stay("x", "Wray", 30+10*n, 32+10*n))))
		p.do(shows(`//div[contains(@class, "el-dialog")]//li[contains(., "Berths is no longer told")]`))
		p.press("Change it")
		p.do(shows(`//p[contains(., "file newest.ics")]`))
		p.content()
	}
	left := w.run("", "calendar", "show", "Ketch", "--to", now().AddDate(0, 0, 90).Format("2006-01-02"))
	within(t, left, "Wray", "Harbour School")
	assert.NotContains(t, left, "Tern")
}

// TestFeedHistory: a feed's page shows its readings as a strip and a plot, each with what it was; a booking's
// panel has the text of its entry; a feed that is removed may stay as it was last.
func TestFeedHistory(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	document, status := atomic.Value{}, atomic.Int64{}
	document.Store(hostile.Calendar(stay("a", "Osei", 3, 5, "CATEGORIES:club", "X-NOTE:by telephone")))
	status.Store(http.StatusOK)
	source := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		rw.WriteHeader(int(status.Load()))
		_, _ = io.WriteString(rw, document.Load().(string))
	}))
	t.Cleanup(source.Close)
	w.run("", "calendar", "add", "Ketch", "--zone", "UTC", "--grain", "day")
	w.run("", "publication", "add", "For Berths", "--calendar", "Ketch", "--platform", "Berths")
	w.run("", "feed", "add", source.URL+"/long-secret-of-the-desk.ics", "--platform", "Desk", "--name", "Desk", "--calendar", "Ketch", "--every", "1h")
	w.run("", "feed", "refresh", "Desk")
	w.run("", "feed", "refresh", "Desk")
	document.Store(hostile.Calendar(stay("a", "Osei", 3, 5, "CATEGORIES:club", "X-NOTE:by telephone"), hostile.Event("odd", "DTSTART:20260102T100000", "DURATION:never", "SUMMARY:Odd")))
	w.run("", "feed", "refresh", "Desk")
	status.Store(http.StatusServiceUnavailable)
	_, _, _ = w.try("", "feed", "refresh", "Desk")
	out := w.run("", "feed", "show", "Desk")
	within(t, out, "HTTP", "503", "200", "remark", "2×")

	p := w.page(t)
	for where, size := range sizes {
		p.do(viewport(size), p.goTo("/feeds/1"))
		p.see(".strip li", "canvas", ".records")
		assert.Equal(t, []int{2, 1, 1}, []int{p.count(".strip .changed"), p.count(".strip .unchanged"), p.count(".strip .failed")}, where)
		within(t, p.text("figcaption"), "From 1 entry to 2: 2 added, 0 changed, 0 removed.")
		within(t, p.text(".records"), "503", "200", " B", " ms")
		p.do(click(`//button[contains(., "remark")]`))
		p.do(shows(`//td//li[contains(., "never")]`))
		assert.Empty(t, p.axe(), where)
		p.fits()
		p.do(p.goTo("/calendars/1"))
		p.do(click(`//button[contains(., "Osei")]`))
		p.see(".source")
		p.do(click(".source summary"))
		within(t, p.text(".source pre"), "BEGIN:VEVENT", "SUMMARY:Osei", "X-NOTE:by telephone")
		within(t, p.text(".panel"), "club")
		assert.Empty(t, p.axe(), where)
	}

	p.content()
	status.Store(http.StatusOK)
	_, errs, code := w.try("", "feed", "remove", "Desk")
	assert.Equal(t, 1, code)
	within(t, errs, "1 booking to come on Ketch (2 days) would count no more", "Berths could sell again on Ketch: ")
	p.do(p.goTo("/feeds/1"))
	p.press("Remove")
	p.do(shows(`//li[contains(., "Berths could sell again on Ketch")]`))
	p.press("Keep its bookings")
	p.do(shows(`//p[contains(., "snapshot of ")]`))
	f := lines[client.Feed](t, w.run("", "feed", "list", "--json"))[0]
	assert.True(t, *f.Uploaded)
	assert.Nil(t, f.NextDue)
	assert.Len(t, lines[client.Booking](t, w.run("", "calendar", "show", "Ketch", "--json")), 1)
}

// TestReadAll: all feeds are read with how far it is, and stopped in between without harm.
func TestReadAll(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, "WHARF_FETCH_TIMEOUT=20s", "WHARF_LEASE=30s", "WHARF_HOST_CONNECTIONS=0", "WHARF_HOST_RATE=0")
	var slow atomic.Bool
	release, asked := make(chan struct{}), atomic.Int64{}
	source := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if slow.Load() && r.URL.Path != "/0.ics" {
			asked.Add(1)
			select {
			case <-release:
			case <-r.Context().Done():
				return
			}
		}
		_, _ = io.WriteString(rw, hostile.Calendar(stay("a", "Osei", 3, 5)))
	}))
	t.Cleanup(source.Close)
	for i := range 9 {
		w.run("", "feed", "add", fmt.Sprintf("%s/%d.ics", source.URL, i), "--platform", "Desk", "--name", fmt.Sprint("Feed ", i), "--every", "24h")
	}
	p := w.page(t)
	p.do(p.goTo("/feeds"))
	p.press("Read all now")
	p.do(shows(`//p[contains(., "9 feeds of 9 read, 0 changed, 0 failed.")]`))
	slow.Store(true)
	p.do(js("waiting.meanwhile = true")) // its requests are to stay open
	p.press("Read all now")
	p.do(shows(`//p[contains(., "1 of 9 feeds read, 0 changed, 0 failed …")]`))
	assert.Empty(t, p.axe())
	p.press("Stop reading")
	p.do(shows(`//p[contains(., "1 feed of 9 read, 0 changed, 0 failed. Stopped: what was read is kept.")]`))
	assert.LessOrEqual(t, asked.Load(), int64(5))
	slow.Store(false)
	close(release)
	assert.Equal(t, 9, strings.Count(w.run("", "feed", "refresh", "--all"), "unchanged"), "nobody holds them any more")
	for _, f := range lines[client.Feed](t, w.run("", "feed", "list", "--json")) {
		assert.Equal(t, client.Fresh, f.State, f.Name)
	}
	p.content()
}

// TestGroups: calendars are shown in groups, in an order of their own; units come from a rule; and what an edit
// opens is said first, in the console, too.
func TestGroups(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	source := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		_, _ = io.WriteString(rw, hostile.Calendar(stay("a", "Club outing, 3 boats", 3, 5), stay("b", "Lindqvist", 8, 10, "X-BOATS:2")))
	}))
	t.Cleanup(source.Close)
	w.run("", "calendar", "add", "Gigs", "--zone", "UTC", "--grain", "day", "--capacity", "4", "--group", "Boats")
	w.run("", "calendar", "add", "Pontoon", "--zone", "UTC", "--grain", "night", "--group", "Berths")
	w.run("", "calendar", "add", "Loft", "--zone", "UTC", "--grain", "time")
	w.run("", "feed", "add", source.URL, "--platform", "Club", "--name", "Club", "--calendar", "Gigs")
	w.run("", "publication", "add", "For Berths", "--calendar", "Gigs", "--platform", "Berths")
	within(t, w.run("", "group", "list"), "Boats", "Berths")
	w.run("", "group", "edit", "Berths", "--before", "Boats")
	w.run("", "group", "edit", "Berths", "--name", "Moorings")
	groups := lines[client.Group](t, w.run("", "group", "list", "--json"))
	assert.Equal(t, []string{"Moorings", "Boats"}, []string{groups[0].Name, groups[1].Name})
	_, errs, code := w.try("", "group", "edit", "Boats", "--name", "moorings")
	assert.Equal(t, 1, code)
	within(t, errs, "another group has this name")
	_, _, code = w.try("", "group", "edit", "Moorings", "--revision", "1", "--name", "Skiffs")
	assert.Equal(t, 1, code, "it was moved since")
	within(t, w.run("", "calendar", "list", "--search", "moor"), "Pontoon", "Moorings")

	units := func() (all []int) {
		for _, b := range lines[client.Booking](t, w.run("", "calendar", "show", "Gigs", "--json")) {
			all = append(all, b.Units)
		}
		return all
	}
	within(t, w.run("", "link", "sort", "Gigs", "Club", "--counting", `title matches (\d+) boats`), "Club outing, 3 boats", "3", "Nothing was changed.")
	assert.Equal(t, []int{1, 1}, units())
	w.run("", "link", "edit", "Gigs", "Club", "--counting", `title matches (\d+) boats`)
	assert.Equal(t, []int{3, 1}, units())
	w.run("", "link", "edit", "Gigs", "Club", "--counting", "property X-BOATS")
	assert.Equal(t, []int{1, 2}, units())
	_, errs, code = w.try("", "link", "edit", "Gigs", "Club", "--counting", "three")
	assert.Equal(t, 2, code)
	within(t, errs, "is no rule for units")
	w.run("", "calendar", "edit", "Gigs", "--capacity", "2")

	p := w.page(t)
	p.do(p.goTo("/board"))
	p.see(".booking")
	assert.Equal(t, []string{"▾ Moorings", "▾ Boats", "▾ By the hour"}, eval[[]string](p, `[...document.querySelectorAll('.group')].map((g) => g.innerText)`))
	assert.Empty(t, p.axe())
	p.press("Groups")
	p.do(click("button[aria-label='Boats up']"))
	w.eventually("the groups are the other way round", func() bool {
		return p.text(".group") == "▾ Boats"
	})
	p.do(fill("input[aria-label='Name of Boats']", "Small boats\r"))
	w.eventually("it is renamed", func() bool { return p.text(".group") == "▾ Small boats" })
	assert.Empty(t, p.axe())
	for where, size := range sizes {
		p.do(viewport(size), p.goTo("/calendars/1"))
		p.press("Settings")
		p.do(click(`//div[@class="filter"]//button`))
		p.do(fill("input[aria-label='How many units each takes']", `title matches (\d+) boats`))
		p.press("Try it")
		p.do(shows(`//li[contains(., "Club outing, 3 boats")][contains(., "3 units")]`))
		assert.Empty(t, p.axe(), where)
		p.do(click(`//div[@class="filter"]//button[normalize-space()="Save"]`))
		p.do(shows(`//div[contains(@class, "el-dialog")]//li[contains(., "opens on Gigs")]`)) // three of two boats
		assert.Empty(t, p.axe(), where)
		p.press("Leave it as it is")
		assert.Equal(t, []int{1, 2}, units(), where)
	}
	_, errs, code = w.try("", "link", "edit", "Gigs", "Club", "--role", "shows")
	assert.Equal(t, 1, code)
	within(t, errs, "Berths is no longer told that", "nothing was changed")
	w.run("", "link", "edit", "Gigs", "Club", "--role", "shows", "--yes")
	p.content()
}

// TestTroubles: whatever a platform gives instead of its feed, a person is told what it is and what to do, before
// anything is kept and afterwards; what is booked stays booked.
func TestTroubles(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk"}, "WHARF_FETCH_TIMEOUT=2s")
	w.book(0, "Osei", 3, 5)
	w.run("", "calendar", "add", "Ketch", "--zone", zoneName, "--grain", "day")
	w.run("", "feed", "add", w.feedLink(0), "--platform", "Merrow Charter Desk", "--name", "Desk", "--calendar", "Ketch")
	says := map[string]string{"away": "(503)", "gone": "(410)", "busy": "(429)", "login": "log in", "password": "user name and password", "sheet": "spreadsheet", "json": "JSON", "empty": "empty",
		"page": "web page", "archive": "zip archive", "cut off": "cut off before its end", "slow": "did not answer", "no events": "", "moved": ""}
	kinds := slices.DeleteFunc(standin.Troubles(), func(kind string) bool { return kind == "moved" })
	for _, kind := range append(kinds, "moved") { // from which on it is read elsewhere
		want, known := says[kind]
		require.True(t, known, "%s is to be tried", kind)
		require.NoError(t, w.platforms[0].SetTrouble(kind))
		out, errs, code := w.try("", "feed", "try", "--json", w.feedLink(0))
		trials := lines[client.Trial](t, out)
		require.Len(t, trials, 1, errs)
		trial := trials[0]
		if want == "" {
			assert.Equal(t, 0, code, kind)
			require.Nil(t, trial.Problem, kind)
		} else {
			assert.Equal(t, 1, code, kind)
			require.NotNil(t, trial.Problem, kind)
			assert.Contains(t, *trial.Problem, want, kind)
		}
		assert.Len(t, trial.Offers, map[string]int{"page": 1, "archive": 2}[kind], kind)
		_, _, _ = w.try("", "feed", "refresh", "Desk")
		booked := lines[client.Booking](t, w.run("", "calendar", "show", "Ketch", "--json"))
		if kind != "no events" { // which is held, where the guard is on
			require.Len(t, booked, 1, kind)
			failing := booked[0].Unfresh
			if want == "" {
				assert.Nil(t, failing, kind)
			} else if assert.NotNil(t, failing, kind) {
				assert.Equal(t, client.Failing, failing.State)
				assert.Contains(t, failing.Why, want, kind)
				within(t, w.run("", "calendar", "show", "Ketch"), "Desk is failing since", want)
			}
		}
		require.NoError(t, w.platforms[0].SetTrouble(""))
		w.run("", "feed", "refresh", "Desk")
		require.Len(t, lines[client.Booking](t, w.run("", "calendar", "show", "Ketch", "--json")), 1, "%s is over", kind)
	}
	assert.ErrorContains(t, w.platforms[0].SetTrouble("haunted"), "it is one of archive, away")
	within(t, w.run("", "feed", "show", "Desk"), "moved this feed for good")
}
