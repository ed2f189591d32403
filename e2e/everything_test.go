package e2e

import (
	"database/sql"
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
	"github.com/teambition/rrule-go"

	"wharf/api/client"
	"wharf/standin"
)

// instance is what a reader makes of one instance of an event of ours.
type instance struct{ UID, Recurrence, Start, End, Status, Summary string }

func (i instance) String() string {
	return strings.Join([]string{i.UID, i.Recurrence, i.Start, i.End, i.Status, i.Summary}, " ")
}

// expandTwice is what two readers, which are not ours and know nothing of each other, find when they expand what repeats: the
// same, in order.
func expandTwice(t *testing.T, text string) (all []string) {
	t.Helper()
	node := exec.Command("node", "readers/ical.mjs", "expand")
	node.Stdin = strings.NewReader(text)
	out, err := node.Output()
	require.NoError(t, err, text)
	for _, i := range lines[instance](t, string(out)) {
		all = append(all, i.String())
	}
	calendar, err := arran.ParseCalendar(strings.NewReader(text))
	require.NoError(t, err)
	var other []string
	for _, e := range calendar.Events() {
		if e.GetProperty(arran.ComponentPropertyRecurrenceId) == nil {
			for _, i := range expandWith(t, calendar, e) {
				other = append(other, i.String())
			}
		}
	}
	slices.Sort(all)
	slices.Sort(other)
	require.Equal(t, all, other, "both readers find the same in\n%s", text)
	return all
}

// valueOf is a property of an event, "" for none.
func valueOf(e *arran.VEvent, name arran.ComponentProperty) string {
	if p := e.GetProperty(name); p != nil {
		return p.Value
	}
	return ""
}

// timeOf is a time of an event, and whether it is a date.
func timeOf(t *testing.T, e *arran.VEvent, name arran.ComponentProperty) (time.Time, bool) {
	t.Helper()
	p := e.GetProperty(name)
	require.NotNil(t, p, "%s of %s", name, e.Id())
	if len(p.Value) == 8 {
		at, err := time.Parse("20060102", p.Value)
		require.NoError(t, err)
		return at, true
	}
	loc := time.UTC
	if tzid := p.ICalParameters["TZID"]; len(tzid) > 0 {
		var err error
		loc, err = time.LoadLocation(tzid[0])
		require.NoError(t, err)
	}
	at, err := time.ParseInLocation("20060102T150405", strings.TrimSuffix(p.Value, "Z"), loc)
	require.NoError(t, err)
	return at, false
}

// expandWith expands an event by its rule, its exceptions and what overrides it.
func expandWith(t *testing.T, calendar *arran.Calendar, e *arran.VEvent) (all []instance) {
	t.Helper()
	start, dates := timeOf(t, e, arran.ComponentPropertyDtStart)
	end, _ := timeOf(t, e, arran.ComponentPropertyDtEnd)
	say := func(of *arran.VEvent, recurrence string, start, end time.Time) {
		layout := time.RFC3339
		if dates {
			layout = time.DateOnly
		}
		all = append(all, instance{e.Id(), recurrence, start.UTC().Format(layout), end.UTC().Format(layout), valueOf(of, arran.ComponentPropertyStatus), valueOf(of, arran.ComponentPropertySummary)})
	}
	rule := valueOf(e, arran.ComponentPropertyRrule)
	if rule == "" {
		say(e, "", start, end)
		return all
	}
	options, err := rrule.StrToROption(rule)
	require.NoError(t, err)
	options.Dtstart = start
	r, err := rrule.NewRRule(*options)
	require.NoError(t, err)
	without := map[int64]bool{}
	for _, p := range e.GetProperties(arran.ComponentPropertyExdate) {
		at, err := time.ParseInLocation("20060102T150405", p.Value, start.Location())
		require.NoError(t, err)
		without[at.Unix()] = true
	}
	for _, at := range r.All() {
		if without[at.Unix()] {
			continue
		}
		of, from, to := e, at, at.Add(end.Sub(start))
		for _, o := range calendar.Events() {
			if id := o.GetProperty(arran.ComponentPropertyRecurrenceId); o.Id() == e.Id() && id != nil {
				named, _ := timeOf(t, o, arran.ComponentPropertyRecurrenceId)
				if ranges := id.ICalParameters["RANGE"]; named.Equal(at) || len(ranges) > 0 && named.Before(at) {
					moved, _ := timeOf(t, o, arran.ComponentPropertyDtStart)
					ends, _ := timeOf(t, o, arran.ComponentPropertyDtEnd)
					of, from = o, at.Add(moved.Sub(named))
					to = from.Add(ends.Sub(moved))
				}
			}
		}
		say(of, at.UTC().Format(time.RFC3339), from, to)
	}
	return all
}

