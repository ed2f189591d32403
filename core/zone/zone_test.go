package zone_test

import (
	"archive/zip"
	"math/rand"
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
		assert.Equal(t, tc.want, zone.Instant(span.WallOf(wall), loc).UTC().Format(time.RFC3339), tc.why)
		c := zone.Of(loc).Cursor()
		assert.Equal(t, tc.want, time.Unix(c.Instant(span.WallOf(wall)), 0).UTC().Format(time.RFC3339), tc.why)
	}
}

// vtimezones reads VTIMEZONEs.
func vtimezones(t *testing.T, text string) (*zone.Table, []ical.Diagnostic) {
	t.Helper()
	calendars, err := ical.NewReader(strings.NewReader(text)).ReadAll()
	require.NoError(t, err)
	return zone.NewTable(calendars[0].Children("VTIMEZONE"))
}

func TestVTimezoneEqualsTheRealZone(t *testing.T) {
	table, diags := vtimezones(t, vendorZone)
	require.Empty(t, diags)
	own, err := table.Resolve("Harbour Time")
	require.NoError(t, err)
	halifax, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	for at := time.Date(2008, 1, 1, 0, 30, 0, 0, time.UTC); at.Year() < 2037; at = at.Add(7 * time.Hour) {
		require.Equal(t, at.In(halifax).Format(time.DateTime), at.In(own.Location()).Format(time.DateTime))
		require.Equal(t, span.WallOf(at.In(halifax)), own.Wall(at.Unix()))
	}
}

// everyZone is all of the IANA data.
func everyZone(t *testing.T) map[string]*time.Location {
	t.Helper()
	archive, err := zip.OpenReader("zoneinfo.zip")
	require.NoError(t, err)
	defer archive.Close()
	all := map[string]*time.Location{}
	for _, f := range archive.File {
		if strings.HasSuffix(f.Name, "/") {
			continue
		}
		all[f.Name], err = zone.Load(f.Name)
		require.NoError(t, err)
	}
	require.Greater(t, len(all), 400)
	return all
}

// TestTables: the offsets that are laid out are those of package time, in every zone.
func TestTables(t *testing.T) {
	rnd := rand.New(rand.NewSource(1))
	for name, loc := range everyZone(t) {
		z := zone.Of(loc)
		c := z.Cursor()
		for range 100 {
			at := time.Date(1880+rnd.Intn(300), time.Month(1+rnd.Intn(12)), 1+rnd.Intn(31), rnd.Intn(24), 30*rnd.Intn(2), 0, 0, time.UTC)
			w := span.WallOf(at)
			require.Equal(t, zone.Instant(w, loc).Unix(), c.Instant(w), "%s %s", name, at)
			require.Equal(t, span.WallOf(at.In(loc)), z.Wall(at.Unix()), "%s %s", name, at)
			require.Equal(t, w.Date().Start(loc).Unix(), c.Day(w.Date()), "%s %s", name, at)
		}
	}
}

