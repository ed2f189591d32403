package hold_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/hold"
	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/rules"
)

func calendar(t *testing.T, grain string) rules.Calendar {
	t.Helper()
	c, err := rules.NewCalendar("Europe/Lisbon", grain, 1)
	require.NoError(t, err)
	return c
}

func TestChecked(t *testing.T) {
	for name, c := range map[string]struct {
		h     hold.Hold
		field string // that is wrong; "": none
		says  string
	}{
		"days":                               {hold.Hold{Start: "2026-12-20", End: "2026-12-23"}, "", ""},
		"hours":                              {hold.Hold{Start: "2026-12-20T14:00", End: "2026-12-20 16:00"}, "", ""},
		"an end before its start":            {hold.Hold{Start: "2026-12-20", End: "2026-12-19"}, "end", "not after its start"},
		"an end at its start":                {hold.Hold{Start: "2026-12-20", End: "2026-12-20"}, "end", "not after its start"},
		"an hour at one end only":            {hold.Hold{Start: "2026-12-20", End: "2026-12-21T10:00"}, "end", "write both as days"},
		"no day at all":                      {hold.Hold{Start: "Friday", End: "2026-12-21"}, "start", "write 2026-12-20"},
		"a day that there is not":            {hold.Hold{Start: "2026-02-30", End: "2026-03-02"}, "start", "is no day"},
		"an hour that the clocks leave out":  {hold.Hold{Start: "2027-03-28T01:30", End: "2027-03-28T03:00"}, "start", "there is no 01:30 on that day in Europe/Lisbon"},
		"by the clock of another zone":       {hold.Hold{Start: "2027-03-28T01:30", End: "2027-03-28T03:00", Zone: "America/Halifax"}, "", ""},
		"in a zone that there is not":        {hold.Hold{Start: "2026-12-20", End: "2026-12-21", Zone: "Mars"}, "zone", ""},
		"for eleven years":                   {hold.Hold{Start: "2026-12-20", End: "2037-12-23"}, "end", "look at the year"},
		"a tentative closure":                {hold.Hold{Start: "2026-12-20", End: "2026-12-23", Closure: true, Tentative: true}, "tentative", "a closure is firm"},
		"a rule that is none":                {hold.Hold{Start: "2026-12-20", End: "2026-12-23", Repeat: "WEEKLY"}, "repeat", "write it as FREQ=WEEKLY"},
		"a rule that begins elsewhere":       {hold.Hold{Start: "2026-12-20", End: "2026-12-23", Repeat: "FREQ=WEEKLY;BYDAY=MO"}, "repeat", "does not begin on 2026-12-20"},
		"a rule":                             {hold.Hold{Start: "2026-12-21", End: "2026-12-23", Repeat: "RRULE:freq=weekly;byday=mo"}, "", ""},
		"an exception that is no such start": {hold.Hold{Start: "2026-12-21", End: "2026-12-23", Repeat: "FREQ=DAILY", Except: []string{"2026-12-22T10:00"}}, "except", ""},
		"more units than can be":             {hold.Hold{Start: "2026-12-20", End: "2026-12-23", Units: 10001}, "units", ""},
		"a class that nobody knows":          {hold.Hold{Start: "2026-12-20", End: "2026-12-23", Class: "SECRET"}, "class", ""},
		"a title that is a book":             {hold.Hold{Start: "2026-12-20", End: "2026-12-23", Title: strings.Repeat("x", 501)}, "title", "put the rest into the note"},
	} {
		_, err := c.h.Checked(calendar(t, "day"))
		if c.field == "" {
			assert.NoError(t, err, name)
			continue
		}
		var wrong *rules.FieldError
		if assert.ErrorAs(t, err, &wrong, name) {
			assert.Equal(t, c.field, wrong.Field, name)
			assert.Contains(t, wrong.Error(), c.says, name)
		}
	}
}

// spans are the occurrences of a hold, as dates or times of its zone.
func spans(t *testing.T, h hold.Hold) (all []string) {
	t.Helper()
	c := calendar(t, "time")
	doc := h.Document()
	require.Len(t, doc.Entries, 1)
	found, told := doc.Expand(doc.Entries[0], recur.Window{From: time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), To: time.Date(2028, 1, 1, 0, 0, 0, 0, time.UTC), Zone: c.Zone})
	assert.Empty(t, told)
	for _, o := range found {
		if o.AllDay {
			all = append(all, fmt.Sprintf("%s/%s %s", o.First, o.Last, o.Summary))
		} else {
			all = append(all, time.Unix(o.Start, 0).In(c.Zone).Format("01-02T15:04")+"/"+time.Unix(o.End, 0).In(c.Zone).Format("15:04")+" "+o.Summary)
		}
	}
	return all
}

func ptr[T any](v T) *T { return &v }

