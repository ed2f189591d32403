package recur_test

import (
	"fmt"
	"math/rand"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/teambition/rrule-go"

	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/zone"
)

func read(t *testing.T, events string) *recur.Document {
	t.Helper()
	doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\n" + events + "\nEND:VCALENDAR\n")))
	require.NoError(t, err)
	return doc
}

func window(t *testing.T, from, to, name string) recur.Window {
	t.Helper()
	loc, err := zone.Load(name)
	require.NoError(t, err)
	a, err := time.ParseInLocation(time.DateOnly, from, loc)
	require.NoError(t, err)
	b, err := time.ParseInLocation(time.DateOnly, to, loc)
	require.NoError(t, err)
	return recur.Window{From: a, To: b, Zone: loc}
}

// line writes an occurrence as "start/end key status", with dates for all-day ones.
func line(o recur.Occurrence) string {
	s := stamp(o.Start) + "/" + stamp(o.End)
	if o.AllDay {
		s = o.First.String() + "/" + o.Last.String()
	}
	if id := o.RecurrenceID(); id != "" {
		s += " of " + id
	}
	if o.Status != recur.Confirmed {
		s += " " + string(o.Status)
	}
	if o.Transparent {
		s += " transparent"
	}
	return s
}

func stamp(unix int64) string { return time.Unix(unix, 0).UTC().Format(time.RFC3339) }

// expand lists the occurrences of all entries, and the codes of what was told of them.
func expand(t *testing.T, events string, w recur.Window) (got, codes []string) {
	t.Helper()
	doc := read(t, events)
	for _, e := range doc.Entries {
		found, diags := doc.Expand(e, w)
		for _, o := range found {
			got = append(got, line(o))
		}
		for _, d := range diags {
			codes = append(codes, d.Code)
		}
	}
	return got, codes
}

// stream does the same by reading twice.
func stream(t *testing.T, events string, w recur.Window) (got, codes []string) {
	t.Helper()
	s := recur.Stream{Limits: ical.DefaultLimits(), Window: w, Told: func(d ical.Diagnostic) { codes = append(codes, d.Code) },
		Found: func(found []recur.Occurrence) error {
			for _, o := range found {
				got = append(got, line(o))
			}
			return nil
		}}
	require.NoError(t, s.Expand(strings.NewReader("BEGIN:VCALENDAR\n"+events+"\nEND:VCALENDAR\n")))
	return got, codes
}

