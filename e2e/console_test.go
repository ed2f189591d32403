package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestConsoleFromTheFirstDay: with nothing but the setup link, a coordinator makes an
// account, a calendar, subscribes by pasting a link, sees the booking, and gives the
// calendar back.
func TestConsoleFromTheFirstDay(t *testing.T) {
	t.Parallel()
	w := openWorld(t, []string{"Merrow Charter Desk"})
	w.book(0, "Osei family", 2, 5)
	bad := misbehaving(t)
	p := openPage(t, w.base())
	do := p.do
	do(navigate(w.base()+"/setup#"+<-w.setup),
		typed("input[name=name]", "harbour"), typed("input[name=password]", "too short\r"),
		shows(".el-form-item__error"))
	assert.Contains(t, p.text(".el-form-item__error"), "12")
	do(fill("input[name=password]", password+"\r"),
		shows(".first"))
	assert.Contains(t, p.text("h1"), "What do you let out?", "an empty page says what to do first")

	do(typed(field("Name"), "Ketch Merrow"), fill(field("Time zone"), "Europe/Atlantis"),
		click(button("Add the calendar")), shows(".el-form-item__error"))
	assert.Contains(t, p.text(".el-form-item__error"), "IANA name")
	do(fill(field("Time zone"), zoneName), click(button("Add the calendar")),
		shows(".answer.caution"))
	assert.Contains(t, p.text(".answer.caution"), "No feed counts on Ketch Merrow yet")

	links := ".el-dialog textarea"
	do(navigate(w.base()+"/feeds"), click(button("Subscribe to feeds")), shows(links),
		typed(links, bad.URL+"/page\nwebcal"+strings.TrimPrefix(w.feedLink(0), "http")),
		click(button("Look at what is in it")), shows(".trial .failed"), shows(".trial .next"))
	assert.Contains(t, p.text(".trial .failed"), "web page, not a calendar: copy the link of the calendar feed")
	within(t, p.text(".el-dialog"), "2 of 2 links looked at, 1 with a calendar. Nothing is kept yet.", "1 entry from", "Osei family", "3 nights")
	assert.Empty(t, p.axe())
	do(typed(".trial input[list]", "Merrow Charter Desk"),
		fill(`//section[contains(@class, "trial")]//label[contains(., "Name")]//input`, "Ketch Merrow, Merrow Charter Desk"),
		click(button("Subscribe to it")), shows(".feed"), click(button("Leave it out")),
		click(button("Other links")), hidden(".el-overlay"))
	row := p.text(".feed")
	for _, part := range []string{"Ketch Merrow, Merrow Charter Desk", "fresh", "1 entry", "1 added", "15 min"} {
		assert.Contains(t, row, part)
	}
	assert.NotContains(t, row, w.platforms[0].Secret, "the link's secret is not shown")

	w.book(0, "Lindqvist", 10, 12)
	do(click(button("Read now")), shows(`//div[@role="status"][contains(., "1 added, 0 changed, 0 removed")]`))
	do(click(".feed h2 a"), shows(".readings tbody tr:nth-child(2)"))
	within(t, p.text(".page"), "fresh", "2 entries", "every 15 min", "Ketch Merrow, where it blocks")

	do(navigate(w.base()+"/publications"), shows(button("Make its link")))
	assert.Contains(t, p.text(".caution"), "Merrow Charter Desk does not get Ketch Merrow back")
	do(click(button("Make its link")), shows(".list li"))
	assert.Contains(t, p.text(".list li"), "Never picked up")

	do(navigate(w.base()+"/calendars/1"), shows(".booking"))
	assert.Equal(t, 2, p.drawn(".booking"))
	do(click(".booking"), shows(".panel"))
	assert.Contains(t, p.text(".el-drawer"), "Osei family")
	assert.Contains(t, p.text(".panel"), "3 days")
	do(click(".el-drawer__close-btn"), gone(".panel"),
		click(".feeds .feed"), gone(".booking"))

	do(click(button("Log out")), shows("input[name=password]"), navigate(w.base()+"/feeds"),
		shows("input[name=password]"))
	assert.Equal(t, "/login?to=/feeds", eval[string](p, `location.pathname + location.search`), "after the login it goes on where it was")
}
