package cli_test

import (
	"maps"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// calendarOf is a calendar of the lines, which are an event's unless they begin something.
func calendarOf(lines ...string) string {
	if !strings.HasPrefix(lines[0], "BEGIN:") {
		lines = slices.Concat([]string{"BEGIN:VEVENT", "UID:a"}, lines, []string{"END:VEVENT"})
	}
	return strings.Join(slices.Concat([]string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:x"}, lines, []string{"END:VCALENDAR", ""}), "\r\n")
}

const anyStart = "DTSTART:20260703T090000Z"

// explained is a file for each code of docs/guide/check.md, and with what flags it is met.
var explained = map[string]struct{ text, flag string }{
	"empty":               {" \n", ""},
	"html":                {"<!DOCTYPE html><html></html>", ""},
	"login":               {"<!DOCTYPE html><html><input type=password></html>", ""},
	"zip":                 {"PK\x03\x04", ""},
	"archive":             {"\x1f\x8b\x08\x01", ""},
	"data":                {`{"events":[]}`, ""},
	"csv":                 {"from,to,guest\n", ""},
	"not-calendar":        {"hello", ""},
	"cut-off":             {"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n", ""},
	"too-large":           {calendarOf(anyStart), "--max-bytes=20"},
	"too-many-components": {calendarOf(anyStart), "--max-components=1"},
	"too-many-lines":      {calendarOf(anyStart), "--max-lines=3"},
	"too-many-calendars":  {calendarOf(anyStart) + calendarOf(anyStart), "--max-calendars=1"},
	"bad-line":            {calendarOf(anyStart, "nonsense"), ""},
	"mended-line":         {calendarOf("DTSTART : 20260703"), ""},
	"unbalanced":          {calendarOf(anyStart, "END:VTODO"), ""},
	"too-deep":            {calendarOf(anyStart, "BEGIN:A", "BEGIN:B", "END:B", "END:A"), "--max-depth=2"},
	"long-line":           {calendarOf(anyStart, "COMMENT:"+strings.Repeat("x", 300)), "--max-line=200"},
	"large-entry":         {calendarOf(anyStart, "COMMENT:"+strings.Repeat("x", 300)), "--max-entry=200"},
	"more-remarks":        {calendarOf(anyStart, "one", "two", "three"), "--max-remarks=2"},
	"utf-16":              {strings.Join(strings.Split(calendarOf(anyStart), ""), "\x00") + "\x00", ""},
	"not-utf8":            {calendarOf(anyStart, "SUMMARY:caf\xe9"), ""},
	"junk-before":         {"notice\r\n" + calendarOf(anyStart), ""},
	"after-end":           {calendarOf(anyStart) + "the end\r\n", ""},
	"several-calendars":   {calendarOf(anyStart) + calendarOf(anyStart), ""},
	"missing-version":     {strings.Replace(calendarOf(anyStart), "VERSION", "X-V", 1), ""},
	"missing-prodid":      {strings.Replace(calendarOf(anyStart), "PRODID", "X-P", 1), ""},
	"bad-value":           {calendarOf(anyStart, "PRIORITY:urgent"), ""},
	"no-start":            {calendarOf("SUMMARY:x"), ""},
	"bad-start":           {calendarOf("DTSTART:soon"), ""},
	"bad-end":             {calendarOf(anyStart, "DTEND:later"), ""},
	"bad-duration":        {calendarOf(anyStart, "DURATION:long"), ""},
	"mixed-end":           {calendarOf(anyStart, "DTEND:20260705"), ""},
	"ends-before-start":   {calendarOf(anyStart, "DTEND:20260701T090000Z"), ""},
	"no-uid":              {strings.Replace(calendarOf(anyStart), "UID:a\r\n", "", 1), ""},
	"uid-twice":           {calendarOf(anyStart, "END:VEVENT", "BEGIN:VEVENT", "UID:a", "DTSTART:20260801"), ""},
	"not-a-booking":       {calendarOf("BEGIN:VTODO", "UID:t", "END:VTODO"), ""},
	"bad-period":          {calendarOf("BEGIN:VFREEBUSY", "UID:f", "FREEBUSY:now and then", "END:VFREEBUSY"), ""},
	"rule-not-covered":    {calendarOf(anyStart, "RRULE:RSCALE=CHINESE;FREQ=YEARLY"), ""},
	"rule-of-times":       {calendarOf("DTSTART:20260703", "RRULE:FREQ=HOURLY"), ""},
	"rule-gives-nothing":  {calendarOf(anyStart, "RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"), ""},
	"too-many":            {calendarOf(anyStart, "RRULE:FREQ=DAILY"), "--max-occurrences=5"},
	"until-type":          {calendarOf(anyStart, "RRULE:FREQ=DAILY;UNTIL=20260705"), ""},
	"bad-rdate":           {calendarOf(anyStart, "RDATE:soon"), ""},
	"bad-exdate":          {calendarOf(anyStart, "RRULE:FREQ=DAILY;COUNT=2", "EXDATE:soon"), ""},
	"bad-recurrence-id":   {calendarOf(anyStart, "RECURRENCE-ID:soon"), ""},
	"range-alone":         {calendarOf(anyStart, "RECURRENCE-ID;RANGE=THISANDFUTURE:20260703T090000Z"), ""},
	"unknown-zone":        {calendarOf("DTSTART;TZID=Nowhere:20260703T090000"), ""},
	"bad-zone":            {calendarOf("BEGIN:VTIMEZONE", "TZID:Z", "END:VTIMEZONE"), ""},
	"zone-twice":          {calendarOf("BEGIN:VTIMEZONE", "TZID:Z", "END:VTIMEZONE", "BEGIN:VTIMEZONE", "TZID:Z", "X-A:1", "END:VTIMEZONE"), ""},
	"zone-without-id":     {calendarOf("BEGIN:VTIMEZONE", "END:VTIMEZONE"), ""},
}

// TestEveryRemark: every code that the guide explains is met with, and the guide explains
// every one that is.
func TestEveryRemark(t *testing.T) {
	guide, err := os.ReadFile("../docs/guide/check.md")
	require.NoError(t, err)
	var rows []string
	for _, m := range regexp.MustCompile("(?m)^\\| `([a-z0-9-]+)` \\|").FindAllStringSubmatch(string(guide), -1) {
		rows = append(rows, m[1])
	}
	assert.Equal(t, slices.Sorted(maps.Keys(explained)), slices.Sorted(slices.Values(rows)))
	for code, file := range explained {
		args := []string{"file", "check", "-", "--json"}
		if file.flag != "" {
			args = append(args, file.flag)
		}
		out, errs, exit := run(file.text, args...)
		assert.Contains(t, out, `"code":"`+code+`"`, code)
		assert.Empty(t, errs, code)
		assert.LessOrEqual(t, exit, 1, code)
		if file.flag != "" {
			without, _, _ := run(file.text, args[:4]...)
			assert.NotContains(t, without, `"code":"`+code+`"`, "%s without its limit", code)
		}
	}
	out, _, exit := run(calendarOf(anyStart), "file", "check", "-", "--json")
	assert.Empty(t, out, "nothing is said of what is right")
	assert.Zero(t, exit)
}
