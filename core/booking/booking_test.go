package booking_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/booking"
	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

func occurrence(t *testing.T, lines string, loc *time.Location) recur.Occurrence {
	t.Helper()
	text := "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\n" + strings.ReplaceAll(lines, " ", "\n") + "\nEND:VEVENT\nEND:VCALENDAR\n"
	doc, err := recur.Read(ical.NewReader(strings.NewReader(text)))
	require.NoError(t, err)
	w := recur.Window{From: time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), To: time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC), Zone: loc}
	found, _ := doc.Expand(doc.Entries[0], w)
	require.Len(t, found, 1)
	return found[0]
}

// TestSpan follows the table "Span, by the calendar's grain" of the model.
func TestSpan(t *testing.T) {
	halifax, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	for _, tc := range []struct{ name, lines, night, day, time string }{
		{"stay by dates", "DTSTART:20260802 DTEND:20260804",
			"2026-08-02/2026-08-04", "2026-08-02/2026-08-04", "2026-08-02T03:00:00Z/2026-08-04T03:00:00Z"},
		{"dates over a change of the clock last 49 hours", "DTSTART:20261031 DTEND:20261102",
			"2026-10-31/2026-11-02", "2026-10-31/2026-11-02", "2026-10-31T03:00:00Z/2026-11-02T04:00:00Z"},
		{"stay by times", "DTSTART;TZID=America/Halifax:20260802T150000 DTEND;TZID=America/Halifax:20260804T110000",
			"2026-08-02/2026-08-04", "2026-08-02/2026-08-05", "2026-08-02T18:00:00Z/2026-08-04T14:00:00Z"},
		{"an afternoon takes no night", "DTSTART;TZID=America/Halifax:20260802T140000 DTEND;TZID=America/Halifax:20260802T180000",
			"", "2026-08-02/2026-08-03", "2026-08-02T17:00:00Z/2026-08-02T21:00:00Z"},
		{"up to midnight touches no new day and no night", "DTSTART;TZID=America/Halifax:20260802T180000 DTEND;TZID=America/Halifax:20260803T000000",
			"", "2026-08-02/2026-08-03", "2026-08-02T21:00:00Z/2026-08-03T03:00:00Z"},
		{"00:00 to 23:59 is that day", "DTSTART;TZID=America/Halifax:20260802T000000 DTEND;TZID=America/Halifax:20260802T235900",
			"2026-08-02/2026-08-03", "2026-08-02/2026-08-03", "2026-08-02T03:00:00Z/2026-08-03T02:59:00Z"},
		{"00:00 to 00:00 is those dates", "DTSTART;TZID=America/Halifax:20260802T000000 DTEND;TZID=America/Halifax:20260804T000000",
			"2026-08-02/2026-08-04", "2026-08-02/2026-08-04", "2026-08-02T03:00:00Z/2026-08-04T03:00:00Z"},
		{"the calendar's zone decides the day", "DTSTART:20260803T013000Z DTEND:20260803T023000Z",
			"", "2026-08-02/2026-08-03", "2026-08-03T01:30:00Z/2026-08-03T02:30:00Z"},
		{"neither end nor duration", "DTSTART:20260802T150000Z",
			"", "2026-08-02/2026-08-03", ""},
	} {
		t.Run(tc.name, func(t *testing.T) {
			o := occurrence(t, tc.lines, halifax)
			for grain, want := range map[span.Grain]string{span.Night: tc.night, span.Day: tc.day, span.Time: tc.time} {
				s, _ := booking.SpanOf(o, rules.Calendar{Zone: halifax, Grain: grain, Capacity: 1})
				got := ""
				if !s.Empty() {
					a, b := s.Format(grain)
					got = a + "/" + b
				}
				assert.Equal(t, want, got, grain)
			}
		})
	}
}

