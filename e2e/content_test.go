package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	arran "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// event is what a reader makes of an event of ours.
type event struct {
	UID, Recurrence, Start, End, Status, Transp, Summary string
	Alarms                                               []int
}

// readTwice is what two readers, which are not ours and know nothing of each other, find in a document: the same.
func readTwice(t *testing.T, text string) []event {
	t.Helper()
	node := exec.Command("node", "readers/ical.mjs")
	node.Stdin = strings.NewReader(text)
	out, err := node.Output()
	require.NoError(t, err, text)
	one := lines[event](t, string(out))

	calendar, err := arran.ParseCalendar(strings.NewReader(text))
	require.NoError(t, err)
	var other []event
	for _, e := range calendar.Events() {
		value := func(name arran.ComponentProperty) string {
			if p := e.GetProperty(name); p != nil {
				return p.Value
			}
			return ""
		}
		at := func(name arran.ComponentProperty) string {
			for _, layout := range []string{"20060102", "20060102T150405Z"} {
				if at, err := time.Parse(layout, value(name)); err == nil {
					return at.Format(map[string]string{"20060102": "2006-01-02", "20060102T150405Z": time.RFC3339}[layout])
				}
			}
			return value(name)
		}
		is := event{UID: e.Id(), Recurrence: value(arran.ComponentPropertyRecurrenceId), Start: at(arran.ComponentPropertyDtStart), End: at(arran.ComponentPropertyDtEnd), Status: value(arran.ComponentPropertyStatus),
			Transp: value(arran.ComponentPropertyTransp), Summary: value(arran.ComponentPropertySummary), Alarms: []int{}}
		for _, a := range e.Alarms() {
			lead, err := time.ParseDuration(strings.ToLower(strings.TrimPrefix(a.GetProperty(arran.ComponentPropertyTrigger).Value, "-PT")))
			require.NoError(t, err)
			is.Alarms = append(is.Alarms, -int(lead.Seconds()))
		}
		other = append(other, is)
	}
	require.ElementsMatch(t, one, other, "both readers find the same")
	return one
}

