// Package bench holds the benchmarks that have no rival; those beside other libraries are
// in reading, serving and cycle.
package bench

import (
	"fmt"
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
