package e2e

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	cdpage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/browser"
)

// The one rule for waiting in a page, of which waiting.js is the half that runs there:
//
//   - nothing is clicked before it stands still, is enabled and on top;
//   - nothing is read before every request that was sent has answered and the page has drawn what it said;
//   - between that and the click or the look the page is told of nothing new.
//
// All that touches a page goes through the steps and readings of this file.

// waiting is the half of the rule that runs in the page, before all of the page's own scripts.
//
//go:embed waiting.js
var waiting string

// quickTimers makes a page's timers run sixty times as fast, and keeps what it asks for.
const quickTimers = `for (const name of ['setTimeout', 'setInterval']) {
	const real = window[name].bind(window)
	window[name] = (f, delay, ...args) => real(() => { window.turns = (window.turns ?? 0) + 1; f(...args) }, (delay ?? 0) / 60)
}
window.asked = []
const realFetch = window.fetch.bind(window)
window.fetch = (what, ...more) => { window.asked.push(new URL(what.url ?? what, location).pathname); return realFetch(what, ...more) }`

// slowNetwork is whether pages are far from the service, as in one run of `make test-busy`.
var slowNetwork = os.Getenv("WHARF_E2E_SLOW_NETWORK") != ""

// sizes are those at which pages are tried.
var sizes = map[string][2]int64{"on a desk": {1280, 800}, "on a phone": {390, 844}}

// theBrowser is the one Chromium of all tests of this package; each page is a browser context of its own,
// which shares nothing with the others.
var theBrowser struct {
	sync.Mutex
	tab context.Context
	end func()
}

// chromium returns the browser, which the first page starts.
func chromium() (context.Context, error) {
	theBrowser.Lock()
	defer theBrowser.Unlock()
	if theBrowser.tab != nil {
		return theBrowser.tab, nil
	}
	tab, end, err := browser.Start(context.Background())
	if err != nil {
		return nil, err
	}
	if err := chromedp.Do(tab); err != nil {
		end()
		return nil, err
	}
	theBrowser.tab, theBrowser.end = tab, end
	return tab, nil
}

// endBrowser ends it after the last test.
func endBrowser() bool {
	theBrowser.Lock()
	defer theBrowser.Unlock()
	if theBrowser.end != nil {
		theBrowser.end()
	}
	return true
}

// page is a tab of Chromium on the console.
type page struct {
	t    *testing.T
	tab  context.Context
	base string
	end  func() // closes the tab

	mu         sync.Mutex
	complaints []string // errors, refusals by the page's own policy
}

// openPage opens a tab of somebody who has not logged in; scripts run in each document first.
func openPage(t *testing.T, base string, scripts ...string) *page {
	t.Helper()
	shared, err := chromium()
	require.NoError(t, err)
	return newPage(t, shared, base, []chromedp.ContextOption{chromedp.WithNewBrowserContext()}, scripts...)
}

// beside opens another tab of the same person.
func (p *page) beside(scripts ...string) *page {
	p.t.Helper()
	return newPage(p.t, p.tab, p.base, nil, scripts...)
}

