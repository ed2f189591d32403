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

// TestFilter: one feed serves several calendars; what would go where is seen before it is saved; and a booking
// that is renamed goes to the other calendar.
func TestFilter(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	var renamed atomic.Bool
	day := func(n int) string { return now().UTC().AddDate(0, 0, n).Format("20060102") }
	source := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		second := "Punt: Lindqvist"
		if renamed.Load() {
			second = "Ketch: Lindqvist"
		}
		_, _ = io.WriteString(rw, hostile.Calendar(hostile.Event("a", "DTSTART;VALUE=DATE:"+day(3), "SUMMARY:Ketch: Osei"), hostile.Event("b", "DTSTART;VALUE=DATE:"+day(5), "SUMMARY:"+second),
			hostile.Event("c", "DTSTART;VALUE=DATE:"+day(8), "SUMMARY:Regatta", "CATEGORIES:club,public"), hostile.Event("d", "DTSTART;VALUE=DATE:"+day(9), "SUMMARY:Punt: Harbour School")))
	}))
	t.Cleanup(source.Close)
	for _, name := range []string{"Ketch", "Punt"} {
		w.run("", "calendar", "add", name, "--zone", "UTC", "--grain", "day")
	}
	w.run("", "feed", "add", source.URL, "--platform", "Club", "--name", "Club diary")
	w.run("", "link", "add", "Ketch", "Club diary", "--filter", "title has ketch:")
	w.run("", "link", "add", "Punt", "Club diary")
	titles := func(calendar string) (all []string) {
		for _, b := range lines[client.Booking](t, w.run("", "calendar", "show", calendar, "--json")) {
			all = append(all, b.Title)
		}
		return all
	}
	assert.Equal(t, []string{"Ketch: Osei"}, titles("Ketch"))
	assert.Len(t, titles("Punt"), 4)
	out := w.run("", "link", "sort", "Punt", "Club diary", "--filter", "title has punt:")
	within(t, out, "2 entries would count on Punt, 2 would not, and 1 of those nowhere. Nothing was changed.", "nowhere", "Regatta")
	assert.Len(t, titles("Punt"), 4)
	for filter, says := range map[string]string{"title is Punt": `a filter has no "is"`, "title matches (": "is no expression (RE2)", "Punt": "write it as title has Ketch"} {
		for _, args := range [][]string{{"link", "sort", "Punt", "Club diary"}, {"link", "edit", "Punt", "Club diary"}, {"link", "add", "Punt", "Club diary"}} {
			_, errs, code := w.try("", append(args, "--filter", filter)...)
			assert.Equal(t, 2, code, args)
			within(t, errs, says)
		}
	}

	for where, size := range sizes {
		p := w.page(t)
		p.do(viewport(size), p.goTo("/calendars/2"))
		p.press("Settings")
		p.do(click(`//div[@class="filter"]//button`))
		p.do(fill("input[aria-label='For what']", "punt:"))
		p.press("Try it")
		p.do(shows(`//p[@role="status"][contains(., "2 entries would count on Punt")]`))
		within(t, p.text(".filter"), "1 of those nowhere", "Regatta → nowhere", "Ketch: Osei → Ketch", "Punt: Lindqvist → Punt")
		assert.Empty(t, p.axe(), where)
		p.do(click(`//div[@class="filter"]//button[normalize-space()="Save"]`))
		p.do(shows(`//p[contains(., "Only entries of which the title has punt:.")]`))
	}
	assert.Equal(t, []string{"Punt: Lindqvist", "Punt: Harbour School"}, titles("Punt"))
	renamed.Store(true)
	w.run("", "feed", "refresh", "Club diary")
	assert.Equal(t, []string{"Punt: Harbour School"}, titles("Punt"))
	assert.Equal(t, []string{"Ketch: Osei", "Ketch: Lindqvist"}, titles("Ketch"))
	require.Empty(t, w.conflicts())
	within(t, w.run("", "link", "show", "Punt", "Club diary"), "Only entries of which the title has punt:.")
	w.run("", "link", "edit", "Punt", "Club diary", "--filter", "")
	assert.Len(t, titles("Punt"), 4, "all of them again")
}