func TestExpand(t *testing.T) {
	for _, tc := range []struct {
		name, events string
		want, codes  []string
	}{
		{
			name:   "all day, no end: one day",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260703\nEND:VEVENT",
			want:   []string{"2026-07-03/2026-07-04"},
		},
		{
			name:   "all day, end equal to start: one day",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260703\nDTEND;VALUE=DATE:20260703\nEND:VEVENT",
			want:   []string{"2026-07-03/2026-07-04"},
		},
		{
			name:   "a date that lacks VALUE=DATE, with a duration in days",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART:20260703\nDURATION:P3D\nEND:VEVENT",
			want:   []string{"2026-07-03/2026-07-06"},
		},
		{
			name:   "UTC, zoned and floating times",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART:20260703T090000Z\nDTEND:20260703T100000Z\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART;TZID=Europe/Lisbon:20260704T090000\nDURATION:PT1H\nEND:VEVENT\nBEGIN:VEVENT\nUID:c\nDTSTART:20260705T090000\nDTEND:20260705T100000\nEND:VEVENT",
			want:   []string{"2026-07-03T09:00:00Z/2026-07-03T10:00:00Z", "2026-07-04T08:00:00Z/2026-07-04T09:00:00Z", "2026-07-05T12:00:00Z/2026-07-05T13:00:00Z"},
		},
		{
			name:   "floating times in the zone that the document names",
			events: "X-WR-TIMEZONE:Asia/Tokyo\nBEGIN:VEVENT\nUID:a\nDTSTART:20260705T090000\nDURATION:PT1H\nEND:VEVENT",
			want:   []string{"2026-07-05T00:00:00Z/2026-07-05T01:00:00Z"},
		},
		{
			name:   "weekly over a change of the clock keeps its wall time; EXDATE and an override",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=America/Halifax:20261018T100000\nDTEND;TZID=America/Halifax:20261018T110000\nRRULE:FREQ=WEEKLY;COUNT=4\nEXDATE;TZID=America/Halifax:20261025T100000\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20261101T140000Z\nDTSTART:20261101T180000Z\nDTEND:20261101T190000Z\nEND:VEVENT",
			want:   []string{"2026-10-18T13:00:00Z/2026-10-18T14:00:00Z of 2026-10-18T13:00:00Z", "2026-11-01T18:00:00Z/2026-11-01T19:00:00Z of 2026-11-01T14:00:00Z", "2026-11-08T14:00:00Z/2026-11-08T15:00:00Z of 2026-11-08T14:00:00Z"},
		},
		{
			name:   "UNTIL in UTC is inclusive; one instance cancelled",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=America/Halifax:20260706T190000\nDURATION:PT2H\nRRULE:FREQ=DAILY;INTERVAL=2;UNTIL=20260710T220000Z\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID;TZID=America/Halifax:20260708T190000\nDTSTART;TZID=America/Halifax:20260708T190000\nDURATION:PT2H\nSTATUS:CANCELLED\nEND:VEVENT",
			want:   []string{"2026-07-06T22:00:00Z/2026-07-07T00:00:00Z of 2026-07-06T22:00:00Z", "2026-07-08T22:00:00Z/2026-07-09T00:00:00Z of 2026-07-08T22:00:00Z cancelled", "2026-07-10T22:00:00Z/2026-07-11T00:00:00Z of 2026-07-10T22:00:00Z"},
		},
		{
			name:   "last Friday of the month, all day, with RDATE",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260731\nRRULE:FREQ=MONTHLY;BYDAY=-1FR;UNTIL=20260930\nRDATE;VALUE=DATE:20260815\nEND:VEVENT",
			want:   []string{"2026-07-31/2026-08-01 of 2026-07-31", "2026-08-15/2026-08-16 of 2026-08-15", "2026-08-28/2026-08-29 of 2026-08-28", "2026-09-25/2026-09-26 of 2026-09-25"},
		},
		{
			name:   "yearly with a far start is found without counting up",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:19040815\nRRULE:FREQ=YEARLY\nEND:VEVENT",
			want:   []string{"2026-08-15/2026-08-16 of 2026-08-15"},
		},
		{
			name:   "a rule that is not covered leaves the first date, with a diagnostic",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260703\nRRULE:RSCALE=CHINESE;FREQ=YEARLY\nEND:VEVENT",
			want:   []string{"2026-07-03/2026-07-04 of 2026-07-03"}, codes: []string{"rule-not-covered"},
		},
		{
			name:   "dates cannot come round more often than daily",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260703\nRRULE:FREQ=SECONDLY;COUNT=9\nEND:VEVENT",
			want:   []string{"2026-07-03/2026-07-04 of 2026-07-03"}, codes: []string{"rule-of-times"},
		},
		{
			name:   "times of a rule mean nothing for dates",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260703\nRRULE:FREQ=DAILY;BYHOUR=9,10;COUNT=2\nEND:VEVENT",
			want:   []string{"2026-07-03/2026-07-04 of 2026-07-03", "2026-07-04/2026-07-05 of 2026-07-04"},
		},
		{
			name:   "tentative, transparent and the vendor's busy status",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260703\nSTATUS:TENTATIVE\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART;VALUE=DATE:20260704\nTRANSP:TRANSPARENT\nEND:VEVENT\nBEGIN:VEVENT\nUID:c\nDTSTART;VALUE=DATE:20260705\nX-MICROSOFT-CDO-BUSYSTATUS:FREE\nEND:VEVENT",
			want:   []string{"2026-07-03/2026-07-04 tentative", "2026-07-04/2026-07-05 transparent", "2026-07-05/2026-07-06 transparent"},
		},
		{
			name:   "METHOD:CANCEL calls everything off",
			events: "METHOD:CANCEL\nBEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260703\nEND:VEVENT",
			want:   []string{"2026-07-03/2026-07-04 cancelled"},
		},
		{
			name:   "free/busy periods",
			events: "BEGIN:VFREEBUSY\nUID:a\nFREEBUSY;FBTYPE=BUSY-TENTATIVE:20260703T090000Z/PT2H\nFREEBUSY;FBTYPE=X-ODD:20260704T090000Z/20260704T100000Z\nFREEBUSY;FBTYPE=FREE:20260705T090000Z/PT1H\nEND:VFREEBUSY",
			want:   []string{"2026-07-03T09:00:00Z/2026-07-03T11:00:00Z tentative", "2026-07-04T09:00:00Z/2026-07-04T10:00:00Z"},
		},
		{
			name:   "no start and an unknown zone are named, and the latter still counts",
			events: "BEGIN:VEVENT\nUID:a\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART;TZID=Odd Time:20260703T090000\nDURATION:PT1H\nEND:VEVENT",
			want:   []string{"2026-07-03T12:00:00Z/2026-07-03T13:00:00Z"}, codes: []string{"no-start", "unknown-zone"},
		},
		{
			name:   "a series in the gap of a change of the clock is read with the offset before it",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Lisbon:20260327T013000\nDURATION:PT1H\nRRULE:FREQ=WEEKLY;INTERVAL=26;COUNT=2\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART;TZID=Australia/Sydney:20260927T023000\nDURATION:PT30M\nRRULE:FREQ=WEEKLY;COUNT=2\nEND:VEVENT",
			want:   []string{"2026-09-25T00:30:00Z/2026-09-25T01:30:00Z of 2026-09-25T00:30:00Z", "2026-09-26T16:30:00Z/2026-09-26T17:00:00Z of 2026-09-26T16:30:00Z", "2026-10-03T16:30:00Z/2026-10-03T17:00:00Z of 2026-10-03T16:30:00Z"},
		},
		{
			name:   "EXDATE as a date leaves out that day's instance of a timed series; RDATE as a period has its own length",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART:20260706T180000Z\nDURATION:PT1H\nRRULE:FREQ=DAILY;COUNT=3\nEXDATE;VALUE=DATE:20260707\nRDATE;VALUE=PERIOD:20260710T080000Z/PT3H,20260711T080000Z/20260711T090000Z\nEND:VEVENT",
			want: []string{"2026-07-06T18:00:00Z/2026-07-06T19:00:00Z of 2026-07-06T18:00:00Z", "2026-07-08T18:00:00Z/2026-07-08T19:00:00Z of 2026-07-08T18:00:00Z",
				"2026-07-10T08:00:00Z/2026-07-10T11:00:00Z of 2026-07-10T08:00:00Z", "2026-07-11T08:00:00Z/2026-07-11T09:00:00Z of 2026-07-11T08:00:00Z"},
		},
		{
			name:   "an override without its master stands for itself; one moved into the window is in, one moved out is not",
			events: "BEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20260706T180000Z\nDTSTART:20260707T180000Z\nDURATION:PT1H\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART;VALUE=DATE:20260620\nRRULE:FREQ=WEEKLY;COUNT=3\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nRECURRENCE-ID;VALUE=DATE:20260627\nDTSTART;VALUE=DATE:20260702\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nRECURRENCE-ID;VALUE=DATE:20260704\nDTSTART;VALUE=DATE:20260629\nEND:VEVENT",
			want:   []string{"2026-07-07T18:00:00Z/2026-07-07T19:00:00Z of 2026-07-06T18:00:00Z", "2026-07-02/2026-07-03 of 2026-06-27"},
		},
		{
			name:   "an event that ends before it starts lasts nothing, and is named",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART:20260706T180000Z\nDTEND:20260706T170000Z\nEND:VEVENT",
			want:   []string{"2026-07-06T18:00:00Z/2026-07-06T18:00:00Z"}, codes: []string{"ends-before-start"},
		},
		{
			name:   "an all-day event that ends before it starts is one day, and is named",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260706\nDTEND;VALUE=DATE:20260701\nEND:VEVENT",
			want:   []string{"2026-07-06/2026-07-07"}, codes: []string{"ends-before-start"},
		},
		{
			name:   "a broken EXDATE, RDATE and DURATION are passed over, and named",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART:20260706T180000Z\nDURATION:an hour\nRRULE:FREQ=DAILY;COUNT=2\nEXDATE:yesterday\nRDATE:tomorrow\nEND:VEVENT",
			want:   []string{"2026-07-06T18:00:00Z/2026-07-06T18:00:00Z of 2026-07-06T18:00:00Z", "2026-07-07T18:00:00Z/2026-07-07T18:00:00Z of 2026-07-07T18:00:00Z"},
			codes:  []string{"bad-duration", "bad-exdate", "bad-rdate"},
		},
		{
			name:   "THISANDFUTURE moves this instance and all after it, but not one with an override of its own",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=America/Halifax:20260706T180000\nDTEND;TZID=America/Halifax:20260706T190000\nRRULE:FREQ=WEEKLY;COUNT=5\nSUMMARY:S\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID;RANGE=THISANDFUTURE;TZID=America/Halifax:20260720T180000\nDTSTART;TZID=America/Halifax:20260721T200000\nDURATION:PT30M\nSTATUS:TENTATIVE\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID;TZID=America/Halifax:20260727T180000\nDTSTART;TZID=America/Halifax:20260727T080000\nDURATION:PT1H\nEND:VEVENT",
			want: []string{"2026-07-06T21:00:00Z/2026-07-06T22:00:00Z of 2026-07-06T21:00:00Z", "2026-07-13T21:00:00Z/2026-07-13T22:00:00Z of 2026-07-13T21:00:00Z",
				"2026-07-21T23:00:00Z/2026-07-21T23:30:00Z of 2026-07-20T21:00:00Z tentative", "2026-07-27T11:00:00Z/2026-07-27T12:00:00Z of 2026-07-27T21:00:00Z", "2026-08-04T23:00:00Z/2026-08-04T23:30:00Z of 2026-08-03T21:00:00Z tentative"},
		},
		{
			name:   "THISANDFUTURE over dates, moved into the window from before it, and then called off",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260601\nRRULE:FREQ=MONTHLY\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID;RANGE=THISANDFUTURE;VALUE=DATE:20260601\nDTSTART;VALUE=DATE:20260711\nDTEND;VALUE=DATE:20260713\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID;RANGE=THISANDFUTURE;VALUE=DATE:20260801\nDTSTART;VALUE=DATE:20260801\nSTATUS:CANCELLED\nEND:VEVENT",
			want:   []string{"2026-07-11/2026-07-13 of 2026-06-01", "2026-08-01/2026-08-02 of 2026-08-01 cancelled", "2026-08-10/2026-08-12 of 2026-07-01", "2026-09-01/2026-09-02 of 2026-09-01 cancelled"},
		},
		{
			name:   "of two overrides of one instance, named in two forms, the later revision counts",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=America/Halifax:20260706T180000\nRRULE:FREQ=WEEKLY;COUNT=1\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nSEQUENCE:2\nRECURRENCE-ID:20260706T210000Z\nDTSTART:20260708T210000Z\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nSEQUENCE:1\nRECURRENCE-ID;TZID=America/Halifax:20260706T180000\nDTSTART:20260707T210000Z\nEND:VEVENT",
			want:   []string{"2026-07-08T21:00:00Z/2026-07-08T21:00:00Z of 2026-07-06T21:00:00Z"},
		},
		{
			name:   "an override that says nothing of its time, or nothing that can be read, is at that of the series",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=America/Halifax:20260706T180000\nDURATION:PT1H\nRRULE:FREQ=DAILY;COUNT=3\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20260707T210000Z\nSTATUS:CANCELLED\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20260708T210000Z\nDTSTART:soon\nEND:VEVENT",
			want:   []string{"2026-07-06T21:00:00Z/2026-07-06T22:00:00Z of 2026-07-06T21:00:00Z", "2026-07-07T21:00:00Z/2026-07-07T22:00:00Z of 2026-07-07T21:00:00Z cancelled", "2026-07-08T21:00:00Z/2026-07-08T22:00:00Z of 2026-07-08T21:00:00Z"},
			codes:  []string{"bad-start"},
		},
		{
			name:   "EXRULE leaves out what it gives, and DTSTART only if it does",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260706\nRRULE:FREQ=DAILY;COUNT=8\nEXRULE:FREQ=DAILY;INTERVAL=2\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART:20260820T100000Z\nRRULE:FREQ=WEEKLY;BYDAY=TH,FR;COUNT=4\nEXRULE:FREQ=MONTHLY;BYDAY=4FR\nEXRULE:FREQ=NEVER\nEND:VEVENT",
			want: []string{"2026-07-07/2026-07-08 of 2026-07-07", "2026-07-09/2026-07-10 of 2026-07-09", "2026-07-11/2026-07-12 of 2026-07-11", "2026-07-13/2026-07-14 of 2026-07-13",
				"2026-08-20T10:00:00Z/2026-08-20T10:00:00Z of 2026-08-20T10:00:00Z", "2026-08-21T10:00:00Z/2026-08-21T10:00:00Z of 2026-08-21T10:00:00Z", "2026-08-27T10:00:00Z/2026-08-27T10:00:00Z of 2026-08-27T10:00:00Z"},
			codes: []string{"rule-not-covered"},
		},
		{
			name:   "two rules together give each start once",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260706\nRRULE:FREQ=WEEKLY;COUNT=3\nRRULE:FREQ=DAILY;INTERVAL=14;COUNT=2\nRDATE;VALUE=DATE:20260713,20260901\nEND:VEVENT",
			want:   []string{"2026-07-06/2026-07-07 of 2026-07-06", "2026-07-13/2026-07-14 of 2026-07-13", "2026-07-20/2026-07-21 of 2026-07-20", "2026-09-01/2026-09-02 of 2026-09-01"},
		},
		{
			name:   "EXDATE and RECURRENCE-ID without a zone go by the series' clock, those in another zone by the instant",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Lisbon:20260706T180000\nDURATION:PT1H\nRRULE:FREQ=DAILY;COUNT=5\nEXDATE:20260707T180000\nEXDATE;TZID=Asia/Tokyo:20260709T020000\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20260709T180000\nDTSTART:20260709T200000Z\nEND:VEVENT\nBEGIN:VEVENT\nUID:a\nRECURRENCE-ID;VALUE=DATE:20260710\nDTSTART:20260710T200000Z\nEND:VEVENT",
			want:   []string{"2026-07-06T17:00:00Z/2026-07-06T18:00:00Z of 2026-07-06T17:00:00Z", "2026-07-09T20:00:00Z/2026-07-09T20:00:00Z of 2026-07-09T17:00:00Z", "2026-07-10T20:00:00Z/2026-07-10T20:00:00Z of 2026-07-10T17:00:00Z"},
		},
		{
			name:   "EXDATE as a time on a series of dates; one bad value costs itself only",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260706\nRRULE:FREQ=DAILY;COUNT=4\nEXDATE:20260707T000000Z,soon,20260708T093000\nEND:VEVENT",
			want:   []string{"2026-07-06/2026-07-07 of 2026-07-06", "2026-07-09/2026-07-10 of 2026-07-09"}, codes: []string{"bad-exdate"},
		},
		{
			name: "UNTIL of another type than DTSTART is read sensibly, and told",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Lisbon:20260706T230000\nRRULE:FREQ=DAILY;UNTIL=20260707\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART;TZID=Europe/Lisbon:20260716T230000\nRRULE:FREQ=DAILY;UNTIL=20260717T230000\nEND:VEVENT\n" +
				"BEGIN:VEVENT\nUID:c\nDTSTART;VALUE=DATE:20260726\nRRULE:FREQ=DAILY;UNTIL=20260727T030000Z\nEND:VEVENT\nBEGIN:VEVENT\nUID:d\nDTSTART:20260806T230000\nRRULE:FREQ=DAILY;UNTIL=20260808T020000Z\nEND:VEVENT",
			want: []string{"2026-07-06T22:00:00Z/2026-07-06T22:00:00Z of 2026-07-06T22:00:00Z", "2026-07-07T22:00:00Z/2026-07-07T22:00:00Z of 2026-07-07T22:00:00Z", "2026-07-16T22:00:00Z/2026-07-16T22:00:00Z of 2026-07-16T22:00:00Z", "2026-07-17T22:00:00Z/2026-07-17T22:00:00Z of 2026-07-17T22:00:00Z",
				"2026-07-26/2026-07-27 of 2026-07-26", "2026-07-27/2026-07-28 of 2026-07-27", "2026-08-07T02:00:00Z/2026-08-07T02:00:00Z of 2026-08-07T02:00:00Z", "2026-08-08T02:00:00Z/2026-08-08T02:00:00Z of 2026-08-08T02:00:00Z"},
			codes: []string{"until-type", "until-type", "until-type", "until-type"},
		},
		{
			name:   "DTEND is an exact length, DURATION in days a nominal one, when clocks change",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=America/Halifax:20261024T120000\nDTEND;TZID=America/Halifax:20261025T120000\nRRULE:FREQ=WEEKLY;COUNT=2\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART;TZID=America/Halifax:20261024T120000\nDURATION:P1DT1H\nRRULE:FREQ=WEEKLY;COUNT=2\nEND:VEVENT",
			want: []string{"2026-10-24T15:00:00Z/2026-10-25T15:00:00Z of 2026-10-24T15:00:00Z", "2026-10-31T15:00:00Z/2026-11-01T15:00:00Z of 2026-10-31T15:00:00Z",
				"2026-10-24T15:00:00Z/2026-10-25T16:00:00Z of 2026-10-24T15:00:00Z", "2026-10-31T15:00:00Z/2026-11-01T17:00:00Z of 2026-10-31T15:00:00Z"},
		},
		{
			name:   "what a calendar says holds for its own events, where a file has several",
			events: "X-WR-TIMEZONE:Asia/Tokyo\nBEGIN:VEVENT\nUID:a\nDTSTART:20260706T090000\nEND:VEVENT\nEND:VCALENDAR\nBEGIN:VCALENDAR\nMETHOD:CANCEL\nBEGIN:VTIMEZONE\nTZID:Asia/Tokyo\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0000\nTZOFFSETTO:+0100\nEND:STANDARD\nEND:VTIMEZONE\nBEGIN:VEVENT\nUID:b\nDTSTART;TZID=Asia/Tokyo:20260707T090000\nEND:VEVENT",
			want:   []string{"2026-07-06T00:00:00Z/2026-07-06T00:00:00Z", "2026-07-07T08:00:00Z/2026-07-07T08:00:00Z cancelled"},
		},
		{
			name:   "zero length at the window's start is in, at its end is not",
			events: "BEGIN:VEVENT\nUID:a\nDTSTART:20260701T030000Z\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART:20261001T030000Z\nEND:VEVENT",
			want:   []string{"2026-07-01T03:00:00Z/2026-07-01T03:00:00Z"},
		},
	} {
		t.Run(tc.name, func(t *testing.T) {
			w := window(t, "2026-07-01", "2026-10-01", "America/Halifax")
			if strings.Contains(tc.name, "clock") {
				w.To = w.To.AddDate(0, 2, 0)
			}
			got, codes := expand(t, tc.events, w)
			assert.Equal(t, tc.want, got)
			assert.Equal(t, tc.codes, codes)
			streamed, told := stream(t, tc.events, w)
			assert.ElementsMatch(t, got, streamed, "read twice instead of kept")
			for _, code := range codes {
				assert.Contains(t, told, code)
			}
		})
	}
}

