package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestTelephoneBooking: what is taken by telephone blocks on every platform with its next pickup, is reflected as an echo,
// and goes through all that can be done with it.
func TestTelephoneBooking(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.book(0, "Lindqvist", 20, 22)
	w.subscribe("Ketch Merrow")
	w.round()

	out, errs, code := w.try("n\n", "hold", "add", "Ketch Merrow", day(t, 21), day(t, 23), "--title", "Osei")
	assert.Equal(t, 1, code, out)
	within(t, errs, "A double booking opens on Ketch Merrow", "with Lindqvist", "Is that meant?")
	assert.Empty(t, w.conflicts())

	entered := lines[client.Hold](t, w.run("", "hold", "add", "Ketch Merrow", day(t, 10), day(t, 12), "--title", "Osei", "--note", "two dogs", "--json"))[0]
	for i, p := range w.platforms {
		assert.NotContains(t, fmt.Sprint(p.Blocks()), day(t, 10), "it is with the next pickup")
		require.NoError(t, p.ImportNow(context.Background()))
		assert.Contains(t, fmt.Sprint(p.Blocks()), day(t, 10), "platform %d", i)
	}
	w.round()
	w.round()
	assert.Empty(t, w.conflicts(), "its reflections are echoes")
	id := fmt.Sprint(entered.Id)
	within(t, w.run("", "hold", "show", id), "Osei on Ketch Merrow, "+day(t, 10)+" to "+day(t, 12), "two dogs", "entered by "+accountName)

	w.run("", "hold", "edit", id, "--until", day(t, 13), "--tentative", "--yes")
	within(t, w.run("", "calendar", "show", "Ketch Merrow"), day(t, 13), "4 days", "tentative")
	_, errs, code = w.try("", "hold", "edit", id, "--title", "Two at once", "--revision", "1", "--yes")
	assert.Equal(t, 1, code)
	within(t, errs, accountName+" changed it")
	within(t, w.run("", "hold", "undo", id, "--yes"), "revision 3")
	within(t, w.run("", "hold", "cancel", id, "--yes"), "Cancelled")
	assert.NotContains(t, w.run("", "calendar", "show", "Ketch Merrow"), "Osei")
	w.run("", "hold", "undo", id, "--yes")
	w.run("", "hold", "copy", id, day(t, 30), "--yes")
	assert.Equal(t, 2, strings.Count(w.run("", "hold", "list"), "Osei"))
	within(t, w.run("", "hold", "add", "Ketch Merrow", day(t, 40), "--title", "Painting", "--closure", "--yes"), "Entered")
	_, errs, _ = w.try("", "hold", "add", "Ketch Merrow", day(t, 40), day(t, 41), "--try")
	within(t, errs, "A booking over a closure opens")

	weekly := lines[client.Hold](t, w.run("", "hold", "add", "Ketch Merrow", day(t, 50), day(t, 50), "--title", "Club", "--repeat", "FREQ=WEEKLY;COUNT=4", "--json"))[0]
	w.run("", "hold", "cancel", fmt.Sprint(weekly.Id), "--one", day(t, 57), "--yes")
	w.run("", "hold", "edit", fmt.Sprint(weekly.Id), "--rest", day(t, 64), "--title", "Club, the rest", "--yes")
	show := w.run("", "calendar", "show", "Ketch Merrow", "--from", day(t, 45), "--to", day(t, 80))
	assert.Equal(t, 3, strings.Count(show, "Club"), show)
	assert.Equal(t, 2, strings.Count(show, "Club, the rest"), show)

	file := filepath.Join(t.TempDir(), "taken.ics")
	text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:From the sheet\r\nDTSTART;TZID=Europe/Lisbon:" + strings.ReplaceAll(day(t, 90), "-", "") + "T120000\r\nDTEND;TZID=Europe/Lisbon:" +
		strings.ReplaceAll(day(t, 90), "-", "") + "T140000\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nUID:2\r\nSUMMARY:Called off\r\nSTATUS:CANCELLED\r\nDTSTART;VALUE=DATE:20270101\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	out, errs, _ = w.try("", "hold", "import", "Ketch Merrow", file, "--try")
	within(t, out, "It would enter 1 booking")
	within(t, errs, "Called off", "takes nothing")
	within(t, w.run("", "hold", "import", "Ketch Merrow", file, "--yes"), "Entered 1 booking")
	within(t, w.run("", "hold", "list", "--search", "sheet"), "From the sheet")

	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"add", "Ketch Merrow", day(t, 5), day(t, 3)}, 2, "not after its start"},
		{[]string{"add", "Ketch Merrow", "soon"}, 2, "write 2026-12-20"},
		{[]string{"add", "Ketch Merrow", day(t, 5), "--expires", "2020-01-01T10:00"}, 2, "choose a time to come"},
		{[]string{"add", "Ketch Merrow", day(t, 5), "--repeat", "WEEKLY"}, 2, "FREQ=WEEKLY"},
		{[]string{"add", "Ketch Merrow", day(t, 5), "--units", "20000"}, 2, "units"},
		{[]string{"add", "Nobody", day(t, 5)}, 1, "there is no calendar"},
		{[]string{"edit", id}, 2, "say what to change"},
		{[]string{"edit", fmt.Sprint(weekly.Id), "--one", day(t, 51), "--title", "x", "--yes"}, 2, "no start of this series"},
		{[]string{"show", "999"}, 1, "nothing with this id"},
		{[]string{"import", "Ketch Merrow", "https://desk.example/a.ics"}, 2, "is a link"},
	} {
		_, errs, code := w.try("", append([]string{"hold"}, c.args...)...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errs)
		assert.Contains(t, errs, c.says, "%v", c.args)
	}
}

