package exposure_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/exposure"
)

// TestPassage: which half of a direction stands still.
func TestPassage(t *testing.T) {
	at := func(days int) time.Time { return time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC).AddDate(0, 0, days) }
	never := time.Time{}
	for name, tc := range map[string]struct {
		stopped    time.Time
		out        exposure.State
		sent, seen time.Time
		ever       bool
		want       exposure.Passage
	}{
		"it passes":                           {never, exposure.OnTime, at(5), at(5), true, exposure.Passes},
		"sold long ago, and shown then":       {never, exposure.OnTime, at(-300), at(-300), true, exposure.Passes},
		"sent for days, and not shown":        {never, exposure.OnTime, at(9), at(3), true, exposure.NotShown},
		"sent, and never shown though others": {never, exposure.OnTime, at(9), never, true, exposure.NotShown},
		"it shows nothing that it gets":       {never, exposure.OnTime, at(9), never, false, exposure.Unseen},
		"the first that was sold is seen":     {never, exposure.OnTime, never, at(5), true, exposure.Passes},
		"nothing was sold":                    {never, exposure.OnTime, never, never, true, exposure.Untried},
		"the seller is not read":              {at(4), exposure.OnTime, at(3), at(3), true, exposure.NotRead},
		"the other one comes no more":         {never, exposure.Overdue, at(3), at(3), true, exposure.NotFetched},
		"it never came, and nobody is read":   {at(4), exposure.NeverCame, never, never, false, exposure.NotFetched},
	} {
		assert.Equal(t, tc.want, exposure.PassageOf(tc.stopped, tc.out, tc.sent, tc.seen, tc.ever), name)
	}
	assert.Equal(t, 90*time.Minute, exposure.Trip{Read: at(0), Seen: at(0).Add(90 * time.Minute)}.Took())
	assert.Zero(t, exposure.Trip{Seen: at(0)}.Took())
}
