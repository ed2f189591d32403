package bench

import (
	"fmt"
	"testing"
	"time"

	"wharf/core/carried"
	"wharf/core/publish"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// BenchmarkRender: a publication of so many bookings, from what may go out to the bytes; by detail, joined, and where full.
func BenchmarkRender(b *testing.B) {
	for _, n := range []int{1000, 10000} {
		var offers []publish.Offer
		for i := range int64(n) {
			offers = append(offers, publish.Offer{UID: carried.Mint([]byte("key"), fmt.Sprint(i)), Spans: []span.Span{{Start: 2 * i, End: 2*i + 2 + i%3}}, Units: 1, Blocks: true, Feed: 1 + i%3, Title: fmt.Sprintf("Guest %d, by telephone", i)})
		}
		for name, r := range map[string]rules.Publication{"times": {Title: "Spoken for"}, "titles": {Title: "Spoken for", Detail: rules.Titles}, "joined": {Title: "Spoken for", Joined: true}, "full": {Title: "Spoken for", Occupancy: rules.WhereFull}} {
			b.Run(fmt.Sprintf("%d/%s", n, name), func(b *testing.B) {
				b.ReportAllocs()
				now := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
				bytes := 0
				for b.Loop() {
					items := publish.Items(r, 2, span.Span{Start: 0, End: 1 << 40}, recur.Window{}, offers)
					want, shown := make([]carried.Wanted, len(items)), map[carried.Name]publish.Shown{}
					for i, item := range items {
						want[i], shown[item.Name] = carried.Wanted{Item: item.Item, Least: item.Least}, item.Shown
					}
					change := carried.Advance(nil, want, 1, now)
					bytes = len(publish.Render(publish.Document{Name: "Ketch", Rules: r, Grain: span.Day, Rows: carried.Apply(nil, change), Shown: shown}))
				}
				if bytes == 0 {
					b.Fatal("nothing was written")
				}
				b.ReportMetric(float64(bytes), "bytes")
			})
		}
	}
}
