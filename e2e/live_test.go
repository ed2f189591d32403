package e2e

import (
	"bufio"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestPageOfAnotherProcess: what one process reads appears in a page of another, which
// asks for nothing by the clock; a login that is ended on one side ends the page and the
// stream on the other.
func TestPageOfAnotherProcess(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.book(0, "Lindqvist", 3, 5)
	w.subscribe("Ketch Merrow")
	o := w.another()
	p := o.page(t, quickTimers)
	p.do(p.goTo("/board"))
	p.see(".booking")

	w.book(1, "Harbour School", 4, 6)
	w.run("", "feed", "refresh", "Feed of Strand & Tern Charters")
	p.see(`.booking[title*="Harbour School"]`, ".clash", "nav .count")
	w.cancel(1, "Harbour School")
	w.run("", "feed", "refresh", "Feed of Strand & Tern Charters")
	p.do(gone(".clash"), gone("nav .count"))

	// Two minutes of the page's time, in which nothing changes.
	const quiet = 120
	w.eventually("a page that is left alone asks for nothing", func() bool {
		asked, turns := eval[int](p, "asked.length"), eval[int](p, "turns")
		require.Greater(t, asked, 5, "it asked for what it shows")
		w.eventually("time goes by in the page", func() bool { return eval[int](p, "turns") > turns+quiet })
		return eval[int](p, "asked.length") == asked
	})

	events := o.stream()
	logins := lines[client.Login](t, w.run("", "token", "list", "--json"))
	require.Equal(t, client.LoginKindBrowser, logins[0].Kind, "the page's is the newest")
	w.run("", "token", "revoke", fmt.Sprint(logins[0].Id))
	p.do(shows("input[name=password]"))
	assert.Equal(t, "/login?to=/board", eval[string](p, `location.pathname + location.search`))
	for _, l := range logins {
		if l.Current {
			w.run("", "token", "revoke", fmt.Sprint(l.Id))
		}
	}
	var last string
	for e := range events {
		last = e
	}
	assert.Equal(t, "end", last, "the stream of a program says that its login has ended, and ends")
	p.content()
}

// stream opens the stream of changes and gives the names of its events until it ends.
func (w *world) stream() <-chan string {
	w.t.Helper()
	resp, err := http.DefaultClient.Do(w.request(http.MethodGet, "/api/v1/changes"))
	require.NoError(w.t, err)
	require.Equal(w.t, http.StatusOK, resp.StatusCode)
	events := make(chan string, 1000)
	go func() {
		defer close(events)
		defer resp.Body.Close()
		for lines := bufio.NewScanner(resp.Body); lines.Scan(); {
			if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				events <- name
			}
		}
	}()
	return events
}

// TestPages: every page of the console shows what it is for, on a desk and on a phone, by
// day and by night; axe-core finds nothing serious on any, and nothing runs off a phone's
// screen.
func TestPages(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters", "Kittiwake Berths"})
	w.book(0, "Lindqvist", 1, 3)
	w.book(1, "Harbour School", 2, 4)
	w.subscribe("Ketch Merrow")
	w.round()
	w.run("", "calendar", "add", "Guest pontoon", "--zone", zoneName, "--grain", "night", "--capacity", "6")
	w.run("", "link", "add", "Guest pontoon", "Feed of Kittiwake Berths")
	w.run("", "calendar", "add", "Net Loft hall", "--zone", zoneName, "--grain", "time")
	w.run("", "link", "add", "Net Loft hall", "Feed of Strand & Tern Charters", "--role", "shows")
	id := fmt.Sprint(w.conflicts()[0].Id)

	p := w.page(t)
	p.do(p.goTo("/"))
	p.see(".today")
	for _, size := range []struct {
		width, height int64
		paper         string
	}{{1280, 800, "light"}, {390, 844, "dark"}} {
		p.do(viewport([2]int64{size.width, size.height}), js(`localStorage.setItem('wharf-paper', '`+size.paper+`'); localStorage.setItem('wharf-echoes', 'true')`))
		for _, page := range []struct {
			path, ready string
			says        []string
		}{
			{"/", ".answer.alarm", []string{"1 double booking needs you.", "All 3 feeds are fresh.", "Kittiwake Berths does not get Guest pontoon back", "Lindqvist"}},
			{"/board", ".booking, .agenda", []string{"Lindqvist"}},
			{"/calendars/1", ".booking", []string{"Double booking", "Lindqvist"}},
			{"/conflicts", ".conflict", []string{"1 conflict is waiting for somebody", "Ketch Merrow"}},
			{"/conflicts/" + id, ".facts", []string{"Double booking on Ketch Merrow", "What is known", "What can be done"}},
			{"/both-ways", "tbody td", []string{"1 direction is missing", "nothing goes out", "picked up"}},
			{"/feeds", ".feed", []string{"Feed of Kittiwake Berths", "fresh"}},
			{"/feeds/1", ".readings tbody tr", []string{"Ketch Merrow, where it blocks", "changed"}},
			{"/publications", ".list li", []string{"For Kittiwake Berths", "Copy link"}},
			{"/logins", ".list li", []string{"this page", "a program, by token"}},
		} {
			p.do(p.goTo(page.path))
			p.see(page.ready)
			within(t, p.text("main"), page.says...)
			assert.Empty(t, p.axe(), "%s at %d, %s", page.path, size.width, size.paper)
			p.fits()
		}
	}
	p.do(viewport([2]int64{1280, 800}), p.goTo("/board"))
	p.see(".booking")
	p.do(js(`document.querySelector('.booking.echo').dispatchEvent(new MouseEvent('mouseenter'))`))
	p.see(".thread path", ".booking.origin")
	p.do(p.goTo("/calendars/1"))
	p.see(".booking.echo")
	p.do(js(`document.querySelector('.booking.echo').dispatchEvent(new MouseEvent('mouseenter'))`))
	p.see(".thread", ".booking.origin")
	p.do(p.goTo("/board"))
	p.see(".booking")
	for _, scale := range []string{"day", "week", "season", "month"} {
		p.do(js(`document.querySelector('input[value=` + scale + `]').click()`))
		p.see(".booking")
	}
	drawn := p.count(".booking:not(.echo)")
	p.do(click(`//button[@aria-label="Feeds of Ketch Merrow"]`))
	p.see(".sub .feed")
	assert.Greater(t, p.count(".booking:not(.echo)"), drawn, "the row opens into its feeds")
	p.do(click(`.sub .feed`), shows(`.feed[aria-pressed="false"]`))
	p.do(click(".el-switch"), gone(".booking.echo"))
	p.do(click(".track .booking"), shows(".panel"))
	p.content()
}
