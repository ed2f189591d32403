package publish_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/carried"
	"wharf/core/ical"
	"wharf/core/publish"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

var halifax = func() *time.Location {
	loc, err := zone.Load("America/Halifax")
	if err != nil {
		panic(err)
	}
	return loc
}()

const step = span.Date(20724) // Monday, 28 September 2026

// readDoc reads a feed.
func readDoc(t *testing.T, text string) *recur.Document {
	t.Helper()
	doc, err := recur.Read(ical.NewReader(strings.NewReader(text)))
	require.NoError(t, err)
	return doc
}

func calendarOf(lines ...string) string {
	return "BEGIN:VCALENDAR\nVERSION:2.0\n" + strings.Join(lines, "\n") + "\nEND:VCALENDAR\n"
}

func eventOf(uid string, lines ...string) string {
	return "BEGIN:VEVENT\nUID:" + uid + "\nDTSTAMP:20260901T100000Z\n" + strings.Join(lines, "\n") + "\nEND:VEVENT"
}

// offered are the instances of a feed that have to do with what is published, each by its UID and key.
func offered(t *testing.T, doc *recur.Document, feed int64, change func(key string, o *publish.Offer) bool) (all []publish.Offer) {
	t.Helper()
	for n, e := range doc.Entries {
		source := &publish.Source{Doc: doc, Entry: e}
		found, _ := doc.Expand(e, publish.Laid(step, halifax))
		for _, f := range found {
			if f.Status == recur.Cancelled {
				continue
			}
			o := publish.Offer{UID: carried.Mint([]byte("key"), fmt.Sprint(feed, n), f.Key.String()), Spans: []span.Span{{Start: f.Start, End: f.End}}, Whole: true, Units: 1, Blocks: !f.Transparent, Tentative: f.Status == recur.Tentative,
				Feed: feed, Title: f.Summary, Source: source, Occurrence: f.Key.String()}
			if change == nil || change(o.Occurrence, &o) {
				all = append(all, o)
			}
		}
	}
	return all
}

// publishes is the document of what is offered, and what each of its events comes to: its UID, key, times in UTC and status.
func publishes(t *testing.T, r rules.Publication, offers []publish.Offer) (text string, told []string) {
	t.Helper()
	if r.Title == "" {
		r.Title = "Spoken for"
	}
	r.Detail = rules.Everything
	r, err := rules.NewPublication(r, 1)
	require.NoError(t, err)
	items := publish.Items(r, 1, publish.Window(r, step, span.Time, halifax), publish.Laid(step, halifax), offers)
	text = rendered(r, items)
	doc := readDoc(t, text)
	for _, e := range doc.Entries {
		found, diags := doc.Expand(e, recur.Window{From: time.Date(2026, 9, 1, 0, 0, 0, 0, time.UTC), To: time.Date(2026, 11, 10, 0, 0, 0, 0, time.UTC), Zone: time.UTC})
		assert.Empty(t, diags)
		for _, o := range found {
			told = append(told, fmt.Sprintf("%s %s %s %s %q", o.UID, time.Unix(o.Start, 0).UTC().Format("2 Jan 15:04"), time.Unix(o.End, 0).UTC().Format("15:04"), o.Status, o.Summary))
		}
	}
	slices.Sort(told)
	return text, told
}

func rendered(r rules.Publication, items []publish.Item) string {
	want, shown := make([]carried.Wanted, len(items)), map[carried.Name]publish.Shown{}
	for i, item := range items {
		want[i], shown[item.Name] = carried.Wanted{Item: item.Item, Least: item.Least}, item.Shown
	}
	rows := carried.Apply(nil, carried.Advance(nil, want, 1, time.Date(2026, 10, 1, 12, 0, 0, 0, time.UTC)))
	return string(publish.Render(publish.Document{Name: "Hall", Rules: r, Grain: span.Time, Rows: rows, Shown: shown}))
}

var (
	class = eventOf("class@hall.example", "DTSTART;TZID=America/Halifax:20261006T190000", "DTEND;TZID=America/Halifax:20261006T203000", "RRULE:FREQ=WEEKLY;COUNT=4", "SUMMARY:Class", "SEQUENCE:3",
		"DESCRIPTION:Bring shoes", "LOCATION:Net Loft hall", "ATTENDEE:mailto:ann@guests.example", "ORGANIZER:mailto:bob@hall.example", "ATTACH:https://hall.example/plan.pdf", "URL:https://hall.example/class", "X-OWN:https://hall.example/join", "X-ROOM:2",
		"CLASS:PUBLIC", "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:Class\nTRIGGER:-PT15M\nEND:VALARM")
	moved = eventOf("class@hall.example", "RECURRENCE-ID;TZID=America/Halifax:20261013T190000", "DTSTART;TZID=America/Halifax:20261014T190000", "DTEND;TZID=America/Halifax:20261014T203000", "SUMMARY:Class\\, moved")
	talk  = eventOf("talk@hall.example", "DTSTART:20261010T170000", "DTEND:20261010T180000", "SUMMARY:Talk", "STATUS:TENTATIVE")
)

