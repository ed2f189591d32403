package publish_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/publish"
)

func calendar(t *testing.T, lines ...string) *ical.Component {
	t.Helper()
	all, err := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\n" + strings.Join(lines, "\n") + "\nEND:VCALENDAR\n")).ReadAll()
	require.NoError(t, err)
	return all[0]
}

// zoneOf is a VTIMEZONE of that name, some hours west.
func zoneOf(name, offset string) string {
	return "BEGIN:VTIMEZONE\nTZID:" + name + "\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:" + offset + "\nTZOFFSETTO:" + offset + "\nEND:STANDARD\nEND:VTIMEZONE"
}

func event(uid string, lines ...string) string {
	return "BEGIN:VEVENT\nUID:" + uid + "\n" + strings.Join(lines, "\n") + "\nEND:VEVENT"
}

func rule(kind, start, from, to, rule string) string {
	return "BEGIN:" + kind + "\nDTSTART:" + start + "\nTZOFFSETFROM:" + from + "\nTZOFFSETTO:" + to + "\n" + rule + "\nEND:" + kind
}

func TestMerge(t *testing.T) {
	for _, tc := range []struct {
		name    string
		in      []*ical.Component
		has     []string
		hasNot  []string
		zones   int
		remarks int
	}{
		{
			name: "everything of an event comes through, unknown properties and alarms too",
			in:   []*ical.Component{calendar(t, event("a", "DTSTART:20260703T090000Z", "X-THING;X-P=1:kept", "BEGIN:VALARM\nTRIGGER:-PT15M\nEND:VALARM"))},
			has:  []string{"X-THING;X-P=1:kept", "TRIGGER:-PT15M"},
		},
		{
			name:  "two zones of one name that differ are told apart",
			in:    []*ical.Component{calendar(t, zoneOf("Local", "-0300"), event("a", "DTSTART;TZID=Local:20260703T090000")), calendar(t, zoneOf("Local", "-0400"), event("b", "DTSTART;TZID=Local:20260703T090000"))},
			has:   []string{"DTSTART;TZID=Local:20260703T090000", "DTSTART;TZID=Local (2):20260703T090000", "TZID:Local (2)"},
			zones: 2,
		},
		{
			name:  "the same zone twice is written once, one that nobody uses not at all",
			in:    []*ical.Component{calendar(t, zoneOf("Local", "-0300"), zoneOf("Unused", "-0300"), event("a", "DTSTART;TZID=Local:20260703T090000")), calendar(t, zoneOf("Local", "-0300"), event("b", "DTSTART;TZID=Local:20260704T090000"))},
			zones: 1, hasNot: []string{"Unused"},
		},
		{
			name: "an IANA name that one file explains in its own way is not taken for what it is in the other",
			in:   []*ical.Component{calendar(t, event("a", "DTSTART;TZID=Europe/Lisbon:20260703T090000")), calendar(t, zoneOf("Europe/Lisbon", "-0300"), event("b", "DTSTART;TZID=Europe/Lisbon:20260703T090000"))},
			has:  []string{"DTSTART;TZID=Europe/Lisbon:20260703T090000", "DTSTART;TZID=Europe/Lisbon (2):20260703T090000", "TZOFFSETTO:-0300"}, zones: 2,
		},
		{
			name: "two zones written differently that say the same are one",
			in: []*ical.Component{calendar(t, zoneOf("Local", "-0300"), event("a", "DTSTART;TZID=Local:20260703T090000")),
				calendar(t, strings.Replace(zoneOf("Local", "-0300"), "19700101", "19600101", 1), event("b", "DTSTART;TZID=Local:20260704T090000"))},
			zones: 1, hasNot: []string{"(2)"},
		},
		{
			name: "floating times get the zone that their calendar names, but exceptions of a zoned series do not",
			in: []*ical.Component{calendar(t, "X-WR-TIMEZONE:Asia/Tokyo", event("a", "DTSTART:20260703T090000", "EXDATE:20260704T090000"),
				event("b", "DTSTART;TZID=Europe/Lisbon:20260703T090000", "EXDATE:20260704T090000"))},
			has: []string{"DTSTART;TZID=Asia/Tokyo:20260703T090000\r\nEXDATE;TZID=Asia/Tokyo:20260704T090000", "DTSTART;TZID=Europe/Lisbon:20260703T090000\r\nEXDATE:20260704T090000"}, zones: 2,
		},
		{
			name: "an IANA zone that no input explains is explained", zones: 1,
			in:  []*ical.Component{calendar(t, event("a", "DTSTART;TZID=Europe/Lisbon:20260703T090000"))},
			has: []string{"TZID:Europe/Lisbon", "TZOFFSETTO:+0100"},
		},
		{
			name: "an IANA zone is explained for the years that are used, of all calendars, and by rules without an end", zones: 1,
			in: []*ical.Component{calendar(t, event("a", "DTSTART;TZID=Europe/Lisbon:20260703T090000", "RRULE:FREQ=DAILY")),
				calendar(t, event("b", "DTSTART;TZID=Europe/Lisbon:20290703T090000", "EXDATE;TZID=Europe/Lisbon:20290704T090000,20240705T090000"))},
			has: []string{"DTSTART:20230101T000000", "DTSTART:20230326T010000"}, hasNot: []string{"DTSTART:1970", "DTSTART:2022", "UNTIL"},
		},
		{
			name: "a zone that is explained since long ago is explained for the years that are used, to the same effect", zones: 1,
			in: []*ical.Component{calendar(t, "BEGIN:VTIMEZONE\nTZID:Harbour\n"+rule("STANDARD", "19701101T020000", "-0300", "-0400", "RRULE:FREQ=YEARLY;BYMONTH=11;BYDAY=1SU;UNTIL=20061105T050000Z")+"\n"+rule("DAYLIGHT", "19700405T020000", "-0400", "-0300", "RRULE:FREQ=YEARLY;BYMONTH=4;BYDAY=1SU;UNTIL=20060402T060000Z")+"\n"+
				rule("STANDARD", "20071104T020000", "-0300", "-0400", "RRULE:FREQ=YEARLY;BYMONTH=11;BYDAY=1SU")+"\n"+rule("DAYLIGHT", "20070311T020000", "-0400", "-0300", "RRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=2SU")+"\nEND:VTIMEZONE", event("a", "DTSTART;TZID=Harbour:20260703T090000"))},
			has: []string{"TZID:Harbour", "DTSTART:20250309T020000", "RRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=2SU", "DTSTART:20251102T020000"}, hasNot: []string{"UNTIL", "1970", "2007"},
		},
		{
			name: "a zone that nobody knows is named", remarks: 1,
			in: []*ical.Component{calendar(t, event("a", "DTSTART;TZID=Odd:20260703T090000"))},
		},
		{
			name: "what is called off as a whole is called off event by event",
			in:   []*ical.Component{calendar(t, "METHOD:CANCEL", event("a", "DTSTART:20260703", "STATUS:CONFIRMED")), calendar(t, event("b", "DTSTART:20260704"))},
			has:  []string{"STATUS:CANCELLED"}, hasNot: []string{"METHOD", "CONFIRMED"},
		},
		{
			name: "another organiser's event with the same UID is another event",
			in:   []*ical.Component{calendar(t, event("a", "ORGANIZER:mailto:x@a.example", "SEQUENCE:1", "DTSTART:20260703")), calendar(t, event("a", "ORGANIZER:mailto:y@b.example", "DTSTART:20260703"))},
			has:  []string{"x@a.example", "y@b.example"},
		},
		{
			name:   "of the same revision number the later stamp wins",
			in:     []*ical.Component{calendar(t, event("a", "DTSTAMP:20260102T000000Z", "SUMMARY:later", "DTSTART:20260703")), calendar(t, event("a", "DTSTAMP:20260101T000000Z", "SUMMARY:earlier", "DTSTART:20260703"))},
			has:    []string{"SUMMARY:later"},
			hasNot: []string{"SUMMARY:earlier"},
		},
	} {
		t.Run(tc.name, func(t *testing.T) {
			merged, remarks := publish.Merge(tc.in)
			text := merged.String()
			for _, part := range tc.has {
				assert.Contains(t, text, part)
			}
			for _, part := range tc.hasNot {
				assert.NotContains(t, text, part)
			}
			assert.Equal(t, tc.zones, strings.Count(text, "BEGIN:VTIMEZONE"))
			assert.Len(t, remarks, tc.remarks)
		})
	}
}
