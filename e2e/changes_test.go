package e2e

import (
	"io"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/hostile"
)

// TestWhatChanged: what readings changed is told booking by booking, with what it was: of a calendar, a feed, and
// each reading.
func TestWhatChanged(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	day := func(n int) string { return "VALUE=DATE:" + now().UTC().AddDate(0, 0, n).Format("20060102") }
	first := hostile.Calendar(hostile.Event("a", "DTSTART;"+day(3), "DTEND;"+day(5), "SUMMARY:Osei"), hostile.Event("b", "DTSTART;"+day(8), "DTEND;"+day(10), "SUMMARY:Lindqvist"),
		hostile.Event("c", "DTSTART;"+day(20), "DTEND;"+day(21), "SUMMARY:Tern"))
	second := hostile.Calendar(hostile.Event("a", "DTSTART;"+day(4), "DTEND;"+day(7), "SUMMARY:Osei family"), hostile.Event("c", "DTSTART;"+day(20), "DTEND;"+day(21), "SUMMARY:Tern", "STATUS:TENTATIVE"),
		hostile.Event("d", "DTSTART;"+day(30), "DTEND;"+day(32), "SUMMARY:Harbour School"))
	var document atomic.Value
	document.Store(first)
	source := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(rw, document.Load().(string)) }))
	t.Cleanup(source.Close)
	w.run("", "calendar", "add", "Ketch", "--zone", "UTC", "--grain", "day")
	w.run("", "feed", "add", source.URL, "--platform", "Desk", "--name", "Desk", "--calendar", "Ketch")
	document.Store(second)
	w.run("", "feed", "refresh", "Desk")

	kinds := map[client.BookingChangeKind]int{}
	for _, c := range lines[client.BookingChange](t, w.run("", "calendar", "changes", "Ketch", "--json")) {
		kinds[c.Kind]++
		if c.Kind == client.BookingChanged && c.Became.Title == "Osei family" {
			require.NotNil(t, c.Was)
			assert.Equal(t, "Osei", c.Was.Title)
			assert.NotEqual(t, c.Was.Start, c.Became.Start)
			assert.NotEqual(t, c.Was.End, c.Became.End)
		}
	}
	assert.Equal(t, map[client.BookingChangeKind]int{client.BookingWithTheFeed: 3, client.BookingChanged: 2, client.BookingRemoved: 1, client.BookingAdded: 1}, kinds)
	out := w.run("", "feed", "changes", "Desk")
	within(t, out, "Harbour School", "new", "gone", "Osei, ", " -> Osei family, ", "Tern, ", ", tentative", "came with the feed")
	within(t, w.run("", "calendar", "changes", "Ketch", "--since", "1ns"), "No reading changed anything in that time.")
	resp, problem := w.answer("GET", "/api/v1/calendars/1/changes?since=2030-01-01T00:00:00Z&until=2029-01-01T00:00:00Z", "", nil)
	assert.Equal(t, 422, resp.StatusCode)
	require.NotNil(t, problem.Errors)
	assert.Equal(t, "since", (*problem.Errors)[0].Field)
	resp, _ = w.answer("GET", "/api/v1/calendars/99/changes", "", nil)
	assert.Equal(t, 404, resp.StatusCode)

	p := w.page(t)
	for where, size := range sizes {
		p.do(viewport(size), p.goTo("/calendars/1"))
		p.see(".what .el-radio")
		p.do(click(`//section[@aria-label="What changed"]//label[normalize-space()="since yesterday"]`))
		p.do(shows(`//section[@aria-label="What changed"]//li[contains(., "Harbour School")]`))
		within(t, p.text(".what"), "Gone", "Lindqvist", "was “Osei”", "is tentative", "At first")
		assert.Empty(t, p.axe(), where)
		p.fits()
		p.do(p.goTo("/calendars/1"), click(`//button[contains(., "Osei family")]`))
		p.see(".panel .changes")
		within(t, p.text(".panel .changes"), "Changed", "was “Osei”", "At first")
		within(t, p.text(".panel"), "Last seen")
		assert.Empty(t, p.axe(), where)
		p.do(p.goTo("/feeds/1"))
		p.do(click(`//table//tbody/tr[1]//button[contains(., "▸")]`))
		p.see("td .changes")
		within(t, p.text("td .changes"), "Harbour School", "Gone", "Lindqvist")
		assert.NotContains(t, p.text("td .changes"), "At first", "of that reading alone")
		assert.Empty(t, p.axe(), where)
	}
	p.do(p.goTo("/calendars/1"))
	p.do(shows(`//section[@aria-label="What changed"][contains(., "since you were here")][contains(., "No reading has changed anything.")]`))
}
