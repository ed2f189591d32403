package sim_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"wharf/sim"
)

// TestTruth: against platforms of many habits no real double booking is missed, no reflection
// raises an alarm, nobody is sent their own booking, and what is cancelled dies out. The seeds
// are fixed; sim/play plays others.
func TestTruth(t *testing.T) {
	for _, p := range sim.Patterns() {
		t.Run(p.Name, func(t *testing.T) {
			t.Parallel()
			var all sim.Tally
			for seed := range int64(1) {
				p.Days = 40
				all.Add(sim.Run(p.Setting, seed))
			}
			assert.Greater(t, all.Sales, 15)
			assert.Positive(t, all.Clashes)
			assert.Zero(t, all.Missed, "%+v", all)
			assert.Zero(t, all.False, "%+v", all)
			assert.Zero(t, all.SentBack, "%+v", all)
			assert.Zero(t, all.Ghosts, "%+v", all)
			if p.Tells {
				assert.LessOrEqual(t, all.Unclear, 3*len(p.Habits), "some questions until forms are known: %+v", all)
			}
			assert.Equal(t, all.CannotTell > 0, len(all.Twins) > 0, "what cannot be told has a twin")
			assert.Less(t, all.Versions, 3*len(p.Habits)*all.Sales, "nothing is given and taken back again and again")
		})
	}
}
