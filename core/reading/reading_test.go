package reading_test

import (
	"context"
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/carried"
	"wharf/core/ical"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

var (
	ctx   = context.Background()
	first = time.Date(2026, 7, 10, 12, 0, 0, 0, time.UTC)
)

// history is what is recorded of a feed on one calendar by the day, reading after reading.
type history struct {
	t        *testing.T
	feed     reading.Feed
	gone     []reading.Entry
	bookings []reading.Booking
	over     []reading.Sighting
	now      time.Time
	ids      int64
	zone     *time.Location
	guard    *reading.Guard
}

func newHistory(t *testing.T, body string) *history {
	h := &history{t: t, now: first.Add(-time.Hour), zone: time.UTC}
	h.read(body)
	return h
}

// read reads a document an hour after the last, and records what that leads to.
func (h *history) read(body string) *reading.Changes {
	h.t.Helper()
	h.now = h.now.Add(time.Hour)
	return h.readAt(h.now, body)
}

// readAt is read at a time of its own.
func (h *history) readAt(now time.Time, body string) *reading.Changes {
	h.t.Helper()
	doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n" + body + "END:VCALENDAR\r\n")))
	require.NoError(h.t, err)
	calendar, link := rules.Calendar{Zone: h.zone, Grain: span.Day, Capacity: 1}, rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: 1}
	times := reading.Times{Requested: now, Finished: now.Add(time.Second), Scheduled: true}
	place := reading.Place{Calendar: calendar, Link: link, Bookings: h.bookings, Guard: h.guard}
	c, err := reading.Read(ctx, h.feed, h.gone, doc, []reading.Place{place}, times, 1000)
	require.NoError(h.t, err)
	h.feed.Since, h.feed.Frame, h.feed.UIDs = times.Requested, c.Frame, c.UIDs
	if c.Unchanged {
		if h.guard != nil {
			placed, err := reading.Agree(ctx, doc, reading.Recognise(h.feed.Entries, doc), place, times, 1000)
			require.NoError(h.t, err)
			h.keep(placed, nil)
		}
		return &c
	}
	h.feed.Entries = nil
	h.gone = append(h.gone, c.Removed...)
	h.gone = slices.DeleteFunc(h.gone, func(e reading.Entry) bool {
		return slices.ContainsFunc(c.Returned, func(i int) bool { return c.Entries[i].ID == e.ID })
	})
	for i := range c.Entries {
		if c.Entries[i].ID == 0 {
			h.ids++
			c.Entries[i].ID = h.ids
		}
		h.feed.Entries = append(h.feed.Entries, c.Entries[i])
	}
	for _, p := range c.Places {
		h.keep(p, c.Entries)
	}
	return &c
}

// keep records what a reading leads to on the calendar.
func (h *history) keep(p reading.Placed, entries []reading.Entry) {
	for _, b := range p.Changed {
		i := slices.IndexFunc(h.bookings, func(o reading.Booking) bool { return o.ID == b.ID })
		h.bookings[i] = b
	}
	h.over = append(h.over, p.Over...)
	for _, b := range p.Added {
		h.ids++
		b.ID = h.ids
		if b.At >= 0 {
			b.Entry = entries[b.At].ID
		}
		h.bookings = append(h.bookings, b)
	}
	if h.guard != nil {
		h.guard.Freed = p.Freed
	}
}

// shown lists the bookings that are there: "first/last title".
func (h *history) shown() []string {
	var all []string
	for _, b := range h.there() {
		start, end := b.Span.Format(span.Day)
		all = append(all, fmt.Sprintf("%s/%s %s", start[5:], end[5:], b.Title))
	}
	return all
}

func (h *history) there() []reading.Booking {
	all := slices.DeleteFunc(slices.Clone(h.bookings), func(b reading.Booking) bool { return !b.Removed.IsZero() })
	slices.SortStableFunc(all, func(a, b reading.Booking) int { return a.Span.Compare(b.Span) })
	return all
}

// only is the one booking of that title.
func (h *history) only(title string) reading.Booking {
	h.t.Helper()
	all := slices.DeleteFunc(h.there(), func(b reading.Booking) bool { return b.Title != title })
	require.Len(h.t, all, 1)
	return all[0]
}

