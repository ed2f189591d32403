package e2e

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/hostile"
)

// packed is an archive of so many files.
func packed(t *testing.T, files map[string]string) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for name, text := range files {
		f, err := z.Create(name)
		require.NoError(t, err)
		_, err = io.WriteString(f, text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

// sources is a platform with a feed in every form in which people find one.
func sources(t *testing.T) *httptest.Server {
	t.Helper()
	day := func(n int) string { return now().UTC().AddDate(0, 0, n).Format("20060102") }
	sales := hostile.Calendar("X-WR-CALNAME:Ketch Merrow - bookings (do not share)\r\nREFRESH-INTERVAL;VALUE=DURATION:PT1H\r\n",
		hostile.Event("a", "DTSTART;VALUE=DATE:"+day(5), "DTEND;VALUE=DATE:"+day(8), "SUMMARY:Osei"),
		hostile.Event("b", "DTSTART;VALUE=DATE:"+day(9), "DTEND;VALUE=DATE:"+day(11), "SUMMARY:Lindqvist", "STATUS:TENTATIVE"),
		hostile.Event("c", "DTSTART;VALUE=DATE:"+day(12), "DTEND;VALUE=DATE:"+day(14), "SUMMARY:Gone", "STATUS:CANCELLED"))
	archive := packed(t, map[string]string{"ketch.ics": sales, "sub/punt.ics": hostile.Calendar(hostile.Event("p", "DTSTART;VALUE=DATE:"+day(5), "SUMMARY:Punt")), "read me.txt": "hello"})
	mux := http.NewServeMux()
	say := func(path, text string) {
		mux.HandleFunc(path, func(rw http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(rw, text) })
	}
	say("/ketch.ics", sales)
	say("/again.ics", sales)
	say("/only.ics", sales)
	say("/site", `<!DOCTYPE html><html><body><a href="/about">About</a> <a href="/ketch.ics">The <b>ketch</b></a><a href="webcal://127.0.0.1:1/x.ics">Elsewhere</a></body></html>`)
	say("/all.zip", string(archive))
	say("/none.ics", hostile.Calendar())
	say("/table.csv", "first,last,guest\n2026-07-01,2026-07-03,Osei\n")
	say("/data.json", `{"bookings":[]}`)
	mux.HandleFunc("/closed.ics", func(rw http.ResponseWriter, r *http.Request) {
		if user, word, _ := r.BasicAuth(); user != "ann" || word != "tide & mud" {
			rw.WriteHeader(http.StatusUnauthorized)
			return
		}
		_, _ = io.WriteString(rw, sales)
	})
	mux.HandleFunc("/moved.ics", func(rw http.ResponseWriter, r *http.Request) {
		http.Redirect(rw, r, "/ketch.ics", http.StatusMovedPermanently)
	})
	mux.HandleFunc("/lent.ics", func(rw http.ResponseWriter, r *http.Request) { http.Redirect(rw, r, "/ketch.ics", http.StatusFound) })
	s := httptest.NewServer(mux)
	t.Cleanup(s.Close)
	return s
}

// TestTry: what a link gives is shown before anything is kept: what is in it, what it likely belongs to, and
// what was found where it is no calendar.
func TestTry(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	s := sources(t)
	w.run("", "calendar", "add", "Ketch Merrow", "--zone", zoneName, "--grain", "day")
	w.run("", "calendar", "add", "Punt", "--zone", zoneName, "--grain", "night")
	w.run("", "feed", "add", s.URL+"/ketch.ics", "--platform", "Merrow Charter Desk", "--name", "The ketch", "--calendar", "Ketch Merrow")
	try := func(link string, more ...string) client.Trial {
		t.Helper()
		out, errs, _ := w.try("", append([]string{"feed", "try", "--json", link}, more...)...)
		trials := lines[client.Trial](t, out)
		require.Len(t, trials, 1, errs)
		return trials[0]
	}

	good := try(s.URL+"/again.ics?exclude_tentative=1", "--zone", zoneName)
	require.Nil(t, good.Problem)
	p := good.Preview
	assert.Equal(t, "Ketch Merrow - bookings (do not share)", p.Name)
	assert.Equal(t, []int{3, 0, 1, 1}, []int{p.Entries, p.Recurring, p.Tentative, p.Cancelled})
	assert.Equal(t, client.Night, *p.Grain)
	require.Len(t, p.Next, 2)
	assert.Equal(t, "Osei", p.Next[0].Title)
	assert.Equal(t, 3, p.Next[0].Nights)
	assert.Equal(t, []string{"exclude_tentative=1"}, good.Fewer)
	assert.Empty(t, good.Same)
	require.Len(t, good.Alike, 1, "the same entries under another link")
	assert.Equal(t, "The ketch", good.Alike[0].Name)
	assert.Equal(t, "Merrow Charter Desk", good.Proposal.Platform, "others from that host are of it")
	assert.Equal(t, "Ketch Merrow, Merrow Charter Desk", good.Proposal.Name, "short")
	assert.EqualValues(t, 1, *good.Proposal.Calendar)
	assert.Equal(t, 3600, good.Proposal.Every, "as the publisher says")
	assert.Len(t, try(s.URL+"/ketch.ics").Same, 1)

	for path, want := range map[string]string{"/table.csv": "spreadsheet", "/data.json": "JSON", "/site": "web page", "/all.zip": "zip archive", "/closed.ics": "user name and password", "/nothing": "404"} {
		trial := try(s.URL + path)
		if assert.NotNil(t, trial.Problem, path) {
			assert.Contains(t, *trial.Problem, want)
		}
		assert.Nil(t, trial.Preview, path)
	}
	assert.Zero(t, try(s.URL+"/none.ics").Preview.Entries)

	found := try(s.URL + "/site").Offers
	require.Len(t, found, 2)
	assert.Equal(t, client.Offer{Link: s.URL + "/ketch.ics", Name: "The ketch"}, found[0])
	inside := try(s.URL + "/all.zip").Offers
	require.Len(t, inside, 2)
	assert.Equal(t, []string{"ketch.ics", "sub/punt.ics"}, []string{inside[0].Name, inside[1].Name})
	punt := try(inside[1].Link)
	assert.Equal(t, "Punt", punt.Preview.Next[0].Title)
	w.run("", "feed", "add", inside[1].Link, "--platform", "Yard", "--name", "The punt", "--calendar", "Punt")
	assert.Contains(t, w.run("", "feed", "refresh", "The punt"), "unchanged", "it is unpacked at each reading")

	word := filepath.Join(t.TempDir(), "word")
	require.NoError(t, os.WriteFile(word, []byte("tide & mud\n"), 0o600))
	assert.Nil(t, try(s.URL+"/closed.ics", "--user", "ann", "--password-file", word).Problem)
	w.run("", "feed", "add", s.URL+"/closed.ics", "--user", "ann", "--password-file", word, "--platform", "Yard", "--name", "Closed")
	assert.NotContains(t, w.run("", "feed", "show", "Closed")+w.run("", "feed", "list", "--json")+w.log.String(), "tide")

	assert.Contains(t, w.run("", "feed", "add", s.URL+"/moved.ics", "--platform", "Yard", "--name", "Moved"), "moved this feed for good")
	assert.NotContains(t, w.run("", "feed", "add", s.URL+"/lent.ics", "--platform", "Yard", "--name", "Lent"), "moved")
	require.Len(t, try(s.URL+"/ketch.ics").Same, 2, "what has moved is at its new link")

	out, errs, code := w.try(s.URL+"/only.ics\n\n"+s.URL+"/site\n", "feed", "try", "-")
	assert.Equal(t, 1, code)
	within(t, out, "It calls itself “Ketch Merrow - bookings (do not share)”.", "1 tentative, 1 called off", "Osei", "3 nights", "Found there: The ketch", `--name "Ketch Merrow, Yard"`)
	within(t, errs, "1 of 2 links give no calendar")
	_, _, code = w.try("", "feed", "try")
	assert.Equal(t, 2, code)
	for body, field := range map[string]string{`{"links":[]}`: "links", `{"links":[{"url":"x"}],"zone":"Europe/Atlantis"}`: "zone", `{"links":[{"link":"x"}]}`: "links.0.link"} {
		resp, problem := w.answer("POST", "/api/v1/trials", body, nil)
		assert.Contains(t, []int{400, 422}, resp.StatusCode)
		if assert.NotNil(t, problem.Errors, body) {
			assert.Contains(t, (*problem.Errors)[0].Field, strings.Split(field, ".")[0], body)
		}
	}
}

// TestManyLinks: of many links that are pasted at once the good ones are kept, and the others stay with why. (Two hundred
// of them are in the console's own tests.)
func TestManyLinks(t *testing.T) {
	anyDay(t)
	t.Parallel()
	const atOnce = 25 // so many are shown at first, the wrong ones before all others
	faults := []string{"body/status 404", "body/nothing", "body/a page to log in on", "body/an archive", "body/random bytes", "body/status 500"}
	for where, size := range sizes {
		good, wrong := 24, 10
		t.Run(where, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t, nil, "WHARF_HOST_CONNECTIONS=0", "WHARF_HOST_RATE=0")
			s := hostile.New(now().UTC())
			t.Cleanup(s.Close)
			w.run("", "calendar", "add", "Ketch", "--zone", "UTC", "--grain", "day")
			var links []string
			for i := range good + wrong {
				link := s.Link(fmt.Sprint("many/", i))
				if i < wrong {
					fault := faults[i%len(faults)]
					s.Break(fault)
					link = fmt.Sprint(s.Link(fault), "?n=", i)
				}
				links = append(links, link)
			}
			p := w.page(t)
			p.do(viewport(size), p.goTo("/feeds"))
			p.press("Subscribe to feeds")
			eval[bool](p, fmt.Sprintf(`(() => { // pasted, not typed
				const field = document.querySelector('.el-dialog textarea')
				field.value = %q
				return field.dispatchEvent(new Event('input', { bubbles: true }))
			})()`, strings.Join(links, "\n")))
			p.press("Look at what is in it")
			says := func(all, good int) step {
				return shows(fmt.Sprintf(`//p[@role="status"][contains(., "%d of %d links looked at, %d with a calendar")]`, all, all, good))
			}
			p.do(says(good+wrong, good))
			assert.Empty(t, p.axe())
			p.fits()
			assert.Equal(t, atOnce, p.count(".trial"))
			assert.Equal(t, min(wrong, atOnce), p.count(".trial .failed"))
			for shown := atOnce; shown < good+wrong; shown += atOnce {
				p.press(fmt.Sprintf("Show more (%d)", good+wrong-shown))
			}
			assert.Equal(t, wrong, p.count(".trial .failed"))
			eval[bool](p, `(() => { // each of another name and platform, as a person would type
				for (const [label, value] of [['Name', 'Feed'], ['Platform', 'Platform']])
					document.querySelectorAll('.trial').forEach((t, i) => {
						const input = [...t.querySelectorAll('label')].find((l) => l.textContent.trim().startsWith(label))?.querySelector('input')
						if (!input) return
						input.value = value + ' ' + i
						input.dispatchEvent(new Event('input', { bubbles: true }))
					})
				return true
			})()`)
			p.press(fmt.Sprintf("Subscribe to %d feeds", good))
			p.do(says(wrong, 0))
			assert.Equal(t, min(wrong, atOnce), p.count(".trial .failed"), "the others stay, with why")
			assert.Len(t, lines[client.Feed](t, w.run("", "feed", "list", "--json")), good)
		})
	}
}
