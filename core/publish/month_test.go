package publish_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/carried"
	"wharf/core/publish"
	"wharf/core/span"
	"wharf/core/zone"
)

// TestMonth: what everybody may see of a month, also over a change of the clock.
func TestMonth(t *testing.T) {
	loc, err := zone.Load("Europe/Lisbon")
	require.NoError(t, err)
	days := func(a, b int) span.Span { return span.Days(span.NewDate(2026, 10, a), span.NewDate(2026, 10, b)) }
	hours := func(from, to string) span.Span {
		at := func(text string) time.Time {
			at, err := time.ParseInLocation("2006-01-02T15:04", "2026-10-"+text, loc)
			require.NoError(t, err)
			return at
		}
		return span.Instants(at(from), at(to))
	}
	for _, tc := range []struct {
		name  string
		grain span.Grain
		taken []span.Span
		free  []span.Span // takes nothing
		want  map[int]string
	}{
		{"nothing", span.Day, nil, nil, nil},
		{"days, from the month before to the next", span.Day, []span.Span{days(-5, 2), days(30, 45)}, nil, map[int]string{1: "taken", 30: "taken", 31: "taken"}},
		{"nights: that of leaving is free", span.Night, []span.Span{days(10, 12)}, nil, map[int]string{10: "taken", 11: "taken"}},
		{"what is only shown is free", span.Day, nil, []span.Span{days(3, 9)}, nil},
		{"hours that touch, and a day that two fill", span.Time, []span.Span{hours("07T14:00", "07T16:00"), hours("07T16:00", "07T17:30"), hours("08T00:00", "08T12:00"), hours("08T12:00", "09T00:00")}, nil,
			map[int]string{7: "partly [[14:00 17:30]]", 8: "taken"}},
		{"over midnight", span.Time, []span.Span{hours("07T22:00", "08T02:00")}, nil, map[int]string{7: "partly [[22:00 24:00]]", 8: "partly [[00:00 02:00]]"}},
		{"a day of 25 hours", span.Time, []span.Span{hours("25T00:00", "26T00:00")}, nil, map[int]string{25: "taken"}},
	} {
		var rows []carried.Row
		for _, s := range tc.taken {
			rows = append(rows, carried.Row{Item: carried.Item{Span: s, Units: 1, Tentative: true}})
		}
		for _, s := range tc.free {
			rows = append(rows, carried.Row{Item: carried.Item{Span: s}})
		}
		got := map[int]string{}
		all := publish.Month(2026, 10, tc.grain, loc, rows)
		assert.Len(t, all, 31)
		for i, d := range all {
			if text := string(d.State); d.State != publish.Free {
				if d.Taken != nil {
					text += fmt.Sprint(" ", d.Taken)
				}
				got[i+1] = text
			}
		}
		if tc.want == nil {
			tc.want = map[int]string{}
		}
		assert.Equal(t, tc.want, got, tc.name)
	}
	other := publish.Month(2026, 10, span.Day, loc, []carried.Row{{Item: carried.Item{Span: hours("07T22:00", "08T02:00"), Grain: span.Time, Units: 1}}})
	assert.Equal(t, []publish.DayState{publish.Free, publish.Full, publish.Full, publish.Free}, []publish.DayState{other[5].State, other[6].State, other[7].State, other[8].State}, "hours of another calendar take the days of this one")
}
