package cli_test

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/cli"
)

// files of the table below, by name.
var files = map[string]string{
	"class.ics": `BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//x//EN
BEGIN:VEVENT
UID:class
DTSTART;TZID=America/Halifax:20260706T180000
DTEND;TZID=America/Halifax:20260706T193000
RRULE:FREQ=WEEKLY;COUNT=3
EXDATE;TZID=America/Halifax:20260713T180000
SUMMARY:Class
END:VEVENT
END:VCALENDAR
`,
	"stay.ics": `BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//x//EN
BEGIN:VEVENT
UID:stay
DTSTART;VALUE=DATE:20260706
DTEND;VALUE=DATE:20260708
STATUS:TENTATIVE
SUMMARY:Stay
END:VEVENT
END:VCALENDAR
`,
	"revisions.ics": `BEGIN:VCALENDAR
VERSION:2.0
X-WR-TIMEZONE:Asia/Tokyo
BEGIN:VEVENT
UID:class
SEQUENCE:1
DTSTART;TZID=America/Halifax:20260707T180000
DTEND;TZID=America/Halifax:20260707T193000
SUMMARY:Class\, moved
END:VEVENT
BEGIN:VEVENT
SUMMARY:no uid
DTSTART:20260901T090000
END:VEVENT
BEGIN:VEVENT
SUMMARY:no uid
DTSTART:20260901T090000
END:VEVENT
END:VCALENDAR
`,
	"page.html": "<!doctype html><html></html>",
	"odd.ics": `BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//x//EN
BEGIN:VEVENT
UID:odd
DTSTART;TZID=Harbour Time:20260706T180000
DTEND:20260706T193000
RRULE:RSCALE=CHINESE;FREQ=YEARLY
END:VEVENT
nonsense
END:VCALENDAR
`,
}

