package e2e

import (
	"context"
	"fmt"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/core/span"
	"wharf/demo/crowd"
	"wharf/service/store"
)

// What a page may cost, whatever there is to be shown.
const (
	mostElements = 3000
	mostAsked    = 8   // times, of the API
	mostKilobyte = 300 // that come for it
)

// cost is what a page has cost since it was opened.
type cost struct {
	Elements, Asked, Kilobyte int
	Open                      int // requests that have not ended
}

func (p *page) cost() cost {
	p.t.Helper()
	return eval[cost](p.t, p.tab, `(() => {
		const all = [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')]
		return {
			Elements: document.querySelectorAll('*').length,
			Asked: window.asked.filter((path) => path.startsWith('/api/') && path !== '/api/v1/changes').length,
			Kilobyte: Math.ceil(all.reduce((n, e) => n + e.transferSize, 0) / 1000),
			Open: window.asked.length - all.filter((e) => e.initiatorType === 'fetch').length,
		}
	})()`)
}

// TestManyPages: with 500 calendars, 1,500 feeds and 40 platforms, no page costs more than a page may; rows are
// drawn where they are seen, and what is looked for is found.
func TestManyPages(t *testing.T) {
	anyDay(t)
	c := crowd.Crowd{Size: crowd.Large, Today: span.DateOf(now())}
	source := httptest.NewServer(c.Handler())
	t.Cleanup(source.Close)
	// Without the race detector, and without what stands before other tests' services: it is very much to load.
	plain := filepath.Join(t.TempDir(), "wharf")
	out, err := exec.Command("go", "build", "-o", plain, "wharf/cmd/wharf").CombinedOutput()
	require.NoError(t, err, "%s", out)
	raced := binary
	binary = plain
	t.Cleanup(func() { binary = raced })
	w := newWorld(t, nil, "WHARF_HOST_CONNECTIONS=0", "WHARF_HOST_RATE=0", "WHARF_DEFAULT_EVERY=24h")
	w.front = "http://" + w.address
	w.connect()
	loaded := 0
	require.NoError(t, c.Load(context.Background(), w.api, func(int) string { return source.URL }, func() {}))
	feeds := must(client.Decode[[]client.Feed](w.api.ListFeeds(context.Background(), nil)))(t)
	require.Len(t, feeds, c.Feeds())
	for _, f := range feeds {
		loaded += f.Entries
	}
	require.Greater(t, loaded, 10*c.Feeds(), "they are full")

	p := openPage(t, w.base(), `window.asked = []
		const realFetch = window.fetch.bind(window)
		window.fetch = (what, ...more) => { window.asked.push(new URL(what.url ?? what, location).pathname); return realFetch(what, ...more) }`).logIn()
	settled := func() (is cost) {
		t.Helper()
		quiet := 0
		w.eventually("nothing more is asked for", func() bool {
			before := is
			if is = p.cost(); is == before && is.Open == 0 {
				quiet++
			} else {
				quiet = 0
			}
			return quiet >= 3
		})
		return is
	}
	holds := func(what string) {
		t.Helper()
		is := settled()
		assert.LessOrEqual(t, is.Elements, mostElements, "elements of %s", what)
		assert.LessOrEqual(t, is.Asked, mostAsked, "requests of %s: %v", what, eval[[]string](t, p.tab, "window.asked"))
		assert.LessOrEqual(t, is.Kilobyte, mostKilobyte, "kB for %s", what)
	}
	pages := map[string]string{"/": ".days td", "/board": ".booking", "/feeds": ".feed", "/both-ways": ".half", "/publications": ".list li", "/conflicts": "h1", "/calendars/7": ".span-bar, .agenda .booking",
		fmt.Sprintf("/feeds/%d", feeds[700].Id): ".history canvas", fmt.Sprintf("/platforms/%d", feeds[700].Platform.Id): ".feed"}
	s, err := store.Open(context.Background(), w.dsn, 0)
	require.NoError(t, err)
	defer s.Close()
	w.eventually("what loading changed is told to nobody any more", func() bool {
		last := must(s.LastChange(context.Background()))(t)
		newest := must(s.ChangesAfter(context.Background(), last-1))(t)
		return len(newest) == 1 && newest[0].Settled
	})
	for where, size := range sizes {
		p.do(chromedp.EmulateViewport(size[0], size[1]))
		for path, ready := range pages {
			for range 2 { // the second time with the console's own files at hand
				p.do(p.goTo(path))
				p.see(ready)
			}
			holds(path + " " + where)
		}
	}

	p.do(chromedp.EmulateViewport(1280, 800), p.goTo("/board"))
	p.see(".booking")
	p.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('.board').scrollTop = 1e6`))
	p.do(chromedp.WaitVisible(chromedp.Search(`//a[@class="calendar"][contains(., " 50")]`)))
	w.eventually("its bookings are drawn", func() bool { return p.count(".booking") > 20 })
	assert.LessOrEqual(t, p.cost().Elements, mostElements)
	assert.Empty(t, p.axe())
	p.do(fill(chromedp.CSS("input[aria-label='Look for calendars']"), "mole 3"))
	w.eventually("only those are shown", func() bool { return p.count(".calendar") == 14 }) // Outer Mole 03, 13, 23, 30 to 39, 43
	p.do(chromedp.Click(chromedp.CSS(".group button")))
	w.eventually("a group is folded", func() bool { return p.count(".calendar") == 0 })

	p.do(p.goTo("/feeds"))
	p.see(".feed")
	require.Equal(t, 40, p.count(".feed"))
	p.press("Show more (1460)")
	w.eventually("more are shown", func() bool { return p.count(".feed") == 80 })
	p.do(fill(chromedp.CSS("input[aria-label='Look for feeds']"), "gull 07 desk"))
	w.eventually("what is looked for is found", func() bool { return p.count(".feed") < 4 })
	assert.Empty(t, p.axe())
	assert.Contains(t, eval[string](t, p.tab, "location.search"), "search=gull", "it can be kept and sent")
	p.content()
}