func newPage(t *testing.T, parent context.Context, base string, options []chromedp.ContextOption, scripts ...string) *page {
	t.Helper()
	tab, end := chromedp.NewContext(parent, options...)
	p := &page{t: t, tab: tab, base: base, end: end}
	t.Cleanup(func() {
		if t.Failed() {
			p.leave()
		}
		p.end()
	})
	// The first step on a tab has no bound of its own: with that it would end, and be in the way of all others.
	require.NoError(t, chromedp.Do(tab, viewport(sizes["on a desk"])), "the tab opens")
	if slowNetwork {
		slow := &network.Conditions{Latency: 150, DownloadThroughput: 400_000, UploadThroughput: 200_000} // ms, bytes a second
		_, err := chromedp.Call(tab, network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{MatchedNetworkConditions: []*network.Conditions{slow}})
		require.NoError(t, err)
	}
	p.runFirst(append(scripts, waiting)...)
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

// leave keeps what a failed test's page shows: a picture, its text and what it complained of.
func (p *page) leave() {
	ctx, cancel := context.WithTimeout(p.tab, 5*time.Second)
	defer cancel()
	name := fmt.Sprintf("page-%p", p)
	if png, err := chromedp.Run(ctx, chromedp.FullScreenshot(100)); err == nil {
		leaveBehind(p.t, name+".png", png)
	}
	text, _ := chromedp.Run(ctx, chromedp.Evaluate[string]("location.href + '\\n\\n' + document.body.innerText")) // what there is of it
	p.mu.Lock()
	defer p.mu.Unlock()
	leaveBehind(p.t, name+".txt", []byte(text+"\n\nThe page complained of:\n"+strings.Join(p.complaints, "\n")))
}

// step is something that is done on a page.
type step = chromedp.Action[chromedp.Void]

// A selector is CSS, or an XPath expression, which begins with / or (.

// inPage calls a function of waiting.js until it has come to an end in one document: one that the page leaves
// meanwhile is begun anew in the next.
func inPage[T any](call string, args ...any) chromedp.Action[T] {
	text := make([]string, len(args))
	for i, a := range args {
		raw, err := json.Marshal(a)
		if err != nil {
			panic(err)
		}
		text[i] = string(raw)
	}
	return inDocument[T]("waiting." + call + "(" + strings.Join(text, ", ") + ")")
}

// inDocument is inPage for an expression.
func inDocument[T any](expression string) chromedp.Action[T] {
	run := chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise)
	return func(ctx context.Context, t *chromedp.Target) (T, error) {
		for {
			v, err := run(ctx, t)
			if err == nil || !left(err) || ctx.Err() != nil {
				return v, err
			}
		}
	}
}

// left reports whether the page has gone to another document while something ran in it.
func left(err error) bool {
	var thrown *chromedp.ExceptionError
	if errors.As(err, &thrown) {
		return strings.Contains(err.Error(), "waiting is not defined") // a document that is not ours yet
	}
	for _, sign := range []string{"context was destroyed", "Cannot find context", "navigated or closed", "Promise was collected", "uniqueContextId"} {
		if strings.Contains(err.Error(), sign) {
			return true
		}
	}
	return false
}

func await(call string, args ...any) step { return silent(inPage[bool](call, args...)) }

func silent(run chromedp.Action[bool]) step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := run(ctx, t)
		return chromedp.Void{}, err
	}
}

// shows waits until an element is to be seen; gone, until there is none; hidden, until none is to be seen.
func shows(selector string) step  { return await("shows", selector) }
func gone(selector string) step   { return await("gone", selector) }
func hidden(selector string) step { return await("hidden", selector) }

// click waits until an element may be clicked, and clicks it as a mouse does.
func click(selector string) step {
	ready := inPage[[2]float64]("aim", selector)
	hit := inPage[string]("hit")
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		at, err := ready(ctx, t)
		if err != nil {
			return chromedp.Void{}, err
		}
		if _, err := chromedp.MouseClickXY(at[0], at[1])(ctx, t); err != nil {
			return chromedp.Void{}, err
		}
		if other, err := hit(ctx, t); err != nil || other != "" {
			return chromedp.Void{}, errors.Join(err, fmt.Errorf("the click on %s went to %s", selector, other))
		}
		return chromedp.Void{}, nil
	}
}

// focus puts the keyboard into an element, press gives it a key.
func focus(selector string) step { return await("focus", selector) }
func press(key string) step      { return chromedp.KeyEvent(key) }

// typed adds text to what is in an input, and fill replaces it, as a person does who marks it all and types; an
// "\r" at its end is the key.
func typed(selector, text string) step { return enter("focus", selector, text) }
func fill(selector, text string) step  { return enter("mark", selector, text) }

func enter(how, selector, text string) step {
	words, key := strings.TrimSuffix(text, "\r"), strings.HasSuffix(text, "\r")
	steps := []step{await(how, selector)}
	if words != "" {
		steps = append(steps, insert(words))
	} else if !key {
		steps = append(steps, press("\b"))
	}
	if key {
		steps = append(steps, press("\r"))
	}
	return chromedp.Steps(steps...)
}

// insert puts a text where the keyboard is, as an input method does.
func insert(text string) step {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, input.InsertText, input.InsertTextParams{Text: text})
		return err
	})
}

func viewport(size [2]int64) step { return chromedp.EmulateViewport(size[0], size[1]) }
func navigate(to string) step     { return chromedp.Navigate(to) }

