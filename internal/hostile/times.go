package hostile

import (
	"net/http"
	"strings"
	"time"
)

// times are feeds with moments that there are not, or that are not what they seem.
func (s *Server) times() []Fault {
	with := func(lines ...string) http.HandlerFunc {
		return say(func() string { return Calendar(s.good(), Event("odd", lines...)) })
	}
	headed := func(header, value string) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set(header, value)
			_, _ = w.Write([]byte(s.Good()))
		}
	}
	failing := func(retryAfter string) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Retry-After", retryAfter)
			w.WriteHeader(http.StatusServiceUnavailable)
		}
	}
	return []Fault{
		{Name: "time/the year 1", Serve: with("DTSTART;VALUE=DATE:00010101")},
		{Name: "time/the year 9999", Serve: with("DTSTART;VALUE=DATE:99991231", "RRULE:FREQ=DAILY")},
		{Name: "time/the 30th of February", Serve: with("DTSTART;VALUE=DATE:20280230"), Remark: "20280230"},
		{Name: "time/25 o'clock", Serve: with("DTSTART:" + s.day(70) + "T250000Z"), Remark: "T250000Z"},
		{Name: "time/a second too many", Serve: with("DTSTART:20270630T235960Z", "DURATION:PT1H")},
		{Name: "time/an hour that there is not", Serve: with("DTSTART;TZID=America/Halifax:20270314T023000", "DURATION:PT1H")},
		{Name: "time/a zone that nobody knows", Serve: with("DTSTART;TZID=Atlantis/Lost:"+s.day(70)+"T100000", "DURATION:PT1H"), Remark: "Atlantis"},
		{Name: "time/a zone 99 hours from the others", Serve: say(func() string {
			return Calendar("BEGIN:VTIMEZONE\r\nTZID:Odd\r\nBEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:+9959\r\nTZOFFSETTO:-9959\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n",
				s.good(), Event("odd", "DTSTART;TZID=Odd:"+s.day(70)+"T100000", "DURATION:PT1H"))
		})},
		{Name: "time/a duration beyond all numbers", Serve: with("DTSTART:"+s.day(70)+"T100000Z", "DURATION:P99999999999999999999W"), Remark: "is not a duration"},
		{Name: "time/a booking of three hundred years", Serve: with("DTSTART;VALUE=DATE:"+s.day(70), "DTEND;VALUE=DATE:23260101")},
		{Name: "time/a rule that ended before it began", Serve: with("DTSTART;VALUE=DATE:"+s.day(70), "RRULE:FREQ=DAILY;UNTIL=20200101")},
		{Name: "time/Retry-After beyond all numbers", Serve: failing("99999999999999999999999"), Says: "fault of its own"},
		{Name: "time/Retry-After in the past", Serve: failing("Thu, 01 Jan 1970 00:00:00 GMT"), Says: "fault of its own"},
		{Name: "time/Retry-After that is none", Serve: failing("later; -5"), Says: "fault of its own"},
		{Name: "time/a clock that is a year off", Serve: headed("Date", s.Today.AddDate(-1, 0, 0).UTC().Format(http.TimeFormat))},
		{Name: "time/changed last in the year 9999", Serve: headed("Last-Modified", "Fri, 31 Dec 9999 23:59:59 GMT")},
		{Name: "time/nothing new, to a question that was not asked", Serve: func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNotModified) }, Says: "304"},
		{Name: "time/made in the year 9999", Serve: say(func() string { return strings.ReplaceAll(s.Good(), "DTSTAMP:20260101", "DTSTAMP:99991231") })},
		{Name: "time/slow, but in time", Serve: func(w http.ResponseWriter, r *http.Request) {
			select {
			case <-r.Context().Done():
			case <-time.After(time.Second):
				_, _ = w.Write([]byte(s.Good()))
			}
		}, Slow: true},
	}
}
