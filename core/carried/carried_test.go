package carried_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/carried"
	"wharf/core/span"
)

var now = time.Date(2026, 7, 1, 12, 0, 0, 500, time.UTC)

func item(uid string, start, end int64) carried.Item {
	return carried.Item{Name: carried.Name{UID: uid}, Span: span.Span{Start: start, End: end}, Units: 1}
}

func titled(i carried.Item, content string) carried.Item {
	i.Content = content
	return i
}

func instance(i carried.Item, recurrence string) carried.Item {
	i.Recurrence = recurrence
	return i
}

func wanted(least int, items ...carried.Item) (all []carried.Wanted) {
	for _, i := range items {
		all = append(all, carried.Wanted{Item: i, Least: least})
	}
	return all
}

func TestAdvance(t *testing.T) {
	then := now.Add(-time.Hour).Truncate(time.Second)
	history := []carried.Row{
		{ID: 1, Item: item("a", 1, 3), Sequence: 0, Stamp: then, From: 1},
		{ID: 2, Item: item("b", 5, 6), Sequence: 0, Stamp: then, From: 1, To: 2},
		{ID: 3, Item: item("b", 5, 7), Sequence: 1, Stamp: then, From: 3, To: 3},
	}
	stamp := now.Truncate(time.Second)
	for _, tc := range []struct {
		name string
		want []carried.Item
		is   carried.Change
		now  []string
	}{
		{"nothing new", []carried.Item{item("a", 1, 3)}, carried.Change{}, []string{"a"}},
		{"moved: closed and opened, with a higher SEQUENCE", []carried.Item{item("a", 2, 4)},
			carried.Change{Close: []int64{1}, Open: []carried.Row{{Item: item("a", 2, 4), Sequence: 1, Stamp: stamp, From: 4}}}, []string{"a"}},
		{"another title, where titles are shown", []carried.Item{titled(item("a", 1, 3), "x")},
			carried.Change{Close: []int64{1}, Open: []carried.Row{{Item: titled(item("a", 1, 3), "x"), Sequence: 1, Stamp: stamp, From: 4}}}, []string{"a"}},
		{"an instance of the same UID is another item", []carried.Item{item("a", 1, 3), instance(item("a", 1, 3), "2026-07-08")},
			carried.Change{Open: []carried.Row{{Item: instance(item("a", 1, 3), "2026-07-08"), Stamp: stamp, From: 4}}}, []string{"a", "a"}},
		{"gone", nil, carried.Change{Close: []int64{1}}, nil},
		{"back after it was gone, which was a revision itself: SEQUENCE never falls", []carried.Item{item("a", 1, 3), item("b", 5, 6)},
			carried.Change{Open: []carried.Row{{Item: item("b", 5, 6), Sequence: 3, Stamp: stamp, From: 4}}}, []string{"a", "b"}},
		{"new, before what there is", []carried.Item{item("a", 1, 3), item("c", 0, 1)},
			carried.Change{Open: []carried.Row{{Item: item("c", 0, 1), Stamp: stamp, From: 4}}}, []string{"c", "a"}},
	} {
		change := carried.Advance(history, wanted(0, tc.want...), 4, now)
		assert.Equal(t, tc.is, change, tc.name)
		var uids []string
		for _, r := range carried.Apply(history, change) {
			uids = append(uids, r.UID)
		}
		assert.Equal(t, tc.now, uids, tc.name)
	}
}

// The instances of a series are revised together, and those that come into sight revise nothing.
func TestAdvanceSeries(t *testing.T) {
	class := func(name string, start int64, content string) carried.Item {
		i := titled(item(name, start, start+1), content)
		i.Sent = "class@hall.example"
		return i
	}
	then, stamp := now.Add(-time.Hour).Truncate(time.Second), now.Truncate(time.Second)
	history := []carried.Row{
		{ID: 1, Item: class("gone", 1, "x"), Sequence: 4, Stamp: then, From: 1, To: 2},
		{ID: 2, Item: class("a", 8, "x"), Sequence: 4, Stamp: then, From: 1},
		{ID: 3, Item: class("b", 15, "x"), Sequence: 4, Stamp: then, From: 1},
	}
	for _, tc := range []struct {
		name  string
		least int
		want  []carried.Item
		close []int64
		open  []carried.Row
	}{
		{"one more of it in sight", 4, []carried.Item{class("a", 8, "x"), class("b", 15, "x"), class("c", 22, "x")}, nil,
			[]carried.Row{{Item: class("c", 22, "x"), Sequence: 4, Stamp: then, From: 3}}},
		{"changed by us: all of it, above what is gone", 4, []carried.Item{class("a", 8, "y"), class("b", 15, "y")}, []int64{2, 3},
			[]carried.Row{{Item: class("a", 8, "y"), Sequence: 6, Stamp: stamp, From: 3}, {Item: class("b", 15, "y"), Sequence: 6, Stamp: stamp, From: 3}}},
		{"revised by its source", 9, []carried.Item{class("a", 8, "y"), class("c", 22, "y")}, []int64{2, 3},
			[]carried.Row{{Item: class("a", 8, "y"), Sequence: 9, Stamp: stamp, From: 3}, {Item: class("c", 22, "y"), Sequence: 9, Stamp: stamp, From: 3}}},
	} {
		assert.Equal(t, carried.Change{Close: tc.close, Open: tc.open}, carried.Advance(history, wanted(tc.least, tc.want...), 3, now), tc.name)
	}
	assert.Equal(t, 7, carried.Advance(nil, wanted(7, class("a", 1, "x")), 1, now).Open[0].Sequence, "a new one begins with its source's")
}