func event(uid, title, first, last string, more ...string) string {
	text := "BEGIN:VEVENT\r\n"
	if uid != "" {
		text += "UID:" + uid + "\r\n"
	}
	return text + "SUMMARY:" + title + "\r\nDTSTART;VALUE=DATE:" + first + "\r\nDTEND;VALUE=DATE:" + last + "\r\n" + strings.Join(more, "\r\n") + "END:VEVENT\r\n"
}

var (
	ann   = event("a", "Ann", "20260720", "20260722")
	cy    = event("c", "Cy", "20260801", "20260803")
	begun = event("g", "Gus", "20260708", "20260715")
	ended = event("e", "Eve", "20260701", "20260703")
)

func TestOneReadingAndTheNext(t *testing.T) {
	all := ann + cy + begun + ended
	same := []string{"07-01/07-03 Eve", "07-08/07-15 Gus", "07-20/07-22 Ann", "08-01/08-03 Cy"}
	for _, tc := range []struct {
		name, next              string
		added, changed, removed int
		want                    []string
	}{
		{"the same", all, 0, 0, 0, same},
		{"the same in another order, stamped anew", ended + cy + begun + event("a", "Ann", "20260720", "20260722", "DTSTAMP:20260710T120000Z\r\n"), 0, 0, 0, same},
		{"every UID is new", strings.NewReplacer("UID:a", "UID:1", "UID:c", "UID:2", "UID:g", "UID:3", "UID:e", "UID:4").Replace(all), 0, 0, 0, same},
		{"no UID any more", strings.NewReplacer("UID:a\r\n", "", "UID:c\r\n", "", "UID:g\r\n", "", "UID:e\r\n", "").Replace(all), 0, 0, 0, same},
		{"one moved", event("a", "Ann", "20260725", "20260727") + cy + begun + ended, 0, 1, 0, []string{"07-01/07-03 Eve", "07-08/07-15 Gus", "07-25/07-27 Ann", "08-01/08-03 Cy"}},
		{"two swapped their UIDs", event("c", "Ann", "20260720", "20260722") + event("a", "Cy", "20260801", "20260803") + begun + ended, 0, 2, 0, same},
		{"one more, one less", ann + event("n", "Nan", "20260901", "20260902") + begun + ended, 1, 0, 1, []string{"07-01/07-03 Eve", "07-08/07-15 Gus", "07-20/07-22 Ann", "09-01/09-02 Nan"}},
		{"one that has begun and one that has ended leave the feed", ann + cy, 0, 0, 2, same},
		{"one that has begun is called off", ann + cy + ended + event("g", "Gus", "20260708", "20260715", "STATUS:CANCELLED\r\n"), 0, 1, 0, []string{"07-01/07-03 Eve", "07-20/07-22 Ann", "08-01/08-03 Cy"}},
		{"the past is trimmed under a new UID", ann + cy + event("t", "Gus", "20260710", "20260715"), 1, 0, 2, []string{"07-01/07-03 Eve", "07-10/07-15 Gus", "07-20/07-22 Ann", "08-01/08-03 Cy"}},
		{"one that has begun is written anew, joined with what follows", ann + cy + event("j", "Blocked", "20260708", "20260717"), 1, 0, 2, []string{"07-01/07-03 Eve", "07-08/07-17 Blocked", "07-20/07-22 Ann", "08-01/08-03 Cy"}},
		{"or its rest, in pieces", ann + cy + event("j", "Blocked", "20260709", "20260711") + event("k", "Blocked", "20260711", "20260716"), 2, 0, 2, []string{"07-01/07-03 Eve", "07-09/07-11 Blocked", "07-11/07-16 Blocked", "07-20/07-22 Ann", "08-01/08-03 Cy"}},
		{"but what leaves a night of it is something else", ann + cy + event("j", "Joe", "20260710", "20260714"), 1, 0, 2, []string{"07-01/07-03 Eve", "07-08/07-15 Gus", "07-10/07-14 Joe", "07-20/07-22 Ann", "08-01/08-03 Cy"}},
		{"all of it is called off, by METHOD alone", "METHOD:CANCEL\r\n" + all, 0, 3, 0, []string{"07-01/07-03 Eve"}},
	} {
		t.Run(tc.name, func(t *testing.T) {
			h := newHistory(t, all)
			c := h.read(tc.next)
			assert.Equal(t, []int{tc.added, tc.changed, tc.removed}, []int{len(c.Added), len(c.Changed), len(c.Removed)})
			assert.Equal(t, tc.added+tc.changed+tc.removed == 0, c.Unchanged)
			assert.Equal(t, tc.want, h.shown())
			again := h.read(tc.next)
			assert.True(t, again.Nothing(), "the same reading again is one that changes nothing")
			assert.Equal(t, tc.want, h.shown())
			assert.True(t, h.read(tc.next).Unchanged, "nor is anything left to record")
		})
	}
}

