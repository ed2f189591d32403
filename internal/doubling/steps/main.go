// Command steps does one of core's works on n things that are laid out as unluckily as can
// be. It is built to count its own statements: see package doubling.
package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/conflict"
	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// works are named in words; each does its work on n things.
var works = map[string]func(n int64){
	"conflicts of bookings that all overlap":      func(n int64) { find(n, overlapping) },
	"conflicts of bookings inside each other":     func(n int64) { find(n, nested) },
	"conflicts under one long booking":            func(n int64) { find(n, underOne) },
	"conflicts in pairs":                          func(n int64) { find(n, inPairs) },
	"a document of one UID, all told apart":       func(n int64) { read(n, "UID:a\r\nDTSTART:2026010%[2]dT%06[1]dZ\r\nSUMMARY:%[1]d") },
	"a document of one UID, each newer":           func(n int64) { read(n, "UID:a\r\nSEQUENCE:%[1]d\r\nDTSTART:20260101") },
	"a document of one UID, all copies":           func(n int64) { read(n, "UID:a\r\nDTSTART:20260101") },
	"a document of overrides of one instance":     func(n int64) { read(n, "UID:a\r\nRECURRENCE-ID:20260101\r\nDTSTART:20260101\r\nSUMMARY:%[1]d") },
	"two feeds of one UID that all overlap":       unify,
	"entries matched that are all alike":          match,
	"a publication that changes wholly":           advance,
	"a calendar on which all overlap, published":  func(n int64) { judgeAll(n, overlapping) },
	"a calendar of pairs that clash, judged anew": func(n int64) { judgeAll(n, inPairs) },
	"reflections of what was sent":                func(n int64) { reflect(n, apart, apart) },
	"reflections that are all alike":              func(n int64) { reflect(n, alike, alike) },
	"reflections of one item":                     func(n int64) { reflect(n, alike, underOne) },
	"entries that hold all that was sent":         func(n int64) { reflect(n, around, apart) },
	"pieces of one long item":                     func(n int64) { reflect(n, apart, around) },
	"reflections a day off":                       func(n int64) { reflect(n, dayOff, apart) },
}

func overlapping(i, n int64) span.Span { return span.Span{Start: i, End: n + i} }
func nested(i, n int64) span.Span      { return span.Span{Start: i, End: 2*n - i} }
func inPairs(i, _ int64) span.Span     { return span.Span{Start: i / 2 * 10, End: i/2*10 + 5 + i%2} }
func apart(i, _ int64) span.Span       { return span.Span{Start: 10 * i, End: 10*i + 5} }
func dayOff(i, _ int64) span.Span      { return span.Span{Start: 10*i + 1, End: 10*i + 6} }
func alike(_, _ int64) span.Span       { return span.Span{Start: 0, End: 5} }
func around(i, n int64) span.Span      { return span.Span{Start: -i, End: 10*n + i} }
func underOne(i, n int64) span.Span {
	if i == 0 {
		return span.Span{Start: 0, End: 10 * n}
	}
	return span.Span{Start: 10 * i, End: 10*i + 5}
}

func find(n int64, shape func(i, n int64) span.Span) {
	bookings := make([]conflict.Booking, n)
	for i := range bookings {
		bookings[i] = conflict.Booking{ID: int64(i), Span: shape(int64(i), n), Units: 1}
	}
	found := conflict.Find(bookings, 1)
	for i, was := range conflict.Follow(found, make([]bool, len(found)), found) {
		if was != i {
			panic("a conflict became another")
		}
	}
}

func read(n int64, event string) {
	var b bytes.Buffer
	b.WriteString("BEGIN:VCALENDAR\r\n")
	for i := range n {
		text := event
		if strings.Contains(event, "%") {
			text = fmt.Sprintf(event, i, 1+i%9)
		}
		b.WriteString("BEGIN:VEVENT\r\n" + strings.Split(text, "%!")[0] + "\r\nEND:VEVENT\r\n")
	}
	b.WriteString("END:VCALENDAR\r\n")
	doc, err := recur.Read(ical.NewReader(&b))
	if err != nil {
		panic(err)
	}
	from := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	x := doc.In(recur.Window{From: from, To: from.AddDate(1, 0, 0), Zone: time.UTC})
	for _, e := range doc.Entries {
		x.Expand(e)
		e.Digest()
	}
}

