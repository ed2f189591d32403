package echo_test

import (
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/carried"
	"wharf/core/echo"
	"wharf/core/reading"
	"wharf/core/span"
)

// TestCheck: a limit is a probability, and not one.
func TestCheck(t *testing.T) {
	for limit, says := range map[float64]string{0: "", 0.5: "", -0.1: "no probability", 1: "no probability", math.NaN(): "no probability"} {
		if err := (echo.Rules{Limit: limit}).Check(); says == "" {
			assert.NoError(t, err, "%v", limit)
		} else {
			assert.ErrorContains(t, err, says, "%v", limit)
		}
	}
}

// TestTitleOf: a title that is part of a form, and forms that have none.
func TestTitleOf(t *testing.T) {
	for of, want := range map[string][2]string{echo.WithTitle("f", `Not "free"`): {"f", `Not "free"`}, "f": {"f", ""}, "f g": {"f g", ""}} {
		form, title, titled := echo.TitleOf(of)
		assert.Equal(t, want, [2]string{form, title}, of)
		assert.Equal(t, title != "", titled, of)
	}
}

// TestNothingRecorded: of files, which nobody has read before, the same dates twice are two bookings; and
// feeds that mirror each other in a circle are judged like any other.
func TestNothingRecorded(t *testing.T) {
	dates := span.Days(span.NewDate(2026, 7, 1), span.NewDate(2026, 7, 3))
	at := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	for _, tc := range []struct {
		name    string
		stand   reading.Interval
		mirrors bool
		want    echo.Kind
	}{
		{"files", reading.Interval{}, false, echo.Booking},
		{"read once", reading.Interval{SeenBy: at}, false, echo.Unclear},
		{"each mirrors the other", reading.Interval{}, true, echo.Booking},
	} {
		var feeds []echo.Feed
		for id := range int64(2) {
			f := echo.Feed{ID: id + 1, Platform: id + 1, Read: at, Entries: []echo.Entry{{UID: fmt.Sprint(id), Span: dates, Stand: tc.stand}}}
			if tc.mirrors {
				f.Mirrors = []int64{2 - id}
			}
			feeds = append(feeds, f)
		}
		for _, found := range echo.Judge(echo.Rules{Capacity: 1}, nil, feeds, nil) {
			assert.Equal(t, tc.want, found.Verdicts[0].Kind, tc.name)
		}
	}
}

// TestJudge: what an entry under one of our UIDs is, by who was sent it, with which dates,
// and whether the booking it stands for is on the calendar itself.
func TestJudge(t *testing.T) {
	s := func(first, last int) span.Span {
		return span.Days(span.NewDate(2026, 7, first), span.NewDate(2026, 7, last))
	}
	originals := map[string]span.Span{"here@wharf": s(20, 22), "both@wharf": s(20, 22)}
	row := func(uid string, at span.Span, from, to int64) carried.Row {
		return carried.Row{Item: carried.Item{Name: carried.Name{UID: uid}, Span: at, Units: 1}, From: from, To: to}
	}
	sent := []echo.Publication{{Platform: 1, History: []carried.Row{row("a@wharf", s(10, 12), 1, 3), row("a@wharf", s(11, 13), 4, 0), row("both@wharf", s(20, 22), 1, 0)}},
		{Platform: 2, History: []carried.Row{row("a@wharf", s(11, 13), 7, 0), row("b@wharf", s(1, 2), 2, 2)}}}
	for _, tc := range []struct {
		name      string
		platform  int64
		uid       string
		at        span.Span
		elsewhere bool
		want      echo.Kind
		evidence  echo.Evidence
	}{
		{"its own UID", 1, "sale@desk.example", s(10, 12), false, echo.Booking, echo.Evidence{}},
		{"no UID", 1, "", s(10, 12), false, echo.Booking, echo.Evidence{}},
		{"as it was sent last", 1, "a@wharf", s(11, 13), false, echo.Echo, echo.Evidence{Kind: echo.Sent, Span: s(11, 13), Platform: 1, Version: 4}},
		{"as it was sent before it moved", 1, "a@wharf", s(10, 12), false, echo.Echo, echo.Evidence{Kind: echo.Sent, Span: s(10, 12), Platform: 1, Version: 1}},
		{"what this platform itself was sent comes first in the evidence", 2, "a@wharf", s(11, 13), false, echo.Echo, echo.Evidence{Kind: echo.Sent, Span: s(11, 13), Platform: 2, Version: 7}},
		{"dropped since, and still shown", 2, "b@wharf", s(1, 2), false, echo.Echo, echo.Evidence{Kind: echo.Sent, Span: s(1, 2), Platform: 2, Version: 2}},
		{"at second hand", 3, "b@wharf", s(1, 2), false, echo.Echo, echo.Evidence{Kind: echo.Sent, Span: s(1, 2), Platform: 2, Version: 2}},
		{"with dates that were never sent", 1, "a@wharf", s(10, 13), false, echo.Booking, echo.Evidence{Kind: echo.NeverSent, Span: s(10, 13)}},
		{"the same, whatever another calendar says of it", 1, "a@wharf", s(10, 13), true, echo.Booking, echo.Evidence{Kind: echo.NeverSent, Span: s(10, 13)}},
		{"here, sent, and with other dates, whatever another calendar says", 1, "both@wharf", s(20, 23), true, echo.Booking, echo.Evidence{Kind: echo.NeverSent, Span: s(20, 23)}},
		{"published by another calendar, original here", 1, "here@wharf", s(20, 22), false, echo.Echo, echo.Evidence{Kind: echo.OwnHere, Span: s(20, 22)}},
		{"in another grain, known to be an echo there", 1, "here@wharf", s(20, 23), true, echo.Echo, echo.Evidence{Kind: echo.OwnHere, Span: s(20, 22)}},
		{"in another grain, of which nothing is known", 1, "here@wharf", s(20, 23), false, echo.Booking, echo.Evidence{}},
	} {
		elsewhere := ""
		if tc.elsewhere {
			elsewhere = tc.uid
		}
		v := echo.Judge(echo.Rules{Capacity: 1}, sent, []echo.Feed{{ID: 1, Platform: tc.platform, Entries: []echo.Entry{{UID: tc.uid, Span: tc.at, Elsewhere: elsewhere}}}}, originals)[0].Verdicts[0]
		v.Evidence.Item, v.Evidence.Live = "", false
		assert.Equal(t, tc.want, v.Kind, tc.name)
		assert.Equal(t, tc.evidence, v.Evidence, tc.name)
	}
}