// randomRule makes a rule of any parts that may stand together, and a window for it.
func randomRule(rnd *rand.Rand) (rule string, window time.Duration) {
	pick := func(s ...string) string { return s[rnd.Intn(len(s))] }
	freq := pick("MINUTELY", "HOURLY", "DAILY", "DAILY", "WEEKLY", "WEEKLY", "MONTHLY", "MONTHLY", "YEARLY", "YEARLY")
	rule = "FREQ=" + freq + pick("", ";INTERVAL=2", ";INTERVAL=5", ";INTERVAL=37")
	fine := freq == "MINUTELY" || freq == "HOURLY"
	// Where rules can never hold, or seldom do, the witness looks for ever.
	switch {
	case fine:
		rule += pick("", "", ";BYMONTH=3,8", ";BYMONTHDAY=13,-1", ";BYYEARDAY=1,100,-1")
	case freq == "WEEKLY":
		rule += pick("", "", ";BYMONTH=3,8", ";BYMONTH=2")
	default:
		rule += pick("", "", ";BYMONTH=3,8", ";BYMONTH=2;BYMONTHDAY=13,-1", ";BYMONTHDAY=13,-1", ";BYMONTHDAY=31")
	}
	if freq == "YEARLY" && !strings.Contains(rule, "BYMONTH") {
		rule += pick("", "", ";BYYEARDAY=1,100,-1", ";BYYEARDAY=60,366")
	}
	byDay := pick("", ";BYDAY=MO", ";BYDAY=TU,SA")
	if freq == "YEARLY" && !strings.Contains(rule, "DAY") && rnd.Intn(3) == 0 {
		rule += pick(";BYWEEKNO=1", ";BYWEEKNO=20,53", ";BYWEEKNO=-1,30")
		byDay = pick(";BYDAY=MO", ";BYDAY=SU,TH") // without it the witness takes every day of the week
	} else if (freq == "YEARLY" || freq == "MONTHLY") && !strings.Contains(rule, "DAY") {
		byDay = pick("", ";BYDAY=1SU,-1FR", ";BYDAY=3MO,2TU", ";BYDAY=-5WE")
	}
	rule += byDay
	if !fine || !strings.Contains(rule, "INTERVAL") { // every second hour may never be nine: the witness would look for ever
		rule += pick("", "", ";BYHOUR=9,17", ";BYHOUR=0") + pick("", "", ";BYMINUTE=0,30", ";BYMINUTE=59")
	}
	rule += pick("", "", ";BYSECOND=0,15")
	if strings.Contains(rule, ";BY") {
		rule += pick("", "", ";BYSETPOS=1", ";BYSETPOS=2,-1")
	}
	rule += pick("", ";WKST=SU", ";WKST=WE") + pick("", "", ";COUNT=17", ";UNTIL=20270601T100000Z")
	lengths := map[string]time.Duration{"MINUTELY": 3 * 24 * time.Hour, "HOURLY": 60 * 24 * time.Hour, "DAILY": 500 * 24 * time.Hour}
	return rule, max(lengths[freq], 24*time.Hour*time.Duration(map[bool]int{true: 1500}[lengths[freq] == 0]))
}

