package publish_test

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/publish"
	"wharf/core/recur"
)

// randomCalendar makes a calendar whose events go by zones of every kind: explained by
// itself in its own way, known by name, a vendor's, none.
func randomCalendar(rnd *rand.Rand, name string) string {
	pick := func(s ...string) string { return s[rnd.Intn(len(s))] }
	var b strings.Builder
	b.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//EN\r\n" + pick("", "X-WR-TIMEZONE:Asia/Tokyo\r\n", "X-WR-TIMEZONE:Local\r\n") + pick("", "", "METHOD:CANCEL\r\n"))
	for _, tzid := range []string{"Local", "Europe/Lisbon"} {
		if tzid == "Local" || rnd.Intn(2) == 0 {
			b.WriteString(strings.ReplaceAll(zoneOf(tzid, pick("-0300", "-0400", "+0530")), "\n", "\r\n") + "\r\n")
		}
	}
	for n := range 1 + rnd.Intn(6) {
		start := time.Date(2026, time.Month(1+rnd.Intn(12)), 1+rnd.Intn(28), 5+rnd.Intn(15), 0, 0, 0, time.UTC)
		zone, form := pick(";TZID=Local", ";TZID=Europe/Lisbon", ";TZID=America/Halifax", ";TZID=Romance Standard Time", ";VALUE=DATE", "", "Z"), "20060102T150405"
		switch zone {
		case ";VALUE=DATE":
			form = "20060102"
		case "Z":
			zone, form = "", form+"Z"
		}
		at := func(t time.Time) string { return zone + ":" + t.Format(form) }
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nUID:%s-%d\r\nDTSTART%s\r\nDTEND%s\r\n", name, n, at(start), at(start.AddDate(0, 0, 1)))
		if rnd.Intn(2) == 0 {
			fmt.Fprintf(&b, "RRULE:FREQ=WEEKLY;COUNT=9\r\nEXDATE%s\r\nRDATE%s\r\n", at(start.AddDate(0, 0, 14)), at(start.AddDate(0, 0, 3)))
		}
		b.WriteString("SUMMARY:" + strings.Repeat("long ", rnd.Intn(20)) + "\r\n" + pick("", "STATUS:TENTATIVE\r\n") + "END:VEVENT\r\n")
	}
	b.WriteString("END:VCALENDAR\r\n")
	return b.String()
}

// occurrences lists what a document says, as read in the zone of a calendar.
func occurrences(t *testing.T, text string) (all []string) {
	t.Helper()
	doc, err := recur.Read(ical.NewReader(strings.NewReader(text)))
	require.NoError(t, err)
	w := recur.Window{From: time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), To: time.Date(2028, 1, 1, 0, 0, 0, 0, time.UTC), Zone: time.FixedZone("the calendar's", 3600)}
	for _, e := range doc.Entries {
		found, _ := doc.Expand(e, w)
		for _, o := range found {
			all = append(all, fmt.Sprint(o.UID, " ", o.Start, " ", o.End, " ", o.AllDay, " ", o.Status, " ", o.RecurrenceID(), " ", o.Summary))
		}
	}
	return all
}

// TestMergeMeansTheSame: what a merged calendar says is what its calendars say, each by its
// own zones, whether components are copied from their own bytes or written anew; and what is
// merged once more stays as it is.
func TestMergeMeansTheSame(t *testing.T) {
	seed := time.Now().UnixNano()
	rnd := rand.New(rand.NewSource(seed))
	for range 200 {
		var want []string
		texts := make([]string, 1+rnd.Intn(4))
		for i := range texts {
			texts[i] = randomCalendar(rnd, fmt.Sprint("c", i))
			want = append(want, occurrences(t, texts[i])...)
		}
		slices.Sort(want)
		for _, raw := range []bool{true, false} {
			var calendars []*ical.Component
			for _, text := range texts {
				r := ical.NewReader(strings.NewReader(text))
				r.Raw = raw
				all, err := r.ReadAll()
				require.NoError(t, err)
				calendars = append(calendars, all...)
			}
			merged, diags := publish.Merge(calendars)
			require.Empty(t, diags)
			text := merged.String()
			got := occurrences(t, text)
			slices.Sort(got)
			require.Equal(t, want, got, "seed %d\n%s\nof\n%s", seed, text, strings.Join(texts, "\n"))

			again, err := ical.NewReader(strings.NewReader(text)).ReadAll()
			require.NoError(t, err)
			twice, _ := publish.Merge(again)
			assert.Equal(t, again[0].String(), twice.String())
		}
	}
}
