package hostile

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
)

// addresses are feeds whose link leads elsewhere.
func (s *Server) addresses() []Fault {
	to := func(where string) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Location", where)
			w.WriteHeader(http.StatusFound)
		}
	}
	return []Fault{
		{Name: "address/passed on to a machine of the inner network", Serve: to("http://10.0.0.1/calendar.ics"), Says: "inner network"},
		{Name: "address/passed on to the machine's own particulars", Serve: to("http://169.254.169.254/latest/"), Says: "inner network"},
		{Name: "address/passed on to an address of no length", Serve: to("http://0.0.0.0:1/"), Says: "inner network"},
		{Name: "address/passed on to an IPv4 address in IPv6 form", Serve: to("http://[::ffff:10.0.0.1]/"), Says: "inner network"},
		{Name: "address/passed on to a number for an address", Serve: to("http://167772161/"), Says: "no server by the name"},
		{Name: "address/passed on to a file", Serve: to("file:///etc/passwd"), Says: "no address of a feed"},
		{Name: "address/passed on in a circle", Serve: func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, r.URL.Path, http.StatusFound) }, Says: "passed on more than 5 times"},
		{Name: "address/passed on six times", Serve: func(w http.ResponseWriter, r *http.Request) {
			n, _ := strconv.Atoi(r.URL.Query().Get("n"))
			http.Redirect(w, r, fmt.Sprintf("%s?n=%d", r.URL.Path, n+1), http.StatusMovedPermanently)
		}, Says: "passed on more than 5 times"},
		{Name: "address/passed on to nowhere", Serve: func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusFound) }, Says: "instead of a calendar"},
		{Name: "address/passed on to a name that is none", Serve: to("http://no such host/"), Says: "no address of a feed"},
		{Name: "address/passed on to a very long link", Serve: to("/" + strings.Repeat("x", 100_000))},
		{Name: "address/passed on to a page that wants to know where from", Serve: func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, "/elsewhere", http.StatusFound) }},
	}
}
