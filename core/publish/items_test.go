package publish_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/carried"
	"wharf/core/publish"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// offer is a firm sale of one unit.
func offer(uid string, start, end int64, with ...func(*publish.Offer)) publish.Offer {
	o := publish.Offer{UID: uid, Spans: []span.Span{{Start: start, End: end}}, Units: 1, Blocks: true, Feed: 1, Title: "Guest " + uid}
	for _, f := range with {
		f(&o)
	}
	return o
}

func units(n int) func(*publish.Offer)      { return func(o *publish.Offer) { o.Units = n } }
func from(feed int64) func(*publish.Offer)  { return func(o *publish.Offer) { o.Feed = feed } }
func of(all ...string) func(*publish.Offer) { return func(o *publish.Offer) { o.Categories = all } }
func tentative(o *publish.Offer)            { o.Tentative = true }
func own(o *publish.Offer)                  { o.Own = true }
func shown(o *publish.Offer)                { o.Blocks = false }
func discreet(o *publish.Offer)             { o.Discreet = true }
func and(s, e int64) func(o *publish.Offer) {
	return func(o *publish.Offer) { o.Spans = append(o.Spans, span.Span{Start: s, End: e}) }
}

// written are items as a person would write them down, in order: UID, span, what is special.
func written(items []publish.Item) (all []string) {
	slices.SortFunc(items, func(a, b publish.Item) int {
		return int(a.Span.Start-b.Span.Start)*1000 + int(a.Span.End-b.Span.End)*10 + strings.Compare(a.UID, b.UID)
	})
	for _, i := range items {
		text := fmt.Sprintf("%s %d-%d %s", i.UID, i.Span.Start, i.Span.End, i.Title)
		if i.Tentative {
			text += " tentative"
		}
		if i.Units == 0 {
			text += " free"
		}
		if i.Alarms != nil {
			text += fmt.Sprint(" ", i.Alarms)
		}
		all = append(all, text)
	}
	return all
}

