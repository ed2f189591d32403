package e2e

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestNewLink: a link that came into the wrong hands is replaced; the old one answers 410 from every process within a
// second, whichever link that one was asked for first, and what was sent is known by the new one.
func TestNewLink(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	other := w.another()
	w.run("", "calendar", "add", "Ketch Merrow", "--zone", zoneName)
	w.run("", "hold", "add", "Ketch Merrow", day(t, 3), "--title", "Osei", "--yes")
	link := lines[client.Publication](t, w.run("", "publication", "add", "For the desk", "--calendar", "Ketch Merrow", "--platform", "Desk", "--json"))[0].Url
	at := func(w *world, link string) string {
		return "http://" + w.address + link[strings.Index(link, "/p/"):]
	}
	for range 3 {
		var text string
		for _, process := range []*world{w, other} {
			status, is := fetch(t, at(process, link))
			require.Equal(t, http.StatusOK, status)
			text = is
		}
		w.eventually("it is counted", func() bool {
			return lines[client.Publication](t, w.run("", "publication", "show", "For the desk", "--json"))[0].Pickups > 0
		})
		_, errs, code := w.try("", "publication", "renew", "For the desk")
		assert.Equal(t, 1, code)
		within(t, errs, "Desk would lose what it blocks by this link, 1 booking", "nothing was changed")
		status, _ := fetch(t, at(w, link))
		require.Equal(t, http.StatusOK, status, "it was only asked about")

		renewed := lines[client.Publication](t, w.run("", "publication", "renew", "For the desk", "--yes", "--json"))[0].Url
		require.NotEqual(t, link, renewed)
		for _, process := range []*world{other, w} { // also where nobody has told yet that there is another
			status, is := fetch(t, at(process, renewed))
			require.Equal(t, http.StatusOK, status)
			assert.Equal(t, text, is)
		}
		for _, process := range []*world{w, other} {
			w.eventually("the old one is gone", func() bool { status, _ := fetch(t, at(process, link)); return status == http.StatusGone })
		}
		link = renewed
	}
	w.run("", "hold", "add", "Ketch Merrow", day(t, 9), "--title", "Fenn", "--yes")
	for _, process := range []*world{w, other} {
		w.eventually("what is new is told of", func() bool { _, is := fetch(t, at(process, link)); return strings.Count(is, "BEGIN:VEVENT") == 2 })
	}

	p := w.page(t)
	p.do(p.goTo("/publications"))
	p.press("New link")
	p.do(shows(`//div[contains(@class, "el-dialog")][contains(., "Make a new link for For the desk?")][contains(., "Desk would lose")]`))
	assert.Empty(t, p.axe())
	p.press("Make a new link")
	w.eventually("the old one is gone", func() bool { status, _ := fetch(t, at(w, link)); return status == http.StatusGone })
}