// TestExpiry: a hold ends at its instant without anybody reading or asking, and is then on no calendar and in no publication.
func TestExpiry(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk"})
	w.book(0, "Lindqvist", 10, 12)
	w.subscribe("Ketch Merrow")
	w.round()
	// By the clock of the calendar, which is not that of this machine.
	loc, err := time.LoadLocation(zoneName)
	require.NoError(t, err)
	at := now().Add(6 * time.Second).In(loc)
	w.run("", "hold", "add", "Ketch Merrow", day(t, 11), day(t, 12), "--title", "Option", "--expires", at.Format("2006-01-02T15:04:05"), "--yes")
	require.Len(t, w.conflicts(), 1)
	require.Contains(t, fmt.Sprint(publishedTo(t, w, "For Merrow Charter Desk")), day(t, 11))
	w.eventually("the conflict clears", func() bool { return len(w.conflicts()) == 0 })
	assert.False(t, now().Before(at), "not before its time")
	assert.NotContains(t, fmt.Sprint(publishedTo(t, w, "For Merrow Charter Desk")), day(t, 11))
}

// TestHoldForm: a booking is entered in the console, on a desk and on a phone; what it clashes with is said before; it is
// changed, taken back and cancelled in its panel; and on the board it is drawn over free space.
func TestHoldForm(t *testing.T) {
	t.Parallel()
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t, []string{"Merrow Charter Desk"})
			w.book(0, "Lindqvist", 1, 3)
			w.subscribe("Ketch Merrow")
			p := w.page(t)
			p.do(viewport(size), p.goTo("/board"))
			p.see(".booking")
			p.press("Enter a booking")
			p.see(".el-dialog.hold form")
			assert.Empty(t, p.axe())
			p.set(".el-dialog.hold input[type=date]", 0, day(t, 2))
			p.set(".el-dialog.hold input[type=date]", 1, day(t, 4))
			p.do(fill(".el-dialog.hold input[maxlength='500']", "Osei"))
			p.press("Enter it")
			p.see(".said")
			within(t, p.text(".said"), "A double booking opens on Ketch Merrow", "with Lindqvist", "block it there by hand")
			assert.Empty(t, p.axe())
			p.fits()
			p.press("Back")
			p.set(".el-dialog.hold input[type=date]", 0, day(t, 5))
			p.set(".el-dialog.hold input[type=date]", 1, day(t, 6))
			p.press("Enter it")
			p.see(".said")
			assert.NotContains(t, p.text(".said"), "double booking")
			p.press("Enter it all the same")
			p.do(shows(`//*[contains(@class, "booking")][contains(., "Osei") or contains(@aria-label, "Osei")]`))
			hold := lines[client.Hold](t, w.run("", "hold", "list", "--json"))[0]
			assert.Equal(t, []string{day(t, 5), day(t, 7), "Osei"}, []string{hold.Start, hold.End, hold.Title})

			p.do(click(`//button[contains(@class, "booking")][contains(., "Osei") or contains(@aria-label, "Osei")]`))
			p.see(".actions")
			assert.Empty(t, p.axe())
			p.press("Cancel it")
			p.do(shows(`//section[contains(@class, "actions")]//button[contains(., "Leave it as it is")]`))
			p.press("Cancel it")
			w.eventually("it is cancelled", func() bool { return strings.Contains(w.run("", "hold", "list"), "Nothing was entered") })
			w.run("", "hold", "undo", fmt.Sprint(hold.Id), "--yes")

			p.do(p.goTo("/holds"))
			p.press("Osei")
			p.see(".list .actions .steps li")
			assert.Empty(t, p.axe())
			p.fits()
			p.press("Change")
			p.do(shows(".el-dialog.hold input[maxlength='500']"), fill(".el-dialog.hold input[maxlength='500']", "Osei, two guests"))
			p.press("Change it")
			p.press("Change it all the same") // nobody is told of it yet
			p.do(shows(`//button[contains(., "Osei, two guests")]`))
			p.do(fill("input[aria-label='Look for what was entered']", "nobody"))
			p.do(shows(`//p[contains(., "There is nothing like that")]`))
			if where == "on a desk" {
				p.drawOver(t, w)
			}
			p.content()
		})
	}
}