// TestWhatTheFrameSays: what a document says for all that is in it counts like the entries.
func TestWhatTheFrameSays(t *testing.T) {
	floating := "BEGIN:VEVENT\r\nUID:f\r\nSUMMARY:Fay\r\nDTSTART:20260801T200000\r\nDTEND:20260801T230000\r\nEND:VEVENT\r\n"
	zoned := "BEGIN:VEVENT\r\nUID:z\r\nSUMMARY:Zoe\r\nDTSTART;TZID=Own:20260801T200000\r\nDTEND;TZID=Own:20260801T230000\r\nEND:VEVENT\r\n"
	own := func(offset, more string) string {
		return "BEGIN:VTIMEZONE\r\nTZID:Own\r\n" + more + "BEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:" + offset + "\r\nTZOFFSETTO:" + offset + "\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n"
	}
	for _, tc := range []struct {
		name, before, after string
		changed             int
		want                string
	}{
		{"X-WR-TIMEZONE", "X-WR-TIMEZONE:UTC\r\n" + floating, "X-WR-TIMEZONE:America/Halifax\r\n" + floating, 1, "08-01/08-03 Fay"},
		{"X-WR-TIMEZONE that nothing goes by", "X-WR-TIMEZONE:UTC\r\n" + ann, "X-WR-TIMEZONE:America/Halifax\r\n" + ann, 0, "07-20/07-22 Ann"},
		{"VTIMEZONE", own("+0000", "") + zoned, own("-0400", "") + zoned, 1, "08-02/08-03 Zoe"},
		{"when VTIMEZONE was written", own("+0000", "LAST-MODIFIED:20260101T000000Z\r\n") + zoned, own("+0000", "LAST-MODIFIED:20260701T000000Z\r\n") + zoned, 0, "08-01/08-02 Zoe"},
	} {
		h := newHistory(t, tc.before)
		c := h.read(tc.after)
		assert.Len(t, c.Changed, tc.changed, tc.name)
		assert.Equal(t, tc.changed == 0, c.Unchanged, tc.name)
		assert.Equal(t, []string{tc.want}, h.shown(), tc.name)
		if tc.changed > 0 {
			assert.Equal(t, h.feed.Since.Add(-time.Hour), h.there()[0].Stand.NotBefore, "%s: where it is now it was not before", tc.name)
		}
	}
}

// TestBlockAndSale: our block goes and the platform's own sale stands in its place, or the
// other way round: two different things, though all but the UID is the same.
func TestBlockAndSale(t *testing.T) {
	ours := carried.Mint([]byte("k"), "1")
	for _, uids := range [][2]string{{ours, "sale@desk.example"}, {"sale@desk.example", ours}, {ours, ""}} {
		h := newHistory(t, event(uids[0], "Taken", "20260720", "20260722"))
		was := h.only("Taken")
		c := h.read(event(uids[1], "Taken", "20260720", "20260722"))
		assert.False(t, c.Unchanged)
		is := h.only("Taken")
		assert.NotEqual(t, was.ID, is.ID)
		assert.Equal(t, first, is.Stand.NotBefore)
	}
	again := carried.Mint([]byte("k"), "2")
	h := newHistory(t, event(ours, "Taken", "20260720", "20260722"))
	was := h.only("Taken")
	h.read(event(again, "Taken", "20260720", "20260722"))
	assert.Equal(t, was.ID, h.only("Taken").ID, "two of ours are alike")
}