// loft is a hall with what repeats, moves, is private and is called off in its feed, which a person gets in full.
func loft(t *testing.T) *world {
	t.Helper()
	at := func(n int, clock string) string {
		return ";TZID=" + zoneName + ":" + strings.ReplaceAll(day(t, n), "-", "") + "T" + clock
	}
	event := func(uid string, lines ...string) string {
		return "BEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTAMP:20260101T000000Z\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT\r\n"
	}
	date := func(n int) string { return ";VALUE=DATE:" + strings.ReplaceAll(day(t, n), "-", "") }
	text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n" +
		event("class@loft.example", "DTSTART"+at(3, "100000"), "DTEND"+at(3, "113000"), "RRULE:FREQ=WEEKLY;COUNT=5", "SUMMARY:Class", "SEQUENCE:4", "DESCRIPTION:Bring shoes", "ATTENDEE:mailto:ann@guests.example", "ORGANIZER:mailto:bob@loft.example",
			"ATTACH:https://loft.example/plan.pdf", "URL:https://loft.example/class", "BEGIN:VALARM\r\nACTION:DISPLAY\r\nDESCRIPTION:Soon\r\nTRIGGER:-PT15M\r\nEND:VALARM") +
		event("class@loft.example", "RECURRENCE-ID"+at(10, "100000"), "DTSTART"+at(11, "120000"), "DTEND"+at(11, "130000"), "SUMMARY:Class\\, moved") +
		event("class@loft.example", "RECURRENCE-ID"+at(17, "100000"), "DTSTART"+at(17, "100000"), "DTEND"+at(17, "113000"), "SUMMARY:Class", "STATUS:CANCELLED") +
		event("class@loft.example", "RECURRENCE-ID"+at(24, "100000"), "DTSTART"+at(24, "100000"), "DTEND"+at(24, "110000"), "SUMMARY:Board\\, behind closed doors", "CLASS:PRIVATE", "DESCRIPTION:Who leaves") +
		event("course@loft.example", "DTSTART"+at(4, "140000"), "DTEND"+at(4, "150000"), "RRULE:FREQ=WEEKLY;COUNT=4", "SUMMARY:Course") +
		event("course@loft.example", "RECURRENCE-ID;RANGE=THISANDFUTURE"+at(11, "140000"), "DTSTART"+at(11, "160000"), "DTEND"+at(11, "163000"), "SUMMARY:Course\\, shorter") +
		event("fair@loft.example", "DTSTART"+date(40), "DTEND"+date(42), "SUMMARY:Fair", "STATUS:TENTATIVE") + "END:VCALENDAR\r\n"
	file := filepath.Join(t.TempDir(), "loft.ics")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	w := newWorld(t, nil)
	w.run("", "calendar", "add", "Loft", "--zone", zoneName, "--grain", "time")
	w.run("", "feed", "add", file, "--platform", "Hall diary", "--name", "Diary", "--calendar", "Loft")
	w.run("", "publication", "add", "Loft, for Ida", "--calendar", "Loft", "--person", "Ida", "--detail", "everything")
	return w
}