// icsFile is a file with one event.
func icsFile(t *testing.T, lines ...string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "one.ics")
	text := strings.Join(append(append([]string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:x", "BEGIN:VEVENT", "DTSTAMP:20260101T000000Z"}, lines...), "END:VEVENT", "END:VCALENDAR", ""), "\r\n")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	return file
}

// linkOf is the link of a publication.
func (w *world) linkOf(publication string) string {
	w.t.Helper()
	return lines[client.Publication](w.t, w.run("", "publication", "show", publication, "--json"))[0].Url
}

// firsts are the first days and UIDs of the events of a status.
func firsts(t *testing.T, text, status string) (all []string) {
	t.Helper()
	for _, e := range readTwice(t, text) {
		if e.Status == status {
			all = append(all, e.Start+" "+e.UID)
		}
	}
	return all
}

// boats is a ketch with bookings of every kind and kayaks of which there are two, each given to Ida.
func boats(t *testing.T) *world {
	t.Helper()
	w := newWorld(t, nil)
	sales := icsFile(t, "UID:fay", "DTSTART;VALUE=DATE:"+strings.ReplaceAll(day(t, 12), "-", ""), "SUMMARY:Fay\\, with two boats")
	tides := icsFile(t, "UID:tide", "DTSTART;VALUE=DATE:"+strings.ReplaceAll(day(t, 15), "-", ""), "SUMMARY:Spring tide")
	w.run("", "calendar", "add", "Ketch", "--zone", zoneName, "--grain", "day")
	w.run("", "feed", "add", sales, "--platform", "Desk", "--name", "Sales", "--calendar", "Ketch")
	w.run("", "feed", "add", tides, "--platform", "Tides", "--name", "Tides", "--calendar", "Ketch", "--shows")
	hold := func(first, last int, title string, more ...string) {
		w.run("", append([]string{"hold", "add", "Ketch", day(t, first), day(t, last), "--title", title, "--yes"}, more...)...)
	}
	hold(3, 4, "Ann", "--category", "Club")
	hold(5, 6, "Ben", "--class", "private")
	hold(8, 8, "Cleo", "--tentative")
	hold(80, 81, "Dora")
	w.run("", "calendar", "add", "Kayaks", "--zone", zoneName, "--grain", "day", "--capacity", "2")
	for _, of := range [][2]int{{3, 6}, {5, 9}, {12, 12}} {
		w.run("", "hold", "add", "Kayaks", day(t, of[0]), day(t, of[1]), "--title", fmt.Sprint("Paddler ", of[0]), "--yes")
	}
	w.run("", "publication", "add", "Ketch, for Ida", "--calendar", "Ketch", "--person", "Ida")
	w.run("", "publication", "add", "Ketch, for the desk", "--calendar", "Ketch", "--platform", "Desk")
	w.run("", "publication", "add", "Kayaks, for Ida", "--calendar", "Kayaks", "--person", "Ida")

	return w
}

// TestContent: each option of what a publication shows, against a list that a person wrote down, as two readers see it.
func TestContent(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := boats(t)
	at := func(first, last int, rest string) string { return day(t, first) + " " + day(t, last+1) + " " + rest }
	firm := func(first, last int) string { return at(first, last, "CONFIRMED OPAQUE Spoken for") }
	ann, ben, cleo, dora, fay := firm(3, 4), firm(5, 6), at(8, 8, "TENTATIVE OPAQUE Spoken for"), firm(80, 81), firm(12, 12)
	uids := map[string]string{} // by what is shown of a booking otherwise: the same in every form
	for _, tc := range []struct {
		publication string
		options     []string
		back        []string // that undo them
		want        []string
	}{
		{"Ketch, for Ida", nil, nil, []string{ann, ben, cleo, fay, dora}},
		{"Ketch, for the desk", nil, nil, []string{ann, ben, cleo, dora}},
		{"Ketch, for Ida", []string{"--detail", "titles"}, []string{"--detail", "times"},
			[]string{at(3, 4, "CONFIRMED OPAQUE Ann"), ben, at(8, 8, "TENTATIVE OPAQUE Cleo"), at(12, 12, "CONFIRMED OPAQUE Fay, with two boats"), at(80, 81, "CONFIRMED OPAQUE Dora")}},
		{"Ketch, for Ida", []string{"--title", "Gone; sorry"}, []string{"--title", "Spoken for"},
			[]string{at(3, 4, "CONFIRMED OPAQUE Gone; sorry"), at(5, 6, "CONFIRMED OPAQUE Gone; sorry"), at(8, 8, "TENTATIVE OPAQUE Gone; sorry"), at(12, 12, "CONFIRMED OPAQUE Gone; sorry"), at(80, 81, "CONFIRMED OPAQUE Gone; sorry")}},
		{"Ketch, for Ida", []string{"--tentative", "firm"}, []string{"--tentative", "tentative"}, []string{ann, ben, firm(8, 8), fay, dora}},
		{"Ketch, for Ida", []string{"--tentative", "ignore"}, []string{"--tentative", "tentative"}, []string{ann, ben, fay, dora}},
		{"Ketch, for Ida", []string{"--feed", "Sales", "--holds=false"}, []string{"--feed", "", "--holds"}, []string{fay}},
		{"Ketch, for Ida", []string{"--feed", "Tides"}, []string{"--feed", ""}, []string{ann, ben, cleo, dora}},
		{"Ketch, for Ida", []string{"--category", "club"}, []string{"--category", ""}, []string{ann}},
		{"Ketch, for Ida", []string{"--shown"}, []string{"--shown=false"}, []string{ann, ben, cleo, fay, at(15, 15, "CONFIRMED TRANSPARENT Spoken for"), dora}},
		{"Ketch, for Ida", []string{"--ahead", "1"}, []string{"--ahead", "24"}, []string{ann, ben, cleo, fay}},
		{"Ketch, for Ida", []string{"--joined"}, []string{"--joined=false"}, []string{firm(3, 6), cleo, fay, dora}},
		{"Ketch, for Ida", []string{"--joined", "--tentative", "firm", "--occupancy", "full"}, []string{"--joined=false", "--tentative", "tentative", "--occupancy", "each"}, []string{firm(3, 6), firm(8, 8), fay, dora}},
		{"Kayaks, for Ida", nil, nil, []string{firm(5, 6)}},
		{"Kayaks, for Ida", []string{"--occupancy", "each"}, []string{"--occupancy", "full"}, []string{firm(3, 6), firm(5, 9), firm(12, 12)}},
	} {
		name := fmt.Sprint(tc.publication, " ", tc.options)
		if tc.options != nil {
			w.run("", append([]string{"publication", "edit", tc.publication, "--yes"}, tc.options...)...)
		}
		_, text := fetch(t, w.linkOf(tc.publication))
		var got []string
		for _, e := range readTwice(t, text) {
			got = append(got, strings.Join([]string{e.Start, e.End, e.Status, e.Transp, e.Summary}, " "))
			key := e.Start + " " + e.End + tc.publication
			if known, had := uids[key]; had {
				assert.Equal(t, known, e.UID, name)
			}
			uids[key] = e.UID
		}
		slices.Sort(got)
		assert.Equal(t, tc.want, got, name)
		if tc.back != nil {
			w.run("", append([]string{"publication", "edit", tc.publication, "--yes"}, tc.back...)...)
		}
	}
}

// TestContentInTime: what is gone is called off for a while, alarms are of every event or the reminders of its booking, and a
// calendar's capacity says how it is shown where nobody did; what is laid down wrongly is refused.
func TestContentInTime(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := boats(t)
	w.run("", "publication", "edit", "Ketch, for Ida", "--alarm", "1d", "--cancelled", "2", "--refresh", "30", "--color", "teal", "--yes")
	holds := map[string]string{}
	for _, h := range lines[client.Hold](t, w.run("", "hold", "list", "--json")) {
		holds[h.Title] = fmt.Sprint(h.Id)
	}
	_, text := fetch(t, w.linkOf("Ketch, for Ida"))
	before := firsts(t, text, "CONFIRMED")
	w.run("", "hold", "cancel", holds["Ann"], "--yes")
	_, text = fetch(t, w.linkOf("Ketch, for Ida"))
	gone := firsts(t, text, "CANCELLED")
	assert.Equal(t, before[:1], gone, "under its UID, so that it is found")
	within(t, text, "REFRESH-INTERVAL;VALUE=DURATION:PT30M", "X-PUBLISHED-TTL:PT30M", "COLOR:teal")
	states := map[string]int{}
	for _, e := range readTwice(t, text) {
		states[e.Status]++
		if e.Status == "CANCELLED" {
			assert.Empty(t, e.Alarms)
		} else {
			assert.Equal(t, []int{-24 * 3600}, e.Alarms)
		}
	}
	assert.Equal(t, map[string]int{"CONFIRMED": 3, "TENTATIVE": 1, "CANCELLED": 1}, states)
	assert.Equal(t, 4, lines[client.Publication](t, w.run("", "publication", "show", "Ketch, for Ida", "--json"))[0].Items, "what is called off is not carried")

	w.run("", "publication", "edit", "Ketch, for Ida", "--alarm", "kept", "--cancelled", "0", "--yes")
	alarms := func() map[string][]int {
		_, text := fetch(t, w.linkOf("Ketch, for Ida"))
		all := map[string][]int{}
		for _, e := range readTwice(t, text) {
			if len(e.Alarms) > 0 {
				all[e.Start] = e.Alarms
			}
		}
		return all
	}
	assert.Empty(t, alarms())
	reminder := lines[client.Reminder](t, w.run("", "reminder", "add", "--hold", holds["Dora"], "1d 18:00", "--json"))[0]
	assert.Equal(t, map[string][]int{day(t, 80): {-6 * 3600}}, alarms(), "at six in the evening of the day before")
	w.run("", "reminder", "remove", fmt.Sprint(reminder.Id))
	assert.Empty(t, alarms())

	for _, c := range []struct {
		options []string
		code    int
		says    string
	}{
		{[]string{"--detail", "all"}, 2, "times"}, {[]string{"--occupancy", "half"}, 2, "full"}, {[]string{"--alarm", "soon"}, 2, "write 30m, 2h or 1d, or kept"}, {[]string{"--ahead", "99"}, 2, "24"},
		{[]string{"--back", "0"}, 2, "1"}, {[]string{"--feed", "Nobody's"}, 1, "no feed"}, {[]string{"--color", "no colour"}, 2, "CSS"}, {[]string{"--category", strings.Repeat("x", 51)}, 2, "50"}, {[]string{"--cancelled", "9999"}, 2, "744"},
	} {
		_, errs, code := w.try("", append([]string{"publication", "edit", "Ketch, for Ida"}, c.options...)...)
		assert.Equal(t, c.code, code, "%v: %s", c.options, errs)
		assert.Contains(t, errs, c.says, c.options)
	}
	w.run("", "publication", "add", "Kayaks, for Jo", "--calendar", "Kayaks", "--person", "Jo", "--title", "Out")
	_, text = fetch(t, w.linkOf("Kayaks, for Jo"))
	assert.Len(t, readTwice(t, text), 1)
	w.run("", "calendar", "edit", "Kayaks", "--capacity", "1")
	_, text = fetch(t, w.linkOf("Kayaks, for Jo"))
	assert.Len(t, readTwice(t, text), 3, "where nobody said which, each booking is shown where there is one unit only")

	_, errs, code := w.try("", "publication", "add", "Again", "--calendar", "Kayaks", "--platform", "Ida")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "Ida is a person who gets calendars, and no platform")
	_, errs, code = w.try("", "publication", "add", "Again", "--calendar", "Kayaks")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "say whom it is for")
}
