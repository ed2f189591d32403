package reading_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/booking"
	"wharf/core/reading"
	"wharf/core/span"
)

// TestHistory: what readings did to a booking, as a person is told of it.
func TestHistory(t *testing.T) {
	at := func(hour int) time.Time { return time.Date(2026, 7, 1, hour, 0, 0, 0, time.UTC) }
	seen := func(hour int) reading.Interval { return reading.Interval{NotBefore: at(hour - 1), SeenBy: at(hour)} }
	shown := func(start, end int64, title string) reading.Shown {
		return reading.Shown{UID: "a", Span: span.Span{Start: start, End: end}, Title: title, Status: reading.Firm}
	}
	now := func(s reading.Shown, since reading.Interval) reading.Booking {
		return reading.Booking{UID: s.UID, Title: s.Title, Status: s.Status, Booking: booking.Booking{Span: s.Span}, Sighting: since}
	}
	over := func(s reading.Shown, since reading.Interval) reading.Sighting {
		return reading.Sighting{Shown: s, Interval: since}
	}
	osei, moved, renamed := shown(10, 12, "Osei"), shown(11, 13, "Osei"), shown(11, 13, "Osei family")
	gone := now(moved, seen(5))
	gone.Removed = at(8)
	other := osei
	other.UID = "b"
	for name, tc := range map[string]struct {
		b      reading.Booking
		over   []reading.Sighting
		passed bool
		since  int
		want   []reading.Event
	}{
		"new":                       {b: now(osei, seen(3)), want: []reading.Event{{At: at(3), Kind: reading.Added, Now: osei}}},
		"there from the first on":   {b: now(osei, reading.Interval{SeenBy: at(3)}), want: []reading.Event{{At: at(3), Kind: reading.CameOn, Now: osei}}},
		"before that":               {b: now(osei, seen(3)), since: 3},
		"moved":                     {b: now(moved, seen(5)), over: []reading.Sighting{over(osei, seen(2))}, since: 2, want: []reading.Event{{At: at(5), Kind: reading.Changed, Was: osei, Now: moved}}},
		"moved, then renamed":       {b: now(renamed, seen(7)), over: []reading.Sighting{over(moved, seen(5)), over(osei, seen(2))}, since: 2, want: []reading.Event{{At: at(5), Kind: reading.Changed, Was: osei, Now: moved}, {At: at(7), Kind: reading.Changed, Was: moved, Now: renamed}}},
		"only its UID is another":   {b: now(other, seen(5)), over: []reading.Sighting{over(osei, seen(2))}, since: 2},
		"called off":                {b: gone, over: []reading.Sighting{over(osei, seen(2)), over(moved, seen(5))}, since: 5, want: []reading.Event{{At: at(8), Kind: reading.Removed, Was: moved}}},
		"over":                      {b: gone, over: []reading.Sighting{over(osei, seen(2)), over(moved, seen(5))}, since: 5, passed: true, want: []reading.Event{{At: at(8), Kind: reading.Passed, Was: moved}}},
		"taken off with its link":   {b: gone, over: []reading.Sighting{over(osei, seen(2))}, since: 6, want: []reading.Event{{At: at(8), Kind: reading.Removed, Was: moved}}},
		"after what is asked about": {b: now(moved, seen(23)), over: []reading.Sighting{over(osei, seen(2))}, since: 2},
	} {
		assert.Equal(t, tc.want, reading.History(tc.b, tc.over, tc.passed, at(tc.since), at(20)), name)
	}
}
