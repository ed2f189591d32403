package conflict_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/conflict"
)

func TestFirst(t *testing.T) {
	at := func(minute int) time.Time { return time.Date(2026, 7, 1, 12, minute, 0, 0, time.UTC) }
	none := time.Time{}
	for name, tc := range map[string]struct {
		facts []conflict.Fact
		first int64
		why   conflict.Why
	}{
		"one was seen before the other was there":     {[]conflict.Fact{{1, none, at(20), at(30)}, {2, none, none, at(10)}}, 2, conflict.WeSaw},
		"our readings outweigh what platforms say":    {[]conflict.Fact{{1, at(1), at(20), at(30)}, {2, at(9), none, at(10)}}, 2, conflict.WeSaw},
		"both came between the same readings":         {[]conflict.Fact{{1, at(25), at(20), at(30)}, {2, at(12), at(10), at(31)}}, 2, conflict.TheySay},
		"clocks that lie closer than their skew":      {[]conflict.Fact{{1, at(13), at(10), at(30)}, {2, at(12), at(10), at(31)}}, 0, ""},
		"one platform does not say":                   {[]conflict.Fact{{1, none, at(10), at(30)}, {2, at(2), at(10), at(31)}}, 0, ""},
		"both were there when their feeds were added": {[]conflict.Fact{{1, at(8), none, at(30)}, {2, at(1), none, at(30)}}, 2, conflict.TheySay},
		"of three, one must precede both":             {[]conflict.Fact{{1, none, at(5), at(9)}, {2, none, at(10), at(20)}, {3, none, at(8), at(30)}}, 0, ""},
		"a single booking is before nobody":           {[]conflict.Fact{{1, at(1), none, at(2)}}, 0, ""},
	} {
		t.Run(name, func(t *testing.T) {
			first, why, ok := conflict.First(tc.facts, 2*time.Minute)
			assert.Equal(t, tc.first, first)
			assert.Equal(t, tc.why, why)
			assert.Equal(t, tc.first != 0, ok)
		})
	}
}