// TestEverything: what a feed gives goes out as it gives it, series as series; what is kept back does not; two readers find the
// instances that a person wrote down. What comes back from a recipient under the source's UIDs is no booking of theirs, and
// goes when the original does.
func TestEverything(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := loft(t)
	loc, err := time.LoadLocation(zoneName)
	require.NoError(t, err)
	utc := func(n int, clock string) string {
		at, err := time.ParseInLocation("2006-01-02 15:04", day(t, n)+" "+clock, loc)
		require.NoError(t, err)
		return at.UTC().Format(time.RFC3339)
	}
	is := func(uid string, id, from, to, rest string) string {
		return strings.Join([]string{uid + "@loft.example", id, from, to, rest}, " ")
	}
	class := []string{is("class", utc(3, "10:00"), utc(3, "10:00"), utc(3, "11:30"), "CONFIRMED Class"), is("class", utc(10, "10:00"), utc(11, "12:00"), utc(11, "13:00"), "CONFIRMED Class, moved"),
		is("class", utc(24, "10:00"), utc(24, "10:00"), utc(24, "11:00"), "CONFIRMED Spoken for"), is("class", utc(31, "10:00"), utc(31, "10:00"), utc(31, "11:30"), "CONFIRMED Class")}
	course := []string{is("course", utc(4, "14:00"), utc(4, "14:00"), utc(4, "15:00"), "CONFIRMED Course"), is("course", utc(11, "14:00"), utc(11, "16:00"), utc(11, "16:30"), "CONFIRMED Course, shorter"),
		is("course", utc(18, "14:00"), utc(18, "16:00"), utc(18, "16:30"), "CONFIRMED Course, shorter"), is("course", utc(25, "14:00"), utc(25, "16:00"), utc(25, "16:30"), "CONFIRMED Course, shorter")}
	fair := is("fair", "", day(t, 40), day(t, 42), "TENTATIVE Fair")
	sorted := func(all ...string) []string { slices.Sort(all); return all }

	_, text := fetch(t, w.linkOf("Loft, for Ida"))
	assert.Equal(t, sorted(slices.Concat(class, course, []string{fair})...), expandTwice(t, text))
	within(t, text, "DESCRIPTION:Bring shoes", "SEQUENCE:4", "BEGIN:VTIMEZONE", "EXDATE;TZID="+zoneName)
	for _, kept := range []string{"ATTENDEE", "ORGANIZER", "ATTACH", "URL", "VALARM", "closed doors", "Who leaves", "METHOD"} {
		assert.NotContains(t, text, kept)
	}
	w.run("", "publication", "edit", "Loft, for Ida", "--attendees", "--attachments", "--links", "--alarm", "kept", "--yes")
	_, text = fetch(t, w.linkOf("Loft, for Ida"))
	within(t, text, "ATTENDEE:mailto:ann", "ORGANIZER", "ATTACH:https", "URL:https", "TRIGGER:-PT15M", "SEQUENCE:5")
	assert.NotContains(t, text, "closed doors")
	within(t, w.run("", "publication", "show", "Loft, for Ida"), "Everything, files, guests, links")
	w.run("", "publication", "edit", "Loft, for Ida", "--attendees=false", "--attachments=false", "--links=false", "--alarm", "", "--yes")

	// What is rejected is left out: of a change that holds for all that come, the next one that stays is the first.
	w.run("", "link", "edit", "Loft", "Diary", "--review", "--yes")
	w.run("", "review", "approve", "--all", "--feed", "Diary")
	for _, item := range lines[client.ReviewItem](t, w.run("", "review", "list", "--state", "approved", "--json")) {
		if item.Booking.Title == "Course, shorter" && strings.HasPrefix(item.Booking.Start, day(t, 11)) {
			w.run("", "review", "reject", fmt.Sprint(item.Booking.Id))
		}
	}
	_, text = fetch(t, w.linkOf("Loft, for Ida"))
	assert.Equal(t, sorted(slices.Concat(class, course[:1], course[2:], []string{fair})...), expandTwice(t, text))
	assert.Equal(t, 1, strings.Count(text, "RANGE=THISANDFUTURE"))

	// Another process writes the same bytes, with the stored ones thrown away.
	w.stop()
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("UPDATE publications SET body = ''")
	require.NoError(t, err)
	w.start()
	w.run("", "publication", "edit", "Loft, for Ida", "--name", "Another")
	w.run("", "publication", "edit", "Another", "--name", "Loft, for Ida")
	_, again := fetch(t, w.linkOf("Loft, for Ida"))
	assert.Equal(t, text, again)

	for _, c := range []struct {
		options []string
		code    int
		says    string
	}{{[]string{"--joined"}, 1, "leave joining out"}, {[]string{"--occupancy", "full"}, 2, "choose each booking"}} {
		_, errs, code := w.try("", append([]string{"publication", "edit", "Loft, for Ida"}, c.options...)...)
		assert.Equal(t, c.code, code, errs)
		assert.Contains(t, errs, c.says)
	}
}

