package e2e

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// answer calls the API with a body as it stands and returns the status and the problem.
func (w *world) answer(method, path, body string, edit func(*http.Request)) (*http.Response, client.Problem) {
	w.t.Helper()
	r, err := http.NewRequest(method, w.base()+path, strings.NewReader(body))
	require.NoError(w.t, err)
	r.Header.Set("Content-Type", "application/json")
	text, err := os.ReadFile(filepath.Join(w.dir, "config", "wharf", "login.json"))
	require.NoError(w.t, err)
	var saved struct{ Token string }
	require.NoError(w.t, json.Unmarshal(text, &saved))
	r.Header.Set("Authorization", "Bearer "+saved.Token)
	if edit != nil {
		edit(r)
	}
	resp, err := http.DefaultClient.Do(r)
	require.NoError(w.t, err)
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	require.NoError(w.t, err)
	var p client.Problem
	if resp.Header.Get("Content-Type") == "application/problem+json" {
		require.NoError(w.t, json.Unmarshal(answer, &p))
	}
	return resp, p
}

// misbehaving answers feeds in every way that is no calendar.
func misbehaving(t *testing.T) *httptest.Server {
	mux := http.NewServeMux()
	say := func(path string, status int, body string) {
		mux.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(status)
			_, _ = io.WriteString(w, body)
		})
	}
	say("/page", 200, "<!DOCTYPE html><html><body>Log in</body></html>")
	say("/archive", 200, "PK\x03\x04...")
	say("/nothing", 200, "")
	say("/cut", 200, "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\n")
	say("/401", 401, "")
	say("/404", 404, "")
	say("/500", 500, "")
	say("/good", 200, "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:\x1b[31mred\r\nDTSTART:20300101\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
	say("/odd", 200, "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Odd\r\nRRULE:RSCALE=CHINESE;FREQ=YEARLY\r\nDTSTART:20300101\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nUID:2\r\nSUMMARY:Lost\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
	mux.HandleFunc("/loop", func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, "/loop", http.StatusFound) })
	mux.HandleFunc("/never", func(_ http.ResponseWriter, r *http.Request) { <-r.Context().Done() })
	mux.HandleFunc("/huge", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Encoding", "gzip") // small on the way, 100 MB when unpacked
		z := gzip.NewWriter(w)
		defer z.Close()
		_, _ = io.WriteString(z, "BEGIN:VCALENDAR\r\n")
		line := []byte("X-FILL:" + strings.Repeat("x", 1<<20) + "\r\n")
		for range 100 {
			if _, err := z.Write(line); err != nil {
				return
			}
		}
	})
	s := httptest.NewServer(mux)
	t.Cleanup(s.Close)
	return s
}

