package exposure_test

import (
	"math"
	"math/rand"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/exposure"
)

func TestGaps(t *testing.T) {
	var none exposure.Gaps
	assert.Zero(t, none.MeanWait())
	assert.Zero(t, none.Quantile(0.95))
	var g exposure.Gaps
	g.Add(15*time.Minute, 2)
	before := g
	g.Add(time.Hour, 1)
	g.Add(-time.Minute, 1) // a clock was set back
	g.Add(0, 1)
	assert.EqualValues(t, 3, g.Count)
	assert.Equal(t, 22*time.Minute+30*time.Second, g.MeanWait().Round(time.Second))
	assert.EqualValues(t, 2, before.Count)
	assert.InDelta(t, 15*60, before.Quantile(1).Seconds(), 90, "a copy stays as it was")
}

// TestAgainstTheGapsThemselves: the sums give what the raw gaps give, the mean exactly and a
// quantile to ten percent.
func TestAgainstTheGapsThemselves(t *testing.T) {
	rnd := rand.New(rand.NewSource(5))
	for range 200 {
		var g exposure.Gaps
		var raw []float64
		sum, squares := 0.0, 0.0
		for range 1 + rnd.Intn(200) {
			s := math.Exp(rnd.Float64() * 15)
			raw = append(raw, s)
			sum, squares = sum+s, squares+s*s
			g.Add(time.Duration(s*float64(time.Second)), 1)
		}
		slices.Sort(raw)
		assert.InEpsilon(t, squares/(2*sum), g.MeanWait().Seconds(), 1e-6)
		for _, p := range []float64{0.5, 0.95, 1} {
			want := raw[int(math.Ceil(p*float64(len(raw))))-1]
			got := g.Quantile(p).Seconds()
			assert.GreaterOrEqual(t, got*1.000001, want)
			assert.LessOrEqual(t, got, want*1.1000001)
		}
	}
}
