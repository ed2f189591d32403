package judge_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/conflict"
	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/publish"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

var now = time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)

var window = publish.Window(rules.Publication{}, publish.Step(now, time.UTC), span.Day, time.UTC)

func ketch() rules.Calendar { return rules.Calendar{Zone: time.UTC, Grain: span.Day, Capacity: 1} }

func day(n int) int64 { return int64(span.NewDate(2026, 7, n)) }

func sale(id, platform int64, uid string, first, last int) judge.Booking {
	return judge.Booking{ID: id, Feed: platform, Platform: platform, UID: uid, Minted: carried.Mint([]byte("k"), uid),
		Booking: booking.Booking{Span: span.Span{Start: day(first), End: day(last)}, Blocks: true, Units: 1}}
}

func judged(t *testing.T, f judge.Facts) judge.Result {
	t.Helper()
	r, err := judge.Judge(context.Background(), f)
	require.NoError(t, err)
	return r
}

func TestConflictLife(t *testing.T) {
	a, b, c := sale(1, 1, "a", 10, 13), sale(2, 2, "b", 12, 14), sale(3, 3, "c", 12, 13)
	known := judge.Conflict{ID: 9, Conflict: conflict.Conflict{Kind: conflict.DoubleBooking, Span: span.Span{Start: day(12), End: day(13)}, Bookings: []int64{1, 2}}}
	in := func(state judge.State) []judge.Conflict { k := known; k.State = state; return []judge.Conflict{k} }
	for _, tc := range []struct {
		name     string
		bookings []judge.Booking
		known    []judge.Conflict
		now      time.Time
		want     string
	}{
		{"new", []judge.Booking{a, b}, nil, now, "0 open"},
		{"still there", []judge.Booking{a, b}, in(judge.Open), now, "9 open"},
		{"stays acknowledged", []judge.Booking{a, b}, in(judge.Acknowledged), now, "9 acknowledged"},
		{"gains a booking", []judge.Booking{a, b, c}, in(judge.Acknowledged), now, "9 open"},
		{"one was cancelled", []judge.Booking{a}, in(judge.Acknowledged), now, "9 cleared"},
		{"comes back", []judge.Booking{a, b}, in(judge.Cleared), now, "9 open"},
		{"its time is over", []judge.Booking{a, b}, in(judge.Open), now.AddDate(0, 1, 0), "9 past"},
		{"over and gone", nil, in(judge.Open), now.AddDate(0, 1, 0), "9 past"},
	} {
		r := judged(t, judge.Facts{Calendar: ketch(), Now: tc.now, Bookings: tc.bookings, Conflicts: tc.known})
		require.Len(t, r.Conflicts, 1, tc.name)
		assert.Equal(t, tc.want, fmt.Sprintf("%d %s", r.Conflicts[0].ID, r.Conflicts[0].State), tc.name)
	}
}

// exchange is a calendar on some platforms that read our publications and show what
// they import as blocks in their own feeds, under our UIDs.
type exchange struct {
	sales   map[int64][]judge.Booking // by platform
	history map[int64][]carried.Row
	version map[int64]int64
	blocks  map[int64][]carried.Row // what each platform picked up last
	ids     map[string]int64
	rowID   int64
}

// round judges once, then lets every platform pick up.
func (x *exchange) round(t *testing.T) judge.Result {
	t.Helper()
	f := judge.Facts{Calendar: ketch(), Now: now}
	for p := int64(1); p <= 3; p++ {
		f.Bookings = append(f.Bookings, x.sales[p]...)
		for _, b := range x.blocks[p] {
			key := fmt.Sprint(p, b.UID)
			if x.ids[key] == 0 {
				x.ids[key] = int64(1000 + len(x.ids))
			}
			echo := sale(x.ids[key], p, b.UID, 0, 0)
			echo.Span, echo.Minted = b.Span, carried.Mint([]byte("k"), key)
			f.Bookings = append(f.Bookings, echo)
		}
		f.Publications = append(f.Publications, judge.Publication{ID: p, Platform: p, Window: window, Version: x.version[p], History: x.history[p]})
	}
	r := judged(t, f)
	for _, rendition := range r.Renditions {
		h := x.history[rendition.ID]
		for i := range h {
			for _, id := range rendition.Change.Close {
				if h[i].ID == id {
					h[i].To = rendition.Version - 1
				}
			}
		}
		for _, row := range rendition.Change.Open {
			x.rowID++
			row.ID = x.rowID
			h = append(h, row)
		}
		x.history[rendition.ID], x.version[rendition.ID] = h, rendition.Version
		x.blocks[rendition.ID] = carried.Apply(h, carried.Change{})
	}
	return r
}

