package server

import (
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSource: only a trusted proxy is believed about where a request comes from, and of what it passes on
// only what it saw itself.
func TestSource(t *testing.T) {
	for name, tc := range map[string]struct {
		proxies  []string
		from     string
		passedOn []string
		want     string
	}{
		"nobody is trusted":            {nil, "127.0.0.1:9", []string{"203.0.113.7"}, "127.0.0.1"},
		"through a proxy":              {[]string{"127.0.0.1"}, "127.0.0.1:9", []string{"203.0.113.7"}, "203.0.113.7"},
		"what the stranger says":       {[]string{"127.0.0.1"}, "127.0.0.1:9", []string{"198.51.100.1, 203.0.113.7"}, "203.0.113.7"},
		"in two headers":               {[]string{"127.0.0.1"}, "127.0.0.1:9", []string{"198.51.100.1", "203.0.113.7"}, "203.0.113.7"},
		"through two proxies":          {[]string{"127.0.0.1", "10.0.0.0/8"}, "127.0.0.1:9", []string{"203.0.113.7, 10.1.2.3"}, "203.0.113.7"},
		"only proxies":                 {[]string{"10.0.0.0/8"}, "10.0.0.1:9", []string{"10.0.0.2"}, "10.0.0.2"},
		"another's word":               {[]string{"10.0.0.0/8"}, "203.0.113.9:9", []string{"198.51.100.1"}, "203.0.113.9"},
		"a proxy that says nothing":    {[]string{"127.0.0.1"}, "127.0.0.1:9", nil, "127.0.0.1"},
		"a proxy that says nonsense":   {[]string{"127.0.0.1"}, "127.0.0.1:9", []string{"unknown"}, "127.0.0.1"},
		"an IPv6 proxy":                {[]string{"::1"}, "[::1]:9", []string{"2001:db8::5"}, "2001:db8::5"},
		"an IPv4 address in IPv6 form": {[]string{"127.0.0.0/8"}, "[::ffff:127.0.0.1]:9", []string{"203.0.113.7"}, "203.0.113.7"},
	} {
		proxies, err := ParseProxies(tc.proxies)
		require.NoError(t, err, name)
		s := &server{Config: Config{Proxies: proxies}}
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr, r.Header["X-Forwarded-For"] = tc.from, tc.passedOn
		assert.Equal(t, tc.want, s.sourceOf(r), name)
	}
	for _, text := range []string{"proxy.example", "10.0.0.0/40", ""} {
		_, err := ParseProxies([]string{text})
		assert.ErrorContains(t, err, "write it as", text)
	}
}

// TestReaders: who holds answers open, or asks for links that lead nowhere, keeps nobody else from a publication.
func TestReaders(t *testing.T) {
	r := newReaders(Readers{Most: 10, Unknown: 3})
	var ends []func()
	holds := func(publication int64, source string, n int) (held int) {
		for range n {
			if done, ok := r.begin(publication, source); ok {
				ends, held = append(ends, done), held+1
			}
		}
		return held
	}
	assert.Equal(t, 2, holds(1, "203.0.113.1", 5), "a fifth to one address")
	assert.Equal(t, 2, holds(1, "2001:db8::1", 1)+holds(1, "2001:db8::2", 3), "one stranger has many addresses of one network")
	assert.Equal(t, 6, holds(1, "203.0.113.2", 5)+holds(1, "203.0.113.3", 5)+holds(1, "203.0.113.4", 5)+holds(1, "203.0.113.5", 5), "ten in all")
	assert.Equal(t, 2, holds(2, "203.0.113.1", 5), "another publication is read as ever")
	for _, end := range ends {
		end()
	}
	assert.Empty(t, r.open, "nobody is remembered")
	assert.Equal(t, 2, holds(1, "203.0.113.1", 5))

	now := time.Date(2026, 7, 10, 12, 0, 0, 0, time.UTC)
	guesses := func(source string, n int) (allowed int) {
		for range n {
			if r.mayGuess(source, now) {
				r.guessed(source, now)
				allowed++
			}
		}
		return allowed
	}
	assert.Equal(t, 3, guesses("203.0.113.1", 10))
	assert.Equal(t, 3, guesses("203.0.113.2", 10), "another address")
	now = now.Add(time.Minute)
	assert.Equal(t, 3, guesses("203.0.113.1", 10), "it passes")
	assert.Equal(t, 2, newReaders(Readers{}).anyNumber(t))
}

// anyNumber counts what is let through where nothing bounds it.
func (r *readers) anyNumber(t *testing.T) (n int) {
	if _, ok := r.begin(1, "203.0.113.1"); ok {
		n++
	}
	if r.mayGuess("203.0.113.1", time.Now()) {
		n++
	}
	assert.Empty(t, r.open)
	return n
}
