package e2e

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestOddFeed: a feed in UTF-16 with a vendor's zone, two calendars, a missing END, a change of
// "this and all later ones" and a line of nonsense is on the calendar as its author meant it.
func TestOddFeed(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	monday := now().UTC().AddDate(0, 0, 7)
	for monday.Weekday() != time.Monday {
		monday = monday.AddDate(0, 0, 1)
	}
	day := func(n int) string { return monday.AddDate(0, 0, n).Format("20060102") }
	text := strings.NewReplacer("MON1", day(0), "MON2", day(7), "MON3", day(14), "WED1", day(2), "THU1", day(3)).Replace(strings.Join([]string{
		"BEGIN:VCALENDAR", "VERSION:2.0", "BEGIN:VEVENT", "UID:lift", "DTSTART;TZID=Tokyo Standard Time:MON1T090000", "DURATION:PT1H", "RRULE:FREQ=WEEKLY;COUNT=3", "SUMMARY:Lift Æolus", "END:VEVENT",
		"BEGIN:VEVENT", "UID:lift", "RECURRENCE-ID;RANGE=THISANDFUTURE;TZID=Tokyo Standard Time:MON2T090000", "DTSTART;TZID=Tokyo Standard Time:MON2T130000", "DURATION:PT2H", "SUMMARY:Lift Æolus, later", "END:VEVENT",
		"END:VCALENDAR", "BEGIN:VCALENDAR", "X-WR-TIMEZONE:Asia/Tokyo", "BEGIN:VEVENT", "UID:mast", "dtstart : WED1T100000", "DURATION:PT30M", "SUMMARY:Mast", "nonsense",
		"BEGIN:VEVENT", "UID:paint", "DTSTART:THU1T100000", "DURATION:PT30M", "SUMMARY:Paint", "END:VEVENT", "END:VCALENDAR", ""}, "\r\n"))
	raw := []byte{0xff, 0xfe}
	for _, unit := range utf16.Encode([]rune(text)) {
		raw = append(raw, byte(unit), byte(unit>>8))
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write(raw) }))
	t.Cleanup(server.Close)

	w.run("", "calendar", "add", "Crane", "--zone", "Asia/Tokyo", "--grain", "time")
	said := w.run("", "feed", "add", server.URL, "--platform", "Yard", "--name", "Old export", "--calendar", "Crane")
	assert.Contains(t, said, "3 entries")
	for _, remark := range []string{"before the END of VEVENT", `the line was read as "dtstart:`, `"nonsense" is not a name`} {
		assert.Contains(t, said, remark)
	}
	shown := w.run("", "calendar", "show", "Crane", "--to", monday.AddDate(0, 0, 30).Format(time.DateOnly))
	want := []struct {
		day          int
		clock, title string
	}{{0, "09:00", "Lift Æolus"}, {2, "10:00", "Mast"}, {3, "10:00", "Paint"}, {7, "13:00", "Lift Æolus, later"}, {14, "13:00", "Lift Æolus, later"}}
	var lines []string
	for line := range strings.Lines(shown) {
		if strings.Contains(line, "Old export") {
			lines = append(lines, line)
		}
	}
	require.Len(t, lines, len(want), shown)
	for i, b := range want {
		assert.Contains(t, lines[i], monday.AddDate(0, 0, b.day).Format(time.DateOnly)+" "+b.clock, shown)
		assert.Contains(t, lines[i], b.title)
	}
}
