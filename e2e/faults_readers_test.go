package e2e

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/hostile"
)

// from is a reader at an address of this machine.
func from(address string) *http.Client {
	dialer := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}, Timeout: 5 * time.Second}
	return &http.Client{Transport: &http.Transport{DialContext: dialer.DialContext, DisableKeepAlives: true}, Timeout: patience}
}

// status is what a reader is answered, with the text.
func status(t *testing.T, who *http.Client, method, link string, header ...string) (int, string) {
	t.Helper()
	r, err := http.NewRequest(method, link, nil)
	require.NoError(t, err)
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	resp, err := who.Do(r)
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(body)
}

// dial sends bytes to the service from an address, as they stand.
func (w *world) dial(t *testing.T, address, text string) net.Conn {
	t.Helper()
	dialer := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}, Timeout: 5 * time.Second}
	conn, err := dialer.Dial("tcp", w.address)
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	_, _ = io.WriteString(conn, text) // it may be closed on us
	return conn
}

// ends waits until the service has closed a connection, and returns what it said.
func ends(t *testing.T, conn net.Conn) string {
	t.Helper()
	require.NoError(t, conn.SetReadDeadline(time.Now().Add(patience)))
	said, err := io.ReadAll(conn)
	if err != nil {
		require.NotErrorIs(t, err, http.ErrHandlerTimeout)
		require.NotContains(t, err.Error(), "timeout", "it is closed")
	}
	return string(said)
}

