package today

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/store"
)

func TestMissing(t *testing.T) {
	const calendar, desk, diary = 1, 7, 8
	sells := []store.Incoming{{CalendarID: calendar, PlatformID: desk, Blocks: true}}
	told := []store.Outgoing{{CalendarID: calendar, PlatformID: desk}}
	for name, c := range map[string]struct {
		in   []store.Incoming
		out  []store.Outgoing
		want []Direction
	}{
		"read and given back":             {sells, told, nil},
		"read only":                       {sells, nil, []Direction{{calendar, desk, Out}}},
		"given back only":                 {nil, told, []Direction{{calendar, desk, In}}},
		"given back in two ways only":     {nil, append(told, told...), []Direction{{calendar, desk, In}}},
		"only shown needs nothing back":   {[]store.Incoming{{CalendarID: calendar, PlatformID: diary}}, nil, nil},
		"another calendar is another way": {[]store.Incoming{{CalendarID: 2, PlatformID: desk, Blocks: true}}, told, []Direction{{calendar, desk, In}, {2, desk, Out}}},
	} {
		assert.Equal(t, c.want, missing(c.in, c.out), name)
	}
}

func TestMovements(t *testing.T) {
	loc, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	on := map[int64]place{1: {order: 0, grain: span.Night}, 2: {order: 1, grain: span.Day}, 3: {order: 2, grain: span.Time, loc: loc}}
	day := func(text string) span.Date {
		at, err := time.Parse(time.DateOnly, text)
		require.NoError(t, err)
		return span.DateOf(at)
	}
	booked := func(id, calendar int64, from, to string) store.Booking {
		return store.Booking{ID: id, CalendarID: calendar, StartPoint: int64(day(from)), EndPoint: int64(day(to))}
	}
	hours := func(id int64, from, to string) store.Booking {
		a, err := time.Parse(time.RFC3339, from)
		require.NoError(t, err)
		b, err := time.Parse(time.RFC3339, to)
		require.NoError(t, err)
		return store.Booking{ID: id, CalendarID: 3, StartPoint: a.Unix(), EndPoint: b.Unix()}
	}
	rows := []store.Booking{hours(9, "2026-07-04T02:30:00Z", "2026-07-04T04:00:00Z"), hours(8, "2026-07-03T15:00:00Z", "2026-07-03T16:00:00Z"), booked(5, 2, "2026-07-03", "2026-07-05"), booked(4, 1, "2026-07-03", "2026-07-05"),
		booked(6, 7, "2026-07-03", "2026-07-05")}
	for date, want := range map[string][2][]int64{
		"2026-07-02": {nil, nil},
		"2026-07-03": {{4, 5, 8, 9}, nil}, // half past eleven at night is that day still, there
		"2026-07-04": {nil, {5}},          // a booking of days ends on its last
		"2026-07-05": {nil, {4}},          // a stay on the day after its last night
	} {
		got := movements(day(date), rows, on)
		ids := func(all []Movement) (ids []int64) {
			for _, m := range all {
				ids = append(ids, m.ID)
			}
			return ids
		}
		assert.Equal(t, want[0], ids(got.Come), "who comes on %s", date)
		assert.Equal(t, want[1], ids(got.Go), "who goes on %s", date)
	}
}