func unify(n int64) {
	origins := make([]booking.Origin, n)
	for i := range origins {
		origins[i] = booking.Origin{Feed: int64(i % 2), UID: "a", Span: overlapping(int64(i), n)}
	}
	booking.Unify(origins)
}

func match(n int64) {
	before, after := make([]reading.Identity, n), make([]reading.Identity, n)
	for i := range after {
		before[i] = reading.Identity{UID: "a", Place: "p", Digest: strconv.Itoa(i)}
		after[i] = reading.Identity{UID: "a", Place: "p", Digest: strconv.Itoa(-i)}
	}
	reading.Match(before, after)
}

func advance(n int64) {
	var history []carried.Row
	var want []carried.Wanted
	for i := range n {
		history = append(history, carried.Row{ID: i + 1, From: 1, Item: carried.Item{Name: carried.Name{UID: fmt.Sprint("old", i)}, Span: overlapping(i, n)}})
		want = append(want, carried.Wanted{Item: carried.Item{Name: carried.Name{UID: fmt.Sprint("new", i)}, Span: overlapping(i, n)}})
	}
	carried.Apply(history, carried.Advance(history, want, 2, time.Unix(0, 0)))
}

func judgeAll(n int64, shape func(i, n int64) span.Span) {
	f := judge.Facts{Calendar: rules.Calendar{Zone: time.UTC, Grain: span.Time, Capacity: 1}, Now: time.Unix(0, 0), Publications: []judge.Publication{{ID: 1, Platform: 9, Window: everywhere}}}
	for i := range n {
		f.Bookings = append(f.Bookings, judge.Booking{ID: i + 1, Feed: 1, Platform: 1, UID: "a", Minted: strconv.FormatInt(i, 10),
			Booking: booking.Booking{Span: shape(i, n), Blocks: true, Units: 1}})
	}
	first, _ := judge.Judge(context.Background(), f) // which cannot end early
	f.Conflicts = first.Conflicts
	f.Publications[0].History = first.Renditions[0].Change.Open
	_, _ = judge.Judge(context.Background(), f)
}

// everywhere is a window that leaves nothing out.
var everywhere = span.Span{Start: -1 << 40, End: 1 << 40}

// reflect judges a feed of n entries whose platform held n items for long.
func reflect(n int64, shown, sent func(i, n int64) span.Span) {
	at := func(day int) time.Time { return time.Date(2026, 1, 1+day, 0, 0, 0, 0, time.UTC) }
	p := judge.Publication{ID: 1, Platform: 1, Window: everywhere, Version: 1, Pickups: []carried.Pickup{{Version: 1, First: at(10), Last: at(30), Times: 100}}}
	f := judge.Facts{Calendar: rules.Calendar{Zone: time.UTC, Grain: span.Day, Capacity: 1}, Now: at(30), Feeds: []judge.Feed{{ID: 1, Read: at(30)}}}
	for i := range n {
		p.History = append(p.History, carried.Row{ID: i + 1, From: 1, Item: carried.Item{Name: carried.Name{UID: strconv.FormatInt(i, 10)}, Span: sent(i, n), Units: 1}})
		f.Bookings = append(f.Bookings, judge.Booking{ID: i + 1, Feed: 1, Platform: 1, UID: fmt.Sprint("own", i), Minted: fmt.Sprint("m", i), Form: strconv.FormatInt(i%3, 10),
			Booking: booking.Booking{Span: shown(i, n), Blocks: true, Units: 1}, Stand: reading.Interval{NotBefore: at(11), SeenBy: at(12)}})
	}
	f.Publications = []judge.Publication{p}
	_, _ = judge.Judge(context.Background(), f) // which cannot end early
}

func main() {
	n, err := strconv.ParseInt(os.Args[2], 10, 64)
	if err != nil {
		panic(err)
	}
	works[os.Args[1]](n)
}