func TestRefusals(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil, "WHARF_MAX_FEED_MB=2")
	bad := misbehaving(t)
	for path, want := range map[string]string{
		"/page":    "web page",
		"/archive": "zip archive",
		"/nothing": "check in the platform that the feed is published",
		"/cut":     "cut off",
		"/401":     "user name and password",
		"/404":     "copy the link again",
		"/500":     "fault of its own",
		"/loop":    "passed on more than",
		"/never":   "did not answer in full within 4s",
		"/huge":    "larger than 2 MB",
	} {
		_, errs, code := w.try("", "feed", "add", bad.URL+path, "--platform", "P", "--name", "Bad "+path)
		assert.Equal(t, 1, code, path)
		assert.Contains(t, errs, want, path)
		assert.Equal(t, 1, strings.Count(errs, "\n"), "one line: %s", errs)
	}
	assert.Empty(t, w.run("", "feed", "list", "--json"), "nothing of a refused feed is kept")

	for link, want := range map[string]string{
		"ftp://example.org/x.ics":        "must begin with",
		"http://169.254.169.254/latest/": "inner network",
		"http://10.0.0.1/x.ics":          "inner network",
		"http://[::1]:9/x.ics":           "inner network",
	} {
		_, errs, code := w.try("", "feed", "add", link, "--platform", "P", "--name", "Bad link")
		assert.Equal(t, 1, code, link)
		assert.Contains(t, errs, want, link)
	}
	_, errs, code := w.try("", "feed", "add", "just words", "--platform", "P", "--name", "Bad link")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "neither a link nor a file: a link begins with https://")

	w.run("", "feed", "add", bad.URL+"/good", "--platform", "P", "--name", "Good")
	odd := w.run("", "feed", "add", bad.URL+"/odd", "--platform", "P", "--name", "Odd")
	assert.Contains(t, odd, `Remark, line 6: the repetition of "Odd" is not understood (RSCALE=CHINESE: only the Gregorian calendar is covered): only its first date counts`)
	assert.Contains(t, w.run("", "feed", "show", "Odd"), "has no DTSTART: it cannot be placed")
	w.run("", "calendar", "add", "Hall", "--zone", "UTC", "--grain", "time")
	w.run("", "link", "add", "Hall", "Good")
	assert.NotContains(t, w.run("", "calendar", "show", "Hall", "--from", "2030-01-01"), "\x1b", "text from feeds cannot steer the terminal")
	for _, tc := range []struct {
		method, path, body string
		status             int
		field              string
	}{
		{"POST", "/api/v1/calendars", `{"name":"A","zone":"Europe/Atlantis","grain":"day"}`, 422, "zone"},
		{"POST", "/api/v1/calendars", `{"name":"A","zone":"UTC","grain":"week"}`, 400, "grain"},
		{"POST", "/api/v1/calendars", `{"name":"A","zone":"UTC","grain":"day","capacity":0}`, 400, "capacity"},
		{"POST", "/api/v1/calendars", `{"name":" ","zone":"UTC","grain":"day"}`, 400, "name"},
		{"POST", "/api/v1/calendars", `{"name":"Hall","zone":"UTC","grain":"day"}`, 409, "name"},
		{"POST", "/api/v1/calendars", `{"name":"A","zone":"UTC","grain":"day","colour":"red"}`, 400, "colour"},
		{"POST", "/api/v1/calendars", `{"name":`, 400, ""},
		{"POST", "/api/v1/calendars", `{"name":"A","zone":"UTC","grain":"day"} {"name":"B"}`, 400, ""},
		{"POST", "/api/v1/calendars", `{"name":"A\u0000","zone":"UTC","grain":"day"}`, 400, ""},
		{"POST", "/api/v1/calendars", `{"name":"` + strings.Repeat("x", 1<<20) + `"}`, 413, ""},
		{"POST", "/api/v1/feeds", `{"url":"` + bad.URL + `/good","platform":"P","name":"Good"}`, 409, "name"},
		{"POST", "/api/v1/feeds", `{"url":"` + bad.URL + `/good","platform":"P","name":"B","calendar":99}`, 422, "calendar"},
		{"POST", "/api/v1/feeds", `{"url":"` + bad.URL + `/page","platform":"P","name":"B"}`, 422, "url"},
		{"POST", "/api/v1/publications", `{"calendar":99,"platform":"P","name":"B"}`, 422, "calendar"},
		{"GET", "/api/v1/calendars/99", "", 404, ""},
		{"GET", "/api/v1/calendars/x", "", 400, "id"},
		{"GET", "/api/v1/calendars/1/bookings?from=soon&to=2030-01-01", "", 400, "from"},
		{"PUT", "/api/v1/calendars/1/links/99", `{}`, 404, ""},
		{"PUT", "/api/v1/conflicts/99/acknowledgement", `{}`, 404, ""},
		{"GET", "/api/v1/nothing", "", 404, ""},
		{"DELETE", "/api/v1/calendars", "", 405, ""},
	} {
		name := fmt.Sprintf("%s %s %.60s", tc.method, tc.path, tc.body)
		resp, p := w.answer(tc.method, tc.path, tc.body, nil)
		assert.Equal(t, tc.status, resp.StatusCode, name)
		assert.Equal(t, tc.status, p.Status, name)
		assert.NotEmpty(t, p.Title, name)
		assert.NotEmpty(t, p.Code, name)
		if tc.field != "" && assert.NotNil(t, p.Errors, name) {
			assert.Equal(t, tc.field, (*p.Errors)[0].Field, name)
		}
	}
}