// TestIntervals: when a booking can have come to be where it is now.
func TestIntervals(t *testing.T) {
	at := func(n int) time.Time { return first.Add(time.Duration(n) * time.Hour) }
	seen := func(n int) time.Time { return at(n).Add(time.Second) }
	for _, tc := range []struct {
		name       string
		documents  []string // from the first on
		title      string
		before, by time.Time
	}{
		{"there from the first on", []string{ann, ann + cy}, "Ann", time.Time{}, seen(0)},
		{"there later", []string{ann, ann, ann + cy, ann + cy}, "Cy", at(1), seen(2)},
		{"it moved", []string{ann, ann, event("a", "Ann", "20260725", "20260727")}, "Ann", at(1), seen(2)},
		{"it moved, and back", []string{ann, event("a", "Ann", "20260725", "20260727"), ann}, "Ann", at(1), seen(2)},
		{"its title changed", []string{ann, event("a", "Anna", "20260720", "20260722")}, "Anna", time.Time{}, seen(0)},
		{"every UID changed", []string{ann, event("x", "Ann", "20260720", "20260722")}, "Ann", time.Time{}, seen(0)},
		{"every UID changed for good", []string{ann, event("x", "Ann", "20260720", "20260722"), event("x", "Ann", "20260720", "20260722")}, "Ann", time.Time{}, seen(0)},
		{"its UID changed, those of most did not", []string{ann + cy + begun, event("x", "Ann", "20260720", "20260722") + cy + begun}, "Ann", at(0), seen(1)},
		{"it is written in another form, most are not", []string{ann + cy + begun, event("a", "Ann", "20260720", "20260722", "URL:x\r\n") + cy + begun}, "Ann", at(0), seen(1)},
		{"most are written in another form", []string{ann, event("a", "Ann", "20260720", "20260722", "URL:x\r\n")}, "Ann", time.Time{}, seen(0)},
		{"it is tentative by now", []string{event("a", "Ann", "20260720", "20260722", "STATUS:CONFIRMED\r\n") + cy, event("a", "Ann", "20260720", "20260722", "STATUS:TENTATIVE\r\n") + cy}, "Ann", time.Time{}, seen(0)},
		{"it was called off for a while", []string{event("a", "Ann", "20260720", "20260722", "STATUS:CONFIRMED\r\n") + cy, event("a", "Ann", "20260720", "20260722", "STATUS:CANCELLED\r\n") + cy, event("a", "Ann", "20260720", "20260722", "STATUS:CONFIRMED\r\n") + cy}, "Ann", time.Time{}, seen(0)},
		{"its past is cut off", []string{begun, event("g", "Gus", "20260710", "20260715")}, "Gus", time.Time{}, seen(0)},
	} {
		h := newHistory(t, tc.documents[0])
		for _, d := range tc.documents[1:] {
			h.read(d)
		}
		b := h.only(tc.title)
		assert.Equal(t, []time.Time{tc.before, tc.by}, []time.Time{b.Stand.NotBefore, b.Stand.SeenBy}, tc.name)
	}
}

// TestGoneAndBack: what is missing for a while and back again is the same: the same ids, and
// so the same UID where it is published; a sale in its place is another.
func TestGoneAndBack(t *testing.T) {
	ours := carried.Mint([]byte("k"), "1")
	for _, tc := range []struct {
		name, there, back string
		same              bool // the same booking
		kept              bool // since when it was there
	}{
		{"as it was", ann, ann, true, true},
		{"with another title", ann, event("a", "Ann", "20260720", "20260722", "LOCATION:Pier\r\n"), true, true},
		{"moved meanwhile", ann, event("a", "Ann", "20260725", "20260727"), true, false},
		{"under a new UID", ann, event("x", "Ann", "20260720", "20260722"), true, false},
		{"without a UID", event("", "Ann", "20260720", "20260722"), event("", "Ann", "20260720", "20260722"), true, false},
		{"another guest on the same days", ann, event("x", "Ann", "20260720", "20260722", "LOCATION:Pier\r\n"), false, false},
		{"ours, where theirs was", ann, event(ours, "Ann", "20260720", "20260722"), false, false},
	} {
		h := newHistory(t, tc.there+cy)
		was := h.only("Ann")
		for range 3 {
			h.read(cy)
		}
		assert.Equal(t, []string{"08-01/08-03 Cy"}, h.shown(), tc.name)
		h.read(tc.back + cy)
		is := h.only("Ann")
		assert.Equal(t, tc.same, was.ID == is.ID && was.Entry == is.Entry, tc.name)
		assert.Equal(t, tc.kept, was.Stand == is.Stand, tc.name)
		if !tc.kept {
			assert.Equal(t, h.feed.Since.Add(-time.Hour), is.Stand.NotBefore, tc.name)
		}
	}
	h := newHistory(t, ann+cy) // a feed that alternates between two documents
	ids := map[int64]bool{}
	for n := range 20 {
		h.read([]string{begun, ann + cy}[n%2])
		for _, b := range h.bookings {
			ids[b.ID] = true
		}
	}
	assert.Len(t, ids, 3)
}

