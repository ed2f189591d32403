package main

import (
	"bytes"
	"fmt"
	"math/rand"
	"strings"
	"time"
)

// corpus is a document made by a seeded generator.
type corpus struct {
	name   string
	text   []byte
	events int // VEVENTs
}

// The zones of the zoned events, as most exporters explain them.
var zones = []struct{ name, vtimezone string }{
	{"America/Halifax", vtimezone("America/Halifax", "-0400", "-0300", "FREQ=YEARLY;BYMONTH=3;BYDAY=2SU", "FREQ=YEARLY;BYMONTH=11;BYDAY=1SU", "20070311T020000", "20071104T020000")},
	{"Europe/Lisbon", vtimezone("Europe/Lisbon", "+0000", "+0100", "FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU", "FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU", "19970330T010000", "19971026T020000")},
	{"Europe/Berlin", vtimezone("Europe/Berlin", "+0100", "+0200", "FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU", "FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU", "19970330T020000", "19971026T030000")},
}

func vtimezone(name, standard, daylight, toDaylight, toStandard, first, second string) string {
	return "BEGIN:VTIMEZONE\r\nTZID:" + name + "\r\nBEGIN:DAYLIGHT\r\nDTSTART:" + first + "\r\nTZOFFSETFROM:" + standard + "\r\nTZOFFSETTO:" + daylight + "\r\nRRULE:" + toDaylight +
		"\r\nEND:DAYLIGHT\r\nBEGIN:STANDARD\r\nDTSTART:" + second + "\r\nTZOFFSETFROM:" + daylight + "\r\nTZOFFSETTO:" + standard + "\r\nRRULE:" + toStandard + "\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n"
}

// writer writes content lines.
type writer struct {
	bytes.Buffer
	rnd    *rand.Rand
	events int
}

func newWriter(seed int64) *writer {
	w := &writer{rnd: rand.New(rand.NewSource(seed))}
	w.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Bench//Corpus//EN\r\nCALSCALE:GREGORIAN\r\nX-WR-CALNAME:Corpus\r\n")
	return w
}

// line folds at 75 octets; the text is ASCII.
func (w *writer) line(format string, args ...any) {
	s := fmt.Sprintf(format, args...)
	for room := 75; len(s) > room; room = 74 {
		w.WriteString(s[:room] + "\r\n ")
		s = s[room:]
	}
	w.WriteString(s + "\r\n")
}

func (w *writer) begin(uid string) {
	w.events++
	w.line("BEGIN:VEVENT")
	w.line("UID:%s", uid)
	w.line("DTSTAMP:20260%d%02dT%02d%02d00Z", 1+w.rnd.Intn(9), 1+w.rnd.Intn(28), w.rnd.Intn(24), w.rnd.Intn(60))
}

func (w *writer) words(n int) string {
	all := strings.Fields(`the party of six arrives by ferry\, wants the quay side berth and breakfast at eight\; call before ten or leave word at the net loft\nkeys are with Ann boots and oilskins are there dogs welcome on deck only`)
	var b strings.Builder
	for i := range n {
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(all[w.rnd.Intn(len(all))])
	}
	return b.String()
}

func (w *writer) done(name string) corpus {
	w.line("END:VCALENDAR")
	return corpus{name, w.Bytes(), w.events}
}

// bookings are 60 stays in whole days: what a platform publishes of one flat.
func bookings() corpus {
	w := newWriter(1)
	day := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range 60 {
		first := day.AddDate(0, 0, 5*i+w.rnd.Intn(3))
		w.begin(fmt.Sprintf("%08x-stay-%d@bench.example", w.rnd.Uint32(), i))
		w.line("DTSTART;VALUE=DATE:%s", first.Format("20060102"))
		w.line("DTEND;VALUE=DATE:%s", first.AddDate(0, 0, 1+w.rnd.Intn(4)).Format("20060102"))
		w.line("SUMMARY:Berthed\\, party of %d", 1+w.rnd.Intn(6))
		w.line("STATUS:CONFIRMED")
		w.line("END:VEVENT")
	}
	return w.done("bookings")
}

