package recur_test

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/recur"
)

// randomSeries makes an entry of a rule, exceptions and overrides, each a component.
func randomSeries(rnd *rand.Rand, uid string) []string {
	pick := func(s ...string) string { return s[rnd.Intn(len(s))] }
	day := func() time.Time {
		return time.Date(2026, 1, 1+rnd.Intn(200), 1+rnd.Intn(22), 30*rnd.Intn(2), 0, 0, time.UTC)
	}
	form, zone := "20060102T150405", pick(";TZID=America/Halifax", ";TZID=Europe/Lisbon", "", ";TZID=Australia/Lord_Howe")
	length := pick("DURATION:PT1H", "DURATION:P1DT2H", "DURATION:PT0S", "DURATION:PT26H")
	if rnd.Intn(3) == 0 {
		form, zone, length = "20060102", ";VALUE=DATE", pick("DURATION:P1D", "DURATION:P3D", "X-NONE:1")
	}
	at := func(t time.Time) string { return zone + ":" + t.Format(form) }
	start := day()
	rule := pick("FREQ=DAILY", "FREQ=DAILY;INTERVAL=3;COUNT=40", "FREQ=WEEKLY;BYDAY=MO,TH", "FREQ=MONTHLY;BYMONTHDAY=-1", "FREQ=MONTHLY;BYDAY=2WE;COUNT=9", "FREQ=WEEKLY;INTERVAL=2;UNTIL=20260901", "FREQ=YEARLY")
	master := fmt.Sprintf("BEGIN:VEVENT\nUID:%s\nDTSTART%s\n%s\nRRULE:%s\n", uid, at(start), length, rule)
	for range rnd.Intn(4) {
		master += pick("EXDATE", "EXDATE", "RDATE") + at(start.AddDate(0, 0, rnd.Intn(60))) + "\n"
	}
	if rnd.Intn(4) == 0 {
		master += "EXRULE:FREQ=DAILY;INTERVAL=6\n"
	}
	all := []string{master + "END:VEVENT"}
	for n := range rnd.Intn(4) {
		original := start.AddDate(0, 0, 7*n)
		all = append(all, fmt.Sprintf("BEGIN:VEVENT\nUID:%s\nRECURRENCE-ID%s%s\nDTSTART%s\n%s\n%sEND:VEVENT", uid, pick("", "", ";RANGE=THISANDFUTURE"), at(original),
			at(original.AddDate(0, 0, rnd.Intn(40)-20)), length, pick("", "STATUS:CANCELLED\n")))
	}
	return all
}

// differ lists what only one of two sorted lists has.
func differ(a, b []string) (only []string) {
	for len(a) > 0 || len(b) > 0 {
		switch {
		case len(b) == 0 || len(a) > 0 && a[0] < b[0]:
			only, a = append(only, "- "+a[0]), a[1:]
		case len(a) == 0 || b[0] < a[0]:
			only, b = append(only, "+ "+b[0]), b[1:]
		default:
			a, b = a[1:], b[1:]
		}
	}
	return only
}

// TestProperties holds, of random documents: a window in two halves gives what the whole
// does; the order of components does not matter; reading twice gives what keeping does.
func TestProperties(t *testing.T) {
	seed := time.Now().UnixNano()
	rnd := rand.New(rand.NewSource(seed))
	found := 0
	for range 300 {
		var components []string
		for n := range 1 + rnd.Intn(3) {
			components = append(components, randomSeries(rnd, fmt.Sprint("u", n))...)
		}
		events := strings.Join(components, "\n")
		window := func(from, to int) recur.Window {
			day := func(n int) time.Time { return time.Date(2026, 1, n, 4, 0, 0, 0, time.UTC) }
			return recur.Window{From: day(from), To: day(to), Zone: window(t, "2026-01-01", "2026-01-02", "America/Halifax").Zone}
		}
		from := rnd.Intn(200)
		cut, to := from+1+rnd.Intn(100), from+101+rnd.Intn(200)
		whole, codes := expand(t, events, window(from, to))
		sorted := func(all []string) []string {
			all = slices.Clone(all)
			slices.Sort(all)
			return all
		}
		unique := func(all []string) []string { return slices.Compact(sorted(all)) }
		first, _ := expand(t, events, window(from, cut))
		second, _ := expand(t, events, window(cut, to))
		require.Empty(t, differ(unique(whole), unique(append(first, second...))), "seed %d: %d, cut at %d, to %d of\n%s", seed, from, cut, to, events)
		streamed, _ := stream(t, events, window(from, to))
		require.Empty(t, differ(sorted(whole), sorted(streamed)), "seed %d:\n%s", seed, events)
		rnd.Shuffle(len(components), func(i, j int) { components[i], components[j] = components[j], components[i] })
		if !slices.Contains(codes, "uid-twice") { // which of two alike is first may matter to remarks only
			shuffled, _ := expand(t, strings.Join(components, "\n"), window(from, to))
			require.Empty(t, differ(sorted(whole), sorted(shuffled)), "seed %d:\n%s", seed, events)
		}
		found += len(whole)
	}
	assert.Greater(t, found, 3000)
}

