package preview_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/preview"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/span"
	"wharf/core/zone"
)

func read(t *testing.T, lines string) *recur.Document {
	t.Helper()
	doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\nVERSION:2.0\n" + lines + "\nEND:VCALENDAR\n")))
	require.NoError(t, err)
	return doc
}

func event(lines ...string) string {
	return "BEGIN:VEVENT\nUID:" + lines[0] + "\n" + strings.Join(lines, "\n") + "\nEND:VEVENT\n"
}

// TestPreview: what a person holds against the platform's own page.
func TestPreview(t *testing.T) {
	loc, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	now := time.Date(2026, 7, 1, 12, 0, 0, 0, loc)
	doc := read(t, "X-WR-CALNAME: Merrow Charter Desk: Ketch (all bookings) \nREFRESH-INTERVAL;VALUE=DURATION:PT2H\n"+
		event("SUMMARY:Osei", "DTSTART;VALUE=DATE:20260710", "DTEND;VALUE=DATE:20260713")+
		event("SUMMARY:Lindqvist", "DTSTART;VALUE=DATE:20260705", "DTEND;VALUE=DATE:20260707", "STATUS:TENTATIVE")+
		event("SUMMARY:Gone", "DTSTART;VALUE=DATE:20260708", "DTEND;VALUE=DATE:20260709", "STATUS:CANCELLED")+
		event("SUMMARY:Past", "DTSTART;VALUE=DATE:20260601", "DTEND;VALUE=DATE:20260604")+
		event("SUMMARY:Arrives late", "DTSTART;TZID=Europe/Lisbon:20260720T160000", "DTEND;TZID=Europe/Lisbon:20260722T100000")+
		event("SUMMARY:Mast", "DTSTART:20260803T100000Z")+
		event("SUMMARY:Talk", "DTSTART;VALUE=DATE:20260901", "TRANSP:TRANSPARENT")+
		event("SUMMARY:Weekly", "DTSTART;VALUE=DATE:20261001", "DTEND;VALUE=DATE:20261003", "RRULE:FREQ=WEEKLY;COUNT=3")+
		event("SUMMARY:Broken", "DTSTART:soon"))
	p, err := preview.Of(context.Background(), doc, now)
	require.NoError(t, err)
	assert.Equal(t, "Merrow Charter Desk: Ketch (all bookings)", p.Name)
	assert.Equal(t, []int{9, 1, 1, 1, 1, 1}, []int{p.Entries, p.Recurring, p.Tentative, p.Cancelled, p.Free, p.Endless})
	assert.Equal(t, span.NewDate(2026, 6, 1), p.First)
	assert.Equal(t, span.NewDate(2026, 10, 16), p.Last)
	assert.Equal(t, []string{"Europe/Lisbon"}, p.Zones)
	assert.Equal(t, 2*time.Hour, p.Refresh)
	assert.Equal(t, span.Night, p.Grain)
	require.Len(t, p.Next, 5)
	var next []string
	var nights []int
	for _, b := range p.Next {
		next, nights = append(next, b.Title), append(nights, b.Nights)
	}
	assert.Equal(t, []string{"Lindqvist", "Osei", "Arrives late", "Mast", "Weekly"}, next)
	assert.Equal(t, []int{2, 3, 2, 0, 2}, nights)
	assert.True(t, p.Next[0].Tentative)
	assert.Equal(t, "2026-07-20T12:00:00-03:00", p.Next[2].Start.Format(time.RFC3339), "in the zone of whoever looks")
	require.Len(t, p.Remarks, 1)
	assert.Contains(t, p.Remarks[0], "Broken")

	for grain, lines := range map[span.Grain]string{
		"":         "",
		span.Time:  event("DTSTART:20260803T100000Z", "DURATION:PT2H") + event("DTSTART:20260804T100000Z", "DURATION:PT2H") + event("DTSTART;VALUE=DATE:20260901"),
		span.Day:   event("DTSTART;VALUE=DATE:20260901") + event("DTSTART;VALUE=DATE:20260905") + event("DTSTART;VALUE=DATE:20260907", "DTEND;VALUE=DATE:20260909"),
		span.Night: event("DTSTART:20260803T180000Z", "DTEND:20260804T130000Z"),
	} {
		p, err := preview.Of(context.Background(), read(t, lines), now)
		require.NoError(t, err)
		assert.Equal(t, grain, p.Grain)
	}
	_, err = preview.Of(context.Background(), read(t, event("DTSTART:20260803T100000Z", "DURATION:PT0S", "RRULE:FREQ=SECONDLY")+event("DTSTART:20260803T100000Z", "RRULE:FREQ=SECONDLY")), now)
	assert.ErrorIs(t, err, reading.ErrTooOften)
}

func TestFewer(t *testing.T) {
	assert.Equal(t, []string{"exclude_blocked=1", "months=6", "status=confirmed"},
		preview.Fewer(map[string][]string{"exclude_blocked": {"1"}, "months": {"6"}, "status": {"confirmed"}, "token": {"abc"}, "s": {"0f1e2d3c4b5a"}, "calendar": {"5"}, "sender": {"x"}}))
	assert.Equal(t, []string{"filter"}, preview.Fewer(map[string][]string{"filter": {"s3cret0f1e2d"}}), "what may be a secret is not shown")
}
