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

// TestComponentComesBack: a VTIMEZONE that we write says what the zone says, also where
// its changes follow no yearly rule.
func TestComponentComesBack(t *testing.T) {
	for _, name := range []string{"America/Halifax", "Africa/Casablanca", "Asia/Tokyo", "Australia/Lord_Howe", "Europe/Lisbon"} {
		loc, err := zone.Load(name)
		require.NoError(t, err)
		table, diags := zone.NewTable([]*ical.Component{renamed(zone.Component(name, loc, 1990, 2040))})
		require.Empty(t, diags, name)
		back, err := table.Resolve("Written")
		require.NoError(t, err)
		for at := time.Date(1990, 1, 2, 0, 0, 0, 0, time.UTC); at.Year() < 2040; at = at.Add(11 * time.Hour) {
			require.Equal(t, at.In(loc).Format(time.DateTime), at.In(back).Format(time.DateTime), name)
		}
	}
}

// renamed gives a VTIMEZONE a name that the IANA does not know.
func renamed(c *ical.Component) *ical.Component {
	c.Properties[0].Value = "Written"
	return c
}

func TestBadZones(t *testing.T) {
	for want, body := range map[string]string{
		"neither STANDARD nor DAYLIGHT": "",
		"without DTSTART":               "BEGIN:STANDARD\nTZOFFSETFROM:+0000\nTZOFFSETTO:+0000\nEND:STANDARD\n",
		"not an offset":                 "BEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:0\nTZOFFSETTO:+0000\nEND:STANDARD\n",
		"not covered":                   "BEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0000\nTZOFFSETTO:+0000\nRRULE:FREQ=WEEKLY\nEND:STANDARD\n",
	} {
		cal, err := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\nBEGIN:VTIMEZONE\nTZID:Odd\n" + body + "END:VTIMEZONE\nEND:VCALENDAR\n")).ReadAll()
		require.NoError(t, err)
		table, diags := zone.NewTable(cal.Children("VTIMEZONE"))
		require.Len(t, diags, 1, want)
		assert.Contains(t, diags[0].Message, want)
		_, err = table.Resolve("Odd")
		assert.Error(t, err)
	}
}