// TestRulesAgainstWitness compares random rules with an independent library.
func TestRulesAgainstWitness(t *testing.T) {
	seed := time.Now().UnixNano()
	rnd := rand.New(rand.NewSource(seed))
	nonEmpty := 0
	for range 600 {
		start := time.Date(2024, 1, 1+rnd.Intn(700), 10, rnd.Intn(60), 0, 0, time.UTC)
		rule, length := randomRule(rnd)
		option, err := rrule.StrToROption(rule)
		require.NoError(t, err)
		option.Dtstart = start
		witness, err := rrule.NewRRule(*option)
		require.NoError(t, err)
		if option.Count > 0 {
			// The witness does not count DTSTART when the rule leaves it out, as RFC 5545 has it.
			if next := witness.Iterator(); next != nil {
				if first, ok := next(); !ok || !first.Equal(start) {
					continue
				}
			}
		}
		from := start.Add(time.Duration(rnd.Int63n(int64(length)))).Truncate(time.Second)
		to := from.Add(length)
		var want []string
		for _, w := range witness.Between(from, to.Add(-time.Second), true) {
			if !w.Equal(start) {
				want = append(want, w.Format(time.RFC3339))
			}
		}
		doc := read(t, fmt.Sprintf("BEGIN:VEVENT\nUID:a\nDTSTART:%s\nRRULE:%s\nEND:VEVENT", start.Format("20060102T150405Z"), rule))
		found, diags := doc.Expand(doc.Entries[0], recur.Window{From: from, To: to, Zone: time.UTC})
		if len(diags) > 0 { // some random rules never come round
			require.Equal(t, "rule-gives-nothing", diags[0].Code, rule)
			require.Empty(t, want, rule)
		}
		var got []string
		for _, o := range found {
			if o.Start != start.Unix() {
				got = append(got, stamp(o.Start))
			}
		}
		require.Equal(t, want, got, "seed %d, DTSTART %s, RRULE %s, window from %s to %s", seed, start, rule, from, to)
		nonEmpty += min(1, len(want))
	}
	assert.Greater(t, nonEmpty, 200, "enough rules must have something to compare")
}

