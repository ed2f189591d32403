package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
)

// TestConsoleFromTheFirstDay: with nothing but the setup link, a coordinator makes an
// account, a calendar, subscribes by pasting a link, sees the booking, and gives the
// calendar back.
func TestConsoleFromTheFirstDay(t *testing.T) {
	w := openWorld(t, []string{"Merrow Charter Desk"})
	w.book(0, "Osei family", 2, 5)
	bad := misbehaving(t)
	p := openPage(t, w.base())
	do, tab := p.do, p.tab
	do(chromedp.Navigate(w.base()+"/setup#"+<-w.setup),
		chromedp.SendKeys(chromedp.CSS("input[name=name]"), "harbour"), chromedp.SendKeys(chromedp.CSS("input[name=password]"), "too short\r"),
		chromedp.WaitVisible(chromedp.CSS(".el-form-item__error")))
	assert.Contains(t, p.text(".el-form-item__error"), "12")
	do(fill(chromedp.CSS("input[name=password]"), password+"\r"),
		chromedp.WaitVisible(chromedp.CSS(".first")))
	assert.Contains(t, p.text("h1"), "What do you let out?", "an empty page says what to do first")

	do(chromedp.SendKeys(field("Name"), "Ketch Merrow"), fill(field("Time zone"), "Europe/Atlantis"),
		chromedp.Click(button("Add the calendar")), chromedp.WaitVisible(chromedp.CSS(".el-form-item__error")))
	assert.Contains(t, p.text(".el-form-item__error"), "IANA name")
	do(fill(field("Time zone"), zoneName), chromedp.Click(button("Add the calendar")),
		chromedp.WaitVisible(chromedp.CSS(".answer.caution")))
	assert.Contains(t, p.text(".answer.caution"), "No feed counts on Ketch Merrow yet")

	links := chromedp.CSS(".el-dialog textarea")
	do(chromedp.Navigate(w.base()+"/feeds"), chromedp.Click(button("Subscribe to feeds")), chromedp.WaitVisible(links),
		chromedp.SendKeys(links, bad.URL+"/page\nwebcal"+strings.TrimPrefix(w.feedLink(0), "http")),
		chromedp.Click(button("Look at what is in it")), chromedp.WaitVisible(chromedp.CSS(".trial .failed")), chromedp.WaitVisible(chromedp.CSS(".trial .next")))
	assert.Contains(t, p.text(".trial .failed"), "web page, not a calendar: copy the link of the calendar feed")
	within(t, p.text(".el-dialog"), "2 of 2 links looked at, 1 with a calendar. Nothing is kept yet.", "1 entry from", "Osei family", "3 nights")
	assert.Empty(t, p.axe())
	do(chromedp.SendKeys(chromedp.CSS(".trial input[list]"), "Merrow Charter Desk"),
		fill(chromedp.Search(`//section[contains(@class, "trial")]//label[contains(., "Name")]//input`), "Ketch Merrow, Merrow Charter Desk"),
		chromedp.Click(button("Subscribe to it")), chromedp.WaitVisible(chromedp.CSS(".feed")), chromedp.Click(button("Leave it out")),
		chromedp.Click(button("Other links")), chromedp.WaitNotVisible(chromedp.CSS(".el-overlay")))
	row := p.text(".feed")
	for _, part := range []string{"Ketch Merrow, Merrow Charter Desk", "fresh", "1 entry", "1 added", "15 min"} {
		assert.Contains(t, row, part)
	}
	assert.NotContains(t, row, w.platforms[0].Secret, "the link's secret is not shown")

	w.book(0, "Lindqvist", 10, 12)
	do(chromedp.Click(button("Read now")), chromedp.WaitVisible(chromedp.Search(`//div[@role="status"][contains(., "1 added, 0 changed, 0 removed")]`)))
	do(chromedp.Click(chromedp.CSS(".feed h2 a")), chromedp.WaitVisible(chromedp.CSS(".readings tbody tr:nth-child(2)")))
	within(t, p.text(".page"), "fresh", "2 entries", "every 15 min", "Ketch Merrow, where it blocks")

	do(chromedp.Navigate(w.base()+"/publications"), chromedp.WaitVisible(button("Make its link")))
	assert.Contains(t, p.text(".caution"), "Merrow Charter Desk does not get Ketch Merrow back")
	do(chromedp.Click(button("Make its link")), chromedp.WaitVisible(chromedp.CSS(".list li")))
	assert.Contains(t, p.text(".list li"), "Never picked up")

	do(chromedp.Navigate(w.base()+"/calendars/1"), chromedp.WaitVisible(chromedp.CSS(".booking")))
	assert.Equal(t, 2, p.drawn(".booking"))
	do(chromedp.Click(chromedp.CSS(".booking")), chromedp.WaitVisible(chromedp.CSS(".panel")))
	assert.Contains(t, p.text(".el-drawer"), "Osei family")
	assert.Contains(t, p.text(".panel"), "3 days")
	do(chromedp.Click(chromedp.CSS(".el-drawer__close-btn")), chromedp.WaitNotPresent(chromedp.CSS(".panel")),
		chromedp.Click(chromedp.CSS(".feeds .feed")), chromedp.WaitNotPresent(chromedp.CSS(".booking")))

	do(chromedp.Click(button("Log out")), chromedp.WaitVisible(chromedp.CSS("input[name=password]")), chromedp.Navigate(w.base()+"/feeds"),
		chromedp.WaitVisible(chromedp.CSS("input[name=password]")))
	assert.Equal(t, "/login?to=/feeds", eval[string](t, tab, `location.pathname + location.search`), "after the login it goes on where it was")
}