// drawOver draws a booking over free space of the board.
func (p *page) drawOver(t *testing.T, w *world) {
	p.do(p.goTo("/board"))
	p.see(".track")
	box := eval[[]float64](p, `(() => { const b = document.querySelector('.board').getBoundingClientRect(), r = document.querySelector('.track').getBoundingClientRect()
		return [b.left + b.width * 0.7, r.top + r.height - 4] })()`)
	mouse := func(kind input.DispatchMouseEventType, x float64) {
		_, err := chromedp.Call(p.tab, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, X: x, Y: box[1], Button: input.MouseButtonLeft, Buttons: 1, ClickCount: 1})
		require.NoError(t, err)
	}
	mouse(input.DispatchMouseEventTypeMousePressed, box[0])
	mouse(input.DispatchMouseEventTypeMouseMoved, box[0]+60)
	p.see(".pointing")
	mouse(input.DispatchMouseEventTypeMouseReleased, box[0]+60)
	p.see(".el-dialog.hold form")
	first := eval[string](p, `document.querySelectorAll('.el-dialog.hold input[type=date]')[0].value`)
	p.do(fill(".el-dialog.hold input[maxlength='500']", "Drawn"))
	p.press("Enter it")
	p.see(".said")
	p.press("Enter it all the same")
	w.eventually("it is there", func() bool { return strings.Contains(w.run("", "hold", "list"), "Drawn") })
	assert.Equal(t, first, lines[client.Hold](t, w.run("", "hold", "list", "--search", "Drawn", "--json"))[0].Start)
}

// TestCopies: bookings of a feed are copied by category, in client and console; when the original goes the first page says so;
// and a feed that is removed leaves them behind.
func TestCopies(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk"})
	w.book(0, "Lindqvist", 10, 12)
	w.book(0, "Osei", 20, 22)
	w.subscribe("Ketch Merrow")
	w.round()
	feed := "Feed of Merrow Charter Desk"
	within(t, w.run("", "feed", "adopt", feed, "--search", "lindqvist", "--try"), "It would copy 1 booking")
	_, errs, code := w.try("", "feed", "adopt", feed, "--category", "none of that")
	assert.Equal(t, 1, code)
	within(t, errs, "nothing to copy")
	_, errs, code = w.try("", "feed", "adopt", feed, "--from", "soon")
	assert.Equal(t, 2, code)
	within(t, errs, "write it as 2026-07-03")
	within(t, w.run("", "feed", "adopt", feed, "--search", "lindqvist", "--yes"), "Copied 1 booking")
	w.round()
	assert.Empty(t, w.conflicts(), "original and copy are one")
	within(t, w.run("", "feed", "adopt", feed, "--undo", "--yes"), "Cancelled 1 booking")

	p := w.page(t)
	p.do(p.goTo("/feeds/1"))
	p.see(".records")
	p.press("Copy its bookings")
	p.see(".el-dialog.adopt form")
	assert.Empty(t, p.axe())
	p.press("See what is copied")
	p.do(shows(`//*[contains(., "2 bookings would be copied")]`))
	p.press("Copy them")
	p.do(shows(`//p[@role="status"][contains(., "2 bookings copied")]`))
	require.Len(t, lines[client.Hold](t, w.run("", "hold", "list", "--json")), 2)
	w.cancel(0, "Lindqvist")
	w.run("", "feed", "refresh", "--all")
	within(t, w.run("", "today"), "Lindqvist on Ketch Merrow, which was copied", "shows it no more")
	p.do(p.goTo("/"))
	p.do(shows(`//section[@aria-label="Copies"][contains(., "Ketch Merrow: Lindqvist")]`))
	assert.Empty(t, p.axe())

	p.do(p.goTo("/feeds/1"))
	p.see(".records")
	p.press("Remove")
	p.do(shows(button("Keep them as holds")))
	p.press("Keep them as holds")
	w.eventually("the feed is gone", func() bool { return strings.Contains(w.run("", "feed", "list"), "No feeds yet") })
	within(t, w.run("", "calendar", "show", "Ketch Merrow"), "Lindqvist", "Osei")
}

