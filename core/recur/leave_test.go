package recur_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/recur"
)

// What is left of a series, written and read again, are the instances that stay: each at its time.
func TestLeaving(t *testing.T) {
	event := func(lines ...string) string {
		return "BEGIN:VEVENT\nUID:class@hall.example\n" + strings.Join(lines, "\n") + "\nEND:VEVENT"
	}
	weekly := event("DTSTART;TZID=America/Halifax:20261006T190000", "DTEND;TZID=America/Halifax:20261006T203000", "RRULE:FREQ=WEEKLY;COUNT=6", "SUMMARY:Class")
	later := event("RECURRENCE-ID;RANGE=THISANDFUTURE;TZID=America/Halifax:20261020T190000", "DTSTART;TZID=America/Halifax:20261021T180000", "DTEND;TZID=America/Halifax:20261021T200000")
	for name, text := range map[string]string{
		"one":                        event("DTSTART:20261006T190000Z", "DTEND:20261006T200000Z"),
		"zoned, over a clock change": weekly,
		"UTC, without an end":        event("DTSTART:20261006T190000Z", "DURATION:PT90M", "RRULE:FREQ=DAILY", "EXDATE:20261008T190000Z"),
		"dates":                      event("DTSTART;VALUE=DATE:20261006", "DTEND;VALUE=DATE:20261008", "RRULE:FREQ=WEEKLY;COUNT=4", "RDATE;VALUE=DATE:20261010"),
		"floating":                   event("DTSTART:20261006T190000", "DTEND:20261006T200000", "RRULE:FREQ=WEEKLY;BYDAY=TU,TH;COUNT=5"),
		"with an override":           weekly + "\n" + event("RECURRENCE-ID;TZID=America/Halifax:20261013T190000", "DTSTART;TZID=America/Halifax:20261015T190000", "DTEND;TZID=America/Halifax:20261015T200000"),
		"named in UTC":               weekly + "\n" + event("RECURRENCE-ID:20261013T220000Z", "DTSTART:20261015T190000Z", "DTEND:20261015T200000Z"),
		"with one called off":        weekly + "\n" + event("RECURRENCE-ID;TZID=America/Halifax:20261013T190000", "STATUS:CANCELLED"),
		"changed from then on":       weekly + "\n" + later,
		"changed twice":              weekly + "\n" + later + "\n" + event("RECURRENCE-ID;RANGE=THISANDFUTURE;TZID=America/Halifax:20261103T190000", "DTSTART;TZID=America/Halifax:20261103T100000", "DURATION:PT1H"),
		"overrides alone":            event("RECURRENCE-ID:20261013T190000Z", "DTSTART:20261013T190000Z", "DTEND:20261013T200000Z") + "\n" + event("RECURRENCE-ID:20261020T190000Z", "DTSTART:20261021T190000Z", "DTEND:20261021T200000Z"),
	} {
		t.Run(name, func(t *testing.T) {
			w := window(t, "2026-10-01", "2026-11-20", "America/Halifax")
			doc := read(t, text)
			require.Len(t, doc.Entries, 1)
			all, _ := doc.Expand(doc.Entries[0], w)
			for n := range all {
				for last := n; last < min(len(all), n+3); last++ { // one, two or three that follow each other
					var want []string
					left := map[recur.Key]bool{}
					for i, o := range all {
						if i < n || i > last {
							want = append(want, line(o))
						} else {
							left[o.Key] = true
						}
					}
					e, some := doc.In(w).Leaving(doc.Entries[0], func(o recur.Occurrence) bool { return !left[o.Key] })
					assert.Equal(t, len(want) > 0, some)
					if !some {
						continue
					}
					got, codes := expand(t, strings.TrimSpace(strings.ReplaceAll(e.Source(), "\r\n", "\n")), w)
					slices.Sort(got)
					slices.Sort(want)
					assert.Equal(t, want, got, "without %v:\n%s", left, e.Source())
					assert.Empty(t, codes)
				}
			}
			again, _ := doc.Expand(doc.Entries[0], w)
			assert.Equal(t, all, again, "what was read stays as it is")
		})
	}
}
