package ical_test

import (
	"errors"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
)

func TestReadAll(t *testing.T) {
	for _, tc := range []struct {
		name, text string
		want       string   // as written again
		codes      []string // of the diagnostics
	}{
		{
			name: "folded lines, parameters and nesting survive",
			text: "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nDTSTART;TZID=\"Atlantic/Azores\":2026\r\n 0703T090000\r\nsummary;x-p=a,\"b:c\":Day\r\n\t charter\\, two\r\nBEGIN:VALARM\r\nEND:VALARM\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
			want: "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nDTSTART;TZID=Atlantic/Azores:20260703T090000\r\nSUMMARY;X-P=a,\"b:c\":Day charter\\, two\r\nBEGIN:VALARM\r\nEND:VALARM\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
		},
		{
			name: "bare line feeds, a byte order mark and blank lines",
			text: "\xef\xbb\xbfBEGIN:VCALENDAR\n\nVERSION:2.0\nEND:VCALENDAR",
			want: "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nEND:VCALENDAR\r\n",
		},
		{
			name:  "a broken line is passed over and named",
			text:  "BEGIN:VCALENDAR\nBEGIN:VEVENT\nSUMMARY\nUID:1\nEND:VTODO\nEND:VEVENT\nEND:VCALENDAR\n",
			want:  "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
			codes: []string{"bad-line", "unbalanced"},
		},
		{
			name:  "Latin-1 is read and named",
			text:  "BEGIN:VCALENDAR\nX-A:caf\xe9\nEND:VCALENDAR\n",
			want:  "BEGIN:VCALENDAR\r\nX-A:café\r\nEND:VCALENDAR\r\n",
			codes: []string{"not-utf8"},
		},
		{
			name:  "two calendars in one file",
			text:  "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nEND:VEVENT\nEND:VCALENDAR\nBEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:2\nEND:VEVENT\nEND:VCALENDAR\n",
			want:  "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nUID:2\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
			codes: []string{"several-calendars"},
		},
	} {
		t.Run(tc.name, func(t *testing.T) {
			r := ical.NewReader(strings.NewReader(tc.text))
			got, err := r.ReadAll()
			require.NoError(t, err)
			assert.Equal(t, tc.want, got.String())
			var codes []string
			for _, d := range r.Diagnostics {
				codes = append(codes, d.Code)
			}
			assert.Equal(t, tc.codes, codes)
		})
	}
}

func TestNotACalendar(t *testing.T) {
	for code, text := range map[string]string{
		"empty":        " \r\n",
		"html":         "<!DOCTYPE html><html><body>Log in</body></html>",
		"zip":          "PK\x03\x04rest",
		"csv":          "from,to,guest\n2026-07-03,2026-07-04,Ann\n",
		"data":         `{"events":[]}`,
		"not-calendar": "hello",
		"cut-off":      "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\n",
		"too-deep":     "BEGIN:VCALENDAR\n" + strings.Repeat("BEGIN:X\n", 40),
	} {
		_, err := ical.NewReader(strings.NewReader(text)).ReadAll()
		var not *ical.NotCalendarError
		if assert.ErrorAs(t, err, &not, code) {
			assert.Equal(t, code, not.Code)
			assert.NotEmpty(t, not.Remedy)
		}
	}
	broken := errors.New("line broke")
	_, err := ical.NewReader(io.MultiReader(strings.NewReader("BEGIN:VCALENDAR\n"), errReader{broken})).ReadAll()
	assert.ErrorIs(t, err, broken, "an error of the stream is no verdict on the document")
}

type errReader struct{ err error }

func (r errReader) Read([]byte) (int, error) { return 0, r.err }

func TestWriteFolds(t *testing.T) {
	c := &ical.Component{Name: "VEVENT"}
	c.AddText("SUMMARY", strings.Repeat("é", 100)+"\nnext; line, \\")
	text := c.String()
	for _, line := range strings.Split(text, "\r\n") {
		assert.LessOrEqual(t, len(line), 75)
	}
	back, err := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\n" + text + "END:VCALENDAR\r\n")).Next()
	require.NoError(t, err)
	assert.Equal(t, strings.Repeat("é", 100)+"\nnext; line, \\", back.Text("SUMMARY"))
}

func TestParseMoment(t *testing.T) {
	at := time.Date(2026, 7, 3, 9, 0, 0, 0, time.UTC)
	for text, want := range map[string]ical.Moment{
		"20260703":         {Wall: time.Date(2026, 7, 3, 0, 0, 0, 0, time.UTC), Anchor: ical.DateOnly},
		"20260703T090000":  {Wall: at, Anchor: ical.Zoned, TZID: "Z1"},
		"20260703T090000Z": {Wall: at, Anchor: ical.UTC},
		"20260703T0900":    {Wall: at, Anchor: ical.Zoned, TZID: "Z1"},
		"20260703t085960z": {Wall: at.Add(-time.Second), Anchor: ical.UTC},
	} {
		got, err := ical.ParseMoment(text, "Z1")
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, bad := range []string{"", "2026-07-03", "20261303", "20260230", "20260703T2500", "tomorrow"} {
		_, err := ical.ParseMoment(bad, "")
		assert.Error(t, err, bad)
	}
}

func TestParseDuration(t *testing.T) {
	for text, want := range map[string]ical.Duration{
		"P2D":        {Days: 2},
		"P1W":        {Days: 7},
		"PT1H30M":    {Exact: 90 * time.Minute},
		"P1DT12H":    {Days: 1, Exact: 12 * time.Hour},
		"-PT15M":     {Exact: -15 * time.Minute},
		"P0DT0H0M5S": {Exact: 5 * time.Second},
	} {
		got, err := ical.ParseDuration(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, bad := range []string{"", "P", "1H", "P1H", "PT1D", "P12345678D", "PTM"} {
		_, err := ical.ParseDuration(bad)
		assert.Error(t, err, bad)
	}
}