// TestWitnessDisagrees lists where the library is not followed, with the reason. What agrees
// now is to be taken off the list.
func TestWitnessDisagrees(t *testing.T) {
	for _, tc := range []struct{ start, zone, rule, reason string }{
		{"20260101T090000", "UTC", "FREQ=WEEKLY;BYDAY=MO;COUNT=3", "DTSTART is always the first instance, and counts (RFC 5545 sections 3.8.2.4 and 3.3.10)"},
		{"20260511T090000", "UTC", "FREQ=YEARLY;BYWEEKNO=20;COUNT=3", "without BYDAY the day is DTSTART's: what a rule leaves open comes from there (RFC 5545 section 3.3.10)"},
		{"20260329T013000", "Europe/Lisbon", "FREQ=DAILY;COUNT=2", "a time that the clock leaves out is read with the offset before it (RFC 5545 section 3.3.5)"},
		{"20260101T090000", "UTC", "FREQ=DAILY;UNTIL=20260103", "an UNTIL that is a date includes all of its day (RFC 5545 section 3.3.10)"},
	} {
		loc, err := zone.Load(tc.zone)
		require.NoError(t, err)
		option, err := rrule.StrToROption(tc.rule)
		require.NoError(t, err)
		option.Dtstart, err = time.ParseInLocation("20060102T150405", tc.start, loc)
		require.NoError(t, err)
		witness, err := rrule.NewRRule(*option)
		require.NoError(t, err)
		var theirs, ours []string
		from, to := option.Dtstart.AddDate(0, 0, -1), option.Dtstart.AddDate(4, 0, 0)
		for _, at := range witness.Between(from, to, true) {
			theirs = append(theirs, stamp(at.Unix()))
		}
		doc := read(t, fmt.Sprintf("BEGIN:VEVENT\nUID:a\nDTSTART;TZID=%s:%s\nRRULE:%s\nEND:VEVENT", tc.zone, tc.start, tc.rule))
		found, _ := doc.Expand(doc.Entries[0], recur.Window{From: from, To: to, Zone: loc})
		for _, o := range found {
			ours = append(ours, stamp(o.Start))
		}
		assert.NotEqual(t, theirs, ours, "%s: the witness agrees now that %s", tc.rule, tc.reason)
		assert.NotEmpty(t, ours)
	}
}

