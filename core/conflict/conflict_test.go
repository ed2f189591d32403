package conflict_test

import (
	"math/rand"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/conflict"
	"wharf/core/span"
)

func b(id, start, end int64) conflict.Booking {
	return conflict.Booking{ID: id, Span: span.Span{Start: start, End: end}, Units: 1}
}

func tentative(b conflict.Booking) conflict.Booking { b.Tentative = true; return b }

func closure(b conflict.Booking) conflict.Booking { b.Closure = true; return b }

func maybe(b conflict.Booking) conflict.Booking { b.Unclear = true; return b }

func TestFind(t *testing.T) {
	double := func(start, end int64, ids ...int64) conflict.Conflict {
		return conflict.Conflict{Kind: conflict.DoubleBooking, Span: span.Span{Start: start, End: end}, Bookings: ids}
	}
	clash := func(start, end int64, ids ...int64) conflict.Conflict {
		return conflict.Conflict{Kind: conflict.TentativeClash, Span: span.Span{Start: start, End: end}, Bookings: ids}
	}
	for _, tc := range []struct {
		name     string
		in       []conflict.Booking
		capacity int
		want     []conflict.Conflict
	}{
		{"arriving on the day another leaves", []conflict.Booking{b(1, 0, 3), b(2, 3, 5)}, 1, nil},
		{"one night shared", []conflict.Booking{b(1, 0, 3), b(2, 2, 5)}, 1, []conflict.Conflict{double(2, 3, 1, 2)}},
		{"an unbroken run is one conflict", []conflict.Booking{b(1, 0, 9), b(2, 1, 3), b(3, 3, 5)}, 1, []conflict.Conflict{double(1, 5, 1, 2, 3)}},
		{"two runs are two", []conflict.Booking{b(1, 0, 9), b(2, 1, 2), b(3, 4, 5)}, 1, []conflict.Conflict{double(1, 2, 1, 2), double(4, 5, 1, 3)}},
		{"within capacity", []conflict.Booking{b(1, 0, 9), b(2, 1, 3)}, 2, nil},
		{"three at capacity two", []conflict.Booking{b(1, 0, 9), b(2, 1, 5), b(3, 4, 6)}, 2, []conflict.Conflict{double(4, 5, 1, 2, 3)}},
		{"a tentative one clashes only tentatively", []conflict.Booking{b(1, 0, 3), tentative(b(2, 1, 5))}, 1, []conflict.Conflict{clash(1, 3, 1, 2)}},
		{"the firm clash takes over where it is", []conflict.Booking{b(1, 0, 9), tentative(b(2, 1, 5)), b(3, 3, 4)}, 1,
			[]conflict.Conflict{clash(1, 3, 1, 2), double(3, 4, 1, 3), clash(4, 5, 1, 2)}},
		{"it may be a reflection", []conflict.Booking{b(1, 0, 3), maybe(b(2, 0, 3))}, 1, []conflict.Conflict{{Kind: conflict.Unclear, Span: span.Span{Start: 0, End: 3}, Bookings: []int64{1, 2}}}},
		{"a sure one beside one that may be a reflection", []conflict.Booking{b(1, 0, 3), maybe(b(2, 0, 3)), b(3, 1, 2)}, 1,
			[]conflict.Conflict{{Kind: conflict.Unclear, Span: span.Span{Start: 0, End: 1}, Bookings: []int64{1, 2}}, double(1, 2, 1, 2, 3), {Kind: conflict.Unclear, Span: span.Span{Start: 2, End: 3}, Bookings: []int64{1, 2}}}},
		{"a booking over a closure", []conflict.Booking{b(1, 0, 3), closure(b(2, 2, 5))}, 1, []conflict.Conflict{{Kind: conflict.Closed, Span: span.Span{Start: 2, End: 3}, Bookings: []int64{1, 2}}}},
		{"a tentative one over a closure", []conflict.Booking{tentative(b(1, 0, 3)), closure(b(2, 2, 5))}, 1, []conflict.Conflict{{Kind: conflict.Closed, Span: span.Span{Start: 2, End: 3}, Bookings: []int64{1, 2}}}},
		{"what may be a reflection, over a closure", []conflict.Booking{maybe(b(1, 0, 3)), closure(b(2, 2, 5))}, 1, []conflict.Conflict{{Kind: conflict.Unclear, Span: span.Span{Start: 2, End: 3}, Bookings: []int64{1, 2}}}},
		{"two closures never clash", []conflict.Booking{closure(b(1, 0, 3)), closure(b(2, 2, 5))}, 1, nil},
		{"one of two is closed", []conflict.Booking{b(1, 0, 3), closure(b(2, 0, 5)), b(3, 2, 4)}, 2, []conflict.Conflict{{Kind: conflict.Closed, Span: span.Span{Start: 2, End: 3}, Bookings: []int64{1, 2, 3}}}},
		{"sold twice, and closed as well", []conflict.Booking{b(1, 0, 3), b(2, 0, 3), closure(b(3, 0, 3))}, 1, []conflict.Conflict{double(0, 3, 1, 2)}},
		{"empty spans take nothing", []conflict.Booking{b(1, 0, 9), b(2, 3, 3)}, 1, nil},
	} {
		assert.Equal(t, tc.want, conflict.Find(tc.in, tc.capacity), tc.name)
	}
}