// TestFaultsOfReaders: whoever reads publications, or pretends to, costs himself only: the recipient gets
// what is published, and pickups are counted as they were.
func TestFaultsOfReaders(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil, "WHARF_ANSWER_TIMEOUT=6s", "WHARF_MAX_READERS=25", "WHARF_MAX_UNKNOWN=12")
	full := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		for i := range 1500 {
			text := hostile.Event(fmt.Sprint("b", i), "DTSTART;VALUE=DATE:"+now().UTC().AddDate(0, 0, 20+i%600).Format("20060102"), "SUMMARY:Guest")
			if i == 0 {
				text = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n" + text
			}
			_, _ = io.WriteString(rw, text)
		}
		_, _ = io.WriteString(rw, "END:VCALENDAR\r\n")
	}))
	t.Cleanup(full.Close)
	w.run("", "calendar", "add", "Hall", "--zone", "UTC", "--grain", "day", "--capacity", "3")
	w.run("", "feed", "add", full.URL, "--platform", "Desk", "--name", "Desk", "--calendar", "Hall")
	published := func(name string) string {
		return lines[client.Publication](t, w.run("", "publication", "add", name, "--calendar", "Hall", "--platform", "P "+name, "--occupancy", "each", "--json"))[0].Url
	}
	pickups := func(name string) int64 {
		return lines[client.Publication](t, w.run("", "publication", "show", name, "--json"))[0].Pickups
	}
	path := func(link string) string { return strings.TrimPrefix(link, "http://"+w.address) }
	get := func(path string) string { return "GET " + path + " HTTP/1.1\r\nHost: " + w.address + "\r\n\r\n" }
	recipient := from("127.0.0.2")
	served := func(t *testing.T, link string) {
		t.Helper()
		code, body := status(t, recipient, http.MethodGet, link)
		assert.Equal(t, 200, code, body)
		assert.True(t, strings.HasSuffix(body, "END:VCALENDAR\r\n"), "whole")
	}
	tryFaults(t, []fault{
		{name: "reader/two hundred that do not read", try: func(t *testing.T) {
			link := published("Held open")
			for range 200 {
				w.dial(t, "127.0.0.3", strings.Repeat(get(path(link)), 60))
			}
			served(t, link)
			code, _ := status(t, from("127.0.0.3"), http.MethodGet, link)
			assert.Equal(t, 503, code, "they hold what an address may")
			w.eventually("who held them open may read again", func() bool {
				code, _ := status(t, from("127.0.0.3"), http.MethodGet, link)
				return code == 200
			})
		}},
		{name: "reader/breaks off", try: func(t *testing.T) {
			link := published("Broken off")
			served(t, link)
			before := pickups("Broken off")
			conn := w.dial(t, "127.0.0.3", strings.Repeat(get(path(link)), 60))
			_, err := bufio.NewReader(conn).ReadString('\n')
			require.NoError(t, err)
			require.NoError(t, conn.Close())
			served(t, link)
			assert.Positive(t, before)
		}},
		{name: "reader/three hundred names", try: func(t *testing.T) {
			link := published("Named")
			for i := range 300 {
				code, _ := status(t, recipient, http.MethodHead, link, "User-Agent", fmt.Sprintf("Reader%d/1", i))
				require.Equal(t, 200, code)
				code, _ = status(t, recipient, http.MethodGet, link, "User-Agent", fmt.Sprintf("Reader%d/1", i), "Accept-Encoding", "gzip")
				require.Equal(t, 200, code)
			}
			w.eventually("each is counted", func() bool { return pickups("Named") == 300 })
			kinds := strings.Count(w.run("", "publication", "show", "Named"), "Reader")
			assert.Greater(t, kinds, 10)
			assert.LessOrEqual(t, kinds, 101, "few are recorded")
		}},
		{name: "reader/markup and worse for a name", try: func(t *testing.T) {
			link := published("Marked up")
			for _, name := range []string{"<script>alert(1)</script>", "\x9b31m\xff\xfe", strings.Repeat("x", 50_000), "'; DROP TABLE pickups; --"} {
				code, _ := status(t, recipient, http.MethodGet, link, "User-Agent", name)
				assert.Equal(t, 200, code)
			}
			w.eventually("each is counted", func() bool { return pickups("Marked up") == 4 })
			assert.NotContains(t, w.run("", "publication", "show", "Marked up"), "\x9b")
		}},
		{name: "reader/headers byte by byte", slow: true, try: func(t *testing.T) {
			conn := w.dial(t, "127.0.0.3", "GET / HTTP/1.1\r\nX-Slow: ")
			ends(t, conn)
		}},
		{name: "reader/headers of two megabytes", try: func(t *testing.T) {
			said := ends(t, w.dial(t, "127.0.0.3", "GET / HTTP/1.1\r\nX-Long: "+strings.Repeat("x", 2<<20)+"\r\n\r\n"))
			if said != "" { // else it was closed on us while we wrote
				assert.Contains(t, said, "431")
			}
			served(t, published("After long headers"))
		}},
		{name: "reader/no HTTP", try: func(t *testing.T) {
			assert.Contains(t, ends(t, w.dial(t, "127.0.0.3", "\x16\x03\x01\x02\x00\x01\x00nonsense\r\n\r\n")), "400")
		}},
		{name: "reader/two lengths", try: func(t *testing.T) {
			said := ends(t, w.dial(t, "127.0.0.3", "POST / HTTP/1.1\r\nHost: "+w.address+"\r\nContent-Length: 5\r\nContent-Length: 6\r\n\r\nhello"))
			assert.Contains(t, said, "400")
		}},
		{name: "reader/guesses links", try: func(t *testing.T) {
			link := published("Guessed at")
			served(t, link)
			guesser, codes := from("127.0.0.4"), map[int]int{}
			for i := range 40 {
				code, _ := status(t, guesser, http.MethodGet, fmt.Sprintf("http://%s/p/guess-%d.ics", w.address, i))
				codes[code]++
			}
			assert.InDelta(t, 12, codes[404], 3, "and a few more, as time goes by")
			assert.Equal(t, 40-codes[404], codes[429])
			code, _ := status(t, guesser, http.MethodGet, link)
			assert.Equal(t, 200, code, "a link that is right goes on")
			code, _ = status(t, from("127.0.0.5"), http.MethodGet, "http://"+w.address+"/p/guess.ics")
			assert.Equal(t, 404, code, "another address is another's")
		}},
		{name: "reader/says that it comes from elsewhere", try: func(t *testing.T) {
			guesser, refused := from("127.0.0.6"), 0
			for i := range 40 {
				code, _ := status(t, guesser, http.MethodGet, fmt.Sprintf("http://%s/p/guess-%d.ics", w.address, i), "X-Forwarded-For", fmt.Sprintf("203.0.113.%d", i))
				if code == 429 {
					refused++
				}
			}
			assert.Greater(t, refused, 20)
		}},
		{name: "reader/climbs out of the path", try: func(t *testing.T) {
			climber := from("127.0.0.7")
			for _, path := range []string{"/p/../api/v1/feeds", "/p/..%2f..%2fetc%2fpasswd", "/p//x.ics", "/p/x/y.ics", "/p/.ics", "/assets/../../etc/passwd", "/assets/..%5c..%5cwin.ini"} {
				r, err := http.NewRequest(http.MethodGet, "http://"+w.address, nil)
				require.NoError(t, err)
				r.URL.Opaque = "//" + w.address + path
				resp, err := climber.Do(r)
				require.NoError(t, err, path)
				body, _ := io.ReadAll(resp.Body)
				resp.Body.Close()
				assert.NotContains(t, string(body), "root:", path)
				if strings.HasPrefix(path, "/p/") && path != "/p/../api/v1/feeds" {
					assert.Equal(t, 404, resp.StatusCode, path)
				}
			}
		}},
		{name: "reader/writes", try: func(t *testing.T) {
			link := published("Written to")
			for _, method := range []string{"POST", "PUT", "DELETE", "PATCH", "TRACE", "CONNECT", "PROPFIND", "OPTIONS"} {
				code, _ := status(t, recipient, method, link)
				assert.Equal(t, 405, code, method)
			}
		}},
		{name: "reader/wants parts of it", try: func(t *testing.T) {
			link := published("In parts")
			code, body := status(t, recipient, http.MethodGet, link, "Range", "bytes=0-1,5-6,0-,-1")
			assert.Equal(t, 200, code)
			assert.True(t, strings.HasSuffix(body, "END:VCALENDAR\r\n"))
		}},
		{name: "reader/conditions that are none", try: func(t *testing.T) {
			link := published("With conditions")
			for _, header := range [][]string{{"If-None-Match", strings.Repeat(`"x",`, 5000)}, {"If-Modified-Since", "yesterday"}, {"Accept-Encoding", "gzip;q=nonsense, br;q=2"}, {"Accept", "text/*;q=x"}} {
				code, _ := status(t, recipient, http.MethodGet, link, header...)
				assert.Equal(t, 200, code, header[0])
			}
		}},
	})
}