// What is told of everything, read again, is what was offered, each instance at its time; what goes out only if it is asked for
// does not.
func TestEverything(t *testing.T) {
	private := func(key string, o *publish.Offer) bool { o.Discreet = key == "2026-10-13T22:00:00Z"; return true }
	without := func(keys ...string) func(string, *publish.Offer) bool {
		return func(key string, _ *publish.Offer) bool { return !slices.Contains(keys, key) }
	}
	all := []string{`class@hall.example 14 Oct 22:00 23:30 confirmed "Class, moved"`, `class@hall.example 20 Oct 22:00 23:30 confirmed "Class"`, `class@hall.example 27 Oct 22:00 23:30 confirmed "Class"`, `class@hall.example 6 Oct 22:00 23:30 confirmed "Class"`}
	for _, tc := range []struct {
		name      string
		rules     rules.Publication
		feed      string
		change    func(string, *publish.Offer) bool
		want      []string
		has, lack []string
	}{
		{"a series stays one, with its override, under its UID and above its SEQUENCE", rules.Publication{}, calendarOf(class, moved), nil, all,
			[]string{"RRULE:FREQ=WEEKLY;COUNT=4", "SEQUENCE:3", "DESCRIPTION:Bring shoes", "X-ROOM:2", "BEGIN:VTIMEZONE", "DTSTAMP:20261001T120000Z"}, []string{"ATTENDEE", "ORGANIZER", "ATTACH", "URL", "X-OWN", "VALARM", "EXDATE", "METHOD"}},
		{"what is asked for goes out", rules.Publication{Attachments: true, Attendees: true, Links: true, Alarm: rules.KeptAlarms}, calendarOf(class, moved), nil, all,
			[]string{"ATTENDEE:mailto:ann", "ORGANIZER", "ATTACH:https", "URL:https", "X-OWN:https", "TRIGGER:-PT15M"}, nil},
		{"one alarm for all, instead of their own", rules.Publication{Alarm: "1h"}, calendarOf(class), without("2026-10-06T22:00:00Z", "2026-10-13T22:00:00Z"), []string{all[1], all[2]}, []string{"TRIGGER:-PT60M", "EXDATE;TZID=America/Halifax:20261006T190000"}, []string{"TRIGGER:-PT15M"}},
		{"what is not offered is left out, an override too", rules.Publication{}, calendarOf(class, moved), without("2026-10-13T22:00:00Z", "2026-10-27T22:00:00Z"), []string{all[1], all[3]},
			[]string{"EXDATE;TZID=America/Halifax:20261013T190000", "EXDATE;TZID=America/Halifax:20261027T190000"}, []string{"moved"}},
		{"of what nobody is to see only the times", rules.Publication{Attachments: true}, calendarOf(class, moved), private, append([]string{`class@hall.example 14 Oct 22:00 23:30 confirmed "Spoken for"`}, all[1:]...), nil, []string{"moved"}},
		{"a series of which nobody is to see one instance: only the times", rules.Publication{Links: true}, calendarOf(class), private,
			[]string{`class@hall.example 13 Oct 22:00 23:30 confirmed "Spoken for"`, `class@hall.example 20 Oct 22:00 23:30 confirmed "Spoken for"`, `class@hall.example 27 Oct 22:00 23:30 confirmed "Spoken for"`, `class@hall.example 6 Oct 22:00 23:30 confirmed "Spoken for"`}, nil, []string{"Bring", "Class", "X-ROOM", "URL"}},
		{"a time of no zone is one of the calendar's", rules.Publication{}, calendarOf(talk), nil, []string{`talk@hall.example 10 Oct 20:00 21:00 tentative "Talk"`}, []string{"DTSTART;TZID=America/Halifax:20261010T170000"}, nil},
		{"or of the zone that its feed names", rules.Publication{}, calendarOf("X-WR-TIMEZONE:Europe/Lisbon", talk), nil, []string{`talk@hall.example 10 Oct 16:00 17:00 tentative "Talk"`}, nil, nil},
		{"tentative as firm", rules.Publication{Tentative: rules.AsFirm}, calendarOf(talk), nil, []string{`talk@hall.example 10 Oct 20:00 21:00 confirmed "Talk"`}, nil, []string{"TENTATIVE"}},
		{"a rule that ends by the clock of its zone ends in UTC", rules.Publication{}, calendarOf(eventOf("u", "DTSTART;TZID=America/Halifax:20261006T190000", "RRULE:FREQ=WEEKLY;UNTIL=20261013T190000", "DURATION:PT1H", "SUMMARY:x")), nil,
			[]string{`u 13 Oct 22:00 23:00 confirmed "x"`, `u 6 Oct 22:00 23:00 confirmed "x"`}, []string{"UNTIL=20261013T220000Z"}, nil},
		{"what ended before the window is not told, a series of which one instance is in it is whole", rules.Publication{Back: 1, Ahead: 1}, calendarOf(eventOf("old", "DTSTART:20260910T100000Z", "DTEND:20260910T110000Z"), eventOf("u", "DTSTART:20260915T100000Z", "DTEND:20260915T110000Z", "RRULE:FREQ=WEEKLY;COUNT=3", "SUMMARY:x")), nil,
			[]string{`u 15 Sep 10:00 11:00 confirmed "x"`, `u 22 Sep 10:00 11:00 confirmed "x"`, `u 29 Sep 10:00 11:00 confirmed "x"`}, nil, []string{"EXDATE"}},
	} {
		t.Run(tc.name, func(t *testing.T) {
			text, told := publishes(t, tc.rules, offered(t, readDoc(t, tc.feed), 1, tc.change))
			assert.Equal(t, tc.want, told, text)
			for _, has := range tc.has {
				assert.Contains(t, text, has)
			}
			for _, lack := range tc.lack {
				assert.NotContains(t, text, lack)
			}
		})
	}
}