func TestNothingCirculates(t *testing.T) {
	x := &exchange{map[int64][]judge.Booking{}, map[int64][]carried.Row{}, map[int64]int64{}, map[int64][]carried.Row{}, map[string]int64{}, 0}
	x.sales[1] = []judge.Booking{sale(1, 1, "a1", 10, 13), sale(2, 1, "a2", 20, 22)}
	x.sales[2] = []judge.Booking{sale(3, 2, "b1", 12, 15)}
	for range 5 {
		r := x.round(t)
		require.Len(t, r.Conflicts, 1, "the two sales clash, their reflections do not")
		assert.Equal(t, []int64{1, 3}, r.Conflicts[0].Bookings)
	}
	assert.Equal(t, map[int64]int64{1: 1, 2: 1, 3: 1}, x.version, "reflections change no publication")
	assert.Len(t, x.blocks[1], 1, "platform 1 gets the sale of platform 2, never its own")
	assert.Len(t, x.blocks[2], 2)
	assert.Len(t, x.blocks[3], 3)

	x.sales[1] = x.sales[1][1:] // cancelled on platform 1
	x.round(t)
	r := x.round(t)
	assert.Empty(t, r.Conflicts)
	for p, blocks := range x.blocks {
		for _, b := range blocks {
			assert.NotEqual(t, carried.Mint([]byte("k"), "a1"), b.UID, "a block of the cancelled sale is left on platform %d", p)
		}
	}
	x.round(t)
	assert.Equal(t, map[int64]int64{1: 1, 2: 2, 3: 2}, x.version)
}

func TestOurUIDWithOtherDatesIsABooking(t *testing.T) {
	item := carried.Item{Name: carried.Name{UID: "m@wharf"}, Span: span.Span{Start: day(10), End: day(12)}, Units: 1}
	pub := judge.Publication{ID: 1, Platform: 1, Version: 2, History: []carried.Row{{ID: 1, Item: item, From: 1, To: 1}}}
	for name, tc := range map[string]struct {
		platform int64
		last     int
		want     judge.Kind
	}{
		"the span that was sent, though no longer":   {1, 12, judge.Echo},
		"the span that was sent to another platform": {2, 12, judge.Echo},
		"a span that was never sent":                 {1, 13, judge.Counts},
	} {
		r := judged(t, judge.Facts{Calendar: ketch(), Now: now, Bookings: []judge.Booking{sale(1, tc.platform, "m@wharf", 10, tc.last)}, Publications: []judge.Publication{pub}})
		assert.Equal(t, tc.want, r.Verdicts[0].Kind, name)
		assert.Equal(t, day(10), r.Verdicts[0].Evidence.Span.Start, name)
	}
}

// TestSecondCalendar: a feed that counts on two calendars brings the reflections of what
// one of them published to the other, perhaps in another grain.
func TestSecondCalendar(t *testing.T) {
	block := sale(2, 1, "m@wharf", 10, 12)
	wider := sale(3, 1, "m@wharf", 10, 13)
	known := wider
	known.EchoElsewhere = "m@wharf"
	here := map[string]span.Span{"m@wharf": {Start: day(10), End: day(12)}}
	for _, tc := range []struct {
		name      string
		entry     judge.Booking
		originals map[string]span.Span
		want      judge.Kind
	}{
		{"the original is here, with the same span", block, here, judge.Echo},
		{"with another span, known to be an echo elsewhere", known, here, judge.Echo},
		{"with another span of which nothing is known", wider, here, judge.Counts},
		{"the original is not here: this is all that tells of the sale", known, nil, judge.Counts},
	} {
		r := judged(t, judge.Facts{Calendar: ketch(), Now: now, Bookings: []judge.Booking{tc.entry}, Originals: tc.originals})
		assert.Equal(t, tc.want, r.Verdicts[0].Kind, tc.name)
	}
}

func TestPublication(t *testing.T) {
	own := sale(1, 1, "own", 3, 5)
	other := sale(2, 2, "other", 10, 12)
	request := sale(3, 2, "request", 14, 15)
	request.Tentative = true
	shown := sale(4, 2, "shown", 16, 17)
	shown.Blocks = false
	both := []judge.Booking{sale(5, 1, "both", 20, 21), sale(6, 2, "both", 20, 21)} // one booking with two origins
	f := judge.Facts{Calendar: ketch(), Now: now, Bookings: append([]judge.Booking{own, other, request, shown}, both...),
		Publications: []judge.Publication{{ID: 7, Platform: 1, Name: "Ketch, for the desk", Rules: rules.Publication{Detail: rules.Times, Title: "Spoken for"}, Window: window}}}
	r := judged(t, f).Renditions[0]
	doc, err := recur.Read(ical.NewReader(strings.NewReader(string(r.Body))))
	require.NoError(t, err)
	var got []string
	for _, e := range doc.Entries {
		o, _ := doc.Expand(e, recur.Window{From: now, To: now.AddDate(0, 1, 0), Zone: time.UTC})
		got = append(got, fmt.Sprintf("%s %s %s %s", o[0].First, o[0].Last, o[0].Status, o[0].Summary))
	}
	assert.Equal(t, []string{"2026-07-10 2026-07-12 confirmed Spoken for", "2026-07-14 2026-07-15 tentative Spoken for"}, got)
	assert.NotContains(t, string(r.Body), "METHOD")

	again := judged(t, f).Renditions[0]
	assert.Equal(t, r.Body, again.Body, "the same state gives the same bytes")

	history := r.Change.Open
	for i := range history {
		history[i].ID = int64(i + 1)
	}
	f.Publications[0].Version, f.Publications[0].History = 1, history
	f.Now = now.AddDate(1, 0, 0)
	unchanged := judged(t, f).Renditions[0]
	assert.Nil(t, unchanged.Body, "time alone changes nothing: its window stays where it is stored")
	f.Bookings[1].Span.End++
	f.Now = now.Add(48 * time.Hour)
	moved := judged(t, f).Renditions[0]
	assert.EqualValues(t, 2, moved.Version)
	require.Len(t, moved.Change.Open, 1)
	assert.Equal(t, 1, moved.Change.Open[0].Sequence, "a changed item has a higher SEQUENCE")
	assert.Equal(t, 1, strings.Count(string(moved.Body), "20260703T120000Z"), "DTSTAMP changes only with the item")
}

