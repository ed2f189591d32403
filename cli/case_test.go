package cli_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestCaseRun: a case is judged and explained; what does not hold, and what cannot be judged,
// is said.
func TestCaseRun(t *testing.T) {
	text, err := os.ReadFile("../demo/files/race-window.json")
	require.NoError(t, err)
	good := string(text)
	for _, tc := range []struct {
		name, text, out, errs string
		code                  int
	}{
		{name: "as it wants", text: good, out: "double booking: e and x, 2026-07-20 to 2026-07-22"},
		{name: "why", text: good, out: "But it is written as only its sales are."},
		{name: "something else than it wants", text: strings.Replace(good, `"e": {"verdict": "booking"`, `"e": {"verdict": "echo"`, 1), code: 1, errs: "e is booking improbable but sales_form, and was to be echo improbable but sales_form"},
		{name: "no case", text: "BEGIN:VCALENDAR", code: 1, errs: "this is no case file"},
		{name: "a newer one", text: strings.Replace(good, `"version": 1`, `"version": 2`, 1), code: 1, errs: "this program knows version 1"},
		{name: "an unknown field", text: strings.Replace(good, `"about"`, `"abuot"`, 1), code: 1, errs: `unknown field "abuot"`},
		{name: "a limit that is no probability", text: strings.Replace(good, `"feeds"`, `"rules": {"limit": 2}, "feeds"`, 1), code: 1, errs: "limit 2 is no probability"},
		{name: "a delay below zero", text: strings.Replace(good, `"feeds"`, `"rules": {"delayMinutes": -5}, "feeds"`, 1), code: 1, errs: "delayMinutes -5 is below zero"},
		{name: "a booking that lasts nothing", text: strings.Replace(good, `"end": "2026-07-22"`, `"end": "2026-07-20"`, 1), code: 1, errs: "the end is not part of a span"},
		{name: "a name that nothing has", text: strings.Replace(good, `"want": {`, `"want": {"nobody": {"verdict": "echo"},`, 1), code: 1, errs: `no booking has that name`},
		{name: "a mirror of itself", text: strings.Replace(good, `{"platform": "Strand",`, `{"platform": "Strand", "mirrors": ["Strand"],`, 1), code: 1, errs: "Strand cannot mirror itself"},
		{name: "mirrors in a circle", text: strings.NewReplacer(`{"platform": "Strand", "read"`, `{"platform": "Strand", "mirrors": ["Desk"], "read"`, `{"platform": "Desk", "read"`, `{"platform": "Desk", "mirrors": ["Strand"], "read"`).Replace(good), code: 1, errs: "mirror each other"},
		{name: "a mirror of nobody", text: strings.Replace(good, `{"platform": "Strand",`, `{"platform": "Strand", "mirrors": ["Quay"],`, 1), code: 1, errs: "there is no feed of that platform"},
		{name: "a habit with a delay below zero", text: strings.Replace(good, `{"platform": "Strand",`, `{"platform": "Strand", "habits": [{"habit": "delay", "value": "-5", "said": true}],`, 1), code: 1, errs: "use whole minutes from 0"},
		{name: "a habit that nobody has", text: strings.Replace(good, `{"platform": "Strand",`, `{"platform": "Strand", "habits": [{"habit": "moods", "value": "yes"}],`, 1), code: 1, errs: "there is no habit"},
		{name: "two of one name", text: strings.Replace(good, `"name": "d1"`, `"name": "x"`, 1), code: 1, errs: "another one has this name"},
	} {
		out, errs, code := run(tc.text, "case", "run", "-")
		assert.Equal(t, tc.code, code, "%s: %s", tc.name, errs)
		assert.Contains(t, out, tc.out, tc.name)
		assert.Contains(t, errs, tc.errs, tc.name)
	}
	out, _, code := run(good, "case", "run", "-", "--json")
	assert.Zero(t, code)
	assert.Contains(t, out, `{"file":"-","booking":"e","platform":"Strand","start":"2026-07-20","end":"2026-07-22","verdict":"booking","reason":"improbable","against":"sales_form","evidence":"Wharf sent`)
}