// TestReview: of a hundred entries some are rejected and the others approved, in client and console, on a desk and on a phone.
func TestReview(t *testing.T) {
	t.Parallel()
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t, nil)
			w.run("", "calendar", "add", "Ketch Merrow", "--zone", zoneName, "--grain", "day")
			text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n"
			for i := range 100 {
				name := "Guest"
				if i%10 == 0 {
					name = "Doubtful"
				}
				text += fmt.Sprintf("BEGIN:VEVENT\r\nUID:%d\r\nSUMMARY:%s %d\r\nDTSTART;VALUE=DATE:%s\r\nEND:VEVENT\r\n", i, name, i, strings.ReplaceAll(day(t, 2*i+2), "-", ""))
			}
			file := filepath.Join(t.TempDir(), "desk.ics")
			require.NoError(t, os.WriteFile(file, []byte(text+"END:VCALENDAR\r\n"), 0o600))
			w.run("", "feed", "add", file, "--platform", "Desk", "--name", "Desk", "--calendar", "Ketch Merrow")
			within(t, w.run("", "review", "list"), "Nothing waits")
			w.run("", "link", "edit", "Ketch Merrow", "Desk", "--review", "--yes")
			within(t, w.run("", "today"), "wait to be looked at: 100")

			p := w.page(t)
			p.do(viewport(size), p.goTo("/"))
			p.do(shows(`//a[contains(., "100 entries wait to be looked at")]`), click(`//a[contains(., "100 entries wait to be looked at")]`))
			p.see(".list li")
			assert.Empty(t, p.axe())
			p.fits()
			assert.Greater(t, eval[float64](p, `document.querySelector('.list li .soft').getBoundingClientRect().height`), 12.0, "it can be read")
			p.do(fill("input[aria-label='Look for entries']", "doubtful"))
			w.eventually("those are found", func() bool { return p.count(".list li") == 10 })
			p.do(click(`//label[contains(., "all 10")]`))
			p.press("Reject 10")
			p.do(shows(`//p[@role="status"][contains(., "10 entries rejected")]`))
			assert.Len(t, lines[client.ReviewItem](t, w.run("", "review", "list", "--json")), 90)
			within(t, w.run("", "review", "list", "--state", "rejected"), "Doubtful 50", accountName)
			assert.NotContains(t, w.run("", "calendar", "show", "Ketch Merrow", "--from", day(t, 1), "--to", day(t, 300), "--json"), `"verdict":"booking","title":"Doubtful`)
			within(t, w.run("", "review", "approve", "--all", "--feed", "Desk"), "90 entries are approved")
			within(t, w.run("", "review", "list"), "Nothing waits")
			one := lines[client.ReviewItem](t, w.run("", "review", "list", "--state", "approved", "--json"))[0]
			within(t, w.run("", "review", "reject", fmt.Sprint(one.Booking.Id)), "1 entry is rejected")
			p.content()

			_, errs, code := w.try("", "review", "approve")
			assert.Equal(t, 2, code)
			within(t, errs, "or give --all")
			resp, problem := w.answer("POST", "/api/v1/reviews", fmt.Sprintf(`{"says":"approved","bookings":[{"booking":%d,"start":"2020-01-01","end":"2020-01-02"}]}`, one.Booking.Id), nil)
			assert.Equal(t, 409, resp.StatusCode)
			assert.Contains(t, *problem.Detail, "Look at it as it is")
		})
	}
}