func TestFileCommands(t *testing.T) {
	dir := t.TempDir()
	for name, text := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	t.Chdir(dir)
	week := "--from 2026-07-01 --to 2026-08-01"
	for _, tc := range []struct {
		name, args, stdin string
		code              int
		out               []string // lines, whole
		errs              string   // contained
	}{
		{name: "expand", args: "expand class.ics --json " + week, out: []string{
			`{"uid":"class","recurrence_id":"2026-07-06T21:00:00Z","start":"2026-07-06T21:00:00Z","end":"2026-07-06T22:30:00Z","all_day":false,"status":"confirmed","transparent":false,"summary":"Class"}`,
			`{"uid":"class","recurrence_id":"2026-07-20T21:00:00Z","start":"2026-07-20T21:00:00Z","end":"2026-07-20T22:30:00Z","all_day":false,"status":"confirmed","transparent":false,"summary":"Class"}`}},
		{name: "expand from standard input, flags first", args: "expand --json " + week + " -", stdin: files["stay.ics"], out: []string{
			`{"uid":"stay","start":"2026-07-06","end":"2026-07-08","all_day":true,"status":"tentative","transparent":false,"summary":"Stay"}`}},
		{name: "expand by default from today for a year", args: "expand stay.ics --json", out: []string{
			`{"uid":"stay","start":"2026-07-06","end":"2026-07-08","all_day":true,"status":"tentative","transparent":false,"summary":"Stay"}`}},
		{name: "expand takes one file", args: "expand class.ics stay.ics", code: 2, errs: "takes FILE"},
		{name: "expand, a bad date", args: "expand class.ics --from July", code: 2, errs: "write it as 2026-07-03"},
		{name: "expand, a file that is not there", args: "expand none.ics", code: 1, errs: "none.ics cannot be read"},
		{name: "expand, for people, in local time", args: "expand class.ics --zone America/Halifax " + week, out: []string{
			"Start             End               Title  Status     UID",
			"2026-07-06 18:00  2026-07-06 19:30  Class  confirmed  class",
			"2026-07-20 18:00  2026-07-20 19:30  Class  confirmed  class",
			"2 occurrences from 2026-07-01 to 2026-08-01, times in America/Halifax."}},
		{name: "check, all well", args: "check class.ics --json", out: nil},
		{name: "check, what is odd but can be read", args: "check odd.ics --json", out: []string{
			`{"line":6,"severity":"warning","code":"unknown-zone","message":"the time zone \"Harbour Time\" is not known: read in the zone of the calendar"}`,
			`{"line":8,"severity":"warning","code":"rule-not-covered","message":"the repetition of \"\" is not understood (RSCALE=CHINESE: only the Gregorian calendar is covered): only its first date counts"}`,
			`{"line":10,"severity":"error","code":"bad-line","message":"\"nonsense\" is not a name, a colon and a value: the line was passed over"}`}},
		{name: "check, a web page", args: "check page.html --json", code: 1, out: []string{
			`{"line":1,"severity":"error","code":"html","message":"this is a web page, not a calendar: copy the link of the calendar feed (often called iCal, ICS or export link), not the address of the page it is shown on"}`}},
		{name: "conflicts, by day, tentative", args: "conflicts class.ics stay.ics --grain day --zone America/Halifax --json " + week, code: 1, out: []string{
			`{"kind":"tentative_clash","start":"2026-07-06","end":"2026-07-07","bookings":[{"file":"class.ics","uid":"class","start":"2026-07-06","end":"2026-07-07"},{"file":"stay.ics","uid":"stay","start":"2026-07-06","end":"2026-07-08"}]}`}},
		{name: "conflicts, by time", args: "conflicts class.ics class.ics - --json " + week, code: 1, stdin: strings.ReplaceAll(files["class.ics"], "UID:class", "UID:other"), out: []string{
			`{"kind":"double_booking","start":"2026-07-06T21:00:00Z","end":"2026-07-06T22:30:00Z","bookings":[{"file":"class.ics","uid":"class","start":"2026-07-06T21:00:00Z","end":"2026-07-06T22:30:00Z"},{"file":"-","uid":"other","start":"2026-07-06T21:00:00Z","end":"2026-07-06T22:30:00Z"}]}`,
			`{"kind":"double_booking","start":"2026-07-20T21:00:00Z","end":"2026-07-20T22:30:00Z","bookings":[{"file":"class.ics","uid":"class","start":"2026-07-20T21:00:00Z","end":"2026-07-20T22:30:00Z"},{"file":"-","uid":"other","start":"2026-07-20T21:00:00Z","end":"2026-07-20T22:30:00Z"}]}`}},
		{name: "conflicts, for people, in local time", args: "conflicts class.ics - --zone America/Halifax " + "--from 2026-07-06 --to 2026-07-07", code: 1, stdin: strings.ReplaceAll(files["class.ics"], "UID:class", "UID:other"), out: []string{
			"Conflict        From              Until             File       Booked from       Booked until      UID",
			"double booking  2026-07-06 18:00  2026-07-06 19:30  class.ics  2026-07-06 18:00  2026-07-06 19:30  class",
			"                                                    -          2026-07-06 18:00  2026-07-06 19:30  other",
			"1 conflict at capacity 1, reckoned by time, times in America/Halifax."}},
		{name: "conflicts, none on nights", args: "conflicts class.ics stay.ics --grain night --json " + week},
		{name: "conflicts, enough room", args: "conflicts class.ics stay.ics --grain day --capacity 2 --json " + week},
		{name: "conflicts, one file unreadable, the others still done", args: "conflicts page.html stay.ics --json " + week, code: 1, errs: "page.html: this is a web page"},
		{name: "conflicts, a wrong grain", args: "conflicts stay.ics --grain week", code: 2, errs: "use night, day or time"},
		{name: "conflicts, capacity 0", args: "conflicts stay.ics --capacity 0", code: 2, errs: "--capacity"},
	} {
		t.Run(tc.name, func(t *testing.T) {
			out, errs, code := run(tc.stdin, append([]string{"file"}, strings.Fields(tc.args)...)...)
			assert.Equal(t, tc.code, code, errs)
			want := strings.Join(tc.out, "\n")
			assert.Equal(t, want, strings.TrimSuffix(out, "\n"))
			assert.Contains(t, errs, tc.errs)
		})
	}

	out, errs, code := run("", "file", "merge", "class.ics", "revisions.ics", "stay.ics", "class.ics", "--output", "merged.ics")
	require.Equal(t, 0, code, errs)
	require.Empty(t, out)
	text, err := os.ReadFile("merged.ics")
	require.NoError(t, err)
	assert.Equal(t, 4, strings.Count(string(text), "BEGIN:VEVENT"), "the older revision and the copy are left out, what has no UID is not")
	assert.Equal(t, 2, strings.Count(string(text), "BEGIN:VTIMEZONE"), "each zone used is explained once")
	assert.Contains(t, string(text), "DTSTART;TZID=Asia/Tokyo:20260901T090000", "a floating time keeps the zone of its own file")
	assert.Contains(t, string(text), `SUMMARY:Class\, moved`)
	expanded, _, _ := run("", "file", "expand", "merged.ics", "--json", "--from", "2026-07-01", "--to", "2026-08-01")
	assert.Equal(t, 2, strings.Count(expanded, "\n"))

	_, errs, code = run("", "file", "merge", "stay.ics", "page.html", "--output", "partly.ics")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "page.html: this is a web page")
	assert.FileExists(t, "partly.ics")
}

