package publish_test

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/publish"
	"wharf/core/recur"
	"wharf/core/span"
	"wharf/core/zone"
)

func exported(t *testing.T, titles ...string) (all []publish.Exported) {
	halifax, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	for i, title := range titles {
		day := int64(span.NewDate(2026, 12, 20)) + int64(i)
		all = append(all, publish.Exported{Calendar: "Ketch", Grain: span.Night, Zone: halifax, UID: fmt.Sprint(i, "@wharf"), Span: span.Span{Start: day, End: day + 3}, Title: title, Tentative: i == 1})
	}
	return all
}

// hostileTexts are what a text of somebody else's can be.
var hostileTexts = []string{"=HYPERLINK(\"x\")", "+1", "-1", "@x", "\t=1", "\r=1", "a\r\nATTACH:x", "a\nEND:VEVENT", "with \"quotes\", and commas; and \\ back", "%0A", "|calc", "Zoë \u202e abc", ""}

func TestCSV(t *testing.T) {
	all := append(exported(t, hostileTexts...), publish.Exported{Calendar: "=Hall", Grain: span.Time, Zone: exported(t, "x")[0].Zone, Span: span.Span{Start: 1798459200, End: 1798464600}, Title: "Talk"},
		publish.Exported{Calendar: "Boat", Grain: span.Day, Span: span.Days(span.NewDate(2026, 12, 20), span.NewDate(2026, 12, 21)), Title: "One day"})
	text, err := publish.CSV(all)
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, len(all)+1)
	for i, row := range rows {
		require.Len(t, row, 7)
		for _, cell := range row {
			assert.NotContains(t, "=+-@\t\r|%", (cell + ".")[:1], "%q", cell)
		}
		if i > 0 && i <= len(hostileTexts) {
			assert.Contains(t, row[5], strings.ReplaceAll(hostileTexts[i-1], "\r", ""), "nothing else of it is lost")
		}
	}
	assert.Equal(t, []string{"Ketch", "2026-12-20", "2026-12-23", "3", "nights"}, rows[1][:5])
	assert.Equal(t, "tentative", rows[2][6])
	assert.Equal(t, []string{"'=Hall", "2026-12-28 08:00", "2026-12-28 09:30", "90", "minutes", "Talk", "firm"}, rows[len(rows)-2])
	assert.Equal(t, []string{"Boat", "2026-12-20", "2026-12-20", "1", "days", "One day", "firm"}, rows[len(rows)-1])
}

func TestICS(t *testing.T) {
	at := time.Date(2026, 11, 27, 8, 0, 0, 0, time.UTC)
	all := exported(t, hostileTexts...)
	text := publish.ICS("Saved\r\nX:y", all, at)
	doc, err := recur.Read(ical.NewReader(strings.NewReader(text)))
	require.NoError(t, err)
	require.Empty(t, doc.Diagnostics, text)
	require.Len(t, doc.Entries, len(all), "no text becomes a property")
	assert.NotContains(t, text, "\r\nATTACH")
	assert.NotContains(t, text, "\r\nX:y")
	assert.NotContains(t, text, "Ketch: ")
	all[0].Calendar = "Pontoon"
	assert.Contains(t, publish.ICS("Saved", all, at), "SUMMARY:Pontoon: ")
}