// TestNewUIDsAtEveryReading: thirty readings in which every UID is new, then thirty in which
// none is, change nothing: the same ids, the same dates.
func TestNewUIDsAtEveryReading(t *testing.T) {
	document := func(n int) string {
		return event(fmt.Sprint("x", n), "Guest", "20260720", "20260722") + event(fmt.Sprint("y", n), "Guest", "20260720", "20260722") + event(fmt.Sprint("z", n), "Other", "20260801", "20260803")
	}
	h := newHistory(t, document(0))
	before := slices.Clone(h.bookings)
	for n := 1; n <= 60; n++ {
		c := h.read(document(min(n, 30)))
		require.True(t, c.Nothing())
		if n == 31 { // two readings agree: the new UIDs are recorded, once
			assert.Len(t, c.Settled, 3)
			continue
		}
		require.True(t, c.Unchanged, "reading %d", n)
	}
	for i := range before {
		is := h.bookings[i]
		assert.Equal(t, "30", is.UID[1:])
		assert.Equal(t, reading.Interval{NotBefore: first.Add(29 * time.Hour), SeenBy: first.Add(30*time.Hour + time.Second)}, is.Sighting)
		is.UID, is.Sighting = before[i].UID, before[i].Sighting
		assert.Equal(t, before[i], is)
	}
	require.Len(t, h.over, 3)

	// While they change, one booking changes and one comes back: as if its UID had stayed.
	h = newHistory(t, document(0))
	h.read(document(1))
	c := h.read(document(2) + event("n2", "New", "20260901", "20260903"))
	assert.Equal(t, []int{1, 0, 0}, []int{len(c.Added), len(c.Changed), len(c.Removed)})
	was := h.only("New")
	h.read(document(3))
	h.read(document(4) + event("n4", "New", "20260901", "20260903"))
	assert.Equal(t, was.ID, h.only("New").ID)
	assert.Equal(t, was.Stand, h.only("New").Stand)
	assert.Len(t, h.over, 1)
}