// TestNothingReturns: to a platform that exports what it imported its own bookings never return, at whatever detail, joined or not,
// with its UIDs kept or new; and nothing goes round after a cancellation.
func TestNothingReturns(t *testing.T) {
	t.Parallel()
	for _, uids := range []standin.UIDs{standin.Theirs, standin.New} {
		t.Run("UIDs "+string(uids), func(t *testing.T) {
			w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
			strand := w.platforms[1]
			strand.Style.UIDs = uids
			w.soldWeekly(1)
			w.subscribe("Ketch Merrow")
			w.round()
			for n, options := range [][]string{{"--detail", "times"}, {"--detail", "times", "--joined"}, {"--detail", "titles", "--joined=false"}, {"--detail", "everything"}} {
				for _, p := range []string{"For Merrow Charter Desk", "For Strand & Tern Charters"} {
					w.run("", append([]string{"publication", "edit", p, "--yes"}, options...)...)
				}
				first := 10 + 5*n
				w.book(0, "Lindqvist", first, first+2)
				w.run("", "feed", "refresh", "--all")
				w.round()
				w.round()
				require.Empty(t, w.conflicts(), options)
				require.Len(t, strand.Blocks(), 1, options)
				_, text := fetch(t, w.linkOf("For Merrow Charter Desk"))
				assert.NotContains(t, text, ":"+strings.ReplaceAll(day(t, first), "-", ""), "%v: nobody is sent their own booking", options)
				assert.Contains(t, text, ":"+strings.ReplaceAll(day(t, 60), "-", ""), "%v: but those of others", options)
				w.cancel(0, "Lindqvist")
				w.run("", "feed", "refresh", "--all")
				w.round()
				w.round()
				require.Empty(t, w.conflicts(), options)
				assert.Empty(t, strand.Blocks(), "%v: what is cancelled dies out", options)
			}
		})
	}
}

// TestEverythingInTheConsole: it is chosen in the form, with what goes out only if somebody says so, on a desk and on a phone.
func TestEverythingInTheConsole(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := loft(t)
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			w.run("", "publication", "edit", "Loft, for Ida", "--detail", "times", "--links=false", "--yes")
			p := w.page(t)
			p.do(viewport(size), p.goTo("/publications"))
			p.press("Change")
			p.see("form.publication")
			p.do(click(`//label[contains(@class, "el-radio")][contains(., "all that its source gives")]`))
			p.see("fieldset.more")
			assert.Empty(t, p.axe())
			p.fits()
			assert.Equal(t, 0, eval[int](p, `[...document.querySelectorAll("form.publication label")].filter((l) => l.textContent.includes("goes out as one")).length`), "it is told of each booking")
			p.do(click(`//fieldset//label[contains(., "Links to pages")]`))
			p.press("Save")
			p.do(shows(`//li[contains(., "everything, with links")]`))
			_, text := fetch(t, w.linkOf("Loft, for Ida"))
			within(t, text, "URL:https://loft.example/class", "RRULE:FREQ=WEEKLY;COUNT=5")
			assert.NotContains(t, text, "ATTENDEE")
			p.content()
		})
	}
}
