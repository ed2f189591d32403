// Package conflict finds the bookings of a calendar that cannot all be honoured.
//
// In: the blocking bookings that are left once echoes are set aside, and the capacity.
// Out: Conflicts, each one unbroken run of excess of one kind.
//
// The sweep walks the ends of all spans in order and keeps two sums: firm units, and
// units in all. Where the firm sum is above the capacity it is a double booking; where
// only the whole sum is, a tentative clash. Ends come before starts at the same point,
// since spans are half-open: leaving and arriving on one day is no clash. The cost is
// that of sorting.
package conflict

import (
	"cmp"
	"slices"

	"wharf/core/span"
)

// Kind says why the bookings cannot all be honoured.
type Kind string

const (
	DoubleBooking  Kind = "double_booking"
	TentativeClash Kind = "tentative_clash"
)

// Booking is what the sweep needs to know of a booking.
type Booking struct {
	ID        int64
	Span      span.Span
	Units     int
	Tentative bool
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
	s := sweep{bookings: bookings, capacity: capacity, runs: map[Kind]*Conflict{}}
	type edge struct {
		at    int64
		begin bool
		index int
	}
	edges := make([]edge, 0, 2*len(bookings))
	for i, b := range bookings {
		if !b.Span.Empty() {
			edges = append(edges, edge{b.Span.Start, true, i}, edge{b.Span.End, false, i})
		}
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Compare(a.at, b.at) })
	for i := 0; i < len(edges); {
		at := edges[i].at
		for ; i < len(edges) && edges[i].at == at; i++ {
			s.apply(edges[i].index, edges[i].begin)
		}
		s.step(at)
	}
	slices.SortFunc(s.found, func(a, b Conflict) int {
		return cmp.Or(a.Span.Compare(b.Span), cmp.Compare(a.Kind, b.Kind))
	})
	return s.found
}

type sweep struct {
	bookings  []Booking
	capacity  int
	firm, all int
	active    []int // indexes, in order of start
	runs      map[Kind]*Conflict
	found     []Conflict
}

func (s *sweep) apply(i int, begin bool) {
	b := s.bookings[i]
	sign := -1
	if begin {
		sign = 1
		s.active = append(s.active, i)
	} else {
		s.active = slices.DeleteFunc(s.active, func(j int) bool { return j == i })
	}
	s.all += sign * b.Units
	if !b.Tentative {
		s.firm += sign * b.Units
	}
}

// step closes or extends the runs, once all edges at one point are applied.
func (s *sweep) step(at int64) {
	s.run(DoubleBooking, s.firm > s.capacity, at)
	s.run(TentativeClash, s.firm <= s.capacity && s.all > s.capacity, at)
}

func (s *sweep) run(kind Kind, excess bool, at int64) {
	run := s.runs[kind]
	if !excess {
		if run != nil {
			run.Span.End = at
			s.found = append(s.found, *run)
			delete(s.runs, kind)
		}
		return
	}
	if run == nil {
		run = &Conflict{Kind: kind, Span: span.Span{Start: at}}
		s.runs[kind] = run
	}
	for _, i := range s.active {
		if kind == DoubleBooking && s.bookings[i].Tentative {
			continue // a firm excess is not the tentative one's doing
		}
		if id := s.bookings[i].ID; !slices.Contains(run.Bookings, id) {
			run.Bookings = append(run.Bookings, id)
		}
	}
}

// Follow pairs each conflict with the one that it was before: of the same kind, sharing
// a booking and a moment. It returns, for each new one, the index of the old one, or -1.
// Each old one is used once: those that are not over first, then the one that shares most.
func Follow(before []Conflict, over []bool, after []Conflict) []int {
	type candidate struct{ old, new, shared int }
	var candidates []candidate
	for n, a := range after {
		for o, b := range before {
			if a.Kind != b.Kind || !a.Span.Overlaps(b.Span) {
				continue
			}
			if shared := common(a.Bookings, b.Bookings); shared > 0 {
				candidates = append(candidates, candidate{o, n, shared})
			}
		}
	}
	rank := func(c candidate) int {
		if over[c.old] {
			return 1
		}
		return 0
	}
	slices.SortStableFunc(candidates, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(b.shared, a.shared))
	})
	was := slices.Repeat([]int{-1}, len(after))
	used := make([]bool, len(before))
	for _, c := range candidates {
		if was[c.new] < 0 && !used[c.old] {
			was[c.new], used[c.old] = c.old, true
		}
	}
	return was
}

func common(a, b []int64) int {
	n := 0
	for _, id := range a {
		if slices.Contains(b, id) {
			n++
		}
	}
	return n
}
