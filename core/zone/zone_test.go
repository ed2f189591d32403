package zone_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/span"
	"wharf/core/zone"
)

const vendorZone = `BEGIN:VCALENDAR
BEGIN:VTIMEZONE
TZID:Harbour Time
BEGIN:STANDARD
DTSTART:19701101T020000
TZOFFSETFROM:-0300
TZOFFSETTO:-0400
RRULE:FREQ=YEARLY;BYMONTH=11;BYDAY=1SU
END:STANDARD
BEGIN:DAYLIGHT
DTSTART:19700308T020000
TZOFFSETFROM:-0400
TZOFFSETTO:-0300
RRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=SU;BYMONTHDAY=8,9,10,11,12,13,14
END:DAYLIGHT
END:VTIMEZONE
END:VCALENDAR
`

func TestInstant(t *testing.T) {
	for _, tc := range []struct{ zone, wall, want, why string }{
		{"America/Halifax", "2026-07-03 09:00", "2026-07-03T12:00:00Z", "summer"},
		{"America/Halifax", "2026-01-03 09:00", "2026-01-03T13:00:00Z", "winter"},
		{"America/Halifax", "2026-03-08 02:30", "2026-03-08T06:30:00Z", "in the gap: the offset before it"},
		{"America/Halifax", "2026-11-01 01:30", "2026-11-01T04:30:00Z", "ambiguous: the first"},
		{"Australia/Lord_Howe", "2026-10-04 02:15", "2026-10-03T15:45:00Z", "a gap of half an hour"},
		{"UTC", "2026-07-03 09:00", "2026-07-03T09:00:00Z", "UTC"},
	} {
		loc, err := zone.Load(tc.zone)
		require.NoError(t, err)
		wall, err := time.Parse("2006-01-02 15:04", tc.wall)
		require.NoError(t, err)
		assert.Equal(t, tc.want, zone.Instant(wall, loc).UTC().Format(time.RFC3339), tc.why)
	}
}

func TestVTimezoneEqualsTheRealZone(t *testing.T) {
	cal, err := ical.NewReader(strings.NewReader(vendorZone)).ReadAll()
	require.NoError(t, err)
	table, diags := zone.NewTable(cal.Children("VTIMEZONE"))
	require.Empty(t, diags)
	own, err := table.Resolve("Harbour Time")
	require.NoError(t, err)
	real, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	for at := time.Date(2008, 1, 1, 0, 30, 0, 0, time.UTC); at.Year() < 2037; at = at.Add(7 * time.Hour) {
		require.Equal(t, at.In(real).Format(time.DateTime), at.In(own).Format(time.DateTime))
	}

	prefixed, err := table.Resolve("/made.up/2026/America/Halifax")
	require.NoError(t, err)
	assert.Equal(t, "America/Halifax", prefixed.String())
	_, err = table.Resolve("Nowhere Time")
	assert.ErrorContains(t, err, "Nowhere Time")
	_, err = zone.Load("Europe/Atlantis")
	assert.ErrorContains(t, err, "IANA name")
}

func TestDateStart(t *testing.T) {
	for _, tc := range []struct{ zone, date, want, why string }{
		{"America/Halifax", "2026-07-03", "2026-07-03T03:00:00Z", "plain midnight"},
		{"America/Sao_Paulo", "2018-11-04", "2018-11-04T03:00:00Z", "midnight in a gap: its end"},
		{"America/Sao_Paulo", "2018-02-18", "2018-02-18T03:00:00Z", "23:00 comes twice the day before"},
		{"America/Havana", "2026-11-01", "2026-11-01T04:00:00Z", "midnight comes twice: the first"},
		{"Pacific/Apia", "2011-12-30", "2011-12-30T10:00:00Z", "a day that never was"},
	} {
		loc, err := zone.Load(tc.zone)
		require.NoError(t, err)
		d, err := span.ParseDate(tc.date)
		require.NoError(t, err)
		assert.Equal(t, tc.want, d.Start(loc).UTC().Format(time.RFC3339), tc.why)
	}
}
