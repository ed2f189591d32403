package exposure

import "time"

// State is how a recipient stands to its publication, as a feed's state is told for readings.
type State string

// States.
const (
	NeverCame State = "never_came"
	OnTime    State = "on_time"
	Overdue   State = "overdue" // no pickup for three times its usual gap
)

// leastGaps is how many gaps must be known for one to be usual.
const leastGaps = 3

// StateOf is the state of a recipient that came last at a moment, zero for never. Nobody is overdue who came within the
// time least, however often it came before.
func StateOf(last time.Time, g Gaps, least time.Duration, now time.Time) State {
	switch {
	case last.IsZero():
		return NeverCame
	case g.Count >= leastGaps && now.Sub(last) > max(3*g.Usual(), least):
		return Overdue
	}
	return OnTime
}

// Usual is the gap that half of them are no longer than; 0 where none is known.
func (g Gaps) Usual() time.Duration { return g.Quantile(0.5) }

// Long is the gap that 95 of 100 are no longer than.
func (g Gaps) Long() time.Duration { return g.Quantile(0.95) }
