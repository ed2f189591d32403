// Package bench holds the benchmarks that have no rival; those beside other libraries are
// in reading, serving and cycle.
package bench

import (
	"cmp"
	"fmt"
	"math/rand"
	"slices"
	"testing"

	"wharf/core/conflict"
	"wharf/core/span"
)

// BenchmarkConflicts: the two sizes show how the cost grows.
func BenchmarkConflicts(b *testing.B) {
	for _, n := range []int{1000, 10000} {
		var bookings []conflict.Booking
		for i := range int64(n) {
			bookings = append(bookings, conflict.Booking{ID: i, Span: span.Span{Start: 2 * i, End: 2*i + 2 + i%50/49}, Units: 1})
		}
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				if len(conflict.Find(bookings, 1)) == 0 {
					b.Fatal("none found")
				}
			}
		})
	}
}

// BenchmarkMillion: a million spans in any order, conflicts out, beside what it takes to
// sort the same bookings by their start. All clash with others: in one run, in runs of a
// few each, and in none.
func BenchmarkMillion(b *testing.B) {
	const n = 1_000_000
	rnd := rand.New(rand.NewSource(1))
	for _, shape := range []struct {
		name     string
		stretch  int64 // seconds over which the starts lie
		longest  int64
		capacity int
	}{{"one run", 3 * 365 * 86400, 86400, 1}, {"many runs", n * 3600, 3600, 1}, {"no conflict", n * 3600, 3600, 100}} {
		bookings := make([]conflict.Booking, n)
		for i := range bookings {
			start := rnd.Int63n(shape.stretch)
			bookings[i] = conflict.Booking{ID: int64(i), Span: span.Span{Start: start, End: start + 1 + rnd.Int63n(shape.longest)}, Units: 1}
		}
		b.Run(shape.name+"/find", func(b *testing.B) {
			for b.Loop() {
				if found := conflict.Find(bookings, shape.capacity); (len(found) == 0) != (shape.capacity > 1) {
					b.Fatal(len(found))
				}
			}
		})
		b.Run(shape.name+"/sort", func(b *testing.B) {
			for b.Loop() {
				sorted := slices.Clone(bookings)
				slices.SortFunc(sorted, func(x, y conflict.Booking) int { return cmp.Compare(x.Span.Start, y.Span.Start) })
			}
		})
	}
}
