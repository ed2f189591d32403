package e2e

import (
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestExport: what is booked is saved as a file, for a calendar program or a spreadsheet, with no text of a guest's becoming
// anything else; what is private, or waits, shows its times alone; a range that holds nothing is said.
func TestExport(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	w.run("", "calendar", "add", "Ketch Merrow", "--zone", zoneName, "--grain", "day", "--group", "Boats")
	w.run("", "calendar", "add", "Net Loft hall", "--zone", zoneName, "--grain", "time")
	w.run("", "hold", "add", "Ketch Merrow", day(t, 3), day(t, 4), "--title", "=1+2, \"Osei\"", "--yes")
	w.run("", "hold", "add", "Ketch Merrow", day(t, 6), "--title", "Nobody's business", "--class", "private", "--tentative", "--yes")
	w.run("", "hold", "add", "Net Loft hall", day(t, 3)+"T18:00", day(t, 3)+"T20:00", "--title", "Talk", "--yes")
	w.run("", "hold", "add", "Ketch Merrow", day(t, 9), "--title", "Option", "--yes")
	for _, h := range lines[client.Hold](t, w.run("", "hold", "list", "--search", "Option", "--json")) {
		w.run("", "hold", "cancel", fmt.Sprint(h.Id), "--yes")
	}

	read := func(args ...string) [][]string {
		rows, err := csv.NewReader(strings.NewReader(w.run("", append([]string{"calendar", "export", "--format", "csv"}, args...)...))).ReadAll()
		require.NoError(t, err)
		return rows[1:]
	}
	assert.Equal(t, [][]string{
		{"Ketch Merrow", day(t, 3), day(t, 4), "2", "days", "'=1+2, \"Osei\"", "firm"},
		{"Ketch Merrow", day(t, 6), day(t, 6), "1", "days", "Spoken for", "tentative"},
		{"Net Loft hall", day(t, 3) + " 18:00", day(t, 3) + " 20:00", "120", "minutes", "Talk", "firm"},
	}, read())
	assert.Len(t, read("Net Loft hall"), 1)
	assert.Len(t, read("--group", "Boats"), 2)
	assert.Len(t, read("--from", day(t, 4), "--to", day(t, 5)), 1)
	assert.Equal(t, "Spoken for", read("--detail", "times")[0][5])

	dir := t.TempDir()
	within(t, w.run("", "calendar", "export", "Ketch Merrow", "--output", dir), "2 bookings are written to", "ketch-merrow-"+day(t, 0))
	files, err := filepath.Glob(filepath.Join(dir, "*.ics"))
	require.NoError(t, err)
	require.Len(t, files, 1)
	text, err := os.ReadFile(files[0])
	require.NoError(t, err)
	within(t, string(text), `SUMMARY:=1+2\, "Osei"`, "STATUS:TENTATIVE")
	within(t, w.run("", "file", "expand", files[0], "--zone", zoneName), "Osei") // our own reader

	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"--from", day(t, 30), "--to", day(t, 40)}, 2, "nothing is booked on all calendars from " + day(t, 30)},
		{[]string{"--from", day(t, 3), "--to", day(t, 3)}, 2, "must come after the first"},
		{[]string{"--format", "xls"}, 2, "use one of ics, csv"},
		{[]string{"Nobody"}, 1, "Nobody"},
		{[]string{"Ketch Merrow", "--group", "Boats"}, 1, "not both"},
		{[]string{"--output", filepath.Join(dir, "no", "such")}, 1, "cannot be written"},
	} {
		_, errs, code := w.try("", append([]string{"calendar", "export"}, c.args...)...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errs)
		assert.Contains(t, errs, c.says, "%v", c.args)
	}

	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			p := w.page(t)
			saved := t.TempDir()
			_, err := chromedp.Call(p.tab, browser.SetDownloadBehavior, browser.SetDownloadBehaviorParams{BrowserContextID: chromedp.FromContext(p.tab).BrowserContextID, Behavior: browser.SetDownloadBehaviorBehaviorAllow, DownloadPath: saved})
			require.NoError(t, err)
			p.do(viewport(size), p.goTo("/calendars/1"))
			p.press("Save as a file")
			p.see(".el-dialog form")
			assert.Empty(t, p.axe())
			p.fits()
			p.press("Save")
			p.do(shows(`//p[@role="status"][contains(., "2 bookings are saved as ketch-merrow-")]`))
			w.eventually("it is saved", func() bool {
				files, _ := filepath.Glob(filepath.Join(saved, "ketch-merrow-*.ics")) // none is there yet
				if len(files) != 1 {
					return false
				}
				text, err := os.ReadFile(files[0])
				return err == nil && strings.Count(string(text), "BEGIN:VEVENT") == 2
			})
			p.set(".el-dialog input[type=date]", 0, day(t, 100))
			p.set(".el-dialog input[type=date]", 1, day(t, 101))
			p.press("Save")
			p.do(shows(fmt.Sprintf(`//p[@role="alert"][contains(., "nothing is booked on Ketch Merrow from %s")]`, day(t, 100))))
			assert.Empty(t, p.axe())
		})
	}
}
