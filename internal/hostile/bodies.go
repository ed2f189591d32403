package hostile

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"net/http"
	"strings"
	"time"
	"unicode/utf16"
)

// bodies are answers that are no calendar, or not all of one.
func (s *Server) bodies() []Fault {
	good := s.Good()
	zipped := func(text func(w *gzip.Writer)) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Encoding", "gzip")
			z := gzip.NewWriter(w)
			text(z)
			_ = z.Close()
		}
	}
	ok := "HTTP/1.1 200 OK\r\nContent-Type: text/calendar\r\n"
	faults := []Fault{
		{Name: "body/a page to log in on", Serve: answer(200, "text/html", "<!DOCTYPE html><html><body><form>Log in</form></body></html>"), Says: "web page"},
		{Name: "body/nothing", Serve: answer(200, "text/calendar", ""), Says: "published"},
		{Name: "body/an empty line", Serve: answer(200, "text/calendar", "\r\n"), Says: "published"},
		{Name: "body/cut off by its length", Serve: raw(ok + fmt.Sprintf("Content-Length: %d\r\n\r\n", len(good)) + good[:len(good)/2]), Says: "broke the connection off"},
		{Name: "body/cut off in a chunk", Serve: raw(ok + "Transfer-Encoding: chunked\r\n\r\nffff\r\n" + good[:len(good)/2]), Says: "broke the connection off"},
		{Name: "body/cut off, and a length that agrees", Serve: say(func() string { return good[:len(good)-40] }), Says: "cut off"},
		{Name: "body/cut off between two events", Serve: say(func() string { return strings.TrimSuffix(good, "END:VCALENDAR\r\n") }), Says: "cut off"},
		{Name: "body/chunks that are none", Serve: raw(ok + "Transfer-Encoding: chunked\r\n\r\nnonsense\r\n"), Says: "not in order"},
		{Name: "body/a bomb of zeros", Serve: zipped(func(z *gzip.Writer) {
			line := bytes.Repeat([]byte{0}, 1<<20)
			for range 100 {
				if _, err := z.Write(line); err != nil {
					return
				}
			}
		}), Says: "larger than"},
		{Name: "body/said to be packed, and is not", Serve: func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Encoding", "gzip")
			_, _ = w.Write([]byte(good))
		}, Says: "does not: ask the platform"},
		{Name: "body/an archive", Serve: answer(200, "application/zip", "PK\x03\x04\x14\x00\x00\x00"), Says: "zip archive"},
		{Name: "body/a fault in JSON, with status 200", Serve: answer(200, "application/json", `{"error":"try later"}`), Says: "not a calendar"},
		{Name: "body/random bytes", Serve: answer(200, "text/calendar", strings.Repeat("\x00\xfe\x80\x1b[31m", 4000)), Says: "not a calendar"},
		{Name: "body/a document in UTF-16", Serve: func(w http.ResponseWriter, _ *http.Request) {
			for _, unit := range utf16.Encode([]rune("\ufeff" + good)) {
				_, _ = w.Write([]byte{byte(unit), byte(unit >> 8)})
			}
		}},
		{Name: "body/an address book", Serve: answer(200, "text/vcard", "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:A\r\nEND:VCARD\r\n"), Says: "not a calendar"},
	}
	return append(append(faults, s.endless()...), s.statuses()...)
}

// statuses are answers that say themselves that they are no good.
func (s *Server) statuses() []Fault {
	var faults []Fault
	for _, status := range []int{204, 206, 400, 401, 403, 404, 410, 429, 500, 503} {
		says := map[int]string{401: "user name and password", 403: "refuses the link", 404: "copy the link again", 410: "copy the link again", 429: "less often", 500: "fault of its own", 503: "fault of its own"}[status]
		if says == "" {
			says = "instead of a calendar"
		}
		text := s.Good()
		if status == http.StatusNoContent {
			text = ""
		}
		faults = append(faults, Fault{Name: fmt.Sprintf("body/status %d", status), Serve: answer(status, "text/calendar", text), Says: says})
	}
	return faults
}

// endless are answers that do not come, or do not end.
func (s *Server) endless() []Fault {
	good := s.Good()
	return []Fault{
		{Name: "body/headers without an end", Serve: func(w http.ResponseWriter, r *http.Request) {
			conn, _, err := http.NewResponseController(w).Hijack()
			if err != nil {
				return
			}
			defer conn.Close()
			_, err = conn.Write([]byte("HTTP/1.1 200 OK\r\n"))
			for line := []byte("X-Fill: " + strings.Repeat("x", 8000) + "\r\n"); err == nil; {
				_, err = conn.Write(line)
			}
		}, Says: "not in order"},
		{Name: "body/no answer at all", Serve: func(_ http.ResponseWriter, r *http.Request) { <-r.Context().Done() }, Says: "did not answer in full", Slow: true},
		{Name: "body/a byte a second", Serve: func(w http.ResponseWriter, r *http.Request) {
			tick := time.NewTicker(time.Second)
			defer tick.Stop()
			for i := range good {
				_, _ = w.Write([]byte(good[i : i+1]))
				_ = http.NewResponseController(w).Flush()
				select {
				case <-r.Context().Done():
					return
				case <-tick.C:
				}
			}
		}, Says: "did not answer in full", Slow: true},
	}
}