// TestSightings: what an entry showed is on record with when it began and ended, also once
// it shows something else; what stays writes nothing.
func TestSightings(t *testing.T) {
	at := func(n int) time.Time { return first.Add(time.Duration(n) * time.Hour) }
	seen := func(n int) time.Time { return at(n).Add(time.Second) }
	between := func(n int) reading.Interval { return reading.Interval{NotBefore: at(n - 1), SeenBy: seen(n)} }
	fromFirst := reading.Interval{SeenBy: seen(0)}
	firm := event("a", "Ann", "20260720", "20260722", "STATUS:CONFIRMED\r\n")
	moved := event("a", "Ann", "20260725", "20260727", "STATUS:CONFIRMED\r\n")
	type over struct {
		title, start, end string
		uid               string
		status            reading.Status
		began, ended      reading.Interval
	}
	for _, tc := range []struct {
		name      string
		documents []string
		want      []over
		present   reading.Interval
	}{
		{"nothing happens", []string{firm, firm, firm}, nil, fromFirst},
		{"it moved", []string{firm, firm, moved}, []over{{"Ann", "07-20", "07-22", "a", reading.Firm, fromFirst, between(2)}}, between(2)},
		{"it moved, and back", []string{firm, moved, firm}, []over{{"Ann", "07-20", "07-22", "a", reading.Firm, fromFirst, between(1)}, {"Ann", "07-25", "07-27", "a", reading.Firm, between(1), between(2)}}, between(2)},
		{"it became tentative", []string{firm, strings.Replace(firm, "CONFIRMED", "TENTATIVE", 1)}, []over{{"Ann", "07-20", "07-22", "a", reading.Firm, fromFirst, between(1)}}, between(1)},
		{"it takes nothing any more", []string{firm, strings.Replace(firm, "STATUS:CONFIRMED", "TRANSP:TRANSPARENT", 1)}, []over{{"Ann", "07-20", "07-22", "a", reading.Firm, fromFirst, between(1)}}, between(1)},
		{"it was missing twice", []string{firm, firm, "", "", firm}, []over{{"Ann", "07-20", "07-22", "a", reading.Firm, fromFirst, between(2)}}, between(4)},
		{"it was called off", []string{firm, strings.Replace(firm, "CONFIRMED", "CANCELLED", 1), firm}, []over{{"Ann", "07-20", "07-22", "a", reading.Firm, fromFirst, between(1)}}, between(2)},
		{"its UID changed", []string{firm, event("x", "Ann", "20260720", "20260722", "STATUS:CONFIRMED\r\n")}, []over{{"Ann", "07-20", "07-22", "a", reading.Firm, fromFirst, between(1)}}, between(1)},
		{"something changed that it does not show", []string{firm, strings.Replace(firm, "STATUS", "LOCATION:Pier\r\nSTATUS", 1), strings.Replace(firm, "STATUS", "LOCATION:Quay\r\nSTATUS", 1)}, []over{{"Ann", "07-20", "07-22", "a", reading.Firm, fromFirst, between(1)}}, between(1)},
	} {
		h := newHistory(t, tc.documents[0]+cy+begun)
		for _, d := range tc.documents[1:] {
			h.read(d + cy + begun)
		}
		var got []over
		for _, s := range h.over {
			start, end := s.Span.Format(span.Day)
			got = append(got, over{s.Title, start[5:], end[5:], s.UID, s.Status, s.Interval, s.Over})
			assert.Equal(t, h.only("Ann").ID, s.Booking, tc.name)
		}
		assert.Equal(t, tc.want, got, tc.name)
		assert.Equal(t, tc.present, h.only("Ann").Sighting, tc.name)
	}
}

// TestOddDocuments: UIDs that say nothing, feeds that cannot make up their mind, and clocks
// that are set back.
func TestOddDocuments(t *testing.T) {
	same := strings.NewReplacer("UID:a", "UID:same", "UID:c", "UID:same", "UID:g", "UID:same").Replace(ann + cy + begun)
	none := strings.NewReplacer("UID:a\r\n", "", "UID:c\r\n", "", "UID:g\r\n", "").Replace(ann + cy + begun)
	for name, documents := range map[string][]string{"every UID alike": {same, same, cy + ann + begun, same}, "no UID": {none, none, ann + cy + begun, none}, "swapped": {ann + cy, event("c", "Ann", "20260720", "20260722") + event("a", "Cy", "20260801", "20260803")}} {
		h := newHistory(t, documents[0])
		count := len(h.bookings)
		for range 3 {
			for _, d := range documents {
				h.read(d)
				assert.Len(t, h.bookings, count, name)
				assert.Len(t, h.there(), count, name)
				assert.Len(t, h.shown(), len(slices.Compact(h.shown())), name)
			}
		}
	}

	// A clock that is set back by a day: what was recorded stays, and readings go on.
	h := newHistory(t, ann+cy+begun)
	h.readAt(first.Add(-24*time.Hour), event("a", "Ann", "20260725", "20260727")+cy+begun)
	is := h.only("Ann")
	assert.Equal(t, reading.Interval{NotBefore: first, SeenBy: first}, is.Stand, "readings are in the order in which they were made")
	assert.True(t, h.readAt(first.Add(-23*time.Hour), event("a", "Ann", "20260725", "20260727")+cy+begun).Unchanged)
}