// TestReachedByHTTPS: where people reach the service by https, browsers are told to stay with it.
func TestReachedByHTTPS(t *testing.T) {
	anyDay(t)
	t.Parallel()
	for public, want := range map[string]string{"https://127.0.0.1": "max-age=31536000", "http://127.0.0.1": ""} {
		w := openWorld(t, nil, "WHARF_PUBLIC_URL="+public)
		resp, err := http.Get(w.base() + "/api/v1/setup")
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, http.StatusOK, resp.StatusCode)
		assert.Equal(t, want, resp.Header.Get("Strict-Transport-Security"), public)
	}
}

// TestDoors: who gets in, and who does not.
func TestDoors(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	w.run("", "calendar", "add", "Hall", "--zone", "UTC")
	published := lines[client.Publication](t, w.run("", "publication", "add", "For P", "--calendar", "Hall", "--platform", "P", "--json"))[0]
	path := strings.TrimPrefix(published.Url, "http://"+w.address)
	set := func(name, value string) func(*http.Request) {
		return func(r *http.Request) { r.Header.Set(name, value) }
	}
	for _, tc := range []struct {
		name, method, path, body string
		edit                     func(*http.Request)
		status                   int
	}{
		{"no token", "GET", "/api/v1/feeds", "", func(r *http.Request) { r.Header.Del("Authorization") }, 401},
		{"wrong token", "GET", "/api/v1/feeds", "", set("Authorization", "Bearer nonsense"), 401},
		{"another scheme", "GET", "/api/v1/feeds", "", set("Authorization", "Basic eDp5"), 401},
		{"wrong password", "POST", "/api/v1/session", `{"name":"harbour","password":"not the right one"}`, nil, 401},
		{"nobody's name", "POST", "/api/v1/session", `{"name":"nobody","password":"not the right one"}`, nil, 401},
		{"set up twice", "POST", "/api/v1/setup", `{"code":"x","name":"second","password":"a long enough password"}`, nil, 409},
		{"another site", "POST", "/api/v1/calendars", `{"name":"B","zone":"UTC","grain":"day"}`, set("Sec-Fetch-Site", "cross-site"), 403},
		{"another site's origin", "POST", "/api/v1/calendars", `{"name":"B","zone":"UTC","grain":"day"}`, set("Origin", "http://elsewhere.example"), 403},
		{"another name", "GET", "/api/v1/feeds", "", func(r *http.Request) { r.Host = "elsewhere.example" }, 421},
		{"a publication", "GET", path, "", nil, 200},
		{"its head", "HEAD", path, "", nil, 200},
		{"a wrong secret", "GET", "/p/nonsense.ics", "", nil, 404},
		{"without .ics", "GET", strings.TrimSuffix(path, ".ics"), "", nil, 404},
		{"posting to it", "POST", path, "", nil, 405},
		{"as JSON", "GET", path, "", set("Accept", "application/json"), 406},
	} {
		resp, _ := w.answer(tc.method, tc.path, tc.body, tc.edit)
		assert.Equal(t, tc.status, resp.StatusCode, tc.name)
		assert.Equal(t, "nosniff", resp.Header.Get("X-Content-Type-Options"), tc.name)
		if tc.status == http.StatusOK && tc.path == path {
			continue // a publication is no page
		}
		assert.Equal(t, "no-referrer", resp.Header.Get("Referrer-Policy"), tc.name)
		assert.Contains(t, resp.Header.Get("Content-Security-Policy"), "default-src 'self'", tc.name)
	}

	// Versions, and who picked up which: three downloads were complete (one above), one was
	// told that nothing is new.
	resp, _ := w.answer("GET", path, "", set("Accept-Encoding", "identity"))
	etag := resp.Header.Get("ETag")
	assert.NotEmpty(t, etag)
	assert.Equal(t, "text/calendar; charset=utf-8", resp.Header.Get("Content-Type"))
	zipped, _ := w.answer("GET", path, "", func(r *http.Request) { r.Header.Set("Accept-Encoding", "gzip") })
	assert.Equal(t, "gzip", zipped.Header.Get("Content-Encoding"))
	assert.NotEqual(t, etag, zipped.Header.Get("ETag"))
	same, _ := w.answer("GET", path, "", set("If-None-Match", etag))
	assert.Equal(t, http.StatusNotModified, same.StatusCode)
	w.eventually("HEAD, refusals and wrong secrets are no pickups", func() bool {
		return lines[client.Publication](t, w.run("", "publication", "show", "For P", "--json"))[0].Pickups == 4
	})

	// A session is renewed by a new login, and the old one ends with it.
	jar := map[string]string{}
	logIn := func() {
		resp, _ := w.answer("POST", "/api/v1/session", `{"name":"harbour","password":"`+password+`"}`, func(r *http.Request) {
			r.Header.Del("Authorization")
			r.Header.Set("Cookie", jar["now"])
		})
		require.Equal(t, http.StatusCreated, resp.StatusCode)
		cookie := resp.Cookies()[0]
		assert.True(t, cookie.HttpOnly)
		assert.Equal(t, http.SameSiteLaxMode, cookie.SameSite)
		jar["before"], jar["now"] = jar["now"], cookie.Name+"="+cookie.Value
	}
	logIn()
	logIn()
	for which, status := range map[string]int{"before": 401, "now": 200} {
		resp, _ := w.answer("GET", "/api/v1/session", "", func(r *http.Request) { r.Header.Del("Authorization"); r.Header.Set("Cookie", jar[which]) })
		assert.Equal(t, status, resp.StatusCode, which)
	}
	assert.NotContains(t, w.log.String(), strings.TrimSuffix(strings.TrimPrefix(path, "/p/"), ".ics"), "no secret is logged")
}

