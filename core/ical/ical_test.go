package ical_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/span"
)

var update = flag.Bool("update", false, "write testdata/quirks/*.want anew; read the difference before it is committed")

// TestQuirks reads each file of testdata/quirks and compares what was said of it, and what
// it is when written again, with the .want beside it. It also holds that the size of the
// pieces in which a stream comes changes nothing, nor whether components keep their bytes.
func TestQuirks(t *testing.T) {
	names, err := filepath.Glob("testdata/quirks/*.ics")
	require.NoError(t, err)
	require.Greater(t, len(names), 20)
	for _, name := range names {
		t.Run(strings.TrimSuffix(filepath.Base(name), ".ics"), func(t *testing.T) {
			raw, err := os.ReadFile(name)
			require.NoError(t, err)
			got := told(t, bytes.NewReader(raw), false)
			assert.Equal(t, got, told(t, iotest.OneByteReader(bytes.NewReader(raw)), false))
			assert.Equal(t, got, told(t, bytes.NewReader(raw), true), "copied from their own bytes")
			wanted := strings.TrimSuffix(name, ".ics") + ".want"
			if *update {
				require.NoError(t, os.WriteFile(wanted, []byte(got), 0o644))
			}
			want, err := os.ReadFile(wanted)
			require.NoError(t, err)
			assert.Equal(t, string(want), got)
		})
	}
}

// told is the remarks on a document, then the document, with line ends as LF.
func told(t *testing.T, in io.Reader, raw bool) string {
	r := ical.NewReader(in)
	r.Raw = raw
	calendars, err := r.ReadAll()
	require.NoError(t, err)
	var b strings.Builder
	for _, d := range r.Diagnostics {
		fmt.Fprintf(&b, "%d %s %s: %s\n", d.Line, d.Severity, d.Code, d.Message)
	}
	for _, c := range calendars {
		text := c.String()
		for _, line := range strings.SplitAfter(text, "\r\n") {
			assert.LessOrEqual(t, len(line), 77, line)
			assert.Equal(t, line == "", !strings.HasSuffix(line, "\r\n"), line)
		}
		again, err := ical.NewReader(strings.NewReader(text)).ReadAll()
		require.NoError(t, err)
		if unfolded := again[0].String(); !raw { // own bytes keep their own folds
			assert.Equal(t, text, unfolded, "what was written is read as it was meant")
		}
		b.WriteString(strings.ReplaceAll(again[0].String(), "\r\n", "\n"))
	}
	return b.String()
}

func TestNotACalendar(t *testing.T) {
	deep := strings.Repeat("BEGIN:X\n", 100_000)
	for code, text := range map[string]string{
		"empty":               " \r\n",
		"html":                "<!DOCTYPE html><html><body>Log in</body></html>",
		"login":               "<!DOCTYPE html>\n<html><body><form><input name=u><INPUT name=p Type='password'></form></body></html>",
		"zip":                 "PK\x03\x04rest",
		"archive":             "\x1f\x8b\x08",
		"csv":                 "from,to,guest\n2026-07-03,2026-07-04,Ann\n",
		"data":                `{"events":[]}`,
		"not-calendar":        "hello",
		"cut-off":             "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\n",
		"too-many-components": "BEGIN:VCALENDAR\n" + strings.Repeat("BEGIN:VEVENT\nEND:VEVENT\n", 101) + "END:VCALENDAR\n",
		"too-large":           "BEGIN:VCALENDAR\n" + strings.Repeat("X-A:1\n", 200_000) + "END:VCALENDAR\n",
	} {
		for _, text := range []string{text, "\xef\xbb\xbf" + text} {
			r := ical.NewReader(strings.NewReader(text))
			r.Limits.Components, r.Limits.Bytes = 101, 1<<20
			_, err := r.ReadAll()
			var not *ical.NotCalendarError
			if assert.ErrorAs(t, err, &not, code) {
				assert.Equal(t, code, strings.Replace(not.Code, "not-calendar", code, strings.Count(text, "\xef\xbb\xbfPK")+strings.Count(text, "\xef\xbb\xbf\x1f")), text[:min(len(text), 40)])
				assert.NotEmpty(t, not.Remedy)
			}
		}
	}
	_, err := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\n" + deep)).ReadAll()
	assert.Error(t, err)
	broken := errors.New("line broke")
	_, err = ical.NewReader(io.MultiReader(strings.NewReader("BEGIN:VCALENDAR\n"), iotest.ErrReader(broken))).ReadAll()
	assert.ErrorIs(t, err, broken, "an error of the stream is no verdict on the document")
}