// run runs a command line on a clock that stands still.
func run(stdin string, args ...string) (out, errs string, code int) {
	var o, e bytes.Buffer
	code = cli.Run(context.Background(), append([]string{"wharf"}, args...), cli.Env{In: strings.NewReader(stdin), Out: &o, Err: &e,
		Now: func() time.Time { return time.Date(2026, 7, 6, 12, 0, 0, 0, time.UTC) }})
	return o.String(), e.String(), code
}

// TestCutOff: of a file that ends before its END, all commands but check take what is whole,
// say so, and exit with 1; an event that is cut through is not whole.
func TestCutOff(t *testing.T) {
	t.Chdir(t.TempDir())
	whole := strings.ReplaceAll(files["stay.ics"], "END:VCALENDAR\n", "")
	cut := whole + "BEGIN:VEVENT\nUID:half\nDTSTART;VALUE=DATE:20260707\n"
	require.NoError(t, os.WriteFile("cut.ics", []byte(cut), 0o600))
	require.NoError(t, os.WriteFile("no-end.ics", []byte(whole), 0o600))
	require.NoError(t, os.WriteFile("stay.ics", []byte(strings.ReplaceAll(files["stay.ics"], "UID:stay", "UID:other")), 0o600))
	want, _, _ := run("", "file", "expand", "stay.ics", "--json")
	want = strings.ReplaceAll(want, `"other"`, `"stay"`)
	require.Contains(t, want, "2026-07-06")
	for _, args := range [][]string{{"cut.ics"}, {"no-end.ics"}, {"-"}} {
		out, errs, code := run(cut, append([]string{"file", "expand", "--json"}, args...)...)
		assert.Equal(t, 1, code)
		assert.Equal(t, want, out, args)
		assert.Contains(t, errs, args[0]+" is cut off before its end (END:VCALENDAR is missing): what is whole of it was taken")
		assert.Equal(t, 1, strings.Count(errs, "\n"), errs)
	}
	out, errs, code := run("", "file", "conflicts", "cut.ics", "stay.ics", "--grain", "day", "--json")
	assert.Equal(t, 1, code)
	assert.Contains(t, out, `"tentative_clash"`)
	assert.NotContains(t, out, "half")
	assert.Contains(t, errs, "cut.ics is cut off")
	_, errs, code = run("", "file", "conflicts", "cut.ics", "--grain", "day")
	assert.Equal(t, 1, code, "what was not read may clash")
	assert.Contains(t, errs, "cut off")
	out, errs, code = run("", "file", "merge", "cut.ics", "stay.ics")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "not or not wholly in the merged calendar")
	assert.Equal(t, 2, strings.Count(out, "BEGIN:VEVENT"))
	_, _, code = run("", "file", "check", "cut.ics")
	assert.Equal(t, 1, code)
}

