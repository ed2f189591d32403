package bench

import (
	"context"
	"fmt"
	"testing"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/echo"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/rules"
	"wharf/core/span"
)

// BenchmarkJudge: a calendar of ten thousand bookings, none of them reflections; half of them
// reflections under other UIDs; and as many reflections besides.
func BenchmarkJudge(b *testing.B) {
	for _, of := range []struct {
		name          string
		sales, echoes int
	}{{"10000 sales", 10000, 0}, {"5000 sales and 5000 echoes", 5000, 5000}, {"10000 sales and 10000 echoes", 10000, 10000}} {
		f := calendarOf(of.sales, of.echoes)
		b.Run(of.name, func(b *testing.B) {
			for b.Loop() {
				r, err := judge.Judge(context.Background(), f)
				if err != nil {
					b.Fatal(err)
				}
				echoes := 0
				for _, v := range r.Verdicts {
					if v.Kind == judge.Echo {
						echoes++
					}
				}
				if echoes != of.echoes {
					b.Fatalf("%d echoes of %d", echoes, of.echoes)
				}
			}
		})
	}
}

// calendarOf is a calendar by the day with sales on one platform, which the other was sent, and
// the first of which it reflects.
func calendarOf(sales, echoes int) judge.Facts {
	now := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	picked := now.Add(-24 * time.Hour)
	f := judge.Facts{Calendar: rules.Calendar{Zone: time.UTC, Grain: span.Day, Capacity: 1}, Now: now, Feeds: []judge.Feed{{ID: 1, Read: now}, {ID: 2, Read: now,
		Known: echo.Said{{Name: echo.FormOf, Of: "block"}: echo.Block}}}}
	p := judge.Publication{ID: 1, Platform: 2, Version: 1, Window: span.Span{Start: 0, End: 1 << 40}, Pickups: []carried.Pickup{{Version: 1, First: picked, Last: picked, Times: 1}}}
	first := int64(span.DateOf(now)) + 1
	for i := range sales {
		s := span.Span{Start: first + int64(3*i), End: first + int64(3*i) + 2}
		minted := carried.Mint([]byte("bench"), fmt.Sprint(i))
		f.Bookings = append(f.Bookings, judge.Booking{ID: int64(i + 1), Feed: 1, Platform: 1, UID: fmt.Sprint("s", i), Minted: minted, Form: "sale", Booking: booking.Booking{Span: s, Blocks: true, Units: 1},
			Stand: reading.Interval{SeenBy: picked.Add(-time.Hour)}})
		p.History = append(p.History, carried.Row{ID: int64(i + 1), From: 1, Item: carried.Item{Name: carried.Name{UID: minted}, Span: s, Units: 1}})
		if i < echoes {
			f.Bookings = append(f.Bookings, judge.Booking{ID: int64(sales + i + 1), Feed: 2, Platform: 2, UID: fmt.Sprint("b", i), Minted: carried.Mint([]byte("bench"), "echo", fmt.Sprint(i)), Form: "block",
				Booking: booking.Booking{Span: s, Blocks: true, Units: 1}, Stand: reading.Interval{NotBefore: picked, SeenBy: picked.Add(time.Hour)}})
		}
	}
	f.Publications = append(f.Publications, p)
	return f
}
