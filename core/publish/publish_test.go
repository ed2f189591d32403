package publish_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/carried"
	"wharf/core/publish"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

var times = rules.Publication{Detail: rules.Times, Title: publish.Placeholder}

func TestRender(t *testing.T) {
	stamp := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	row := func(s span.Span, tentative bool) carried.Row {
		return carried.Row{Item: carried.Item{Name: carried.Name{UID: "u@wharf"}, Span: s, Units: 1, Tentative: tentative}, Sequence: 3, Stamp: stamp}
	}
	days := span.Days(span.NewDate(2026, 7, 10), span.NewDate(2026, 7, 12))
	for name, tc := range map[string]struct {
		grain span.Grain
		row   carried.Row
		has   []string
	}{
		"days":      {span.Day, row(days, false), []string{"DTSTART;VALUE=DATE:20260710", "DTEND;VALUE=DATE:20260712", "STATUS:CONFIRMED"}},
		"nights":    {span.Night, row(days, false), []string{"DTSTART;VALUE=DATE:20260710", "DTEND;VALUE=DATE:20260712"}},
		"instants":  {span.Time, row(span.Instants(stamp, stamp.Add(90*time.Minute)), false), []string{"DTSTART:20260701T120000Z", "DTEND:20260701T133000Z"}},
		"tentative": {span.Day, row(days, true), []string{"STATUS:TENTATIVE"}},
	} {
		text := string(publish.Render(publish.Document{Name: "Ketch, \"Merrow\"; all", Rules: times, Grain: tc.grain, Rows: []carried.Row{tc.row}}))
		for _, line := range append(tc.has, "UID:u@wharf", "SEQUENCE:3", "DTSTAMP:20260701T120000Z", "SUMMARY:Spoken for", "TRANSP:OPAQUE", `NAME:Ketch\, "Merrow"\; all`, "VERSION:2.0") {
			assert.Contains(t, text, line+"\r\n", name)
		}
		assert.Equal(t, strings.Count(text, "\n"), strings.Count(text, "\r\n"), name)
		assert.NotContains(t, text, "METHOD", name)
	}
	name := carried.Name{UID: "u@wharf"}
	off := row(days, false)
	off.UID, off.Sequence = "off@wharf", 9
	text := string(publish.Render(publish.Document{Rules: rules.Publication{Title: "Taken", Alarm: "2h", Refresh: 60, Color: "teal"}, Grain: span.Day,
		Rows: []carried.Row{row(days, false)}, Shown: map[carried.Name]publish.Shown{name: {Title: "Guest\r\nATTACH:x, y\x00\x1b"}}, CalledOff: []carried.Row{off}}))
	for _, line := range []string{`SUMMARY:Guest\nATTACH:x\, y`, `DESCRIPTION:Guest\nATTACH:x\, y`, "TRIGGER:-PT120M", "REFRESH-INTERVAL;VALUE=DURATION:PT60M", "X-PUBLISHED-TTL:PT60M", "COLOR:teal", "STATUS:CANCELLED", "SEQUENCE:9"} {
		assert.Contains(t, text, line+"\r\n")
	}
	assert.Equal(t, []int{2, 1, 1}, []int{strings.Count(text, "BEGIN:VEVENT"), strings.Count(text, "BEGIN:VALARM"), strings.Count(text, "SUMMARY:Taken")})
	text = string(publish.Render(publish.Document{Rules: rules.Publication{Title: "Taken", Alarm: rules.KeptAlarms}, Grain: span.Day, Rows: []carried.Row{row(days, false)}, Shown: map[carried.Name]publish.Shown{name: {Alarms: []int{-480, 1440}}}}))
	assert.Equal(t, []int{2, 1, 1}, []int{strings.Count(text, "BEGIN:VALARM"), strings.Count(text, "TRIGGER:PT480M\r\n"), strings.Count(text, "TRIGGER:-PT1440M\r\n")})
	assert.Contains(t, string(publish.Render(publish.Document{Name: "Empty", Rules: times, Grain: span.Day})), "END:VCALENDAR", "nothing sold is a calendar too")
}

// TestWindowStepsByTheWeek: a new day alone changes nothing; a new week moves it.
func TestWindowStepsByTheWeek(t *testing.T) {
	loc, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	window := func(text string, grain span.Grain) span.Span {
		now, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		return publish.Window(times, publish.Step(now, loc), grain, loc)
	}
	monday := window("2026-07-06T03:00:00Z", span.Day)
	sunday := window("2026-07-13T02:59:00Z", span.Day)
	next := window("2026-07-13T03:00:00Z", span.Day)
	assert.Equal(t, monday, sunday)
	assert.EqualValues(t, 7, next.Start-monday.Start)
	first, last := monday.Format(span.Day)
	assert.Equal(t, []string{"2026-06-06", "2028-07-06"}, []string{first, last})
	first, last = window("2026-07-06T03:00:00Z", span.Time).Format(span.Time)
	assert.Equal(t, []string{"2026-06-06T03:00:00Z", "2028-07-06T03:00:00Z"}, []string{first, last})
}
