package e2e

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/hostile"
)

// TestFaultsOfLinks: a link that leads where it should not, or to somebody who is not who it says, is
// refused with a sentence; nothing of it is kept, and nothing that is secret in it goes further.
func TestFaultsOfLinks(t *testing.T) {
	anyDay(t)
	t.Parallel()
	certified := filepath.Join(t.TempDir(), "ca.pem")
	var asked atomic.Int64
	good := hostile.New(now().UTC())
	t.Cleanup(good.Close)
	feed := http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		switch r.URL.Path {
		case "/opened.ics":
			http.Redirect(rw, r, good.Link("opened"), http.StatusFound)
		case "/secret.ics":
			if user, word, _ := r.BasicAuth(); user != "ann" || word != "s3cret-word" {
				rw.WriteHeader(http.StatusUnauthorized)
				return
			}
			http.Redirect(rw, r, good.URL+"/elsewhere", http.StatusFound)
		default:
			_, _ = io.WriteString(rw, good.Good())
		}
	})
	trusted, forged := httptest.NewTLSServer(feed), httptest.NewUnstartedServer(feed)
	forged.TLS = &tls.Config{Certificates: []tls.Certificate{selfSigned(t)}}
	forged.StartTLS()
	open := httptest.NewServer(feed)
	for _, s := range []*httptest.Server{trusted, forged, open} {
		t.Cleanup(s.Close)
	}
	require.NoError(t, os.WriteFile(certified, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: trusted.Certificate().Raw}), 0o600))
	w := newWorld(t, nil, "SSL_CERT_FILE="+certified, "SSL_CERT_DIR="+t.TempDir(), "WHARF_ALLOW_PRIVATE=127.0.0.1/32:1024-65535", "WHARF_LOG_LEVEL=debug")

	refused := func(link, says string) func(t *testing.T) {
		return func(t *testing.T) {
			_, errs, code := w.try("", "feed", "add", link, "--platform", "P", "--name", "Bad")
			assert.Equal(t, 1, code)
			assert.Contains(t, errs, says)
			assert.Equal(t, 1, strings.Count(errs, "\n"), "one sentence: %s", errs)
			assert.Empty(t, w.run("", "feed", "list", "--json"), "nothing is kept")
		}
	}
	var faults []fault
	for what, tc := range map[string]struct{ link, says string }{
		"a machine of the inner network":            {"http://10.0.0.1/x.ics", "inner network"},
		"the machine's own particulars":             {"http://169.254.169.254/latest/meta-data/", "inner network"},
		"an address of a provider's own net":        {"http://100.64.0.1/x.ics", "inner network"},
		"many machines at once":                     {"http://224.0.0.1/x.ics", "inner network"},
		"an IPv6 address of the inner network":      {"http://[fd00::1]/x.ics", "inner network"},
		"the machine itself, at IPv6":               {"http://[::1]:9/x.ics", "inner network"},
		"an IPv4 address in IPv6 form":              {"http://[::ffff:192.168.0.1]/x.ics", "inner network"},
		"an IPv4 address in another IPv6 form":      {"http://[64:ff9b::a00:1]/x.ics", "inner network"},
		"a port of the machine that is not allowed": {"http://127.0.0.1:22/x.ics", "inner network"},
		"a number for an address":                   {"http://2130706433/x.ics", "no server by the name"},
		"a name that nobody has":                    {"http://nowhere.invalid/x.ics", "no server by the name"},
		"a closed port":                             {"http://127.0.0.1:9999/x.ics", "nothing answers"},
		"a file":                                    {"file:///etc/passwd", "must begin with"},
		"a script":                                  {"javascript:alert(1)", "must begin with"},
		"lines of its own":                          {"http://127.0.0.1/x.ics\r\nX-Evil: 1", "not a link"},
		"no server":                                 {"https:///x.ics", "names no server"},
		"two thousand and one letters":              {"https://127.0.0.1/" + strings.Repeat("x", 2000), "characters"},
		"a certificate that nobody vouches for":     {forged.URL + "/x.ics", "certificate is not valid"},
		"passed on from https to http":              {trusted.URL + "/opened.ics", "from https to http"},
		"http, said to be https":                    {"https" + strings.TrimPrefix(open.URL, "http") + "/x.ics", "does not speak https"},
	} {
		faults = append(faults, fault{name: "address/a link: " + what, try: refused(tc.link, tc.says)})
	}
	faults = append(faults,
		fault{name: "address/a webcal link, and a certificate that nobody vouches for", try: func(t *testing.T) {
			before := asked.Load()
			refused("webcal"+strings.TrimPrefix(forged.URL, "https")+"/x.ics", "certificate is not valid")(t)
			assert.Equal(t, before, asked.Load(), "http is not tried")
		}},
		fault{name: "address/a webcal link that only http works for", try: func(t *testing.T) {
			out := w.run("", "feed", "add", "webcal"+strings.TrimPrefix(open.URL, "http")+"/x.ics", "--platform", "P", "--name", "Open")
			assert.Contains(t, out, "http", "it is said")
			assert.Contains(t, w.run("", "feed", "show", "Open"), "http://127.0.0.1")
		}},
		fault{name: "address/a password in the link, passed on to another", try: func(t *testing.T) {
			link := strings.Replace(open.URL, "http://", "http://ann:s3cret-word@", 1) + "/secret.ics"
			w.run("", "feed", "add", link, "--platform", "P", "--name", "Passed on")
			require.NotEmpty(t, good.Asked())
			for _, r := range good.Asked() {
				assert.Empty(t, r.Header.Get("Authorization"))
				assert.Empty(t, r.Referer())
			}
			shown := w.run("", "feed", "show", "Passed on") + w.run("", "feed", "list", "--json")
			assert.NotContains(t, shown, "s3cret-word")
			assert.NotContains(t, shown, "ann:")
			assert.NotContains(t, w.log.String(), "s3cret-word")
		}},
		fault{name: "address/its own publication", try: func(t *testing.T) {
			w.run("", "calendar", "add", "Hall", "--zone", "UTC", "--grain", "day")
			w.run("", "feed", "add", trusted.URL+"/x.ics", "--platform", "Desk", "--name", "Desk", "--calendar", "Hall")
			published := lines[client.Publication](t, w.run("", "publication", "add", "For itself", "--calendar", "Hall", "--platform", "Mirror", "--json"))[0]
			w.run("", "feed", "add", published.Url, "--platform", "Mirror", "--name", "Itself", "--calendar", "Hall")
			for range 3 {
				w.run("", "feed", "refresh", "--all")
			}
			assert.Empty(t, w.conflicts(), "what comes back is an echo")
			_, body := fetch(t, published.Url)
			assert.Equal(t, hostile.Booked, strings.Count(body, "BEGIN:VEVENT"), "and is not sent again")
		}})
	tryFaults(t, faults)
}

// selfSigned is a certificate for this machine that nobody vouches for.
func selfSigned(t *testing.T) tls.Certificate {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	about := &x509.Certificate{SerialNumber: big.NewInt(1), NotBefore: now().Add(-time.Hour), NotAfter: now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}}
	raw, err := x509.CreateCertificate(rand.Reader, about, about, &key.PublicKey, key)
	require.NoError(t, err)
	return tls.Certificate{Certificate: [][]byte{raw}, PrivateKey: key}
}
