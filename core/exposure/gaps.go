// Package exposure reckons with how long something that happens on one side waits until the
// other side looks.
//
// In: the gaps between readings of a feed, or between pickups of a publication, one by one.
// Out: sums of them, from which the waiting follows without the gaps themselves. Whatever is
// recorded is recorded as sums, so that years of readings take no more room than a day.
//
//	gaps of 15, 15 and 60 min -> MeanWait 22 min 30 s: most moments lie in the long gap
//	                          -> Quantile(0.5) about 15 min, Quantile(0.95) about an hour
package exposure

import (
	"maps"
	"math"
	"slices"
	"time"
)

// Gaps are sums of the gaps between events that follow each other. The zero Gaps has none.
type Gaps struct {
	Count   int64   `json:"n,omitempty"`
	Sum     float64 `json:"s,omitempty"` // seconds
	Squares float64 `json:"q,omitempty"` // seconds squared
	// Steps counts the gaps by length: step k holds those from base^k up to base^(k+1) seconds.
	Steps map[int]int64 `json:"h,omitempty"`
}

// base is how much longer the gaps of one step are than those of the one below it: the
// histogram is good to ten percent.
const base = 1.1

// Add counts n gaps of the length. One that is no gap, because a clock was set back, is
// passed over.
func (g *Gaps) Add(gap time.Duration, n int64) {
	seconds := gap.Seconds()
	if seconds <= 0 || n <= 0 {
		return
	}
	g.Count += n
	g.Sum += seconds * float64(n)
	g.Squares += seconds * seconds * float64(n)
	steps := maps.Clone(g.Steps) // a copy of g stays as it is
	if steps == nil {
		steps = map[int]int64{}
	}
	steps[stepOf(seconds)] += n
	g.Steps = steps
}

// stepOf is the step of a gap; those under a second are all in the first.
func stepOf(seconds float64) int { return max(0, int(math.Floor(math.Log(seconds)/math.Log(base)))) }

// MeanWait is how long what happens at any moment waits for the next event, on average: half
// the gap it falls into, and it falls into long ones more often. Zero when nothing is known.
func (g Gaps) MeanWait() time.Duration {
	if g.Sum == 0 {
		return 0
	}
	return time.Duration(g.Squares / (2 * g.Sum) * float64(time.Second))
}

// Quantile is the length that the share p of the gaps does not exceed, at most ten percent
// more than it is. Zero when nothing is known.
func (g Gaps) Quantile(p float64) time.Duration {
	rest := int64(math.Ceil(p * float64(g.Count)))
	for _, step := range slices.Sorted(maps.Keys(g.Steps)) {
		if rest -= g.Steps[step]; rest <= 0 {
			return time.Duration(math.Pow(base, float64(step+1)) * float64(time.Second))
		}
	}
	return 0
}
