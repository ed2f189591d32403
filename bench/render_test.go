package bench

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"wharf/core/carried"
	"wharf/core/ical"
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
				renders(b, r, span.Day, func() []publish.Item {
					return publish.Items(r, 2, span.Span{Start: 0, End: 1 << 40}, recur.Window{}, offers)
				})
			})
		}
	}
}

// BenchmarkRenderEverything: 100 series of two years, each with an override and an instance that is left out, and as many single
// events as they have instances; from what may go out to the bytes, beside the same bookings with titles alone.
func BenchmarkRenderEverything(b *testing.B) {
	step, loc := span.Date(20724), time.UTC
	laid := publish.Laid(step, loc)
	var series, single strings.Builder
	for _, out := range []*strings.Builder{&series, &single} {
		out.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n")
	}
	details := "DESCRIPTION:Bring shoes\r\nLOCATION:Loft\r\nATTENDEE:mailto:ann@guests.example\r\nEND:VEVENT\r\n"
	for i := range 100 {
		at := time.Date(2026, 10, 1+i%28, i%24, 0, 0, 0, loc)
		write := func(out *strings.Builder, uid, more string, start time.Time) {
			fmt.Fprintf(out, "BEGIN:VEVENT\r\nUID:%s\r\n%sSUMMARY:Class %d\r\nDTSTART;TZID=Europe/Lisbon:%s\r\nDURATION:PT1H\r\n%s", uid, more, i, start.Format("20060102T150405"), details)
		}
		uid := fmt.Sprintf("class%d@hall.example", i)
		write(&series, uid, "RRULE:FREQ=WEEKLY;COUNT=100\r\n", at)
		write(&series, uid, "RECURRENCE-ID;TZID=Europe/Lisbon:"+at.AddDate(0, 0, 14).Format("20060102T150405")+"\r\n", at.AddDate(0, 0, 15))
		for n := range 100 {
			write(&single, fmt.Sprintf("class%d-%d@hall.example", i, n), "", at.AddDate(0, 0, 7*n))
		}
	}
	for name, text := range map[string]string{"100 series": series.String() + "END:VCALENDAR\r\n", "10000 events": single.String() + "END:VCALENDAR\r\n"} {
		doc, err := recur.Read(ical.NewReader(strings.NewReader(text)))
		if err != nil {
			b.Fatal(err)
		}
		var offers []publish.Offer
		for _, e := range doc.Entries {
			source := &publish.Source{Doc: doc, Entry: e}
			found, _ := doc.Expand(e, laid)
			for n, o := range found {
				if n != 7 {
					offers = append(offers, publish.Offer{UID: carried.Mint([]byte("key"), e.UID, o.Key.String()), Spans: []span.Span{{Start: o.Start, End: o.End}}, Whole: true, Units: 1, Blocks: true, Feed: 1, Title: o.Summary, Source: source, Occurrence: o.Key.String()})
				}
			}
		}
		for _, detail := range []rules.Detail{rules.Titles, rules.Everything} {
			b.Run(name+"/"+string(detail), func(b *testing.B) {
				b.ReportAllocs()
				r, err := rules.NewPublication(rules.Publication{Title: "Spoken for", Detail: detail}, 1)
				if err != nil {
					b.Fatal(err)
				}
				renders(b, r, span.Time, func() []publish.Item {
					return publish.Items(r, 1, publish.Window(r, step, span.Time, loc), laid, offers)
				})
			})
		}
	}
}

// renders measures from the items to the bytes.
func renders(b *testing.B, r rules.Publication, grain span.Grain, items func() []publish.Item) {
	now := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	bytes := 0
	for b.Loop() {
		items := items()
		want, shown := make([]carried.Wanted, len(items)), map[carried.Name]publish.Shown{}
		for i, item := range items {
			want[i], shown[item.Name] = carried.Wanted{Item: item.Item, Least: item.Least}, item.Shown
		}
		change := carried.Advance(nil, want, 1, now)
		bytes = len(publish.Render(publish.Document{Name: "Ketch", Rules: r, Grain: grain, Rows: carried.Apply(nil, change), Shown: shown}))
	}
	if bytes == 0 {
		b.Fatal("nothing was written")
	}
	b.ReportMetric(float64(bytes), "bytes")
}
