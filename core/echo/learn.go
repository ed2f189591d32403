package echo

import (
	"math"
	"slices"
	"time"

	"wharf/core/span"
)

// learnt is what the recorded facts tell of how a feed's platform writes, shows and sells.
// It is worked out anew each time, so that it does not depend on what came first.
type learnt struct {
	salesForms, blockForms map[string]bool
	keepsUIDs              bool
	delay                  time.Duration
	sales                  []Entry // that nothing could have sent
	forms                  map[string]bool
	lengths, hours         map[int64]int // of the sales, how many are so long, and begin at that time of the day
	starts                 []int64       // in order
	rate                   float64       // of own sales per second, at the upper end; infinite while nothing is known
}

// leastMeasures is how many reflections must have been timed for a delay to count as measured,
// and how many must differ in the same way for it to be one of the feed's.
const leastMeasures = 3

// learn takes what is certain: echoes by UID, and entries that nothing could have sent: of a
// first reading, not those that may come from another platform either.
func (m *matcher) learn(from sources) {
	l := &m.learnt
	l.salesForms, l.blockForms, l.delay, l.rate = map[string]bool{}, map[string]bool{}, m.rules.Delay, math.Inf(1)
	var delays []time.Duration
	for i, e := range m.feed.Entries {
		row := m.rows[i]
		switch {
		case row != nil:
			l.blockForms[e.Form] = true
			if row.platform != m.feed.Platform {
				continue
			}
			l.keepsUIDs = true
			if h := row.holding; !h.Never() && !e.Stand.NotBefore.IsZero() && e.Stand.SeenBy.After(h.From) {
				delays = append(delays, e.Stand.SeenBy.Sub(h.From))
			}
		case !m.known[i] && m.nothingSent(e) && !(e.Stand.NotBefore.IsZero() && from.of(m.feed.Platform, e)):
			l.sales = append(l.sales, e)
			l.salesForms[e.Form] = true
		}
	}
	for form := range l.blockForms {
		if form == "" || l.salesForms[form] { // they look alike: the feed has neither
			delete(l.blockForms, form)
			delete(l.salesForms, form)
		}
	}
	delete(l.salesForms, "")
	if len(delays) >= leastMeasures {
		l.delay = slices.Max(delays)
	}
	l.rate = rateOf(l.sales, m.feed.Read)
	l.forms, l.lengths, l.hours = map[string]bool{}, map[int64]int{}, map[int64]int{}
	for _, e := range l.sales {
		l.forms[e.Form] = true
		l.lengths[e.Span.Len()]++
		l.hours[clock(e.Span.Start, m.rules.Day)]++
		l.starts = append(l.starts, e.Span.Start)
	}
	slices.Sort(l.starts)
}

// clock is the time of the day at a point.
func clock(at, day int64) int64 { return (at%day + day) % day }

// rateOf is how often sales are made, per second, at the upper end of what the data allow:
// those that were seen to come, and of those that were there from the first on those that say
// when they were made.
func rateOf(sales []Entry, read time.Time) float64 {
	var n int
	var first, made time.Time
	for _, e := range sales {
		if first.IsZero() || e.Stand.SeenBy.Before(first) {
			first = e.Stand.SeenBy
		}
	}
	for _, e := range sales {
		switch {
		case !e.Stand.NotBefore.IsZero():
			n++
		case !e.Created.IsZero() && e.Created.Before(first):
			n++
			if made.IsZero() || e.Created.Before(made) {
				made = e.Created
			}
		}
	}
	over := read.Sub(first)
	if !made.IsZero() {
		over = read.Sub(made)
	}
	if n == 0 || over <= 0 {
		return math.Inf(1)
	}
	return (float64(n) + 3*math.Sqrt(float64(n)) + 3) / over.Seconds()
}

// chance is that of an own sale of just this span between the last reading without the entry
// and the moment from which the platform knew what was sent, or by which it was seen.
func (m *matcher) chance(e Entry, knew time.Time) float64 {
	if e.Stand.NotBefore.IsZero() {
		return 1
	}
	until := e.Stand.SeenBy
	if knew.Before(until) && m.rules.Capacity == 1 { // else what it knows does not keep it from selling
		until = knew
	}
	window := until.Sub(e.Stand.NotBefore)
	if window <= 0 {
		return 0
	}
	expected := m.learnt.rate * window.Seconds() * m.share(e.Span)
	return min(1, expected)
}

// share is which part of the feed's sales has just this span: by their lengths, by how many
// begin about then, and by the hour at which they begin.
func (m *matcher) share(s span.Span) float64 {
	const about = 15 // days before and after
	l, day := &m.learnt, m.rules.Day
	from, _ := slices.BinarySearch(l.starts, s.Start-about*day)
	to, _ := slices.BinarySearch(l.starts, s.Start+about*day+1)
	part := func(n int) float64 { return float64(n+1) / float64(len(l.sales)+1) }
	return part(l.lengths[s.Len()]) * part(to-from) / (2*about + 1) * part(l.hours[clock(s.Start, day)])
}
