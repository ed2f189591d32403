package reading_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/reading"
	"wharf/core/span"
)

// stay is a booking of a feed in truth: of two nights, sold until it is cancelled.
type stay struct {
	n         int
	start     span.Date
	cancelled time.Time // zero: never
}

func (s stay) text(uid string, moved int) string {
	compact := func(d span.Date) string { return strings.ReplaceAll(d.String(), "-", "") }
	return event(uid, fmt.Sprint("Guest ", s.n), compact(s.start+span.Date(moved)), compact(s.start+span.Date(moved)+2))
}

// TestGuardForAMonth plays a month of readings, half an hour apart, of feeds that shrink in every way:
// no night that is sold is free for a moment, and none that was cancelled is taken for longer than it
// may be.
func TestGuardForAMonth(t *testing.T) {
	const each = 30 * time.Minute
	hour := func(n int) int { return 2 * n } // in readings
	all := func(int, stay) bool { return true }
	between := func(from, to int, shown func(int, stay) bool) func(int, stay) bool {
		return func(i int, s stay) bool { return i < from || i >= to || shown(i, s) }
	}
	none := func(int, stay) bool { return false }
	half := func(_ int, s stay) bool { return s.n%2 == 0 }
	few := func(_ int, s stay) bool { return s.n < 4 }
	for _, tc := range []struct {
		name  string
		stays int
		shown func(reading int, s stay) bool // what the feed shows of what is sold
		gone  func(s stay) bool              // cancelled in truth, on the tenth day
		uids  func(reading int) string
		moved func(reading int, s stay) int // days later than it is
		most  time.Duration                 // for which one that was cancelled may be taken; 0: no bound, a person is asked
	}{
		{name: "always whole", shown: all, stays: 24},
		{name: "empty for five hours", shown: between(hour(48), hour(53), none), stays: 24},
		{name: "empty for twenty days", shown: between(hour(48), hour(530), none), stays: 24},
		{name: "cut to half for five hours", shown: between(hour(48), hour(53), half), stays: 24},
		{name: "cut to the first four for five hours", shown: between(hour(48), hour(53), few), stays: 24},
		{name: "half at every other reading", shown: func(i int, s stay) bool { return i%2 == 0 || half(i, s) }, stays: 24},
		{name: "empty at every other reading", shown: func(i int, _ stay) bool { return i%2 == 0 }, stays: 24},
		{name: "all but three at every third hour, in turns", shown: func(i int, s stay) bool { return i%6 < 3 || half(i/6, stay{n: s.n + i/6}) }, stays: 24},
		{name: "new UIDs at each reading and half of it away for five hours", shown: between(hour(48), hour(53), half), uids: func(i int) string { return fmt.Sprint("r", i, "-") }, stays: 24},
		{name: "all moved by a year for five hours", shown: all, moved: func(i int, _ stay) int { return map[bool]int{true: 365}[i >= hour(48) && i < hour(53)] }, stays: 24},
		{name: "all a day off for five hours", shown: all, moved: func(i int, _ stay) int { return map[bool]int{true: 1}[i >= hour(48) && i < hour(53)] }, stays: 24},
		{name: "a shorter horizon for the rest of the month", shown: func(i int, s stay) bool { return i < hour(48) || s.n < 14 }, stays: 24},
		{name: "three of six for an hour", shown: between(hour(48), hour(49), func(_ int, s stay) bool { return s.n < 3 }), stays: 6},
		{name: "one of two dozen is cancelled", shown: all, gone: func(s stay) bool { return s.n == 7 }, most: each, stays: 24},
		{name: "the last of two dozen is cancelled", shown: all, gone: func(s stay) bool { return s.n == 23 }, most: each, stays: 24},
		{name: "a third of two dozen", shown: all, gone: func(s stay) bool { return s.n%3 == 1 }, most: each, stays: 24},
		{name: "half of two dozen", shown: all, gone: func(s stay) bool { return s.n%2 == 1 }, most: 6*time.Hour + 2*each, stays: 24},
		{name: "two of three", shown: all, gone: func(s stay) bool { return s.n != 1 }, most: 5 * each, stays: 3},
		{name: "three of three", shown: all, gone: func(stay) bool { return true }, most: 5 * each, stays: 3},
		{name: "all of two dozen", shown: all, gone: func(stay) bool { return true }, stays: 24},
	} {
		t.Run(tc.name, func(t *testing.T) {
			began := first.Add(-time.Hour)
			var truth []stay
			for n := range tc.stays {
				s := stay{n: n, start: span.DateOf(began) + 35 + span.Date(3*n)}
				if tc.gone != nil && tc.gone(s) {
					s.cancelled = began.Add(10 * 24 * time.Hour)
				}
				truth = append(truth, s)
			}
			h := &history{t: t, zone: time.UTC, guard: &reading.Guard{Share: 1.0 / 3, Agree: 3, Few: 3, Over: 6 * time.Hour}}
			last := ""
			for i := range 30*48 + 1 {
				now := began.Add(time.Duration(i) * each)
				var text strings.Builder
				for _, s := range truth {
					if (s.cancelled.IsZero() || now.Before(s.cancelled)) && (tc.shown(i, s) || i == 30*48) {
						uid, moved := fmt.Sprint("u", s.n), 0
						if tc.uids != nil {
							uid = tc.uids(i) + uid
						}
						if tc.moved != nil {
							moved = tc.moved(i, s)
						}
						text.WriteString(s.text(uid, moved))
					}
				}
				if held := func(b reading.Booking) bool { return b.Held.Why == reading.Lost }; text.String() != last || slices.ContainsFunc(h.there(), held) {
					h.readAt(now, text.String())
				} // else it changes nothing: TestOneReadingAndTheNext
				last = text.String()
				taken := map[int64]int{}
				for _, b := range h.there() {
					for p := b.Span.Start; p < b.Span.End; p++ {
						taken[p]++
					}
				}
				for _, s := range truth {
					for p := int64(s.start); p < int64(s.start)+2; p++ {
						switch sold := s.cancelled.IsZero() || now.Before(s.cancelled); {
						case sold:
							require.Positive(t, taken[p], "%s: %v is sold, and free", now, s)
							require.LessOrEqual(t, taken[p], 2, "%s: %v is taken once, but for what moved", now, s)
						case tc.most > 0 && now.Sub(s.cancelled) > tc.most:
							require.Zero(t, taken[p], "%s: %v was cancelled, and is taken still", now, s)
						}
					}
				}
			}
			left := slices.DeleteFunc(h.there(), func(b reading.Booking) bool { return b.Held.Why == "" })
			if tc.gone == nil { // the last reading is whole
				assert.Empty(t, left, "nothing is held in the end")
			}
			if tc.name == "all of two dozen" {
				assert.Len(t, left, 24, "it waits for a person")
			}
		})
	}
}
