// Package conflict finds the bookings of a calendar that cannot all be honoured.
//
// In: the blocking bookings that are left once echoes are set aside, and the capacity.
// Out: Conflicts, each one unbroken run of excess of one kind.
//
// The sweep walks the starts and the ends of all spans, each sorted apart, and keeps the
// sums of firm units, and of units in all. Where the firm sum is above the capacity it is a
// double booking; where only the whole sum is, a tentative clash. Of the firm ones some may
// be reflections: where the sum is above the capacity only with these, it is unclear. They are
// among the bookings of a double booking, too: if one is none, it clashes there as well. A closure is no sale:
// two never clash, whatever they take, and a booking over one is of a kind of its own. Spans are half-open:
// leaving and arriving on one day is no clash. Find and Follow take n log n steps for n
// bookings, and as many more as what they return holds IDs.
package conflict

import (
	"cmp"
	"math"
	"math/bits"
	"slices"

	"wharf/core/span"
)

// Kind says why the bookings cannot all be honoured.
type Kind string

const (
	DoubleBooking  Kind = "double_booking"
	TentativeClash Kind = "tentative_clash"
	Unclear        Kind = "unclear" // a double booking, unless one of them is a reflection
	Closed         Kind = "closed"  // a booking over a closure
)

// Booking is what the sweep needs to know of a booking.
type Booking struct {
	ID        int64
	Span      span.Span
	Units     int
	Tentative bool
	Unclear   bool // it may be a reflection
	Closure   bool // it is no sale
}

// Conflict is one unbroken run of excess: Span is the run, Bookings are the IDs of
// those in it, ordered by start.
type Conflict struct {
	Kind     Kind
	Span     span.Span
	Bookings []int64
}

// Find returns the conflicts among the bookings at the capacity, ordered by start,
// then kind.
func Find(bookings []Booking, capacity int) []Conflict {
	return newSweep(bookings, capacity).find()
}

// sweep is the state of one Find.
type sweep struct {
	bookings []Booking // those that take anything, in order of start
	capacity int
	// Units taken at the point that is looked at: surely, firmly, in all but what may be reflections, in all; and by closures.
	sure, firm, certain, all, closed int

	double, unclear, clash, over runs // of DoubleBooking, of Unclear, of TentativeClash, of Closed
}

// newSweep places the bookings in order of start, so that whoever walks them in order of
// time finds neighbours beside each other in memory.
func newSweep(bookings []Booking, capacity int) *sweep {
	s := &sweep{capacity: capacity, double: runs{kind: DoubleBooking}, unclear: runs{kind: Unclear}, clash: runs{kind: TentativeClash}, over: runs{kind: Closed}}
	starts := order(bookings, func(b *Booking) int64 { return b.Span.Start })
	s.bookings = make([]Booking, len(starts))
	for n, p := range starts {
		s.bookings[n] = bookings[p.index]
	}
	return s
}

// runs are the runs of excess of one kind, in order; the last may still go on.
type runs struct {
	kind  Kind
	found []Conflict
	going bool
}

func (s *sweep) find() []Conflict {
	ends := order(s.bookings, func(b *Booking) int64 { return b.Span.End })
	for i, j := 0, 0; j < len(ends); {
		at := ends[j].at
		if i < len(s.bookings) {
			at = min(at, s.bookings[i].Span.Start)
		}
		for ; j < len(ends) && ends[j].at == at; j++ {
			s.take(&s.bookings[ends[j].index], -1)
		}
		for ; i < len(s.bookings) && s.bookings[i].Span.Start == at; i++ {
			s.take(&s.bookings[i], 1)
		}
		over := s.sure <= s.capacity && s.onClosed(s.certain)
		s.double.step(s.sure > s.capacity, at)
		s.unclear.step(s.sure <= s.capacity && (s.firm > s.capacity || !over && s.onClosed(s.firm)), at)
		s.clash.step(s.firm <= s.capacity && s.all > s.capacity, at)
		s.over.step(over, at)
	}
	var found []Conflict
	for _, r := range []*runs{&s.double, &s.unclear, &s.clash, &s.over} {
		s.handOut(r)
		found = append(found, r.found...)
	}
	slices.SortFunc(found, func(a, b Conflict) int {
		return cmp.Or(a.Span.Compare(b.Span), cmp.Compare(a.Kind, b.Kind))
	})
	return found
}

