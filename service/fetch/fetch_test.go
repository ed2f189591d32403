package fetch_test

import (
	"context"
	"encoding/pem"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/service/fetch"
)

var ctx = context.Background()

func TestConditionalAndPolite(t *testing.T) {
	var asked []string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.Header.Get("If-None-Match")+"|"+r.Header.Get("If-Modified-Since"))
		user, password, _ := r.BasicAuth()
		switch {
		case r.URL.Path == "/busy":
			w.Header().Set("Retry-After", "90")
			w.WriteHeader(http.StatusTooManyRequests)
		case r.URL.Path == "/odd-304":
			w.WriteHeader(http.StatusNotModified)
		case r.URL.Path == "/secret" && user+password != "annpw":
			w.WriteHeader(http.StatusUnauthorized)
		case r.Header.Get("If-None-Match") == `"v1"`:
			w.WriteHeader(http.StatusNotModified)
		default:
			w.Header().Set("ETag", `"v1"`)
			_, _ = w.Write([]byte("text"))
		}
	}))
	t.Cleanup(server.Close)
	private, err := fetch.ParsePrivate("127.0.0.0/8:1-65535")
	require.NoError(t, err)
	f := fetch.New(fetch.Settings{Allowed: []fetch.Private{private}})

	first, err := f.Get(ctx, server.URL, fetch.Known{})
	require.NoError(t, err)
	assert.Equal(t, "text", string(first.Body))
	second, err := f.Get(ctx, server.URL, fetch.Known{ETag: first.ETag})
	require.NoError(t, err)
	assert.True(t, second.NotModified)
	assert.Equal(t, []string{"|", `"v1"|`}, asked)

	_, err = f.Get(ctx, strings.Replace(server.URL, "http://", "http://ann:pw@", 1)+"/secret", fetch.Known{})
	assert.NoError(t, err, "a user name and password in the link are used")
	var failed *fetch.Error
	_, err = f.Get(ctx, server.URL+"/busy", fetch.Known{})
	require.ErrorAs(t, err, &failed)
	assert.Equal(t, 90*time.Second, failed.RetryAfter)
	_, err = f.Get(ctx, server.URL+"/odd-304", fetch.Known{})
	assert.ErrorAs(t, err, &failed, "nothing new, to somebody who has nothing")
	_, err = fetch.New(fetch.Settings{}).Get(ctx, server.URL, fetch.Known{})
	assert.ErrorContains(t, err, "inner network", "loopback is refused unless allowed")
	narrow, err := fetch.ParsePrivate("127.0.0.0/8:1")
	require.NoError(t, err)
	_, err = fetch.New(fetch.Settings{Allowed: []fetch.Private{narrow}}).Get(ctx, server.URL, fetch.Known{})
	assert.ErrorContains(t, err, "inner network", "another port is not allowed with it")
}

func TestParseLink(t *testing.T) {
	for link, want := range map[string]string{
		" webcal://cal.example/a.ics ":  "https://cal.example/a.ics",
		"HTTPS://cal.example/a?b=c#top": "https://cal.example/a?b=c#top",
		"http://cal.example/a":          "http://cal.example/a",
	} {
		u, err := fetch.ParseLink(link)
		require.NoError(t, err, link)
		assert.Equal(t, want, u.String())
	}
	for _, bad := range []string{"", "cal.example/a.ics", "file:///etc/passwd", "https://", "https://a b/", "mailto:ann@cal.example"} {
		_, err := fetch.ParseLink(bad)
		assert.Error(t, err, bad)
	}
}

// TestMain makes the certificate of the tests' servers one that is trusted.
func TestMain(m *testing.M) {
	server := httptest.NewUnstartedServer(nil)
	server.StartTLS()
	file, err := os.CreateTemp("", "wharf-roots-*.pem")
	if err == nil {
		err = errors.Join(pem.Encode(file, &pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw}), file.Close(), os.Setenv("SSL_CERT_FILE", file.Name()))
	}
	server.Close()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := m.Run()
	os.Remove(file.Name())
	os.Exit(code)
}