func TestItems(t *testing.T) {
	second := carried.Piece("a", 1)
	for _, tc := range []struct {
		name     string
		rules    rules.Publication
		capacity int
		offers   []publish.Offer
		want     []string
	}{
		{"times: each under one title", rules.Publication{}, 1, []publish.Offer{offer("b", 5, 7), offer("a", 1, 3, and(8, 9))}, []string{"a 1-3 Taken", "b 5-7 Taken", second + " 8-9 Taken"}},
		{"titles, but of what nobody is to see", rules.Publication{Detail: rules.Titles}, 1, []publish.Offer{offer("a", 1, 3), offer("b", 5, 7, discreet)}, []string{"a 1-3 Guest a", "b 5-7 Taken"}},
		{"the recipient's own never goes out", rules.Publication{}, 1, []publish.Offer{offer("a", 1, 3, own), offer("b", 5, 7)}, []string{"b 5-7 Taken"}},
		{"a reminder of its own is no other title", rules.Publication{Alarm: rules.KeptAlarms}, 1, []publish.Offer{offer("a", 1, 3, func(o *publish.Offer) { o.Alarms = []int{60, 30, 60} }), offer("b", 5, 7)}, []string{"a 1-3 Taken [30 60]", "b 5-7 Taken"}},
		{"and nothing where they are not kept", rules.Publication{Alarm: "1d"}, 1, []publish.Offer{offer("a", 1, 3, func(o *publish.Offer) { o.Alarms = []int{60} })}, []string{"a 1-3 Taken"}},
		{"only some feeds", rules.Publication{Feeds: []int64{2}}, 1, []publish.Offer{offer("a", 1, 3), offer("b", 5, 7, from(2)), offer("h", 8, 9, from(0))}, []string{"b 5-7 Taken", "h 8-9 Taken"}},
		{"nothing entered by hand", rules.Publication{NoHolds: true}, 1, []publish.Offer{offer("a", 1, 3), offer("h", 8, 9, from(0))}, []string{"a 1-3 Taken"}},
		{"only some categories, however they are written", rules.Publication{Categories: []string{"Winter"}}, 1, []publish.Offer{offer("a", 1, 3), offer("b", 5, 7, of("club", "WINTER"))}, []string{"b 5-7 Taken"}},
		{"what is only shown is left out", rules.Publication{}, 1, []publish.Offer{offer("a", 1, 3, shown)}, nil},
		{"unless it is wanted: it is free", rules.Publication{Shown: true}, 1, []publish.Offer{offer("a", 1, 3, shown), offer("b", 1, 3)}, []string{"a 1-3 Taken free", "b 1-3 Taken"}},
		{"tentative as firm", rules.Publication{Tentative: rules.AsFirm}, 1, []publish.Offer{offer("a", 1, 3, tentative)}, []string{"a 1-3 Taken"}},
		{"tentative left out", rules.Publication{Tentative: rules.Ignored}, 1, []publish.Offer{offer("a", 1, 3, tentative)}, nil},
		{"joined: what adjoins or overlaps, the earliest's UID", rules.Publication{Joined: true, Detail: rules.Titles}, 1, []publish.Offer{offer("c", 6, 9), offer("a", 1, 3), offer("b", 3, 5), offer("d", 8, 12)}, []string{"a 1-5 Taken", "c 6-12 Taken"}},
		{"joined: what is tentative is another", rules.Publication{Joined: true}, 1, []publish.Offer{offer("a", 1, 3), offer("b", 3, 5, tentative)}, []string{"a 1-3 Taken", "b 3-5 Taken tentative"}},
		{"outside the window", rules.Publication{}, 1, []publish.Offer{offer("a", -9, 0), offer("b", 100, 101), offer("c", -9, 1)}, []string{"c -9-1 Taken"}},
		{"where full: one of two boats leaves the other", rules.Publication{Occupancy: rules.WhereFull}, 2, []publish.Offer{offer("a", 1, 9)}, nil},
		{"where full: from the moment at which none is left", rules.Publication{Occupancy: rules.WhereFull}, 2, []publish.Offer{offer("a", 1, 9), offer("b", 3, 5)}, []string{"a 3-5 Taken"}},
		{"where full: runs that adjoin are one", rules.Publication{Occupancy: rules.WhereFull}, 2, []publish.Offer{offer("a", 1, 5), offer("b", 1, 9), offer("c", 5, 7)}, []string{"a 1-7 Taken"}},
		{"where full: two runs of one booking", rules.Publication{Occupancy: rules.WhereFull}, 2, []publish.Offer{offer("a", 1, 9), offer("b", 2, 3), offer("c", 6, 7)}, []string{"a 2-3 Taken", second + " 6-7 Taken"}},
		{"where full: more than there is", rules.Publication{Occupancy: rules.WhereFull}, 2, []publish.Offer{offer("a", 1, 4, units(3))}, []string{"a 1-4 Taken"}},
		{"where full: its own count, but have no UID to give", rules.Publication{Occupancy: rules.WhereFull}, 2, []publish.Offer{offer("a", 1, 9, own), offer("b", 3, 5)}, []string{"b 3-5 Taken"}},
		{"where full: full of its own it knows itself", rules.Publication{Occupancy: rules.WhereFull}, 2, []publish.Offer{offer("a", 1, 9, own, units(2)), offer("b", 3, 5)}, nil},
		{"where full: only by what is tentative", rules.Publication{Occupancy: rules.WhereFull}, 2, []publish.Offer{offer("a", 1, 9), offer("b", 3, 7), offer("c", 5, 9, tentative)}, []string{"a 3-7 Taken", second + " 7-9 Taken tentative"}},
		{"where full: what is only shown takes nothing", rules.Publication{Occupancy: rules.WhereFull, Shown: true}, 2, []publish.Offer{offer("a", 1, 9), offer("b", 3, 5, shown)}, []string{"b 3-5 Taken free"}},
	} {
		tc.rules.Title = "Taken"
		for range 3 {
			got := written(publish.Items(tc.rules, tc.capacity, span.Span{Start: 0, End: 100}, recur.Window{}, tc.offers))
			assert.Equal(t, tc.want, got, tc.name)
			rand.Shuffle(len(tc.offers), func(i, j int) { tc.offers[i], tc.offers[j] = tc.offers[j], tc.offers[i] })
		}
	}
}