func TestOn(t *testing.T) {
	loc := time.FixedZone("", -3*3600)
	instant := func(day, hour int) int64 { return time.Date(2026, 7, day, hour, 0, 0, 0, loc).Unix() }
	date := func(day int) int64 { return int64(span.NewDate(2026, 7, day)) }
	for _, tc := range []struct {
		name   string
		is, on span.Grain
		want   span.Span
		span   span.Span
	}{
		{"its own", "", span.Time, span.Span{Start: 5, End: 6}, span.Span{Start: 5, End: 6}},
		{"nights among days", span.Night, span.Day, span.Span{Start: date(3), End: date(5)}, span.Span{Start: date(3), End: date(5)}},
		{"days among times", span.Day, span.Time, span.Span{Start: instant(3, 0), End: instant(5, 0)}, span.Span{Start: date(3), End: date(5)}},
		{"a time among days", span.Time, span.Day, span.Span{Start: date(3), End: date(5)}, span.Span{Start: instant(3, 22), End: instant(4, 1)}},
		{"a time up to midnight", span.Time, span.Night, span.Span{Start: date(3), End: date(4)}, span.Span{Start: instant(3, 22), End: instant(4, 0)}},
		{"a moment", span.Time, span.Day, span.Span{Start: date(3), End: date(4)}, span.Span{Start: instant(3, 0), End: instant(3, 0)}},
	} {
		i := item("a", tc.span.Start, tc.span.End)
		i.Grain = tc.is
		assert.Equal(t, tc.want, i.On(tc.on, loc), tc.name)
	}
}

func TestMintedIn(t *testing.T) {
	ours := carried.Mint([]byte("key"), "1")
	for uid, want := range map[string]string{ours: ours, "1-" + ours: ours, ours + "-2": ours, "x@wharf": "", "": "", "e1@strand.example": ""} {
		assert.Equal(t, want, carried.MintedIn(uid), uid)
	}
}

func TestMint(t *testing.T) {
	key := []byte("key")
	uid := carried.Mint(key, "1", "22", "x")
	assert.Equal(t, uid, carried.Mint(key, "1", "22", "x"))
	assert.Len(t, uid, 38)
	for _, other := range []string{carried.Mint(key, "12", "2", "x"), carried.Mint(key, "1", "22"), carried.Mint([]byte("other"), "1", "22", "x")} {
		assert.NotEqual(t, uid, other)
	}
}

// TestHoldings: what a recipient held, by the versions that it picked up.
func TestHoldings(t *testing.T) {
	at := func(minutes int) time.Time { return now.Add(time.Duration(minutes) * time.Minute) }
	history := []carried.Row{{Item: item("kept", 1, 2), From: 2}, {Item: item("dropped", 1, 2), From: 1, To: 3}, {Item: item("brief", 1, 2), From: 3, To: 3}, {Item: item("new", 1, 2), From: 9}}
	for _, tc := range []struct {
		name    string
		pickups []carried.Pickup
		want    []carried.Holding
		mixed   bool
	}{
		{"never", nil, make([]carried.Holding, 4), false},
		{"one version after the other", []carried.Pickup{{2, "Desk/1.0", at(0), at(0), 1}, {4, "Desk/1.1", at(10), at(30), 3}},
			[]carried.Holding{{From: at(0)}, {at(0), at(10), at(20)}, {}, {}}, false},
		{"versions passed over", []carried.Pickup{{3, "Desk/1.0", at(0), at(5), 2}, {5, "Desk/1.0", at(10), at(10), 1}, {6, "Desk/1.0", at(20), at(20), 1}},
			[]carried.Holding{{From: at(0)}, {at(0), at(10), at(20)}, {at(0), at(10), at(20)}, {}}, false},
		{"a person's browser is no recipient", []carried.Pickup{{2, "Desk importer", at(0), at(90), 9}, {4, "Mozilla/5.0 (X11)", at(10), at(10), 1}},
			[]carried.Holding{{From: at(0)}, {From: at(0)}, {}, {}}, false},
		{"two kinds that both come again and again", []carried.Pickup{{2, "Desk importer", at(0), at(90), 9}, {2, "Other/2", at(10), at(40), 4}},
			[]carried.Holding{{From: at(0)}, {From: at(0)}, {}, {}}, true},
	} {
		own, mixed := carried.OfRecipient(tc.pickups, "")
		assert.Equal(t, tc.want, carried.Holdings(history, own), tc.name)
		assert.Equal(t, tc.mixed, mixed, tc.name)
	}
	own, _ := carried.OfRecipient([]carried.Pickup{{2, "Desk importer", at(0), at(90), 9}, {2, "Other/2", at(10), at(40), 4}}, "other")
	assert.Equal(t, at(10), carried.Holdings(history, own)[0].From, "a person may say who the recipient is")
}
