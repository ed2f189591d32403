package fetch_test

import (
	"context"
	"net/http"
	"net/http/httptest"
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
		"HTTPS://cal.example/a?b=c#top": "https://cal.example/a?b=c",
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