// TestOf follows the table "Busy or not" of the model.
func TestOf(t *testing.T) {
	calendar := rules.Calendar{Zone: time.UTC, Grain: span.Day, Capacity: 1}
	for _, tc := range []struct {
		lines string
		link  rules.Link
		want  string // firm, tentative, shown, nothing
	}{
		{"DTSTART:20260802", rules.Link{Role: rules.Blocks}, "firm"},
		{"DTSTART:20260802", rules.Link{Role: rules.Shows}, "shown"},
		{"DTSTART:20260802 STATUS:CANCELLED", rules.Link{Role: rules.Blocks}, "nothing"},
		{"DTSTART:20260802 TRANSP:TRANSPARENT", rules.Link{Role: rules.Blocks}, "shown"},
		{"DTSTART:20260802 STATUS:TENTATIVE", rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative}, "tentative"},
		{"DTSTART:20260802 STATUS:TENTATIVE", rules.Link{Role: rules.Blocks, Tentative: rules.AsFirm}, "firm"},
		{"DTSTART:20260802 STATUS:TENTATIVE", rules.Link{Role: rules.Blocks, Tentative: rules.Ignored}, "nothing"},
		{"DTSTART:20260802 STATUS:X-NEW", rules.Link{Role: rules.Blocks}, "firm"},
	} {
		b, _, ok := booking.Of(occurrence(t, tc.lines, time.UTC), calendar, tc.link)
		got := "firm"
		switch {
		case !ok:
			got = "nothing"
		case !b.Blocks:
			got = "shown"
		case b.Tentative:
			got = "tentative"
		}
		assert.Equal(t, tc.want, got, "%s on %+v", tc.lines, tc.link)
	}
}

func TestUnify(t *testing.T) {
	at := func(feed int64, uid string, start, end int64, sequence int) booking.Origin {
		return booking.Origin{Feed: feed, Platform: feed / 10, UID: uid, Span: span.Span{Start: start, End: end}, Revision: recur.Revision{Sequence: sequence}}
	}
	for _, tc := range []struct {
		name   string
		in     []booking.Origin
		stands []int
		blocks span.Span // of the booking that the last one is
		differ bool
	}{
		{"an exact copy in another feed is one booking", []booking.Origin{at(10, "a", 0, 2, 0), at(20, "a", 0, 2, 0)}, []int{0, 0}, span.Span{Start: 0, End: 2}, false},
		{"between feeds of one platform the later revision counts", []booking.Origin{at(10, "a", 0, 2, 0), at(11, "a", 1, 3, 4)}, []int{1, 1}, span.Span{Start: 1, End: 3}, false},
		{"between platforms all of it blocks, whatever the revision", []booking.Origin{at(10, "a", 0, 4, 0), at(20, "a", 1, 3, 9)}, []int{1, 1}, span.Span{Start: 0, End: 4}, true},
		{"without an order too", []booking.Origin{at(10, "a", 0, 2, 0), at(11, "a", 1, 3, 0)}, []int{0, 0}, span.Span{Start: 0, End: 3}, true},
		{"disjoint spans: different bookings", []booking.Origin{at(10, "a", 0, 2, 0), at(20, "a", 2, 4, 1)}, []int{0, 1}, span.Span{Start: 2, End: 4}, false},
		{"one feed twice: different bookings", []booking.Origin{at(10, "a", 0, 2, 0), at(10, "a", 0, 2, 0)}, []int{0, 1}, span.Span{Start: 0, End: 2}, false},
		{"also when another feed's copy came between", []booking.Origin{at(10, "a", 0, 2, 0), at(20, "a", 0, 2, 1), at(20, "a", 0, 2, 0)}, []int{1, 1, 2}, span.Span{Start: 0, End: 2}, false},
		{"without UID never one", []booking.Origin{at(10, "", 0, 2, 0), at(20, "", 0, 2, 0)}, []int{0, 1}, span.Span{Start: 0, End: 2}, false},
		{"three feeds", []booking.Origin{at(10, "a", 0, 2, 0), at(20, "a", 0, 2, 1), at(30, "a", 1, 3, 2)}, []int{2, 2, 2}, span.Span{Start: 0, End: 3}, true},
	} {
		var stands []int
		all := booking.Unify(tc.in)
		for _, one := range all {
			stands = append(stands, one.Stands)
		}
		assert.Equal(t, tc.stands, stands, tc.name)
		assert.Equal(t, tc.blocks, all[len(all)-1].Blocks, tc.name)
		assert.Equal(t, tc.differ, all[len(all)-1].Differ, tc.name)
	}
}
