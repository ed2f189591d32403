package e2e

import (
	"context"
	"fmt"
	"net/http/httptest"
	"testing"

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
type cost struct{ Elements, Asked, Kilobyte int }

func (p *page) cost() cost {
	p.t.Helper()
	return eval[cost](p, `(() => {
		const all = [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')]
		return {
			Elements: document.querySelectorAll('*').length,
			Asked: window.asked.filter((path) => path.startsWith('/api/') && path !== '/api/v1/changes').length,
			Kilobyte: Math.ceil(all.reduce((n, e) => n + e.transferSize, 0) / 1000),
		}
	})()`)
}

// TestManyPages: with 500 calendars, 1,500 feeds and 40 platforms (`make test-busy`; else with 60, 180 and 6, which is as
// many on a platform and more than any list shows at once), no page costs more than a page may; rows are drawn where they
// are seen, and what is looked for is found.
func TestManyPages(t *testing.T) {
	anyDay(t)
	t.Parallel()
	c := crowd.Crowd{Size: crowd.Size{Calendars: 60, Platforms: 6, On: 3}, Today: span.DateOf(now())}
	if thorough {
		c.Size = crowd.Large
	}
	source := httptest.NewServer(c.Handler())
	t.Cleanup(source.Close)
	w := newWorld(t, nil, "WHARF_HOST_CONNECTIONS=0", "WHARF_HOST_RATE=0", "WHARF_DEFAULT_EVERY=24h")
	w.front = "http://" + w.address // the proxy unpacks what is packed
	w.connect()
	p := w.page(t, `window.asked = []
		const realFetch = window.fetch.bind(window)
		window.fetch = (what, ...more) => { window.asked.push(new URL(what.url ?? what, location).pathname); return realFetch(what, ...more) }`)
	for what, is := range w.pagesWith(p, c, source.URL) {
		t.Logf("%s: %+v", what, is)
		assert.LessOrEqual(t, is.Elements, mostElements, "elements of %s", what)
		assert.LessOrEqual(t, is.Asked, mostAsked, "requests of %s", what)
		assert.LessOrEqual(t, is.Kilobyte, mostKilobyte, "kB for %s", what)
	}

	p.do(viewport(sizes["on a desk"]), p.goTo("/board"))
	p.see(".booking")
	p.do(js(`document.querySelector('.board').scrollTop = 1e6`), shows(fmt.Sprintf(`//a[@class="calendar"][contains(., " %02d")]`, c.Calendars/10)))
	w.eventually("its bookings are drawn", func() bool { return p.count(".booking") > 20 })
	assert.LessOrEqual(t, p.cost().Elements, mostElements)
	assert.Empty(t, p.axe())
	p.do(fill("input[aria-label='Look for calendars']", "mole 06"))
	w.eventually("only that is shown", func() bool { return p.count(".calendar") == 1 })
	p.do(click(".group button"))
	w.eventually("a group is folded", func() bool { return p.count(".calendar") == 0 })

	p.do(p.goTo("/feeds"))
	p.see(".feed")
	require.Equal(t, 40, p.count(".feed"))
	p.press(fmt.Sprintf("Show more (%d)", c.Feeds()-40))
	w.eventually("more are shown", func() bool { return p.count(".feed") == 80 })
	p.do(fill("input[aria-label='Look for feeds']", "gull skerry"))
	w.eventually("what is looked for is found", func() bool { n := p.count(".feed"); return n > 0 && n < 18 })
	assert.Empty(t, p.axe())
	assert.Contains(t, eval[string](p, "location.search"), "search=gull", "it can be kept and sent")
	p.content()
}

// pagesWith loads a crowd, and tells what each page costs with it, on a desk and on a phone.
func (w *world) pagesWith(p *page, c crowd.Crowd, source string) map[string]cost {
	w.t.Helper()
	require.NoError(w.t, c.Load(context.Background(), w.api, func(int) string { return source }, func() {}))
	feeds := must(client.Decode[[]client.Feed](w.api.ListFeeds(context.Background(), nil)))(w.t)
	require.Len(w.t, feeds, c.Feeds())
	loaded := 0
	for _, f := range feeds {
		loaded += f.Entries
	}
	require.Greater(w.t, loaded, 10*c.Feeds(), "they are full")
	s, err := store.Open(context.Background(), w.dsn, 0)
	require.NoError(w.t, err)
	defer s.Close()
	w.eventually("what loading changed is told to nobody any more", func() bool {
		last := must(s.LastChange(context.Background()))(w.t)
		newest := must(s.ChangesAfter(context.Background(), last-1))(w.t)
		return len(newest) == 1 && newest[0].Settled
	})
	p.do(p.goTo("/conflicts")) // of what loading changed, nothing is asked anew any more
	pages := map[string]string{"/": ".days td", "/board": ".booking", "/feeds": ".feed", "/both-ways": ".half", "/publications": ".list li", "/conflicts": "h1", "/calendars/7": ".span-bar, .agenda .booking",
		fmt.Sprintf("/feeds/%d", feeds[0].Id): ".history canvas", fmt.Sprintf("/platforms/%d", feeds[0].Platform.Id): ".feed"}
	costs := map[string]cost{}
	for where, size := range sizes {
		p.do(viewport(size))
		for path, ready := range pages {
			for range 2 - len(costs)/len(pages) { // the second time with the console's own files at hand
				p.do(p.goTo(path))
				p.see(ready)
			}
			costs[path+" "+where] = p.cost()
		}
	}
	return costs
}