// events are zoned events with long folded descriptions.
func events(n int) corpus {
	w := newWriter(2)
	for _, z := range zones {
		w.WriteString(z.vtimezone)
	}
	day := time.Date(2025, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range n {
		z := zones[w.rnd.Intn(len(zones))].name
		start := day.AddDate(0, 0, w.rnd.Intn(1000)).Add(time.Duration(4+w.rnd.Intn(18))*time.Hour + time.Duration(5*w.rnd.Intn(12))*time.Minute)
		w.begin(fmt.Sprintf("%08x%08x-%d@events.bench.example", w.rnd.Uint32(), w.rnd.Uint32(), i))
		w.line("DTSTART;TZID=%s:%s", z, start.Format("20060102T150405"))
		w.line("DTEND;TZID=%s:%s", z, start.Add(time.Duration(1+w.rnd.Intn(5))*30*time.Minute).Format("20060102T150405"))
		w.line("CREATED:20250101T%02d0000Z", w.rnd.Intn(24))
		w.line("SEQUENCE:%d", w.rnd.Intn(4))
		w.line("SUMMARY:%s", w.words(4))
		w.line("LOCATION:%s", w.words(3))
		w.line("DESCRIPTION:%s", w.words(55+w.rnd.Intn(30)))
		w.line("STATUS:CONFIRMED")
		w.line("TRANSP:OPAQUE")
		w.line("END:VEVENT")
	}
	return w.done("events")
}

var rules = []string{
	"FREQ=WEEKLY", "FREQ=WEEKLY;BYDAY=MO,WE,FR", "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU,TH", "FREQ=DAILY", "FREQ=DAILY;INTERVAL=3",
	"FREQ=MONTHLY;BYDAY=2TU", "FREQ=MONTHLY;BYMONTHDAY=-1", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1", "FREQ=YEARLY", "FREQ=YEARLY;BYMONTH=5,9;BYDAY=1SA",
	"FREQ=WEEKLY;BYDAY=SA,SU;UNTIL=20270630T220000Z", "FREQ=DAILY;COUNT=2000", "FREQ=DAILY;BYMONTH=6,7,8", "FREQ=WEEKLY;COUNT=400;BYDAY=TU",
}

// aligned is the first start at or after the given one that the rule itself gives, since
// libraries differ on one that it does not.
func aligned(rule string, start time.Time) time.Time {
	fits := map[string]func(time.Time) bool{
		rules[1]:  func(t time.Time) bool { return t.Weekday()%2 == 1 },
		rules[2]:  func(t time.Time) bool { return t.Weekday() == time.Tuesday },
		rules[5]:  func(t time.Time) bool { return t.Weekday() == time.Tuesday && t.Day() > 7 && t.Day() <= 14 },
		rules[6]:  func(t time.Time) bool { return t.AddDate(0, 0, 1).Day() == 1 },
		rules[7]:  func(t time.Time) bool { return t.Weekday() == time.Wednesday && t.AddDate(0, 0, 1).Day() == 1 },
		rules[9]:  func(t time.Time) bool { return t.Weekday() == time.Saturday && t.Day() <= 7 && t.Month() == time.May },
		rules[10]: func(t time.Time) bool { return t.Weekday() == time.Saturday },
		rules[12]: func(t time.Time) bool { return t.Month() == time.June },
		rules[13]: func(t time.Time) bool { return t.Weekday() == time.Tuesday },
	}[rule]
	for fits != nil && !fits(start) {
		start = start.AddDate(0, 0, 1)
	}
	return start
}

// series are repeating events that began years ago, with exceptions and overrides.
func series(n int) corpus {
	w := newWriter(3)
	for _, z := range zones {
		w.WriteString(z.vtimezone)
	}
	for i := range n {
		z := zones[w.rnd.Intn(len(zones))].name
		rule := rules[w.rnd.Intn(len(rules))]
		start := aligned(rule, time.Date(2017+w.rnd.Intn(9), time.Month(1+w.rnd.Intn(12)), 1+w.rnd.Intn(28), 5+w.rnd.Intn(16), 15*w.rnd.Intn(4), 0, 0, time.UTC))
		uid := fmt.Sprintf("%08x-%d@series.bench.example", w.rnd.Uint32(), i)
		stamp := func(t time.Time) string { return t.Format("20060102T150405") }
		w.begin(uid)
		w.line("DTSTART;TZID=%s:%s", z, stamp(start))
		w.line("DTEND;TZID=%s:%s", z, stamp(start.Add(90*time.Minute)))
		w.line("RRULE:%s", rule)
		step := map[bool]int{true: 1, false: 7}[strings.HasPrefix(rule, "FREQ=DAILY")]
		for range w.rnd.Intn(4) {
			w.line("EXDATE;TZID=%s:%s", z, stamp(start.AddDate(0, 0, step*w.rnd.Intn(200))))
		}
		w.line("SUMMARY:%s", w.words(4))
		w.line("END:VEVENT")
		if strings.HasPrefix(rule, "FREQ=WEEKLY") && !strings.Contains(rule, "INTERVAL") {
			for k := range w.rnd.Intn(3) {
				at := start.AddDate(0, 0, 7*(100+10*k))
				w.begin(uid)
				w.line("RECURRENCE-ID;TZID=%s:%s", z, stamp(at))
				w.line("DTSTART;TZID=%s:%s", z, stamp(at.Add(2*time.Hour)))
				w.line("DTEND;TZID=%s:%s", z, stamp(at.Add(3*time.Hour)))
				w.line("SUMMARY:%s", w.words(4))
				w.line("END:VEVENT")
			}
		}
	}
	return w.done("series")
}
