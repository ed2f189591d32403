package e2e

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/hostile"
)

// TestFaultsOfTheConsole: nothing that a feed, a reader or a link says runs in the console, turns what is
// around it, or breaks the page.
func TestFaultsOfTheConsole(t *testing.T) {
	anyDay(t)
	t.Parallel()
	const script = `<img src=x onerror="window.pwned=1"><script>window.pwned=1</script>`
	titles := map[string]string{
		"markup in a title":                script,
		"a link that is a script":          `javascript:window.pwned=1`,
		"a template in a title":            "{{ constructor.constructor('window.pwned=1')() }} ${window.pwned=1}",
		"a title that turns its line":      "sold \u202e\u2066gnikoob\u2069\u202e",
		"a title from right to left":       "חתונה של נועה",
		"a title of five thousand letters": strings.Repeat("very long ", 500),
		"a title of marks over marks":      "z" + strings.Repeat("\u0300\u0301\u0489", 300),
		"a title that steers terminals":    "\x1b]0;pwned\x07\x1b[2J red",
		"a title of styles":                `</style><style>*{display:none}</style>`,
	}
	var names []string
	for name := range titles {
		names = append(names, name)
	}
	source := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		var all strings.Builder
		for i, name := range names {
			at := now().UTC().AddDate(0, 0, 2+i).Format("20060102")
			all.WriteString(hostile.Event(fmt.Sprint("t", i), "DTSTART;VALUE=DATE:"+at, "SUMMARY:"+titles[name], "URL:javascript:window.pwned=1", "DESCRIPTION:"+script, "RRULE:FREQ="+script))
		}
		_, _ = io.WriteString(rw, hostile.Calendar(all.String()))
	}))
	t.Cleanup(source.Close)
	w := newWorld(t, nil)
	w.run("", "calendar", "add", "Hall "+script, "--zone", "UTC", "--grain", "day")
	w.run("", "feed", "add", source.URL, "--platform", "Desk "+script, "--name", "Feed "+script, "--calendar", "Hall "+script)
	published := w.run("", "publication", "add", "For "+script, "--calendar", "Hall "+script, "--platform", "Else "+script)
	link := published[strings.Index(published, "http://"):]
	code, _ := status(t, from("127.0.0.2"), http.MethodGet, strings.TrimSpace(link), "User-Agent", script)
	require.Equal(t, 200, code)
	p := w.page(t)
	harmless := func(t *testing.T) {
		t.Helper()
		assert.False(t, eval[bool](p, "'pwned' in window"), "nothing of it runs")
		assert.Zero(t, p.count("main script, main img[src=x], main a[href^=javascript]"))
		p.fits()
	}
	open := func(t *testing.T, path, ready string) string {
		t.Helper()
		p.do(p.goTo(path))
		p.see(ready)
		harmless(t)
		return p.text("main")
	}
	var faults []fault
	for i, name := range names {
		faults = append(faults, fault{name: "console/" + name, try: func(t *testing.T) {
			at := now().UTC().AddDate(0, 0, 2+i).Format("2006-01")
			for _, path := range []string{"/calendars/1?month=" + at, "/board"} {
				open(t, path, ".booking")
			}
			said := eval[string](p, `[...document.querySelectorAll('.booking')].map((b) => b.title || b.getAttribute('aria-label')).join('\n')`)
			for _, sign := range []string{"\u202e", "\u2066", "\x1b"} {
				assert.False(t, strings.Contains(said, sign), "%q", sign)
			}
		}})
	}
	faults = append(faults, []fault{
		{name: "console/markup in names and remarks", try: func(t *testing.T) {
			assert.Contains(t, open(t, "/feeds", "main .feed"), "Feed "+script)
			assert.Contains(t, open(t, "/feeds/1", "main h1"), "remark")
			open(t, "/platforms/1", "main h1")
			open(t, "/publications", "main h2")
		}},
		{name: "console/markup in an address", try: func(t *testing.T) {
			for _, path := range []string{"/calendars/%3Cscript%3Ewindow.pwned=1%3C/script%3E", "/login?to=javascript:window.pwned=1", "/login?to=//elsewhere.example", "/setup#<img src=x onerror=window.pwned=1>", "/nothing/<script>window.pwned=1</script>"} {
				p.do(p.goTo(path))
				p.do(shows("main, form"))
				harmless(t)
				assert.True(t, strings.HasPrefix(eval[string](p, "location.href"), w.base()), path)
			}
		}},
		{name: "console/a script of its own, written into the page", try: func(t *testing.T) {
			open(t, "/feeds", "main h1")
			eval[bool](p, `(() => { const s = document.createElement('script'); s.textContent = 'window.pwned = 1'; document.body.append(s); return true })()`)
			harmless(t)
			p.mu.Lock() // the page's own policy refused it, and said so
			p.complaints = nil
			p.mu.Unlock()
		}},
		{name: "console/shown in another site's frame", try: func(t *testing.T) {
			for _, path := range []string{"/", "/login", "/api/v1/session", strings.TrimPrefix(strings.TrimSpace(link), "http://"+w.address)} {
				resp, err := http.Get(w.base() + path)
				require.NoError(t, err)
				resp.Body.Close()
				if strings.HasPrefix(path, "/p/") {
					assert.Equal(t, "nosniff", resp.Header.Get("X-Content-Type-Options"))
					assert.Contains(t, resp.Header.Get("Content-Type"), "text/calendar")
					continue
				}
				assert.Contains(t, resp.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'", path)
				assert.Equal(t, "DENY", resp.Header.Get("X-Frame-Options"), path)
			}
		}},
		{name: "console/what it shows is removed meanwhile", try: func(t *testing.T) {
			open(t, "/calendars/1", ".booking")
			w.run("", "calendar", "remove", "Hall "+script, "--yes")
			p.do(gone(".booking"))
			assert.Contains(t, p.text("main"), "There is no such calendar: it may have been removed.")
			harmless(t)
		}},
	}...)
	tryFaults(t, faults)
}