// js runs statements in the page once it is at rest.
func js(script string) step {
	return silent(inDocument[bool]("waiting.rested(() => {" + script + "\nreturn true })"))
}

// logIn opens the console's first page.
func (p *page) logIn() *page {
	p.t.Helper()
	p.do(p.goTo("/login"), typed("input[name=name]", accountName), typed("input[name=password]", password+"\r"), shows("nav"))
	return p
}

func (p *page) goTo(path string) step { return navigate(p.base + path) }

// do takes the steps one by one; where one cannot be taken, the test says what the page
// showed.
func (p *page) do(steps ...step) {
	p.t.Helper()
	for i, step := range steps {
		short, cancel := context.WithTimeout(p.tab, patience)
		err := chromedp.Do(short, step)
		cancel()
		if err != nil {
			why, _ := chromedp.Run(p.tab, chromedp.Evaluate[string]("(window.waiting?.why ?? '') + '\\n' + document.body.innerText")) // what there is of it
			require.NoError(p.t, err, "step %d, on a page that says: %s", i, why)
		}
	}
}

// text is what an element says, "" without one.
func (p *page) text(selector string) string {
	return eval[string](p, "waiting.find("+quoted(selector)+")?.innerText ?? ''")
}

func (p *page) count(selector string) int {
	return eval[int](p, "waiting.all("+quoted(selector)+").length")
}

// drawn is how many bookings the elements are of: one that runs over a Sunday is drawn in
// two weeks.
func (p *page) drawn(selector string) int {
	return eval[int](p, "new Set(waiting.all("+quoted(selector)+").map((e) => e.dataset.booking)).size")
}

func quoted(text string) string {
	raw, _ := json.Marshal(text) // a string always can be
	return string(raw)
}

// see waits for elements.
func (p *page) see(selectors ...string) {
	p.t.Helper()
	for _, s := range selectors {
		p.do(shows(s))
	}
}

// press clicks a button by what it says.
func (p *page) press(text string) {
	p.t.Helper()
	p.do(click(button(text)))
}

// choose picks an option of a list by its words.
func (p *page) choose(list, option string) {
	p.t.Helper()
	p.do(click(list), click(`//li[contains(@class, "el-select-dropdown__item")][normalize-space()="`+option+`"]`))
}

// set puts a value into an input of which the browser makes a form of its own: dates and times.
func (p *page) set(selector string, n int, value string) {
	p.t.Helper()
	p.do(await("set", selector, n, value))
}

// fits asserts that nothing runs off the page's side.
func (p *page) fits() {
	p.t.Helper()
	assert.LessOrEqual(p.t, eval[int](p, "document.documentElement.scrollWidth - innerWidth"), 0, "nothing is wider than the page")
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

// axeSource is axe-core, read once.
var axeSource = sync.OnceValues(func() ([]byte, error) { return os.ReadFile("../web/node_modules/axe-core/axe.min.js") })

// axe says what axe-core finds serious on the page as it stands.
func (p *page) axe() []string {
	p.t.Helper()
	source, err := axeSource()
	require.NoError(p.t, err, "`make test` installs it")
	if !eval[bool](p, "'axe' in window") {
		require.NoError(p.t, chromedp.Do(p.tab, silent(inDocument[bool](string(source)+"\ntrue"))))
	}
	return eval[[]string](p, `axe.run(document, {resultTypes: ['violations'], preload: false, elementRef: false, selectors: false}).then((r) => r.violations
		.filter((v) => ['serious', 'critical'].includes(v.impact))
		.map((v) => v.id + ': ' + v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160) + ' — ' + n.failureSummary).join(' | ')))`)
}

// field is the input under a label of a form.
func field(label string) string {
	return `//label[normalize-space()="` + label + `"]/following-sibling::div//input`
}

func button(text string) string { return `//button[normalize-space()="` + text + `"]` }

// eval is what an expression comes to once the page is at rest.
func eval[T any](p *page, expression string) T {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.tab, patience)
	defer cancel()
	v, err := chromedp.Run(ctx, inDocument[T]("waiting.rested(() => ("+expression+"))"))
	require.NoError(p.t, err, expression)
	return v
}

// within is whether every part is in the text.
func within(t *testing.T, text string, parts ...string) {
	t.Helper()
	for _, part := range parts {
		assert.Contains(t, strings.ReplaceAll(text, "\u00a0", " "), part)
	}
}
