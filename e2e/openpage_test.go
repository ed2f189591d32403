package e2e

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestOpenPage: a page for everybody shows what is free and taken and nothing else, without a script, in any site's frame; a visit is
// no pickup; it is closed at once on every process.
func TestOpenPage(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	w.run("", "calendar", "add", "Pontoon <b>", "--zone", zoneName, "--grain", "night")
	w.run("", "hold", "add", "Pontoon <b>", day(t, 0), day(t, 2), "--title", "Osei, by telephone", "--yes")
	w.run("", "publication", "add", "Pontoon, for guests", "--calendar", "Pontoon <b>", "--person", "Guests", "--detail", "titles")
	w.run("", "publication", "add", "Pontoon, for the desk", "--calendar", "Pontoon <b>", "--platform", "Desk")
	_, errs, code := w.try("", "publication", "page", "Pontoon, for the desk")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "leaves its own bookings out")
	page := *lines[client.Publication](t, w.run("", "publication", "page", "Pontoon, for guests", "--json"))[0].Page
	other := strings.Replace(page, w.address, w.another().address, 1)

	status, text := fetch(t, page)
	require.Equal(t, 200, status)
	assert.NotContains(t, text, "Osei")
	assert.NotContains(t, text, "<script")
	loc, err := time.LoadLocation(zoneName)
	require.NoError(t, err)
	today := now().In(loc)
	taken := strings.Count(text, `class="taken"`)
	assert.Contains(t, []int{1, 2}, taken, "two nights, unless the month ends between them")
	assert.Contains(t, text, fmt.Sprintf(`<td class="taken"><b>%d</b> <span>taken</span></td>`, today.Day()))
	for query, says := range map[string]struct {
		status int
		text   string
	}{"?month=" + today.AddDate(0, 0, 40).Format("2006-01"): {200, today.AddDate(0, 0, 40).Format("January 2006")}, "?month=1999-01": {404, "is not known"}, "?month=%3Cb%3E": {400, "written as"}} {
		status, text := fetch(t, page+query)
		assert.Equal(t, says.status, status, query)
		assert.Contains(t, text, says.text)
	}
	assert.Zero(t, lines[client.Publication](t, w.run("", "publication", "show", "Pontoon, for guests", "--json"))[0].Pickups, "a visit is no pickup")

	site := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		rw.Header().Set("Content-Type", "text/html")
		_, _ = io.WriteString(rw, `<!doctype html><html lang="en"><title>Guests</title><main><h1>Stay with us</h1><iframe src="`+page+`" title="What is free"></iframe></main></html>`)
	}))
	t.Cleanup(site.Close)
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			p := w.page(t)
			p.do(viewport(size), navigate(page))
			p.see("table")
			assert.Empty(t, p.axe())
			p.fits()
			assert.Equal(t, taken, p.count("td.taken"))
			assert.NotEqual(t, "rgba(0, 0, 0, 0)", eval[string](p, `getComputedStyle(document.body).backgroundColor`), "its style is its own")
			p.do(click("a[rel=next]"), shows("a[rel=prev]"))
			p.do(navigate(site.URL))
			p.see("iframe")
			w.eventually("it is shown in another site's frame", func() bool { return eval[int](p, "window.frames.length") == 1 })
			p.content()
			p.do(p.goTo("/publications"))
			p.do(click(`//li[contains(., "Pontoon, for guests")]//button[normalize-space()="Share"]`))
			p.see("svg.code", "input.page")
			assert.Equal(t, page, eval[string](p, "document.querySelector('input.page').value"))
			assert.Empty(t, p.axe())
			p.fits()
			p.content()
		})
	}

	first := page
	page = *lines[client.Publication](t, w.run("", "publication", "page", "Pontoon, for guests", "--json"))[0].Page
	for _, address := range []string{first, other} {
		status, text := fetch(t, address)
		assert.Equal(t, 410, status)
		assert.Contains(t, text, "This page was closed")
	}
	w.run("", "publication", "page", "Pontoon, for guests", "--close")
	status, _ = fetch(t, page)
	assert.Equal(t, 410, status)
	status, text = fetch(t, page+"x")
	assert.Equal(t, 404, status)
	assert.Contains(t, text, "Ask those who gave it to you")
}