// TestFindAgainstCounting compares the sweep with counting units point by point.
func TestFindAgainstCounting(t *testing.T) {
	rnd := rand.New(rand.NewSource(7))
	found := 0
	for range 2000 {
		var in []conflict.Booking
		for id := range int64(rnd.Intn(9)) {
			start := rnd.Int63n(20)
			in = append(in, conflict.Booking{ID: id, Span: span.Span{Start: start, End: start + rnd.Int63n(6)}, Units: 1 + rnd.Intn(2), Tentative: rnd.Intn(4) == 0, Unclear: rnd.Intn(4) == 0, Closure: rnd.Intn(6) == 0})
		}
		capacity := 1 + rnd.Intn(3)
		excess := map[conflict.Kind][]int64{}
		for p := range int64(30) {
			sure, firm, all, certain, closed := 0, 0, 0, 0, 0
			for _, b := range in {
				if b.Span.Start <= p && p < b.Span.End {
					if b.Closure {
						closed = min(closed+b.Units, capacity)
						continue
					}
					if !b.Unclear {
						certain += b.Units
					}
					all += b.Units
					if !b.Tentative {
						firm += b.Units
						if !b.Unclear {
							sure += b.Units
						}
					}
				}
			}
			add := func(kind conflict.Kind, is bool) bool {
				if is {
					excess[kind] = append(excess[kind], p)
				}
				return is
			}
			over := func(units int) bool { return units > 0 && closed > 0 && units > capacity-closed }
			if !add(conflict.DoubleBooking, sure > capacity) {
				closed := add(conflict.Closed, over(certain))
				add(conflict.Unclear, firm > capacity || !closed && over(firm))
				add(conflict.TentativeClash, firm <= capacity && all > capacity)
			}
		}
		got := map[conflict.Kind][]int64{}
		for _, c := range conflict.Find(in, capacity) {
			for p := c.Span.Start; p < c.Span.End; p++ {
				got[c.Kind] = append(got[c.Kind], p)
			}
			for _, b := range in {
				involved := b.Span.Overlaps(c.Span)
				if b.Closure {
					involved = involved && (c.Kind == conflict.Closed || c.Kind == conflict.Unclear)
				} else if b.Tentative {
					involved = involved && (c.Kind == conflict.TentativeClash || c.Kind == conflict.Closed)
				}
				require.Equal(t, involved, slices.Contains(c.Bookings, b.ID), "%+v in %+v", b, c)
			}
			found++
		}
		require.Equal(t, excess, got, "%+v at capacity %d", in, capacity)
	}
	assert.Greater(t, found, 500)
}

func TestFollow(t *testing.T) {
	c := func(start, end int64, ids ...int64) conflict.Conflict {
		return conflict.Conflict{Kind: conflict.DoubleBooking, Span: span.Span{Start: start, End: end}, Bookings: ids}
	}
	before := []conflict.Conflict{c(0, 3, 1, 2), c(10, 12, 5, 6)}
	assert.Equal(t, []int{-1, 0, 1}, conflict.Follow(before, []bool{false, false}, []conflict.Conflict{
		c(3, 5, 1, 2),      // a booking in common, no moment
		c(2, 4, 2, 3),      // grew on: the same conflict
		c(11, 12, 5, 6, 7), // gained a booking
	}))
	assert.Equal(t, []int{0, -1}, conflict.Follow([]conflict.Conflict{c(0, 9, 1, 2, 3)}, []bool{false}, []conflict.Conflict{c(0, 2, 1, 2, 3), c(5, 9, 1, 2)}),
		"of a conflict that fell in two, the one that shares more goes on")
	assert.Equal(t, []int{1}, conflict.Follow([]conflict.Conflict{c(0, 9, 1, 2, 3), c(0, 9, 1, 2)}, []bool{true, false}, []conflict.Conflict{c(0, 9, 1, 2, 3)}),
		"one that is open goes on before one that was over")
	asked := c(0, 9, 1, 2)
	asked.Kind = conflict.Unclear
	assert.Equal(t, []int{0, -1}, conflict.Follow([]conflict.Conflict{asked}, []bool{false}, []conflict.Conflict{c(0, 9, 1, 2), c(20, 22, 1, 2)}), "what was unclear turns out to be a double booking")
	assert.Equal(t, []int{1}, conflict.Follow([]conflict.Conflict{asked, c(0, 9, 1, 3)}, []bool{false, false}, []conflict.Conflict{c(0, 9, 1, 2)}), "its own kind comes first")
	assert.Equal(t, []int{-1}, conflict.Follow([]conflict.Conflict{asked}, []bool{true}, []conflict.Conflict{c(0, 9, 1, 2)}), "what is over does not turn into something else")
}