// TestChange: one of a series, those from one on, or all of it; by days and by hours, over a change of the clocks.
func TestChange(t *testing.T) {
	weekly := hold.Hold{UID: "hold-1", Title: "Gig", Start: "2026-10-18T10:00", End: "2026-10-18T12:00", Repeat: "FREQ=WEEKLY;COUNT=4"}
	boats := hold.Hold{UID: "hold-2", Title: "Ketch", Start: "2026-07-03", End: "2026-07-05", Repeat: "FREQ=WEEKLY;UNTIL=20260724"}
	for name, c := range map[string]struct {
		h      hold.Hold
		scope  hold.Scope
		of     string
		edit   hold.Edit
		want   []string
		goesOn []string
		wrong  string
	}{
		"as it was": {weekly, hold.All, "", hold.Edit{}, []string{"10-18T10:00/12:00 Gig", "10-25T10:00/12:00 Gig", "11-01T10:00/12:00 Gig", "11-08T10:00/12:00 Gig"}, nil, ""},
		"one later, by its instant": {weekly, hold.One, "2026-10-25T10:00:00Z", hold.Edit{Start: ptr("2026-10-25T14:00"), End: ptr("2026-10-25T15:00")},
			[]string{"10-18T10:00/12:00 Gig", "10-25T14:00/15:00 Gig", "11-01T10:00/12:00 Gig", "11-08T10:00/12:00 Gig"}, nil, ""},
		"the rest an hour later": {weekly, hold.Rest, "2026-11-01T10:00", hold.Edit{Start: ptr("2026-11-01T11:00"), End: ptr("2026-11-01T13:00"), Title: ptr("Gig, late")},
			[]string{"10-18T10:00/12:00 Gig", "10-25T10:00/12:00 Gig"}, []string{"11-01T11:00/13:00 Gig, late", "11-08T11:00/13:00 Gig, late"}, ""},
		"the rest from the first on is all": {weekly, hold.Rest, "2026-10-18T10:00", hold.Edit{Title: ptr("Boat")}, []string{"10-18T10:00/12:00 Boat", "10-25T10:00/12:00 Boat", "11-01T10:00/12:00 Boat", "11-08T10:00/12:00 Boat"}, nil, ""},
		"the rest of what ends on a day":    {boats, hold.Rest, "2026-07-17", hold.Edit{Title: ptr("Punt")}, []string{"2026-07-03/2026-07-05 Ketch", "2026-07-10/2026-07-12 Ketch"}, []string{"2026-07-17/2026-07-19 Punt", "2026-07-24/2026-07-26 Punt"}, ""},
		"one of days called otherwise":      {boats, hold.One, "2026-07-10", hold.Edit{Title: ptr("Punt")}, []string{"2026-07-03/2026-07-05 Ketch", "2026-07-10/2026-07-12 Punt", "2026-07-17/2026-07-19 Ketch", "2026-07-24/2026-07-26 Ketch"}, nil, ""},
		"no start of it":                    {boats, hold.One, "2026-07-11", hold.Edit{Title: ptr("Punt")}, nil, nil, "occurrence"},
		"a note of one":                     {boats, hold.One, "2026-07-10", hold.Edit{Note: ptr("late")}, nil, nil, "scope"},
		"part of a series, as nobody says":  {boats, "some", "2026-07-10", hold.Edit{}, nil, nil, "scope"},
	} {
		is, goesOn, err := c.h.Change(calendar(t, "day"), c.scope, c.of, c.edit)
		if c.wrong != "" {
			var wrong *rules.FieldError
			if assert.True(t, errors.As(err, &wrong), name) {
				assert.Equal(t, c.wrong, wrong.Field, name)
			}
			continue
		}
		require.NoError(t, err, name)
		assert.Equal(t, c.want, spans(t, is), name)
		if c.goesOn == nil {
			assert.Nil(t, goesOn, name)
		} else if assert.NotNil(t, goesOn, name) {
			assert.Empty(t, goesOn.UID, name)
			goesOn.UID = "hold-3"
			assert.Equal(t, c.goesOn, spans(t, *goesOn), name)
		}
	}
	// What was left out or is other than the rest moves along with all of it.
	moved, _, err := boats.Change(calendar(t, "day"), hold.One, "2026-07-10", hold.Edit{Start: ptr("2026-07-11"), End: ptr("2026-07-12")})
	require.NoError(t, err)
	moved, left, err := moved.Cancel(calendar(t, "day"), hold.One, "2026-07-17")
	require.NoError(t, err)
	require.True(t, left)
	moved, _, err = moved.Change(calendar(t, "day"), hold.All, "", hold.Edit{Start: ptr("2026-07-02"), End: ptr("2026-07-04")})
	require.NoError(t, err)
	assert.Equal(t, []string{"2026-07-02/2026-07-04 Ketch", "2026-07-10/2026-07-11 Ketch", "2026-07-23/2026-07-25 Ketch"}, spans(t, moved))
	until, left, err := boats.Cancel(calendar(t, "day"), hold.Rest, "2026-07-17")
	require.NoError(t, err)
	assert.True(t, left)
	assert.Len(t, spans(t, until), 2)
	_, left, err = boats.Cancel(calendar(t, "day"), hold.All, "")
	require.NoError(t, err)
	assert.False(t, left)
}