// What has no source, or counts only in part, goes out as an event of its own; and two feeds may mean two things by one UID, or
// by one TZID.
func TestEverythingOfSeveral(t *testing.T) {
	feed := func(offset, title string) string {
		return calendarOf("BEGIN:VTIMEZONE\nTZID:Ours\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:"+offset+"\nTZOFFSETTO:"+offset+"\nEND:STANDARD\nEND:VTIMEZONE",
			eventOf("same", "DTSTART;TZID=Ours:20261006T190000", "DTEND;TZID=Ours:20261006T200000", "SUMMARY:"+title))
	}
	offers := append(offered(t, readDoc(t, feed("+0100", "One")), 1, nil), offered(t, readDoc(t, feed("-0300", "Two")), 2, nil)...)
	start := time.Date(2026, 10, 8, 10, 0, 0, 0, time.UTC).Unix()
	hold := publish.Offer{UID: "hold", Spans: []span.Span{{Start: start, End: start + 3600}}, Whole: true, Units: 1, Blocks: true, Title: "By telephone"}
	part := hold
	part.UID, part.Whole, part.Source = "part", false, offers[0].Source
	text, told := publishes(t, rules.Publication{}, append(offers, hold, part))
	require.Len(t, told, 4, text)
	assert.Contains(t, told, `hold 8 Oct 10:00 11:00 confirmed "By telephone"`)
	assert.Contains(t, told, `part 8 Oct 10:00 11:00 confirmed "By telephone"`)
	assert.Contains(t, told, `same 6 Oct 18:00 19:00 confirmed "One"`)
	assert.Equal(t, 1, strings.Count(text, "UID:same\r\n"))
	assert.Contains(t, text, "TZID=Ours (2):")
	assert.True(t, slices.ContainsFunc(told, func(s string) bool { return strings.HasSuffix(s, `@wharf 6 Oct 22:00 23:00 confirmed "Two"`) }), told)
}

// Of several calendars each says which it is, also where both show the same series.
func TestEverythingOfCalendars(t *testing.T) {
	r, err := rules.NewPublication(rules.Publication{Title: "Spoken for", Detail: rules.Everything}, 1)
	require.NoError(t, err)
	var items []publish.Item
	for id, name := range []string{"Ketch", "Loft"} {
		of := publish.Items(r, 1, publish.Window(r, step, span.Time, halifax), publish.Laid(step, halifax), offered(t, readDoc(t, calendarOf(class, moved)), 1, nil))
		items = append(items, publish.Of(name, int64(id), of)...)
	}
	doc := readDoc(t, rendered(r, items))
	require.Len(t, doc.Entries, 2)
	assert.NotEqual(t, doc.Entries[0].UID, doc.Entries[1].UID)
	assert.ElementsMatch(t, []string{"Ketch: Class", "Loft: Class"}, []string{doc.Entries[0].Title(), doc.Entries[1].Title()})
	for _, e := range doc.Entries {
		found, _ := doc.Expand(e, publish.Laid(step, halifax))
		assert.Len(t, found, 4)
	}
	sent := map[string]int{}
	for _, i := range items {
		sent[i.SentUID()]++
	}
	assert.Equal(t, map[string]int{doc.Entries[0].UID: 4, doc.Entries[1].UID: 4}, sent, "what is on record is what was sent")
}