// TestRecipients: a person gets all; a platform learns that a boat of two is left no more also by its own sales.
func TestRecipients(t *testing.T) {
	two := ketch()
	two.Capacity = 2
	f := judge.Facts{Calendar: two, Now: now, Bookings: []judge.Booking{sale(1, 1, "own", 3, 6), sale(2, 2, "other", 5, 8)}, Publications: []judge.Publication{
		{ID: 1, Platform: 1, Rules: rules.Publication{Occupancy: rules.WhereFull}, Window: window},
		{ID: 2, Platform: 3, Person: true, Rules: rules.Publication{Occupancy: rules.EachBooking}, Window: window},
		{ID: 3, Platform: 1, Rules: rules.Publication{Occupancy: rules.EachBooking, Cancelled: 24}, Window: window},
	}}
	spans := func(r judge.Rendition) (all []string) {
		for _, row := range carried.Apply(nil, r.Change) {
			first, last := row.Span.Format(span.Day)
			all = append(all, first+" "+last)
		}
		return all
	}
	r := judged(t, f)
	assert.Equal(t, [][]string{{"2026-07-05 2026-07-06"}, {"2026-07-03 2026-07-06", "2026-07-05 2026-07-08"}, {"2026-07-05 2026-07-08"}}, [][]string{spans(r.Renditions[0]), spans(r.Renditions[1]), spans(r.Renditions[2])})

	// What is gone is shown as called off for a day, and then no more, though nothing else happens.
	p := &f.Publications[2]
	next := func(at time.Time) judge.Result {
		f.Now = at
		r := judged(t, f)
		if done := r.Renditions[2]; done.Body != nil {
			p.History = carried.Through(p.History, done.Change, done.Version)
			for i := range p.History {
				p.History[i].ID = int64(i + 1)
			}
			p.Version, p.Versions = done.Version, append(p.Versions, carried.Version{Number: done.Version, At: at})
		}
		return r
	}
	next(now)
	f.Bookings = f.Bookings[:1]
	off := next(now.Add(time.Hour))
	assert.Equal(t, 1, strings.Count(string(off.Renditions[2].Body), "STATUS:CANCELLED"))
	assert.Equal(t, now.Add(25*time.Hour), off.Next)
	assert.Nil(t, next(now.Add(25*time.Hour - time.Second)).Renditions[2].Body)
	gone := next(now.Add(25 * time.Hour))
	assert.NotContains(t, string(gone.Renditions[2].Body), "VEVENT")
	assert.EqualValues(t, 3, p.Version)
	assert.True(t, gone.Next.IsZero())
}

// TestRenamedAndRevoked: a new name is a new version that carries the same; a revoked
// publication has no more versions, and the blocks that came by it are echoes still.
func TestRenamedAndRevoked(t *testing.T) {
	a := sale(1, 1, "a", 10, 12)
	facts := judge.Facts{Calendar: ketch(), Now: now, Bookings: []judge.Booking{a}, Publications: []judge.Publication{{ID: 1, Platform: 2, Name: "Before", Window: window}}}
	first := judged(t, facts).Renditions[0]
	require.EqualValues(t, 1, first.Version)
	facts.Publications[0].Version, facts.Publications[0].History = 1, carried.Apply(nil, first.Change)
	assert.Nil(t, judged(t, facts).Renditions[0].Body, "nothing is new")

	facts.Publications[0].Name, facts.Publications[0].Renamed = "After", true
	renamed := judged(t, facts).Renditions[0]
	assert.EqualValues(t, 2, renamed.Version)
	assert.True(t, renamed.Change.Empty())
	assert.Equal(t, strings.ReplaceAll(string(first.Body), "Before", "After"), string(renamed.Body), "all but the name is the same")

	facts.Publications[0].Revoked = true
	block := sale(2, 2, a.Minted, 10, 12) // as platform 2 shows what it was sent
	later := sale(3, 2, "own", 20, 21)
	facts.Bookings = append(facts.Bookings, block, later)
	r := judged(t, facts)
	assert.Equal(t, []judge.Kind{judge.Counts, judge.Echo, judge.Counts}, []judge.Kind{r.Verdicts[0].Kind, r.Verdicts[1].Kind, r.Verdicts[2].Kind})
	assert.Empty(t, r.Conflicts)
	assert.Equal(t, judge.Rendition{ID: 1, Version: 1}, r.Renditions[0])
}
