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
		text := string(publish.Render("Ketch, \"Merrow\"; all", times, tc.grain, []carried.Row{tc.row}))
		for _, line := range append(tc.has, "UID:u@wharf", "SEQUENCE:3", "DTSTAMP:20260701T120000Z", "SUMMARY:Spoken for", "TRANSP:OPAQUE", `NAME:Ketch\, "Merrow"\; all`, "VERSION:2.0") {
			assert.Contains(t, text, line+"\r\n", name)
		}
		assert.Equal(t, strings.Count(text, "\n"), strings.Count(text, "\r\n"), name)
		assert.NotContains(t, text, "METHOD", name)
	}
	assert.Contains(t, string(publish.Render("Empty", times, span.Day, nil)), "END:VCALENDAR", "nothing sold is a calendar too")
}

// TestWindowStepsByTheWeek: a new day alone changes nothing; a new week moves it.
func TestWindowStepsByTheWeek(t *testing.T) {
	loc, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	window := func(text string, grain span.Grain) span.Span {
		now, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		return publish.Window(publish.Step(now, loc), grain, loc)
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
