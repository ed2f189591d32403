package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestPublicationOptions: what is not firm goes out as it is, as firm, or not at all, and the title of what is taken is the
// coordinator's; what that opens is said first, and asked about.
func TestPublicationOptions(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	w.run("", "calendar", "add", "Ketch Merrow", "--zone", zoneName, "--grain", "day")
	w.run("", "hold", "add", "Ketch Merrow", day(t, 3), "--title", "Firm", "--yes")
	w.run("", "hold", "add", "Ketch Merrow", day(t, 6), "--title", "Option", "--tentative", "--yes")
	link := lines[client.Publication](t, w.run("", "publication", "add", "For the desk", "--calendar", "Ketch Merrow", "--platform", "Desk", "--json"))[0].Url
	text := func() string { _, is := fetch(t, link); return is }
	require.Equal(t, []int{2, 1, 2}, []int{strings.Count(text(), "BEGIN:VEVENT"), strings.Count(text(), "STATUS:TENTATIVE"), strings.Count(text(), "SUMMARY:Spoken for")})

	before := text()
	w.run("", "publication", "edit", "For the desk", "--tentative", "firm")
	assert.Equal(t, []int{2, 0}, []int{strings.Count(text(), "BEGIN:VEVENT"), strings.Count(text(), "STATUS:TENTATIVE")})
	w.run("", "publication", "edit", "For the desk", "--title", "Closed; not for sale,\\nATTACH:x")
	assert.Equal(t, 2, strings.Count(text(), `SUMMARY:Closed\; not for sale\,\\nATTACH:x`))

	_, errs, code := w.try("", "publication", "edit", "For the desk", "--tentative", "ignore")
	assert.Equal(t, 1, code)
	within(t, errs, "Desk", "nothing was changed")
	assert.Equal(t, 2, strings.Count(text(), "BEGIN:VEVENT"), "it was only asked about")
	within(t, w.run("", "publication", "edit", "For the desk", "--tentative", "ignore", "--yes"), "Changed For the desk")
	assert.Equal(t, 1, strings.Count(text(), "BEGIN:VEVENT"))
	w.run("", "publication", "edit", "For the desk", "--tentative", "tentative", "--title", "Spoken for")
	assert.Equal(t, strings.Count(before, "\r\n"), strings.Count(text(), "\r\n"))
	assert.Equal(t, 1, strings.Count(text(), "STATUS:TENTATIVE"))
	for _, c := range []struct {
		option, value string
		code          int
		says          string
	}{{"--tentative", "maybe", 2, "tentative, firm, ignore"}, {"--title", strings.Repeat("x", 201), 1, "at most 200"}, {"--title", " ", 1, "title"}} {
		_, errs, code := w.try("", "publication", "edit", "For the desk", c.option, c.value)
		assert.Equal(t, c.code, code, errs)
		assert.Contains(t, errs, c.says)
	}

	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			p := w.page(t)
			p.do(viewport(size), p.goTo("/publications"))
			p.press("Change")
			p.see("form.publication")
			assert.Empty(t, p.axe())
			p.fits()
			p.do(click(`//label[contains(@class, "el-radio")][contains(., "not at all")]`))
			p.press("Save")
			p.do(shows(`//div[contains(@class, "el-dialog")][contains(., "Change For the desk?")][contains(., "Desk")]`))
			assert.Empty(t, p.axe())
			p.press("Change it")
			w.eventually("it is left out", func() bool { return strings.Count(text(), "BEGIN:VEVENT") == 1 })
			p.do(shows(`//li[contains(., "what is tentative not at all")]`))
			w.run("", "publication", "edit", "For the desk", "--tentative", "tentative")
			p.content()
		})
	}
}
