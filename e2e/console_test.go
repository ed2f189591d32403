package e2e

import (
	"context"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/browser"
)

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

func text(t *testing.T, tab context.Context, selector string) string {
	t.Helper()
	return eval[string](t, tab, `document.querySelector(`+"`"+selector+"`"+`)?.innerText ?? ''`)
}

// TestConsoleFromTheFirstDay: with nothing but the setup link, a coordinator makes an
// account, a calendar, subscribes by pasting a link, sees the booking, and gives the
// calendar back.
func TestConsoleFromTheFirstDay(t *testing.T) {
	w := openWorld(t, []string{"Merrow Charter Desk"})
	w.book(0, "Osei family", 2, 5)
	bad := misbehaving(t)
	tab, end, err := browser.Start(context.Background())
	require.NoError(t, err)
	defer end()
	tab, cancel := context.WithTimeout(tab, 3*patience)
	defer cancel()
	do := func(steps ...chromedp.Action[chromedp.Void]) {
		t.Helper()
		for i, step := range steps {
			short, cancel := context.WithTimeout(tab, patience/2)
			err := chromedp.Do(short, step)
			cancel()
			if err != nil {
				require.NoError(t, err, "step %d, on a page that says: %s", i, eval[string](t, tab, "document.body.innerText"))
			}
		}
	}
	require.NoError(t, chromedp.Do(tab), "the browser starts, and lives as long as the tab")

	do(chromedp.EmulateViewport(1280, 800), chromedp.Navigate(w.base()+"/setup#"+<-w.setup),
		chromedp.SendKeys(chromedp.CSS("input[name=name]"), "harbour"), chromedp.SendKeys(chromedp.CSS("input[name=password]"), "too short\r"),
		chromedp.WaitVisible(chromedp.CSS(".el-form-item__error")))
	assert.Contains(t, text(t, tab, ".el-form-item__error"), "12")
	do(fill(chromedp.CSS("input[name=password]"), password+"\r"),
		chromedp.WaitVisible(chromedp.CSS(".first")))
	assert.Contains(t, text(t, tab, "h1"), "What do you let out?", "an empty page says what to do first")

	do(chromedp.SendKeys(field("Name"), "Ketch Merrow"), fill(field("Time zone"), "Europe/Atlantis"),
		chromedp.Click(button("Add the calendar")), chromedp.WaitVisible(chromedp.CSS(".el-form-item__error")))
	assert.Contains(t, text(t, tab, ".el-form-item__error"), "IANA name")
	do(fill(field("Time zone"), zoneName), chromedp.Click(button("Add the calendar")),
		chromedp.WaitVisible(chromedp.CSS(".month")))
	assert.Contains(t, text(t, tab, ".caution"), "No feed counts on this calendar yet")

	do(chromedp.Navigate(w.base()+"/feeds"), chromedp.Click(button("Subscribe to a feed")), chromedp.WaitVisible(field("Link of the feed")),
		chromedp.SendKeys(field("Link of the feed"), bad.URL+"/page"), chromedp.SendKeys(field("Platform"), "Merrow Charter Desk"),
		chromedp.Click(button("Read it and subscribe")), chromedp.WaitVisible(chromedp.CSS(".el-form-item__error")))
	assert.Contains(t, text(t, tab, ".el-form-item__error"), "web page, not a calendar: copy the link of the calendar feed")
	do(fill(field("Link of the feed"), "webcal"+strings.TrimPrefix(w.feedLink(0), "http")),
		chromedp.Click(button("Read it and subscribe")), chromedp.WaitVisible(chromedp.CSS(".feed")), chromedp.WaitNotVisible(chromedp.CSS(".el-overlay")))
	row := text(t, tab, ".feed")
	for _, part := range []string{"Ketch Merrow, Merrow Charter Desk", "fresh", "1 entry", "1 added", "15 min"} {
		assert.Contains(t, row, part)
	}
	assert.NotContains(t, row, w.platforms[0].Secret, "the link's secret is not shown")

	w.book(0, "Lindqvist", 10, 12)
	do(chromedp.Click(button("Read now")), chromedp.WaitVisible(chromedp.Search(`//p[@role="status"][contains(., "1 added, 0 changed, 0 removed")]`)))
	do(chromedp.Click(button("Readings")), chromedp.WaitVisible(chromedp.CSS(".readings tbody tr:nth-child(2)")))

	do(chromedp.Navigate(w.base()+"/publications"), chromedp.WaitVisible(button("Make its link")))
	assert.Contains(t, text(t, tab, ".caution"), "Merrow Charter Desk does not get Ketch Merrow back")
	do(chromedp.Click(button("Make its link")), chromedp.WaitVisible(chromedp.CSS(".list li")))
	assert.Contains(t, text(t, tab, ".list li"), "Never picked up")

	do(chromedp.Navigate(w.base()+"/"), chromedp.WaitVisible(chromedp.CSS(".booking")))
	assert.Equal(t, 2, eval[int](t, tab, `new Set([...document.querySelectorAll('.booking')].map((b) => b.title)).size`))
	do(chromedp.Click(chromedp.CSS(".booking")), chromedp.WaitVisible(chromedp.CSS(".panel")))
	assert.Contains(t, text(t, tab, ".el-drawer"), "Osei family")
	assert.Contains(t, text(t, tab, ".panel"), "3 days")
	do(chromedp.Click(chromedp.CSS(".el-drawer__close-btn")), chromedp.WaitNotPresent(chromedp.CSS(".panel")),
		chromedp.Click(chromedp.CSS(".feeds .feed")), chromedp.WaitNotPresent(chromedp.CSS(".booking")))

	do(chromedp.Click(button("Log out")), chromedp.WaitVisible(chromedp.CSS("input[name=password]")), chromedp.Navigate(w.base()+"/feeds"),
		chromedp.WaitVisible(chromedp.CSS("input[name=password]")))
	assert.Equal(t, "/login?to=/feeds", eval[string](t, tab, `location.pathname + location.search`), "after the login it goes on where it was")
}