// TestPassedOn: a link that is passed on gives nothing of itself away, and is not followed from https
// to http.
func TestPassedOn(t *testing.T) {
	var seen http.Header
	target := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		seen = r.Header.Clone()
		_, _ = w.Write([]byte("text"))
	}))
	t.Cleanup(target.Close)
	elsewhere := strings.Replace(target.URL, "127.0.0.1", "localhost", 1)
	var to string
	pass := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, to, http.StatusFound) })
	plain, secure := httptest.NewServer(pass), httptest.NewTLSServer(pass)
	t.Cleanup(plain.Close)
	t.Cleanup(secure.Close)
	private, err := fetch.ParsePrivate("127.0.0.0/8:1-65535")
	require.NoError(t, err)
	six, err := fetch.ParsePrivate("::1/128:1-65535")
	require.NoError(t, err)
	f := fetch.New(fetch.Settings{Allowed: []fetch.Private{private, six}})
	for _, tc := range []struct{ name, link, to, fails string }{
		{"to another server", strings.Replace(plain.URL, "http://", "http://ann:pw@", 1) + "/secret-4711.ics", target.URL, ""},
		{"to another name", plain.URL + "/secret-4711.ics", elsewhere, ""},
		{"from https to http", secure.URL + "/secret-4711.ics", target.URL, "from https to http"},
		{"in a circle", plain.URL, plain.URL, "passed on more than 5 times"},
		{"to a file", plain.URL, "file:///etc/passwd", "no address of a feed"},
		{"a certificate for another name", strings.Replace(secure.URL, "127.0.0.1", "localhost", 1), target.URL, "certificate is not valid"},
	} {
		seen, to = nil, tc.to
		got, err := f.Get(ctx, tc.link, fetch.Known{})
		if tc.fails != "" {
			assert.ErrorContains(t, err, tc.fails, tc.name)
			assert.Nil(t, seen, "%s: nobody is asked", tc.name)
			assert.NotContains(t, err.Error(), "4711", tc.name)
			continue
		}
		require.NoError(t, err, tc.name)
		assert.Equal(t, "text", string(got.Body))
		assert.Empty(t, seen.Get("Referer"), tc.name)
		assert.Empty(t, seen.Get("Authorization"), tc.name)
		assert.NotContains(t, fmt.Sprint(seen), "4711", tc.name)
	}
	var failed *fetch.Error
	_, err = f.Get(ctx, strings.Replace(secure.URL, "127.0.0.1", "localhost", 1), fetch.Known{})
	require.ErrorAs(t, err, &failed)
	assert.True(t, failed.Untrusted)
}

// TestRetryAfter: whatever a platform says, it is left alone for a day at most, and never for less than
// nothing.
func TestRetryAfter(t *testing.T) {
	now := time.Date(2026, 7, 10, 12, 0, 0, 0, time.UTC)
	value := ""
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Retry-After", value)
		w.WriteHeader(http.StatusServiceUnavailable)
	}))
	t.Cleanup(server.Close)
	private, err := fetch.ParsePrivate("127.0.0.0/8:1-65535")
	require.NoError(t, err)
	f := fetch.New(fetch.Settings{Allowed: []fetch.Private{private}, Now: func() time.Time { return now }})
	for said, want := range map[string]time.Duration{"": 0, "90": 90 * time.Second, "-5": 0, "soon": 0, "86401": 24 * time.Hour, "9223372036854775807": 24 * time.Hour, "99999999999999999999999999": 24 * time.Hour,
		"-99999999999999999999999999": 0, "Fri, 10 Jul 2026 12:01:00 GMT": time.Minute, "Fri, 10 Jul 2026 11:00:00 GMT": 0, "Fri, 31 Dec 9999 23:59:59 GMT": 24 * time.Hour, "1e9": 0} {
		value = said
		var failed *fetch.Error
		_, err := f.Get(ctx, server.URL, fetch.Known{})
		require.ErrorAs(t, err, &failed)
		assert.Equal(t, want, failed.RetryAfter, "%q", said)
	}
}

// TestFreshFor: how long an answer holds, by what it says itself.
func TestFreshFor(t *testing.T) {
	private, err := fetch.ParsePrivate("127.0.0.0/8:1-65535")
	require.NoError(t, err)
	f := fetch.New(fetch.Settings{Allowed: []fetch.Private{private}})
	for _, c := range []struct {
		control, expires string
		want             time.Duration
	}{
		{"", "", 0},
		{"private, max-age=1800", "", 30 * time.Minute},
		{"Max-Age=\"600\"", "Fri, 10 Jul 2026 18:00:00 GMT", 10 * time.Minute},
		{"no-cache, max-age=600", "Fri, 10 Jul 2026 18:00:00 GMT", 0},
		{"max-age=-1", "", 0},
		{"max-age=soon", "", 0},
		{"max-age=99999999999", "", 366 * 24 * time.Hour},
		{"", "Fri, 10 Jul 2026 18:00:00 GMT", 6 * time.Hour},
		{"", "Fri, 10 Jul 2026 11:00:00 GMT", 0},
		{"", "0", 0},
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Date", "Fri, 10 Jul 2026 12:00:00 GMT")
			w.Header().Set("Cache-Control", c.control)
			w.Header().Set("Expires", c.expires)
		}))
		got, err := f.Get(ctx, server.URL, fetch.Known{})
		server.Close()
		require.NoError(t, err)
		assert.Equal(t, c.want, got.FreshFor, "%+v", c)
	}
}