// TestFileLimits: what is beyond a limit is left out, or the file refused, and always told.
func TestFileLimits(t *testing.T) {
	t.Chdir(t.TempDir())
	event := "BEGIN:VEVENT\r\nUID:s\r\nDTSTART:20260706T000000Z\r\nRRULE:FREQ=HOURLY\r\nDESCRIPTION:" + strings.Repeat("boots ", 50) + "\r\nBEGIN:X\r\nBEGIN:X\r\nEND:X\r\nEND:X\r\nEND:VEVENT\r\n"
	text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n" + event + "END:VCALENDAR\r\n"
	require.NoError(t, os.WriteFile("s.ics", []byte(text), 0o600))
	for _, tc := range []struct {
		flag, code string
		exit       int
	}{
		{"--max-bytes=200", "too-large", 1},
		{"--max-components=3", "too-many-components", 1},
		{"--max-line=100", "long-line", 0},
		{"--max-entry=100", "large-entry", 0},
		{"--max-depth=2", "too-deep", 0},
		{"--max-occurrences=10", "too-many", 0},
		{"--max-bytes=1000000", "", 0},
	} {
		out, errs, code := run("", "file", "check", "s.ics", "--json", tc.flag)
		assert.Equal(t, tc.exit, code, tc.flag+errs)
		assert.Contains(t, out, tc.code, tc.flag)
		assert.Equal(t, tc.code == "", out == "", out)
	}
	_, errs, code := run(text, "file", "expand", "-", "--max-bytes", "200")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "larger than", "also of a pipe")
}

// TestExpandInOrder: what is more than memory should hold comes in the same order, by start
// and then UID, and leaves nothing behind.
func TestExpandInOrder(t *testing.T) {
	t.Chdir(t.TempDir())
	t.Setenv("TMPDIR", t.TempDir())
	var b strings.Builder
	b.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n")
	for _, uid := range []string{"c", "a", "b"} {
		b.WriteString("BEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTART:20260706T000000Z\r\nRRULE:FREQ=MINUTELY;COUNT=30000\r\nSUMMARY:" + strings.Repeat("boots ", 20) + "\r\nEND:VEVENT\r\n")
	}
	b.WriteString("END:VCALENDAR\r\n")
	require.NoError(t, os.WriteFile("s.ics", []byte(b.String()), 0o600))
	out, errs, code := run("", "file", "expand", "s.ics", "--json")
	require.Equal(t, 0, code, errs)
	require.Greater(t, len(out), 20<<20, "more than is kept in memory")
	lines := strings.Split(strings.TrimSuffix(out, "\n"), "\n")
	require.Len(t, lines, 90_000)
	at := time.Date(2026, 7, 6, 0, 0, 0, 0, time.UTC)
	for i, line := range lines {
		start := at.Add(time.Duration(i/3) * time.Minute).Format(time.RFC3339)
		require.True(t, strings.HasPrefix(line, `{"uid":"`+"abc"[i%3:i%3+1]+`","recurrence_id":"`+start+`","start":"`+start+`"`), "%d: %s", i, line)
	}
	left, err := os.ReadDir(os.Getenv("TMPDIR"))
	require.NoError(t, err)
	assert.Empty(t, left)
	piped, _, _ := run(b.String(), "file", "expand", "-", "--json")
	assert.True(t, out == piped, "the same of a pipe")
}
