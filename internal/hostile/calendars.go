package hostile

import (
	"fmt"
	"strings"
)

// Costly are documents that are made to cost as much as can be, by name; each has about so many bytes,
// unless a much smaller one costs as much.
func (s *Server) Costly(bytes int) map[string]string {
	from := "DTSTART;VALUE=DATE:" + s.day(90)
	second := "DTSTART:" + s.day(90) + "T000000Z"
	fill := func(each func(i int) string) string {
		var all strings.Builder
		all.Grow(bytes + 1000)
		for i := 0; all.Len() < bytes; i++ {
			all.WriteString(each(i))
		}
		return all.String()
	}
	zone := func(i int) string {
		return fmt.Sprintf("BEGIN:VTIMEZONE\r\nTZID:Zone %d\r\nBEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:+0100\r\nTZOFFSETTO:+0200\r\nRRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n", i)
	}
	return map[string]string{
		"ordinary": Calendar(fill(func(i int) string {
			return Event(fmt.Sprint("o", i), "DTSTART;VALUE=DATE:"+s.day(i%700), "DTEND;VALUE=DATE:"+s.day(i%700+1), fmt.Sprint("SUMMARY:Guest ", i), "DESCRIPTION:"+strings.Repeat("an ordinary word ", 10))
		})),
		"lines of X": Calendar(Event("x", from, fill(func(int) string { return "X:1\r\n" })+"X:1")),
		"a calendar a booking": fill(func(i int) string {
			return Calendar(zone(i), Event(fmt.Sprint("c", i), fmt.Sprintf("DTSTART;TZID=Zone %d:%sT100000", i, s.day(90+i%300)), "DURATION:PT1H"))
		}),
		"events of one UID": Calendar(fill(func(i int) string {
			return Event("same", "DTSTART;VALUE=DATE:"+s.day(90+i%300), fmt.Sprint("SUMMARY:Guest ", i))
		})),
		"changes of one series": Calendar(Event("series", from, "RRULE:FREQ=DAILY"), fill(func(i int) string {
			return Event("series", "RECURRENCE-ID;VALUE=DATE:"+s.day(90+i%600), fmt.Sprint("SEQUENCE:", i), "DTSTART;VALUE=DATE:"+s.day(90+i%600))
		})),
		"all overlap": Calendar(fill(func(i int) string {
			return Event(fmt.Sprint("v", i), "DTSTART;VALUE=DATE:"+s.day(90+i%7), "DTEND;VALUE=DATE:"+s.day(400+i%11), fmt.Sprint("SUMMARY:Guest ", i))
		})),
		"every second, no length": Calendar(fill(func(i int) string {
			return Event(fmt.Sprint("z", i), second, "DURATION:PT0S", "RRULE:FREQ=SECONDLY")
		})),
		"every second, cancelled": Calendar(fill(func(i int) string {
			return Event(fmt.Sprint("k", i), second, "DURATION:PT1S", "STATUS:CANCELLED", "RRULE:FREQ=SECONDLY")
		})),
		"dates of one series":      Calendar(Event("r", from, "RDATE;VALUE=DATE:"+fill(func(i int) string { return s.day(90+i%600) + "," })+s.day(91))),
		"exceptions of one series": Calendar(Event("e", from, "RRULE:FREQ=DAILY", "EXDATE;VALUE=DATE:"+fill(func(i int) string { return s.day(90+i%600) + "," })+s.day(91))),
		"one line":                 Calendar(Event("l", from, "SUMMARY:"+strings.Repeat("x", bytes))),
		"folded to the letter":     Calendar(Event("f", from, "SUMMARY:"+fill(func(int) string { return "x\r\n " }))),
		"parameters":               Calendar(Event("p", from, "SUMMARY"+fill(func(i int) string { return fmt.Sprintf(";X-P%d=1", i) })+":x")),
		"levels":                   Calendar(fill(func(int) string { return "BEGIN:VEVENT\r\n" })),
		"ends without a beginning": Calendar(fill(func(int) string { return "END:VEVENT\r\n" })),
		"zones":                    Calendar(fill(zone)),
	}
}

// calendars are documents that are not what they should be, or cost as much as they can.
func (s *Server) calendars() []Fault {
	from := "DTSTART;VALUE=DATE:" + s.day(60)
	with := func(more ...string) func() string {
		return func() string { return Calendar(append([]string{s.good()}, more...)...) }
	}
	costly := s.Costly(300_000)
	faults := []Fault{
		{Name: "icalendar/emptied", Serve: say(func() string { return Calendar() }), Loses: true},
		{Name: "icalendar/shrunk to one", Serve: say(func() string {
			return Calendar(Event("good-0", "DTSTART;VALUE=DATE:"+s.day(21), "DTEND;VALUE=DATE:"+s.day(24), "SUMMARY:Guest 0"))
		}), Loses: true},
		{Name: "icalendar/another's calendar", Serve: say(func() string { return Calendar(Event("other", from, "SUMMARY:Not ours")) }), Loses: true},
		{Name: "icalendar/no UID anywhere", Serve: say(func() string { return strings.ReplaceAll(s.Good(), "UID:", "X-UID:") })},
		{Name: "icalendar/all under one UID", Serve: say(func() string {
			return strings.NewReplacer("UID:good-1", "UID:good-0", "UID:good-2", "UID:good-0", "UID:good-3", "UID:good-0", "UID:good-4", "UID:good-0").Replace(s.Good())
		})},
		{Name: "icalendar/a UID of a hundred thousand letters", Serve: say(with(Event(strings.Repeat("u", 100_000), from)))},
		{Name: "icalendar/NUL and escapes in a title", Serve: say(with(Event("nul", from, "SUMMARY:\x00\x1b[31m\x07red")))},
		{Name: "icalendar/an end before its start", Serve: say(with(Event("back", from, "DTEND;VALUE=DATE:"+s.day(50)))), Remark: "before"},
		{Name: "icalendar/no start", Serve: say(with(Event("none", "SUMMARY:x"))), Remark: "has no DTSTART"},
		{Name: "icalendar/a rule that never comes true", Serve: say(with(Event("never", from, "RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")))},
		{Name: "icalendar/a rule that is none", Serve: say(with(Event("odd", from, "RRULE:FREQ=OFTEN;INTERVAL=-1"))), Remark: "not understood"},
		{Name: "icalendar/an interval of two billion", Serve: say(with(Event("far", from, "RRULE:FREQ=SECONDLY;INTERVAL=2147483647")))},
		{Name: "icalendar/a count of two billion", Serve: say(with(Event("many", from, "RRULE:FREQ=DAILY;COUNT=2147483647")))},
		{Name: "icalendar/lines of nonsense", Serve: say(with(Event("odd", from, "nonsense", ";;;:::", "", "="))), Remark: "nonsense"},
	}
	for name, says := range map[string]string{
		"lines of X": "", "a calendar a booking": "", "events of one UID": "", "changes of one series": "", "every second, no length": "far more often than bookings do", "every second, cancelled": "far more often than bookings do",
		"dates of one series": "", "exceptions of one series": "", "one line": "", "folded to the letter": "", "parameters": "", "levels": "", "ends without a beginning": "", "zones": "",
	} {
		faults = append(faults, Fault{Name: "icalendar/" + name, Serve: say(func() string { return costly[name] }), Says: says, Loses: says == ""})
	}
	return faults
}
