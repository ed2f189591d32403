package e2e

import (
	"io"
	"net/http"
	"regexp"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// subscribers is how many are told of changes, by the service's own metrics.
func (w *world) subscribers() string {
	w.t.Helper()
	resp, err := http.Get("http://" + w.address + "/metrics")
	require.NoError(w.t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(w.t, err)
	found := regexp.MustCompile(`(?m)^wharf_subscribers (\d+)$`).FindStringSubmatch(string(text))
	require.NotNil(w.t, found, "the metric is there")
	return found[1]
}

// TestTabs: several tabs of a browser take one stream together; all of them change, also
// after the one that listened is closed.
func TestTabs(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk"})
	w.book(0, "Osei", 1, 3)
	w.subscribe("Ketch Merrow")
	require.Equal(t, "0", w.subscribers(), "no page is open")
	door := openPage(t, w.base()).logIn()
	door.do(navigate("about:blank"))
	open := func() *page {
		p := door.beside()
		p.do(p.goTo("/calendars/1"))
		p.see(".booking")
		return p
	}
	first := open()
	second := open()
	w.eventually("one stream for both tabs", func() bool { return w.subscribers() == "1" })

	w.book(0, "Lindqvist", 5, 7)
	w.run("", "feed", "refresh", "--all")
	for _, p := range []*page{first, second} {
		p.see(`.booking[title*="Lindqvist"]`)
	}
	first.end()
	w.eventually("the other tab listens", func() bool {
		return w.subscribers() == "1" && eval[int](second, `document.querySelectorAll('.stale').length`) == 0
	})
	w.cancel(0, "Lindqvist")
	w.run("", "feed", "refresh", "--all")
	second.do(gone(`.booking[title*="Lindqvist"]`))
	second.end()
	w.eventually("a stream whose page is closed ends", func() bool { return w.subscribers() == "0" })
}

// TestKeyboard: what a coordinator does every day goes without a mouse.
func TestKeyboard(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.book(0, "Lindqvist", 1, 3)
	w.book(1, "Harbour School", 2, 4)
	w.subscribe("Ketch Merrow")
	p := openPage(t, w.base()).logIn()
	p.see(".answer.alarm")
	// tabTo presses Tab until what has the focus says so; it must be seen to have it.
	tabTo := func(says string) {
		t.Helper()
		for range 60 {
			p.do(press("\t"))
			if eval[bool](p, "document.activeElement !== document.body && (document.activeElement.ariaLabel || document.activeElement.innerText || '').trim().startsWith(`"+says+"`)") {
				outline := eval[string](p, "getComputedStyle(document.activeElement).outlineStyle + getComputedStyle(document.activeElement).boxShadow")
				assert.NotEqual(t, "nonenone", outline, "the focus on %s is visible", says)
				return
			}
		}
		require.Fail(t, "no key leads there", says)
	}
	tabTo("To the page")
	tabTo("Ketch Merrow, ")
	p.do(press("\r"))
	p.see(".facts")
	tabTo("I am dealing with it")
	p.do(press("\r"))
	tabTo("Acknowledge")
	p.do(press("\r"))
	p.do(shows(`//p[contains(., "harbour deals with it")]`))

	p.do(p.goTo("/board"))
	p.see(".booking")
	tabTo("Board: arrow keys")
	before := eval[float64](p, "document.querySelector('.board').scrollLeft")
	for range 5 {
		p.do(press(kb.ArrowRight))
	}
	w.eventually("the board scrolls in time", func() bool {
		return eval[float64](p, "document.querySelector('.board').scrollLeft") > before
	})
	tabTo("Feeds of Ketch Merrow")
	p.do(press("\r"))
	p.see(".sub")
	tabTo("Feed of Strand")
	p.do(press("\r"))
	p.see(`.feed[aria-pressed="false"]`)
	tabTo("Lindqvist")
	p.do(press("\r"))
	p.see(".panel")
	p.do(press("\x1b"))
	p.do(gone(".panel"))
}