// TestWhereFullIsWhatIsFull: at each moment, a recipient is told that nothing is left exactly when that is so and others have a
// part in it.
func TestWhereFullIsWhatIsFull(t *testing.T) {
	random := rand.New(rand.NewPCG(16, 3))
	for range 300 {
		capacity := 2 + random.IntN(3)
		var offers []publish.Offer
		for n := range 3 + random.IntN(15) {
			start := random.Int64N(40)
			offers = append(offers, offer(fmt.Sprint("u", n), start, start+1+random.Int64N(8), units(1+random.IntN(2)), func(o *publish.Offer) { o.Own, o.Tentative = random.IntN(3) == 0, random.IntN(4) == 0 }))
		}
		items := publish.Items(rules.Publication{Title: "x", Occupancy: rules.WhereFull}, capacity, span.Span{Start: 0, End: 99}, recur.Window{}, offers)
		uids := map[string]bool{}
		for _, i := range items {
			assert.False(t, uids[i.UID], "each UID once")
			uids[i.UID] = true
		}
		for at := range int64(50) {
			all, firm, its := 0, 0, 0
			for _, o := range offers {
				if o.Spans[0].Start <= at && at < o.Spans[0].End {
					all += o.Units
					if !o.Tentative {
						firm += o.Units
					}
					if o.Own {
						its += o.Units
					}
				}
			}
			var told []bool
			for _, i := range items {
				if i.Span.Start <= at && at < i.Span.End {
					told = append(told, i.Tentative)
				}
			}
			if all >= capacity && its < capacity {
				assert.Equal(t, []bool{firm < capacity}, told, "at %d of %v", at, offers)
			} else {
				assert.Empty(t, told, "at %d of %v", at, offers)
			}
		}
	}
}

// TestCalledOff: who keeps what they once read is told for a while that it is gone.
func TestCalledOff(t *testing.T) {
	at := func(hours int) time.Time {
		return time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC).Add(time.Duration(hours) * time.Hour)
	}
	row := func(uid string, start, from, to int64, sequence int) carried.Row {
		return carried.Row{Item: carried.Item{Name: carried.Name{UID: uid}, Span: span.Span{Start: start, End: start + 2}, Units: 1}, Sequence: sequence, From: from, To: to}
	}
	history := []carried.Row{row("kept", 50, 1, 0, 0), row("gone", 40, 1, 2, 0), row("moved", 30, 1, 2, 0), row("moved", 33, 3, 0, 1), row("passed", -10, 1, 2, 0), row("long ago", 20, 1, 1, 0), row("again", 10, 1, 1, 0), row("again", 10, 3, 3, 2)}
	versions := []carried.Version{{Number: 1, At: at(0)}, {Number: 2, At: at(1)}, {Number: 3, At: at(10)}, {Number: 4, At: at(11)}}
	for _, tc := range []struct {
		name string
		keep time.Duration
		now  int
		want []string
		next time.Time
	}{
		{"not wanted", 0, 12, nil, time.Time{}},
		{"what is gone, not what moved, passed or is gone for long", 6 * time.Hour, 12, []string{"again 3", "gone 1"}, at(16)},
		{"its time is over at that moment", 6 * time.Hour, 16, []string{"again 3"}, at(17)},
		{"nothing is left of it", 6 * time.Hour, 17, nil, time.Time{}},
	} {
		rows, next := publish.CalledOff(history, versions, func(r carried.Row) bool { return r.Span.Overlaps(span.Span{Start: 0, End: 100}) }, tc.keep, at(tc.now))
		var got []string
		for _, r := range rows {
			got = append(got, fmt.Sprint(r.UID, " ", r.Sequence))
			assert.Contains(t, []time.Time{at(10), at(11)}, r.Stamp, "DTSTAMP is when it was gone")
		}
		assert.Equal(t, tc.want, got, tc.name)
		assert.Equal(t, tc.next, next, tc.name)
	}
}