// Many points are sorted by their digits, the lowest first, which compares nothing; for few,
// the tables of digits cost more than they save.
const (
	digitBits = 11
	digits    = 1 << digitBits
)

// point is where a booking begins or ends.
type point struct {
	at    int64
	index int
}

// order returns the points of the bookings that take anything, by the point that at gives,
// then by index.
func order(bookings []Booking, at func(*Booking) int64) []point {
	points := make([]point, 0, len(bookings))
	low, high := int64(math.MaxInt64), int64(math.MinInt64)
	for i := range bookings {
		if b := &bookings[i]; !b.Span.Empty() {
			p := at(b)
			low, high = min(low, p), max(high, p)
			points = append(points, point{p, i})
		}
	}
	if len(points) < digits {
		slices.SortStableFunc(points, func(a, b point) int { return cmp.Compare(a.at, b.at) })
		return points
	}
	spare := make([]point, len(points))
	for shift := 0; shift < bits.Len64(uint64(high)-uint64(low)); shift += digitBits {
		var begins [digits + 1]int
		for _, p := range points {
			begins[(uint64(p.at)-uint64(low))>>shift%digits+1]++
		}
		for d := range digits {
			begins[d+1] += begins[d]
		}
		for _, p := range points {
			d := (uint64(p.at) - uint64(low)) >> shift % digits
			spare[begins[d]] = p
			begins[d]++
		}
		points, spare = spare, points
	}
	return points
}

// onClosed reports whether so many units, if any, leave less than the closures take.
func (s *sweep) onClosed(units int) bool {
	return units > 0 && s.closed > 0 && units+min(s.closed, s.capacity) > s.capacity
}

// take counts a booking that begins (1) or ends (-1).
func (s *sweep) take(b *Booking, sign int) {
	if b.Closure {
		s.closed += sign * b.Units
		return
	}
	s.all += sign * b.Units
	if !b.Unclear {
		s.certain += sign * b.Units
	}
	if !b.Tentative {
		s.firm += sign * b.Units
		if !b.Unclear {
			s.sure += sign * b.Units
		}
	}
}

// step begins or ends a run, once all that begins or ends at the point is counted.
func (r *runs) step(excess bool, at int64) {
	switch {
	case excess && !r.going:
		r.found = append(r.found, Conflict{Kind: r.kind, Span: span.Span{Start: at}})
	case !excess && r.going:
		r.found[len(r.found)-1].Span.End = at
	}
	r.going = excess
}

// handOut says of each run which bookings have a moment in it, in their order of start.
// They are counted first, so that all lists lie in one piece.
func (s *sweep) handOut(r *runs) {
	if len(r.found) == 0 {
		return
	}
	counts, total := make([]int, len(r.found)), 0
	s.each(r, func(run int, _ int64) {
		counts[run]++
		total++
	})
	ids := make([]int64, total)
	for run, n := range counts {
		r.found[run].Bookings, ids = ids[:0:n], ids[n:]
	}
	s.each(r, func(run int, id int64) { r.found[run].Bookings = append(r.found[run].Bookings, id) })
}

// involves reports whether a booking within a run can be among those that are too many: a firm excess is not a tentative
// one's doing, and what is closed for nobody's.
func (k Kind) involves(b *Booking) bool {
	switch {
	case b.Closure:
		return k == Closed || k == Unclear
	case b.Tentative:
		return k == TentativeClash || k == Closed
	}
	return true
}

// each calls f with every booking of every run.
func (s *sweep) each(r *runs, f func(run int, booking int64)) {
	next := 0 // the first run that may hold a booking
	for i := range s.bookings {
		b := &s.bookings[i]
		if !r.kind.involves(b) {
			continue
		}
		for next < len(r.found) && r.found[next].Span.End <= b.Span.Start {
			next++
		}
		for run := next; run < len(r.found) && r.found[run].Span.Start < b.Span.End; run++ {
			f(run, b.ID)
		}
	}
}