func TestResolve(t *testing.T) {
	table, diags := vtimezones(t, strings.ReplaceAll(vendorZone, "END:VCALENDAR\n", `BEGIN:VTIMEZONE
TZID:Europe/Lisbon
BEGIN:STANDARD
DTSTART:16010101T000000
TZOFFSETFROM:+0500
TZOFFSETTO:+0500
END:STANDARD
END:VTIMEZONE
BEGIN:VTIMEZONE
TZID:Several
BEGIN:STANDARD
DTSTART:20000101T000000
TZOFFSETFROM:+0100
TZOFFSETTO:+0200
RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU;UNTIL=20041030T230000Z
RDATE:20101031T000000,20111030T000000
END:STANDARD
BEGIN:DAYLIGHT
DTSTART:20000326T000000
TZOFFSETFROM:+0200
TZOFFSETTO:+0300
RRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU
END:DAYLIGHT
BEGIN:STANDARD
DTSTART:20120101T000000
TZOFFSETFROM:+0300
TZOFFSETTO:+0400
END:STANDARD
END:VTIMEZONE
BEGIN:VTIMEZONE
TZID:Several
END:VTIMEZONE
END:VCALENDAR
`))
	require.Len(t, diags, 1)
	assert.Equal(t, "zone-twice", diags[0].Code)
	for _, tc := range []struct{ tzid, at, want string }{
		{"Europe/Lisbon", "2026-07-03T12:00:00Z", "17:00"}, // as the document says, odd as it is
		{" \"Harbour Time\" ", "2026-07-03T12:00:00Z", "09:00"},
		{"Several", "1990-01-01T00:00:00Z", "01:00"}, // before the first: the offset before it
		{"Several", "2004-12-01T00:00:00Z", "02:00"},
		{"Several", "2005-12-01T00:00:00Z", "03:00"}, // the rule has ended
		{"Several", "2010-12-01T00:00:00Z", "02:00"},
		{"Several", "2011-06-01T00:00:00Z", "03:00"},
		{"Several", "2012-02-01T00:00:00Z", "04:00"},
		{"America/Halifax", "2026-07-03T12:00:00Z", "09:00"},
		{"america/halifax", "2026-07-03T12:00:00Z", "09:00"},
		{"America/New York", "2026-07-03T12:00:00Z", "08:00"},
		{"/made.up.example/2026/America/Halifax", "2026-07-03T12:00:00Z", "09:00"},
		{"made.up.example/America/Argentina/Ushuaia", "2026-07-03T12:00:00Z", "09:00"},
		{"US/Eastern", "2026-07-03T12:00:00Z", "08:00"},
		{"W. Europe Standard Time", "2026-07-03T12:00:00Z", "14:00"},
		{"(UTC-05:00) Eastern Time (US & Canada)", "2026-07-03T12:00:00Z", "08:00"},
		{"(GMT+01.00) Brussels, Copenhagen, Madrid, Paris", "2026-07-03T12:00:00Z", "14:00"},
		{"UTC", "2026-07-03T12:00:00Z", "12:00"},
		{"Z", "2026-07-03T12:00:00Z", "12:00"},
		{"GMT+0530", "2026-07-03T12:00:00Z", "17:30"},
		{"UTC-3:30", "2026-07-03T12:00:00Z", "08:30"},
		{"+02:00", "2026-07-03T12:00:00Z", "14:00"},
	} {
		z, err := table.Resolve(tc.tzid)
		if !assert.NoError(t, err, tc.tzid) {
			continue
		}
		at, err := time.Parse(time.RFC3339, tc.at)
		require.NoError(t, err)
		assert.Equal(t, tc.want, at.In(z.Location()).Format("15:04"), "%s at %s", tc.tzid, tc.at)
		assert.Equal(t, tc.want, z.Wall(at.Unix()).Time().Format("15:04"), "%s at %s, by the table", tc.tzid, tc.at)
	}
	for _, unknown := range []string{"Nowhere Time", "", "Europe/Atlantis", "UTC+99:99", "/", "Europe"} {
		_, err := table.Resolve(unknown)
		assert.ErrorContains(t, err, "is not known", unknown)
	}
	_, err := zone.Load("Europe/Atlantis")
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
		c := zone.Of(loc).Cursor()
		assert.Equal(t, d.Start(loc).Unix(), c.Day(d), tc.why)
	}
}