func TestQuestions(t *testing.T) {
	weeks := []int64{7, 7, 7, 7, 14, 7, 7, 7}
	for name, c := range map[string]struct {
		grain  string
		h      hold.Hold
		others []int64
		want   []string
	}{
		"a week among weeks":         {"night", hold.Hold{Start: "2026-12-20", End: "2026-12-27"}, weeks, nil},
		"a night among weeks":        {"night", hold.Hold{Start: "2026-12-20", End: "2026-12-21"}, weeks, []string{"It takes 1 night, and the last 8 here took 7 nights to 14 nights. Is that meant?"}},
		"a night among few":          {"night", hold.Hold{Start: "2026-12-20", End: "2026-12-21"}, weeks[:7], nil},
		"a closure of any length":    {"night", hold.Hold{Start: "2026-12-20", End: "2027-03-20", Closure: true}, weeks, nil},
		"hours on nights":            {"night", hold.Hold{Start: "2026-12-20T14:00", End: "2026-12-22T10:00"}, nil, []string{"It has hours, and this calendar goes by the night: it takes the nights from 20 December to 21 December. Are whole days meant?"}},
		"hours of one day on nights": {"night", hold.Hold{Start: "2026-12-20T14:00", End: "2026-12-20T16:00"}, nil, []string{"It has hours, and this calendar goes by the night: within one day it takes none. Are whole days meant?"}},
		"hours among hours":          {"time", hold.Hold{Start: "2026-12-20T14:00", End: "2026-12-20T15:30"}, []int64{3600, 7200, 3600, 3600, 3600, 3600, 3600, 3600}, nil},
		"a day among hours":          {"time", hold.Hold{Start: "2026-12-20", End: "2026-12-21"}, []int64{3600, 5400, 3600, 3600, 3600, 3600, 3600, 3600}, []string{"It takes 24 h, and the last 8 here took 1 h to 1.5 h. Is that meant?"}},
	} {
		var says []string
		for _, q := range c.h.Questions(calendar(t, c.grain), c.others) {
			says = append(says, q.Says)
		}
		assert.Equal(t, c.want, says, name)
	}
}

// TestFromDocument: what a file has becomes holds; a series stays one, also in another zone.
func TestFromDocument(t *testing.T) {
	text := strings.ReplaceAll(`BEGIN:VCALENDAR
VERSION:2.0
BEGIN:VEVENT
UID:1
DTSTART;VALUE=DATE:20261220
DTEND;VALUE=DATE:20261223
SUMMARY:Osei
DESCRIPTION:by telephone
CATEGORIES:Berth,Winter
STATUS:TENTATIVE
END:VEVENT
BEGIN:VEVENT
UID:2
DTSTART;TZID=America/Halifax:20261020T100000
DTEND;TZID=America/Halifax:20261020T120000
RRULE:FREQ=WEEKLY;COUNT=4
EXDATE;TZID=America/Halifax:20261027T100000
SUMMARY:Club
END:VEVENT
BEGIN:VEVENT
UID:2
RECURRENCE-ID;TZID=America/Halifax:20261103T100000
DTSTART;TZID=America/Halifax:20261103T130000
DTEND;TZID=America/Halifax:20261103T140000
SUMMARY:Club, late
END:VEVENT
BEGIN:VEVENT
UID:3
DTSTART;VALUE=DATE:20261201
RRULE:FREQ=DAILY;COUNT=2
RDATE;VALUE=DATE:20261210
SUMMARY:Two rules
END:VEVENT
BEGIN:VEVENT
UID:4
DTSTART;VALUE=DATE:20261224
STATUS:CANCELLED
SUMMARY:Called off
END:VEVENT
END:VCALENDAR
`, "\n", "\r\n")
	doc, err := recur.Read(ical.NewReader(strings.NewReader(text)))
	require.NoError(t, err)
	holds, left := hold.FromDocument(doc, calendar(t, "time"), time.Date(2026, 10, 1, 0, 0, 0, 0, time.UTC))
	require.Len(t, holds, 5)
	assert.Equal(t, hold.Hold{UID: "1", Title: "Osei", Note: "by telephone", Start: "2026-12-20", End: "2026-12-23", Tentative: true, Categories: []string{"Berth", "Winter"}}, holds[0])
	assert.Equal(t, []string{"10-20T14:00/16:00 Club", "11-03T17:00/18:00 Club, late", "11-10T14:00/16:00 Club"}, spans(t, holds[1]))
	assert.Equal(t, "America/Halifax", holds[1].Zone)
	for i, day := range []string{"2026-12-01", "2026-12-02", "2026-12-10"} {
		assert.Equal(t, day, holds[2+i].Start)
	}
	require.Len(t, left, 1)
	assert.Contains(t, left[0], "Called off")
}
