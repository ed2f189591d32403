package e2e

import (
	"context"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	cdpage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/browser"
)

// page is a tab of Chromium on the console.
type page struct {
	t    *testing.T
	tab  context.Context
	base string

	mu         sync.Mutex
	complaints []string // errors, refusals by the page's own policy
}

// quickTimers makes a page's timers run sixty times as fast, and keeps what it asks for.
const quickTimers = `for (const name of ['setTimeout', 'setInterval']) {
	const real = window[name].bind(window)
	window[name] = (f, delay, ...args) => real(() => { window.turns = (window.turns ?? 0) + 1; f(...args) }, (delay ?? 0) / 60)
}
window.asked = []
const realFetch = window.fetch.bind(window)
window.fetch = (what, ...more) => { window.asked.push(new URL(what.url ?? what, location).pathname); return realFetch(what, ...more) }`

// stillness takes what moves out of a page: a click lands where it is aimed at, and colours are those that stay.
const stillness = `{
	const still = new CSSStyleSheet()
	still.replaceSync('*, *::before, *::after { transition: none !important; animation: none !important }')
	document.adoptedStyleSheets = [still]
}`

// openPage starts a browser that has not logged in; scripts run in each document first.
func openPage(t *testing.T, base string, scripts ...string) *page {
	t.Helper()
	tab, end, err := browser.Start(context.Background())
	require.NoError(t, err)
	t.Cleanup(end)
	tab, cancel := context.WithTimeout(tab, 5*patience)
	t.Cleanup(cancel)
	p := &page{t: t, tab: tab, base: base}
	require.NoError(t, chromedp.Do(tab, chromedp.EmulateViewport(1280, 800)), "the browser starts, and lives as long as the tab")
	p.runFirst(append(scripts, stillness)...)
	said := chromedp.Console(tab)
	go func() {
		for m, err := range said {
			if err != nil {
				return // the tab is closed
			}
			if m.IsException() || m.Type == "error" {
				p.mu.Lock()
				p.complaints = append(p.complaints, m.String())
				p.mu.Unlock()
			}
		}
	}()
	return p
}

// runFirst runs scripts in each document of the tab before all others, and shifts its clock.
func (p *page) runFirst(scripts ...string) {
	p.t.Helper()
	if shift != 0 {
		scripts = append(scripts, shiftedClock())
	}
	for _, script := range scripts {
		_, err := chromedp.Call(p.tab, cdpage.AddScriptToEvaluateOnNewDocument, cdpage.AddScriptToEvaluateOnNewDocumentParams{Source: script})
		require.NoError(p.t, err)
	}
}

// logIn opens the console's first page.
func (p *page) logIn() *page {
	p.t.Helper()
	p.do(p.goTo("/login"), chromedp.SendKeys(chromedp.CSS("input[name=name]"), accountName),
		chromedp.SendKeys(chromedp.CSS("input[name=password]"), password+"\r"), chromedp.WaitVisible(chromedp.CSS("nav")))
	return p
}

func (p *page) goTo(path string) chromedp.Action[chromedp.Void] {
	return chromedp.Navigate(p.base + path)
}

// do takes the steps one by one; where one cannot be taken, the test says what the page
// showed.
func (p *page) do(steps ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	for i, step := range steps {
		short, cancel := context.WithTimeout(p.tab, patience/2)
		err := chromedp.Do(short, step)
		cancel()
		if err != nil {
			require.NoError(p.t, err, "step %d, on a page that says: %s", i, eval[string](p.t, p.tab, "document.body.innerText"))
		}
	}
}

// text is what an element says, "" without one.
func (p *page) text(selector string) string {
	p.t.Helper()
	return eval[string](p.t, p.tab, "document.querySelector(`"+selector+"`)?.innerText ?? ''")
}

func (p *page) count(selector string) int {
	p.t.Helper()
	return eval[int](p.t, p.tab, "document.querySelectorAll(`"+selector+"`).length")
}

// drawn is how many bookings the elements are of: one that runs over a Sunday is drawn in
// two weeks.
func (p *page) drawn(selector string) int {
	p.t.Helper()
	return eval[int](p.t, p.tab, "new Set([...document.querySelectorAll(`"+selector+"`)].map((e) => e.dataset.booking)).size")
}

// see waits for an element.
func (p *page) see(selectors ...string) {
	p.t.Helper()
	for _, s := range selectors {
		p.do(chromedp.WaitVisible(chromedp.CSS(s)))
	}
}

// press clicks a button by what it says.
func (p *page) press(text string) {
	p.t.Helper()
	p.do(chromedp.Click(button(text)))
}

// choose picks an option of a list by its words, once the options stand still: they are moved to where there is room.
func (p *page) choose(list, option string) {
	p.t.Helper()
	item := `//li[contains(@class, "el-select-dropdown__item")][normalize-space()="` + option + `"]`
	p.do(chromedp.Click(chromedp.CSS(list)), chromedp.WaitVisible(chromedp.Search(item)))
	place := func() string {
		return eval[string](p.t, p.tab, "JSON.stringify(document.evaluate(`"+item+"`, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE).singleNodeValue.getBoundingClientRect())")
	}
	last := ""
	require.Eventually(p.t, func() bool {
		before := last
		last = place()
		return last == before
	}, patience, 100*time.Millisecond, "%q in %s never stands still", option, list)
	p.do(chromedp.Click(chromedp.Search(item)))
}

// content asserts that the page complained of nothing, but that it had to log in.
func (p *page) content() {
	p.t.Helper()
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, c := range p.complaints {
		assert.Contains(p.t, c, "401")
	}
}

// axe says what axe-core finds serious on the page as it stands.
func (p *page) axe() []string {
	p.t.Helper()
	source, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(p.t, err, "`make test` installs it")
	found, err := chromedp.Run(p.tab, chromedp.Evaluate[[]string](string(source)+`;
		axe.run(document, {resultTypes: ['violations']}).then((r) => r.violations
			.filter((v) => ['serious', 'critical'].includes(v.impact))
			.map((v) => v.id + ': ' + v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160) + ' — ' + n.failureSummary).join(' | ')))`, chromedp.EvalAwaitPromise))
	require.NoError(p.t, err)
	return found
}

// field is the input under a label of a form.
func field(label string) chromedp.Search {
	return chromedp.Search(`//label[normalize-space()="` + label + `"]/following-sibling::div//input`)
}

func button(text string) chromedp.Search {
	return chromedp.Search(`//button[normalize-space()="` + text + `"]`)
}

// fill replaces what is in an input, as a person does who marks it all and types.
func fill[S chromedp.Selectable](input S, text string) chromedp.Action[chromedp.Void] {
	return chromedp.Steps(chromedp.Focus(input), chromedp.Evaluate[chromedp.Void]("document.activeElement.select()"), chromedp.SendKeys(input, text))
}

func eval[T any](t *testing.T, tab context.Context, expression string) T {
	t.Helper()
	v, err := chromedp.Run(tab, chromedp.Evaluate[T](expression))
	require.NoError(t, err)
	return v
}

// within is whether every part is in the text.
func within(t *testing.T, text string, parts ...string) {
	t.Helper()
	for _, part := range parts {
		assert.Contains(t, strings.ReplaceAll(text, "\u00a0", " "), part)
	}
}