// TestLimits: what is beyond them is left out and told, and the rest counts.
func TestLimits(t *testing.T) {
	event := func(inner string) string {
		return "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\n" + inner + "DTSTART:20260703\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nUID:2\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	}
	whole := "BEGIN:VEVENT\r\nUID:1\r\nDTSTART:20260703\r\nEND:VEVENT\r\n"
	nested := strings.Repeat("BEGIN:X\r\n", 100_000) + strings.Repeat("END:X\r\n", 100_000)
	for _, tc := range []struct {
		name, text, code string
		lines            int // of the whole stream
	}{
		{"nested 100,000 deep", event(nested), "too-deep", 200_009},
		{"a line of 50 MB", event("DESCRIPTION:" + strings.Repeat("x", 50<<20) + "\r\n"), "long-line", 10},
		{"a line of 20 MB in folds", event("DESCRIPTION:" + strings.Repeat("x\r\n ", 5<<20) + "\r\n"), "long-line", 10 + 5<<20},
		{"a million EXDATEs in a line", event("EXDATE:" + strings.Repeat("20260703T090000Z,", 1_000_000) + "\r\n"), "long-line", 10},
		{"more properties than an entry may have", event(strings.Repeat("EXDATE:20260703T090000Z\r\n", 1_000_000)), "large-entry", 1_000_009},
		{"more remarks than are kept", event(strings.Repeat("nonsense\r\n", 3000)), "bad-line", 3009},
	} {
		r := ical.NewReader(strings.NewReader(tc.text))
		r.Limits.Depth, r.Limits.Line = 10, 4<<20
		first, err := r.Next()
		require.NoError(t, err, tc.name)
		second, err := r.Next()
		require.NoError(t, err, tc.name)
		_, err = r.Next()
		require.ErrorIs(t, err, io.EOF, tc.name)
		if tc.code != "large-entry" && tc.code != "too-deep" {
			assert.Equal(t, whole, first.String(), tc.name)
		}
		assert.Equal(t, "1", first.Text("UID"))
		assert.Equal(t, "2", second.Text("UID"), tc.name)
		assert.Equal(t, tc.lines-3, second.Line, tc.name)
		require.NotEmpty(t, r.Diagnostics, tc.name)
		assert.Equal(t, tc.code, r.Diagnostics[0].Code, tc.name)
		assert.LessOrEqual(t, len(r.Diagnostics), r.Limits.Diagnostics+1)
	}
}

// TestWrite: nothing that a text holds can begin a line, and a line is folded between
// characters.
func TestWrite(t *testing.T) {
	for _, text := range []string{
		strings.Repeat("é", 100) + "\nnext; line, \\",
		"\r\nATTACH:http://elsewhere.example/\r\nX:",
		"one\rtwo\x00three\x0bfour\ttab",
		strings.Repeat("😀", 37) + strings.Repeat("x", 80),
		`\n is not a line end here: \\n`,
		strings.Repeat("x", 70), strings.Repeat("x", 67), strings.Repeat("x", 68), "",
	} {
		c := &ical.Component{Name: "VEVENT"}
		c.AddText("SUMMARY", text)
		c.Add("X-RAW", text, ical.Param{Name: "X-P", Values: []string{text, "b"}})
		written := c.String()
		for _, line := range strings.SplitAfter(written, "\r\n") {
			assert.LessOrEqual(t, len(line), 77)
			assert.NotContains(t, strings.TrimSuffix(line, "\r\n"), "\r")
		}
		back, err := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\n" + written + "END:VCALENDAR\r\n")).Next()
		require.NoError(t, err)
		require.Len(t, back.Properties(), 2, "%q", text)
		clean := strings.NewReplacer("\r\n", "\n", "\r", "\n", "\x00", "", "\x0b", "").Replace(text)
		assert.Equal(t, clean, back.Text("SUMMARY"))
		raw, _ := back.Get("X-RAW")
		assert.Equal(t, []ical.Param{{Name: "X-P", Values: []string{clean, "b"}}}, raw.Params())
	}
}

// TestChange: a component that was read with its bytes is written by its properties once
// it, or something in it, is changed.
func TestChange(t *testing.T) {
	const text = "BEGIN:VEVENT\r\nUID:1\r\nSUMMARY;LANGUAGE=en;X-P=1:Long\r\n  text\r\nBEGIN:VALARM\r\nTRIGGER:-PT15M\r\nEND:VALARM\r\nEND:VEVENT\r\n"
	read := func() *ical.Component {
		r := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\n" + text + "END:VCALENDAR\r\n"))
		r.Raw = true
		c, err := r.Next()
		require.NoError(t, err)
		return c
	}
	c := read()
	assert.Equal(t, text, c.String(), "as it stood, with its fold")
	c.Components()[0].Add("ACTION", "DISPLAY")
	assert.Equal(t, "BEGIN:VEVENT\r\nUID:1\r\nSUMMARY;LANGUAGE=en;X-P=1:Long text\r\nBEGIN:VALARM\r\nTRIGGER:-PT15M\r\nACTION:DISPLAY\r\nEND:VALARM\r\nEND:VEVENT\r\n", c.String())

	c = read()
	same := c.Map(func(_ *ical.Component, p ical.Property) (ical.Property, bool) { return p, true })
	assert.Same(t, c, same)
	less := c.Map(func(in *ical.Component, p ical.Property) (ical.Property, bool) {
		return p.WithParam("language").WithParam("X-P", "2", "3,4").WithParam("X-Q", "^"), in.Name != "VALARM" && p.Name != "UID"
	})
	assert.Equal(t, "BEGIN:VEVENT\r\nSUMMARY;X-P=2,\"3,4\";X-Q=^^:Long text\r\nBEGIN:VALARM\r\nEND:VALARM\r\nEND:VEVENT\r\n", less.String())
	assert.Equal(t, text, c.String(), "the original is as it was")
}

func TestReadOnlySome(t *testing.T) {
	r := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\nBEGIN:VEVENT\nuid:1\nDESCRIPTION:x\nBEGIN:VALARM\nUID:2\nEND:VALARM\nEND:VEVENT\nEND:VCALENDAR\n"))
	r.Only = map[string]bool{"UID": true}
	c, err := r.Next()
	require.NoError(t, err)
	assert.Equal(t, "BEGIN:VEVENT\r\nUID:1\r\nBEGIN:VALARM\r\nUID:2\r\nEND:VALARM\r\nEND:VEVENT\r\n", c.String())
}

// FuzzRead holds that what can be read is written so that it is read as the same, whatever
// the bytes and the pieces in which they come.
func FuzzRead(f *testing.F) {
	names, err := filepath.Glob("testdata/quirks/*.ics")
	require.NoError(f, err)
	for _, name := range names {
		raw, err := os.ReadFile(name)
		require.NoError(f, err)
		f.Add(raw)
	}
	f.Add(binary.LittleEndian.AppendUint16(nil, 0xd800))
	f.Fuzz(func(t *testing.T, raw []byte) {
		read := func(in io.Reader, keep bool) ([]*ical.Component, []ical.Diagnostic, error) {
			r := ical.NewReader(in)
			r.Raw = keep
			calendars, err := r.ReadAll()
			return calendars, r.Diagnostics, err
		}
		calendars, diags, err := read(bytes.NewReader(raw), false)
		slowly, slowDiags, slowErr := read(iotest.HalfReader(bytes.NewReader(raw)), true)
		require.Equal(t, fmt.Sprint(err), fmt.Sprint(slowErr))
		require.Equal(t, diags, slowDiags)
		if err != nil {
			return
		}
		require.Len(t, slowly, len(calendars))
		for i, c := range calendars {
			text := c.String()
			again, _, err := read(strings.NewReader(text), true)
			require.NoError(t, err)
			require.Len(t, again, 1)
			same(t, c, again[0])
			kept, _, err := read(strings.NewReader(slowly[i].String()), false)
			require.NoError(t, err)
			require.Equal(t, text, kept[0].String())
		}
	})
}

// same holds that two components have the same names, parameters and values, and in their
// values nothing but control characters is lost.
func same(t *testing.T, a, b *ical.Component) {
	require.Equal(t, a.Name, b.Name)
	require.Len(t, b.Properties(), len(a.Properties()))
	for i, p := range a.Properties() {
		q := b.Properties()[i]
		require.Equal(t, p.Name, q.Name)
		if p.Value == q.Value {
			params := p.Params()
			for _, param := range params {
				for n, v := range param.Values {
					param.Values[n] = strings.Map(dropControl, strings.ReplaceAll(v, "\r", "\n"))
				}
			}
			require.Equal(t, params, q.Params())
			require.Equal(t, decoded(p), decoded(q))
		} else {
			require.True(t, strings.ContainsFunc(p.Value, func(c rune) bool { return c < 0x20 || c == 0x7f }), "%q became %q", p.Value, q.Value)
		}
	}
	require.Len(t, b.Components(), len(a.Components()))
	for i, sub := range a.Components() {
		same(t, sub, b.Components()[i])
	}
}

// dropControl leaves out what no value can have; a line end may stand in a parameter as ^n.
func dropControl(c rune) rune {
	if c < 0x20 && c != '\t' && c != '\n' || c == 0x7f {
		return -1
	}
	return c
}

func decoded(p ical.Property) (all []string) {
	for v, err := range p.Values() {
		all = append(all, fmt.Sprintf("%+v %v", v, err))
	}
	return all
}

// TestValues decodes every type of value (RFC 5545 section 3.3).
func TestValues(t *testing.T) {
	at := func(day, clock int) span.Wall { return span.NewWall(span.NewDate(2026, time.July, day), clock, 0, 0) }
	for _, tc := range []struct {
		line string
		want []ical.Value
	}{
		{"DTSTART:20260703", []ical.Value{{Type: ical.Date, Moment: ical.Moment{Wall: at(3, 0)}}}},
		{"DTSTART;VALUE=DATE:20260703", []ical.Value{{Type: ical.Date, Moment: ical.Moment{Wall: at(3, 0)}}}},
		{"DTSTART;tzid=\"A/B\":20260703T090000", []ical.Value{{Type: ical.DateTime, Moment: ical.Moment{Wall: at(3, 9), Anchor: ical.Zoned, TZID: "A/B"}}}},
		{"EXDATE:20260703T090000Z,20260704t09z,20260705T0900", []ical.Value{{Type: ical.DateTime, Moment: ical.Moment{Wall: at(3, 9), Anchor: ical.UTC}}, {}, {Type: ical.DateTime, Moment: ical.Moment{Wall: at(5, 9), Anchor: ical.Floating}}}},
		{"X-TIME;VALUE=TIME:090000", []ical.Value{{Type: ical.Time, Moment: ical.Moment{Wall: 9 * 3600, Anchor: ical.Floating}}}},
		{"TRIGGER:-P1DT2H", []ical.Value{{Type: ical.DurationType, Duration: ical.Duration{Days: -1, Exact: -2 * time.Hour}}}},
		{"FREEBUSY:20260703T090000Z/PT1H", []ical.Value{{Type: ical.PeriodType, ByLength: true, Moment: ical.Moment{Wall: at(3, 9), Anchor: ical.UTC}, Duration: ical.Duration{Exact: time.Hour}}}},
		{"FREEBUSY:20260703T090000Z", []ical.Value{{}}},
		{"GEO:45.5;-63.25", []ical.Value{{Type: ical.Float, Number: 45.5}, {Type: ical.Float, Number: -63.25}}},
		{"SEQUENCE: 7", []ical.Value{{Type: ical.Integer, Number: 7}}},
		{"SEQUENCE:7.5", []ical.Value{{}}},
		{"TZOFFSETTO:-033015", []ical.Value{{Type: ical.UTCOffset, Number: -12615}}},
		{"X-ON;VALUE=BOOLEAN:true", []ical.Value{{Type: ical.Boolean, Number: 1}}},
		{"X-ON;VALUE=BOOLEAN:yes", []ical.Value{{}}},
		{"ATTACH;VALUE=BINARY;ENCODING=BASE64:AAE=", []ical.Value{{Type: ical.Binary, Text: "AAE="}}},
		{"ATTACH;VALUE=BINARY:A", []ical.Value{{}}},
		{`CATEGORIES:a\,b,c\\,d\`, []ical.Value{{Type: ical.Text, Text: "a,b"}, {Type: ical.Text, Text: `c\`}, {Type: ical.Text, Text: `d\`}}},
		{`SUMMARY:a,b\;c\Nd\xe`, []ical.Value{{Type: ical.Text, Text: "a,b;c\nd\\xe"}}},
		{"X-OWN:a\\,b", []ical.Value{{Type: ical.Text, Text: "a,b"}}},
		{"X-OWN;VALUE=X-TYPE:a\\,b", []ical.Value{{Type: ical.Unknown, Text: "a\\,b"}}},
		{"URL:http://quay.example/a;b,c", []ical.Value{{Type: ical.URI, Text: "http://quay.example/a;b,c"}}},
		{"ORGANIZER;CN=A:mailto:a@quay.example", []ical.Value{{Type: ical.CalAddress, Text: "mailto:a@quay.example"}}},
		{"RRULE:FREQ=DAILY", []ical.Value{{Type: ical.Recur, Text: "FREQ=DAILY"}}},
	} {
		c, err := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\nBEGIN:VEVENT\n" + tc.line + "\nEND:VEVENT\nEND:VCALENDAR\n")).Next()
		require.NoError(t, err)
		p := c.At(0)
		n := 0
		for v, err := range p.Values() {
			require.Less(t, n, len(tc.want), tc.line)
			want := tc.want[n]
			n++
			if want == (ical.Value{}) {
				assert.ErrorContains(t, err, p.Name+": ", tc.line)
				continue
			}
			require.NoError(t, err, tc.line)
			if v.Type != ical.Text && v.Type != ical.Unknown && want.Text == "" {
				v.Text = ""
			}
			assert.Equal(t, want, v, tc.line)
		}
		assert.Equal(t, len(tc.want), n, tc.line)
	}
}

// TestPositions: a remark says where in its line something is wrong.
func TestPositions(t *testing.T) {
	for line, column := range map[string]int{
		"nonsense":                             9,  // where the colon was due
		"SUMMARY;LANG:x":                       13, // where the parameter's value was due
		"SUMMARY;X=\"é\"b:x":                   13, // the quote that ends too early; characters, not bytes
		"DTSTART ;VALUE=DATE:20260701":         8,
		"END:VTODO":                            1,  // of the line as a whole
		"X-FOLDED;A=1;B=2;\r\n C=3;\r\n D;E:x": 23, // as if it were one line
	} {
		r := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n" + line + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"))
		_, err := r.ReadAll()
		require.NoError(t, err)
		require.Len(t, r.Diagnostics, 1, line)
		assert.Equal(t, ical.Position{Line: 3, Column: column}, r.Diagnostics[0].Position, "%q: %v", line, r.Diagnostics[0])
	}
	r := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20260701\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"))
	all, err := r.ReadAll()
	require.NoError(t, err)
	p, _ := all[0].Components()[0].Get("DTSTART")
	assert.Equal(t, ical.Position{Line: 3, Column: 20}, p.Position(), "a property is where its value is")
}