// TestHostileRules: a rule that gives nothing, or more than anybody wants, comes to its end
// within the limit; nothing is walked that can be jumped.
func TestHostileRules(t *testing.T) {
	for _, tc := range []struct {
		start, rule string
		want        int
		code        string
	}{
		{"00010101T000000Z", "FREQ=SECONDLY", 10000, "too-many"},
		{"00010101T000000Z", "FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30", 0, "rule-gives-nothing"},
		{"00010101T000000Z", "FREQ=MINUTELY;INTERVAL=999983;BYSECOND=7", 1, ""},
		{"00010101T000000Z", "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30;COUNT=5", 0, "rule-gives-nothing"},
		{"20260101T000000Z", "FREQ=YEARLY;BYMONTHDAY=31;BYMONTH=4", 1, "rule-gives-nothing"},
		{"20260101T000000Z", "FREQ=SECONDLY\nEXDATE;VALUE=DATE:20260101,20260102", 10000, "too-many"},
		{"20260101T000000Z", "FREQ=HOURLY\nEXRULE:FREQ=SECONDLY", 10000, "too-many"},
		{"20260101T000000Z", "FREQ=DAILY;INTERVAL=0", 1, "rule-not-covered"},
		{"20260101T000000Z", "FREQ=DAILY;COUNT=99999999999999999999", 1, "rule-not-covered"},
		{"20260101T000000Z", "FREQ=DAILY;BYSETPOS=0", 1, "rule-not-covered"},
		{"20260101T000000Z", "FREQ=YEARLY;BYWEEKNO=54", 1, "rule-not-covered"},
		{"20260101T000000Z", "FREQ=YEARLY;BYDAY=0MO", 1, "rule-not-covered"},
		{"20260101T000000Z", "FREQ=FORTNIGHTLY", 1, "rule-not-covered"},
		{"20260101T000000Z", "INTERVAL=2", 1, "rule-not-covered"},
		{"20260228T000000Z", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;RSCALE=GREGORIAN;SKIP=OMIT", 1, ""},
		{"20260101T000000Z", "FREQ=YEARLY;RSCALE=GREGORIAN;SKIP=SIDEWAYS", 1, "rule-not-covered"},
		{"99991231T000000Z", "FREQ=DAILY", 0, ""},
	} {
		doc := read(t, fmt.Sprintf("BEGIN:VEVENT\nUID:a\nDTSTART:%s\nDURATION:PT1S\nRRULE:%s\nEND:VEVENT", tc.start, tc.rule))
		found, diags := doc.Expand(doc.Entries[0], window(t, "2026-01-01", "2028-01-01", "UTC"))
		assert.Len(t, found[:min(len(found), tc.want+1)], tc.want, tc.rule)
		if tc.code == "" {
			assert.Empty(t, diags, tc.rule)
		} else if assert.NotEmpty(t, diags, tc.rule) {
			assert.Equal(t, tc.code, diags[0].Code, tc.rule)
		}
	}
}

func TestReadGroups(t *testing.T) {
	doc := read(t, `BEGIN:VEVENT
UID:a
SEQUENCE:1
DTSTART;VALUE=DATE:20260703
SUMMARY:older
END:VEVENT
BEGIN:VEVENT
UID:a
SEQUENCE:2
DTSTART;VALUE=DATE:20260703
SUMMARY:newer
END:VEVENT
BEGIN:VEVENT
UID:b
DTSTART;VALUE=DATE:20260801
END:VEVENT
BEGIN:VEVENT
UID:b
DTSTART;VALUE=DATE:20260901
END:VEVENT
BEGIN:VEVENT
DTSTART;VALUE=DATE:20260901
END:VEVENT
BEGIN:VEVENT
DTSTART;VALUE=DATE:20260901
END:VEVENT`)
	var titles []string
	for _, e := range doc.Entries {
		titles = append(titles, e.UID+":"+e.Title())
	}
	assert.Equal(t, []string{"a:newer", "b:", "b:", ":", ":"}, titles)

	one := read(t, "BEGIN:VEVENT\nUID:x\nDTSTAMP:20260101T000000Z\nSUMMARY:S\nDTSTART:20260703\nEND:VEVENT").Entries[0]
	same := read(t, "BEGIN:VEVENT\nDTSTART:20260\n 703\nUID:y\nSUMMARY:S\nDTSTAMP:20260102T000000Z\nEND:VEVENT").Entries[0]
	other := read(t, "BEGIN:VEVENT\nUID:x\nSUMMARY:T\nDTSTART:20260703\nEND:VEVENT").Entries[0]
	assert.Equal(t, one.Digest(), same.Digest())
	assert.NotEqual(t, one.Digest(), other.Digest())
}