// TestAnyHistory: whatever a feed shows from one reading to the next, what is recorded in the
// end is what its last document means, each booking once; and the same reading twice is one
// that changes nothing.
func TestAnyHistory(t *testing.T) {
	for seed := range int64(300) {
		rnd := rand.New(rand.NewSource(seed))
		document := func() (string, []string) {
			var text strings.Builder
			var want []string
			for range rnd.Intn(6) {
				day, length, title := 15+rnd.Intn(4), 1+rnd.Intn(2), string(rune('A'+rnd.Intn(2)))
				uid := []string{"", "u", "v", fmt.Sprint(rnd.Int63()), carried.Mint([]byte("k"), title)}[rnd.Intn(5)]
				stamp := fmt.Sprintf("X-NOTE:%d\r\n", rnd.Intn(1000)) // so that no two are copies of each other
				text.WriteString(event(uid, title, fmt.Sprintf("202607%d", day), fmt.Sprintf("202607%d", day+length), "LOCATION:"+fmt.Sprint(rnd.Int63())+"\r\n", stamp))
				want = append(want, fmt.Sprintf("07-%d/07-%d %s", day, day+length, title))
			}
			slices.Sort(want)
			return text.String(), slices.Compact(want)
		}
		body, _ := document()
		h, few := newHistory(t, body), newHistory(t, body) // few: only the last of several
		for n := range 8 {
			body, want := document()
			h.read(body)
			if rnd.Intn(3) == 0 || n == 7 {
				few.read(body)
				mine, theirs := h.shown(), few.shown()
				slices.Sort(mine)
				slices.Sort(theirs)
				require.Equal(t, mine, theirs, "seed %d", seed)
			}
			got := h.shown()
			slices.Sort(got)
			require.Equal(t, want, slices.Compact(got), "seed %d:\n%s", seed, body)
			slots := map[string]bool{}
			for _, b := range h.there() {
				slot := fmt.Sprint(b.Entry, b.Occurrence)
				require.False(t, slots[slot], "seed %d: an entry stands for one booking", seed)
				slots[slot] = true
			}
			require.True(t, h.read(body).Nothing(), "seed %d", seed)
			require.True(t, h.read(body).Unchanged, "seed %d", seed)
		}
	}
}

func TestTooMany(t *testing.T) {
	doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\n" + ann + cy + "END:VCALENDAR\r\n")))
	require.NoError(t, err)
	place := reading.Place{Calendar: rules.Calendar{Zone: time.UTC, Grain: span.Day, Capacity: 1}, Link: rules.Link{Role: rules.Blocks, Units: 1}}
	_, err = reading.Read(ctx, reading.Feed{}, nil, doc, []reading.Place{place}, reading.Times{Requested: first, Finished: first}, 1)
	assert.ErrorIs(t, err, reading.ErrTooMany)
	ended, cancel := context.WithCancel(ctx)
	cancel()
	_, err = reading.Read(ended, reading.Feed{}, nil, doc, []reading.Place{place}, reading.Times{Requested: first, Finished: first}, 10)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestMatch(t *testing.T) {
	id := func(uid, place, digest string) reading.Identity {
		return reading.Identity{UID: uid, Place: place, Digest: digest}
	}
	for _, tc := range []struct {
		name          string
		before, after []reading.Identity
		want          []reading.Pair
	}{
		{"by UID, though all else changed", []reading.Identity{id("a", "1", "1")}, []reading.Identity{id("b", "9", "9"), id("a", "2", "2")}, []reading.Pair{{Old: 0, New: 1}}},
		{"every UID is new: by what they are", []reading.Identity{id("a", "1", "1"), id("b", "2", "2")}, []reading.Identity{id("c", "2", "2"), id("d", "1", "1")}, []reading.Pair{{Old: 1, New: 0}, {Old: 0, New: 1}}},
		{"three alike match three alike, a fourth is added", []reading.Identity{id("", "1", "1"), id("", "1", "1"), id("", "1", "1")},
			[]reading.Identity{id("", "1", "1"), id("", "1", "1"), id("", "1", "1"), id("", "1", "1")}, []reading.Pair{{Old: 0, New: 0}, {Old: 1, New: 1}, {Old: 2, New: 2}}},
		{"same span and title, a detail changed", []reading.Identity{id("a", "1", "1")}, []reading.Identity{id("b", "1", "7")}, []reading.Pair{{Old: 0, New: 0}}},
		{"nothing in common", []reading.Identity{id("a", "1", "1")}, []reading.Identity{id("b", "2", "2")}, nil},
	} {
		assert.Equal(t, tc.want, reading.Match(tc.before, tc.after), tc.name)
	}
}