// TestPartsAnywhere: masters, overrides, older revisions, copies and namesakes count the same
// wherever they stand in a document, and however it is read.
func TestPartsAnywhere(t *testing.T) {
	event := func(uid string, lines ...string) string {
		if uid != "" {
			lines = append([]string{"UID:" + uid}, lines...)
		}
		return "BEGIN:VEVENT\n" + strings.Join(lines, "\n") + "\nEND:VEVENT"
	}
	components := []string{
		event("series", "SEQUENCE:1", "DTSTART:20260706T090000Z", "DURATION:PT1H", "RRULE:FREQ=DAILY;COUNT=3"),
		event("series", "SEQUENCE:0", "DTSTART:20260706T080000Z", "RRULE:FREQ=DAILY;COUNT=9"),
		event("series", "RECURRENCE-ID:20260707T090000Z", "DTSTART:20260707T100000Z", "DTSTAMP:20260101T000000Z"),
		event("series", "RECURRENCE-ID:20260707T090000Z", "DTSTART:20260707T110000Z", "DTSTAMP:20260102T000000Z"),
		event("series", "RECURRENCE-ID:20260707T090000Z", "DTSTART:20260707T110000Z", "DTSTAMP:20260102T000000Z", "DESCRIPTION:only this differs"),
		event("namesake", "DTSTART:20260710T090000Z"),
		event("namesake", "DTSTART:20260711T090000Z"),
		event("orphan", "RECURRENCE-ID:20260712T090000Z", "DTSTART:20260713T090000Z"),
		event("", "DTSTART:20260714T090000Z"),
		event("", "DTSTART:20260714T090000Z"),
		"BEGIN:VFREEBUSY\nUID:busy\nFREEBUSY:20260715T090000Z/PT1H\nEND:VFREEBUSY",
		"BEGIN:VTODO\nUID:series\nDTSTART:20260716T090000Z\nEND:VTODO",
		"BEGIN:VTIMEZONE\nTZID:Local\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0300\nTZOFFSETTO:+0300\nEND:STANDARD\nEND:VTIMEZONE",
		event("zoned", "DTSTART;TZID=Local:20260717T090000"),
	}
	want := []string{
		"2026-07-06T09:00:00Z/2026-07-06T10:00:00Z of 2026-07-06T09:00:00Z", "2026-07-07T11:00:00Z/2026-07-07T11:00:00Z of 2026-07-07T09:00:00Z", "2026-07-08T09:00:00Z/2026-07-08T10:00:00Z of 2026-07-08T09:00:00Z",
		"2026-07-10T09:00:00Z/2026-07-10T09:00:00Z", "2026-07-11T09:00:00Z/2026-07-11T09:00:00Z", "2026-07-13T09:00:00Z/2026-07-13T09:00:00Z of 2026-07-12T09:00:00Z",
		"2026-07-14T09:00:00Z/2026-07-14T09:00:00Z", "2026-07-14T09:00:00Z/2026-07-14T09:00:00Z", "2026-07-15T09:00:00Z/2026-07-15T10:00:00Z", "2026-07-17T06:00:00Z/2026-07-17T06:00:00Z",
	}
	w := window(t, "2026-07-01", "2026-08-01", "UTC")
	rnd := rand.New(rand.NewSource(time.Now().UnixNano()))
	for range 50 {
		rnd.Shuffle(len(components), func(i, j int) { components[i], components[j] = components[j], components[i] })
		text := strings.Join(components, "\n")
		kept, _ := expand(t, text, w)
		slices.Sort(kept)
		require.Equal(t, want, kept, text)
		streamed, told := stream(t, text, w)
		slices.Sort(streamed)
		require.Equal(t, want, streamed, text)
		require.Contains(t, told, "uid-twice")
		require.Contains(t, told, "not-a-booking")
	}
}

// FuzzExpand holds the same of whatever text, and that nothing takes long.
func FuzzExpand(f *testing.F) {
	rnd := rand.New(rand.NewSource(1))
	for range 20 {
		f.Add(strings.Join(randomSeries(rnd, "a"), "\n"), uint16(90))
	}
	f.Add("BEGIN:VFREEBUSY\nUID:f\nFREEBUSY:20260701T090000Z/PT1H,20260702T090000Z/20260703T090000Z\nEND:VFREEBUSY", uint16(30))
	f.Add("BEGIN:VEVENT\nDTSTART:20260101T000000\nRRULE:FREQ=SECONDLY;BYSETPOS=-1;BYDAY=MO;INTERVAL=7\nRDATE;VALUE=PERIOD:20260701T000000/P1D\nEND:VEVENT", uint16(3))
	f.Fuzz(func(t *testing.T, events string, days uint16) {
		doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\n" + events + "\nEND:VCALENDAR\n")))
		if err != nil {
			return
		}
		at := time.Date(2026, 6, 1, 0, 0, 0, 0, time.UTC)
		cut, end := at.AddDate(0, 0, int(days)/2), at.AddDate(0, 0, int(days))
		const most = 500
		list := func(e recur.Entry, from, to time.Time) (all []string, full bool) {
			found, diags := doc.Expand(e, recur.Window{From: from, To: to, Zone: time.UTC, Limit: most})
			for i, o := range found {
				require.True(t, i == 0 || found[i-1].Start <= o.Start)
				require.LessOrEqual(t, o.Start, o.End)
				all = append(all, fmt.Sprint(o.Line, o.Key, o.Start, o.End))
			}
			return all, slices.ContainsFunc(diags, func(d ical.Diagnostic) bool { return d.Code == "too-many" })
		}
		for _, e := range doc.Entries {
			whole, full := list(e, at, end)
			first, _ := list(e, at, cut)
			second, _ := list(e, cut, end)
			if halves := append(first, second...); !full && len(whole) > 0 && cut.After(at) {
				slices.Sort(whole)
				slices.Sort(halves)
				require.Equal(t, slices.Compact(whole), slices.Compact(halves))
			}
		}
	})
}
