package exposure_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/exposure"
)

func TestStateOf(t *testing.T) {
	now := time.Date(2026, 7, 10, 12, 0, 0, 0, time.UTC)
	every := func(gap time.Duration, n int64) (g exposure.Gaps) { g.Add(gap, n); return g }
	for _, c := range []struct {
		name string
		last time.Time
		gaps exposure.Gaps
		want exposure.State
	}{
		{"who never came", time.Time{}, exposure.Gaps{}, exposure.NeverCame},
		{"who came once, long ago, has no usual gap", now.AddDate(0, -1, 0), exposure.Gaps{}, exposure.OnTime},
		{"who came three times neither", now.AddDate(0, -1, 0), every(time.Hour, 2), exposure.OnTime},
		{"within three times the usual gap", now.Add(-5 * time.Hour), every(2*time.Hour, 9), exposure.OnTime},
		{"after that", now.Add(-7 * time.Hour), every(2*time.Hour, 9), exposure.Overdue},
		{"who comes by the minute gets an hour", now.Add(-50 * time.Minute), every(time.Minute, 900), exposure.OnTime},
		{"and no more", now.Add(-70 * time.Minute), every(time.Minute, 900), exposure.Overdue},
	} {
		assert.Equal(t, c.want, exposure.StateOf(c.last, c.gaps, time.Hour, now), c.name)
	}
	g := every(time.Hour, 18)
	g.Add(9*time.Hour, 2)
	assert.InDelta(t, 60, g.Usual().Minutes(), 6)
	assert.InDelta(t, 540, g.Long().Minutes(), 54)
}
