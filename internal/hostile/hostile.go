// Package hostile is a server of feeds that are broken or mean harm, for tests and benchmarks. Each
// feed is in order until it is told to break, and again when it is mended.
package hostile

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"time"
)

// Fault is one way in which a feed breaks.
type Fault struct {
	Name string // group/what happens
	// Serve answers a reading while the feed is broken.
	Serve http.HandlerFunc
	// Says is what the failed reading says; "" for one that is read all the same.
	Says string
	// Remark is what a reading that is read all the same says of it; "" for nothing.
	Remark string
	// Loses: what was booked is gone from it, and stands all the same.
	Loses bool
	// Slow takes more than a second or two.
	Slow bool
}

// Server serves a feed for each fault.
type Server struct {
	*httptest.Server
	Faults []Fault
	Today  time.Time

	mu     sync.Mutex
	broken map[string]bool
	asked  []*http.Request
}

// New starts a server on loopback. Close it.
func New(today time.Time) *Server {
	s := &Server{Today: today, broken: map[string]bool{}}
	s.Server = httptest.NewServer(http.HandlerFunc(s.serve))
	s.Faults = append(append(append(s.addresses(), s.bodies()...), s.calendars()...), s.times()...)
	return s
}

// Secret is the part of the link of a fault's feed that nobody else may learn.
func (s *Server) Secret(fault string) string {
	return "s3cret-" + strings.NewReplacer("/", "-", " ", "-").Replace(fault) + "-0f1e2d3c4b5a"
}

// Link is the link of a fault's feed.
func (s *Server) Link(fault string) string { return s.URL + "/feed/" + s.Secret(fault) + ".ics" }

// Break makes a feed do what its fault is, and Mend makes it good again.
func (s *Server) Break(fault string) { s.set(fault, true) }

// Mend makes a feed good again.
func (s *Server) Mend(fault string) { s.set(fault, false) }

func (s *Server) set(fault string, broken bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.broken["/feed/"+s.Secret(fault)+".ics"] = broken
}

// Asked are the requests for what is no feed: where a link was passed on to.
func (s *Server) Asked() []*http.Request {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.asked
}

func (s *Server) serve(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	broken := s.broken[r.URL.Path]
	if !strings.HasPrefix(r.URL.Path, "/feed/") {
		s.asked = append(s.asked, r)
	}
	s.mu.Unlock()
	for _, f := range s.Faults {
		if broken && r.URL.Path == "/feed/"+s.Secret(f.Name)+".ics" {
			f.Serve(w, r)
			return
		}
	}
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	_, _ = w.Write([]byte(s.Good())) // who does not read it, does not
}

// Booked is how many bookings a good feed has.
const Booked = 5

// Good is a feed in order: five bookings of three days each, from in three weeks on.
func (s *Server) Good() string { return Calendar(s.good()) }

func (s *Server) good() string {
	var all strings.Builder
	for i := range Booked {
		all.WriteString(Event(fmt.Sprintf("good-%d", i), "DTSTART;VALUE=DATE:"+s.day(21+7*i), "DTEND;VALUE=DATE:"+s.day(24+7*i), fmt.Sprintf("SUMMARY:Guest %d", i)))
	}
	return all.String()
}

// day is the date n days from today, as iCalendar writes it.
func (s *Server) day(n int) string { return s.Today.AddDate(0, 0, n).Format("20060102") }

// Calendar is a document with so many components in it.
func Calendar(components ...string) string {
	return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Faults//EN\r\n" + strings.Join(components, "") + "END:VCALENDAR\r\n"
}

// Event is a component of a document.
func Event(uid string, lines ...string) string {
	return "BEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTAMP:20260101T000000Z\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT\r\n"
}

// say answers with a document.
func say(document func() string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		_, _ = w.Write([]byte(document())) // who does not read it, does not
	}
}

// answer answers with a status and a text of a type.
func answer(status int, kind, text string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", kind)
		w.WriteHeader(status)
		_, _ = w.Write([]byte(text))
	}
}

// raw answers with bytes as they stand, and breaks the connection off.
func raw(text string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		conn, _, err := http.NewResponseController(w).Hijack()
		if err != nil {
			return
		}
		_, _ = conn.Write([]byte(text))
		_ = conn.Close()
	}
}