// TestComponentComesBack: a VTIMEZONE that we write says what the zone says, of every zone,
// also where its changes follow no yearly rule.
func TestComponentComesBack(t *testing.T) {
	for name, loc := range everyZone(t) {
		c := zone.Component(name, loc, 1970, 2060)
		table, diags := zone.NewTable([]*ical.Component{renamed(c)})
		require.Empty(t, diags, name)
		back, err := table.Resolve("Written")
		require.NoError(t, err)
		z := zone.Of(loc)
		for at := time.Date(1970, 1, 2, 0, 0, 0, 0, time.UTC); at.Year() < 2061; at = at.Add(300 * time.Hour) {
			require.Equal(t, z.Wall(at.Unix()), back.Wall(at.Unix()), "%s at %s:\n%s", name, at, c)
		}
	}
	halifax, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	assert.Contains(t, zone.Component("x", halifax, 2010, 2030).String(), "DTSTART:20100314T020000\r\nTZOFFSETFROM:-0400\r\nTZOFFSETTO:-0300\r\nTZNAME:ADT\r\nRRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=2SU\r\n", "by rules where it can be")
}

// renamed gives a VTIMEZONE a name that the IANA does not know.
func renamed(c *ical.Component) *ical.Component {
	return c.Map(func(_ *ical.Component, p ical.Property) (ical.Property, bool) {
		if p.Name == "TZID" {
			p.Value = "Written"
		}
		return p, true
	})
}

func TestBadZones(t *testing.T) {
	for want, body := range map[string]string{
		"neither STANDARD nor DAYLIGHT": "",
		"without DTSTART":               "BEGIN:STANDARD\nTZOFFSETFROM:+0000\nTZOFFSETTO:+0000\nEND:STANDARD\n",
		"not an offset":                 "BEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:0\nTZOFFSETTO:+0000\nEND:STANDARD\n",
		"changes more than":             "BEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0000\nTZOFFSETTO:+0000\nRRULE:FREQ=SECONDLY\nEND:STANDARD\n",
		"not a frequency":               "BEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0000\nTZOFFSETTO:+0000\nRRULE:FREQ=NEVER\nEND:STANDARD\n",
	} {
		table, diags := vtimezones(t, "BEGIN:VCALENDAR\nBEGIN:VTIMEZONE\nTZID:Odd\n"+body+"END:VTIMEZONE\nEND:VCALENDAR\n")
		require.Len(t, diags, 1, want)
		assert.Contains(t, diags[0].Message, want)
		_, err := table.Resolve("Odd")
		assert.Error(t, err)
	}
}

// FuzzZone holds that what a VTIMEZONE says is what one says that is written of it.
func FuzzZone(f *testing.F) {
	f.Add(vendorZone, int64(1782896400))
	f.Add("BEGIN:VCALENDAR\nBEGIN:VTIMEZONE\nTZID:A\nBEGIN:STANDARD\nDTSTART:20000101T000000\nTZOFFSETFROM:+2330\nTZOFFSETTO:-2330\nRDATE:20200101T000000\nEND:STANDARD\nEND:VTIMEZONE\nEND:VCALENDAR\n", int64(0))
	f.Fuzz(func(t *testing.T, text string, at int64) {
		calendars, err := ical.NewReader(strings.NewReader(text)).ReadAll()
		if err != nil || at < 0 || at > 4e9 {
			return
		}
		for _, c := range calendars[0].Children("VTIMEZONE") {
			table, diags := zone.NewTable([]*ical.Component{c})
			if len(diags) > 0 {
				continue
			}
			z, err := table.Resolve(c.Text("TZID"))
			require.NoError(t, err)
			again, diags := zone.NewTable([]*ical.Component{renamed(zone.Component("x", z.Location(), 1970, 2100))})
			require.Empty(t, diags)
			back, err := again.Resolve("Written")
			require.NoError(t, err)
			require.Equal(t, z.Wall(at), back.Wall(at))
			require.Equal(t, span.WallOf(time.Unix(at, 0).In(z.Location())), z.Wall(at))
			cursor := z.Cursor()
			w := z.Wall(at)
			require.LessOrEqual(t, cursor.Instant(w), at, "a reading that was seen is not in a gap: it is the first of its kind")
			require.Equal(t, w, z.Wall(cursor.Instant(w)))
		}
	})
}