// TestStartRefused: what keeps the service from starting is one clear line.
func TestStartRefused(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	other := filepath.Join(t.TempDir(), "other-key")
	require.NoError(t, os.WriteFile(other, make([]byte, 32), 0o600))
	settings := filepath.Join(t.TempDir(), "settings")
	require.NoError(t, os.WriteFile(settings, []byte("WHARF_LOG_LEVEL=loud\nWHARF_DATABASE=x\n"), 0o600))
	free := freeAddress(t)
	for name, tc := range map[string]struct {
		args []string
		want string
	}{
		"no database":       {nil, "no database is named"},
		"no such database":  {[]string{"--listen", free, "--database", "root@tcp(127.0.0.1:1)/wharf"}, "is MariaDB running there"},
		"address in use":    {[]string{"--listen", w.address, "--database", w.dsn}, "in use by another program"},
		"another key":       {[]string{"--listen", free, "--database", w.dsn, "--key-file", other}, "first used with another key"},
		"no public address": {[]string{"--listen", "0.0.0.0:0", "--database", w.dsn}, "--public-url"},
		"bad private range": {[]string{"--listen", free, "--database", w.dsn, "--key-file", filepath.Join(w.dir, "key"), "--allow-private", "everything"}, "not a range and port"},
		"a short lease":     {[]string{"--listen", free, "--database", w.dsn, "--lease", "1s"}, "not longer than --fetch-timeout"},
		"no probability":    {[]string{"--listen", free, "--database", w.dsn, "--chance-limit", "3"}, "no probability"},
		"a delay below 0":   {[]string{"--listen", free, "--database", w.dsn, "--reflection-delay", "-5m"}, "use 0 for none"},
		"settings file":     {[]string{"--config", settings}, `--log-level "loud"`},
		"no settings file":  {[]string{"--config", settings + ".none"}, "cannot be read"},
		"a wrong flag":      {[]string{"--port", "80"}, "see `wharf serve --help`"},
	} {
		cmd := exec.CommandContext(context.Background(), binary, append([]string{"serve"}, tc.args...)...)
		cmd.Env = append(os.Environ(), "GORACE=atexit_sleep_ms=0", "HOME="+t.TempDir(), "XDG_CONFIG_HOME="+t.TempDir())
		out, err := cmd.CombinedOutput()
		assert.Error(t, err, name)
		assert.Contains(t, string(out), tc.want, name)
		last := strings.Split(strings.TrimSpace(string(out)), "\n")
		assert.True(t, strings.HasPrefix(last[len(last)-1], "wharf: "), "%s: %s", name, out)
	}
}
