package carried

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"
)

// Holding is when a recipient held an item: from the pickup that brought it to the first of
// a version without it. The zero Holding is that of one that was never picked up.
type Holding struct {
	From time.Time
	To   time.Time // zero: it is held still
	// Again is when it was downloaded without it for the second time; zero before that.
	Again time.Time
}

// Never reports whether the item was never picked up.
func (h Holding) Never() bool { return h.From.IsZero() }

// Product is the kind of a reader: the first product name of its User-Agent (RFC 9110
// section 10.1.5).
func Product(agent string) string {
	name, _, _ := strings.Cut(agent, " ")
	name, _, _ = strings.Cut(name, "/")
	return strings.ToLower(name)
}

// lastDownloads are those by which the recipient's kind of reader is told, and manyDownloads
// those that make another kind one, too.
const (
	lastDownloads = 10
	manyDownloads = 3
)

// OfRecipient returns the pickups by the recipient's own kind of reader, in the order of
// time, one for each version: the kind with most of the last ten downloads, unless a kind is
// given. mixed: another kind came so often that nobody knows who reads there.
func OfRecipient(pickups []Pickup, kind string) (own []Pickup, mixed bool) {
	said := kind != ""
	byTime := slices.SortedFunc(slices.Values(pickups), func(a, b Pickup) int { return cmp.Or(a.Last.Compare(b.Last), cmp.Compare(a.Version, b.Version)) })
	times, last := map[string]int64{}, map[string]int64{}
	for left, i := int64(lastDownloads), len(byTime)-1; i >= 0; i-- {
		p := byTime[i]
		times[Product(p.Agent)] += p.Times
		n := min(left, p.Times)
		last[Product(p.Agent)] += n
		left -= n
	}
	if kind == "" {
		kinds := slices.SortedFunc(maps.Keys(last), func(a, b string) int {
			return cmp.Or(cmp.Compare(last[b], last[a]), cmp.Compare(times[b], times[a]), cmp.Compare(a, b))
		})
		if len(kinds) > 0 {
			kind = kinds[0]
		}
	}
	for name, n := range times {
		mixed = mixed || !said && name != kind && n >= manyDownloads && times[kind] >= manyDownloads
	}
	for _, p := range slices.SortedFunc(slices.Values(pickups), func(a, b Pickup) int { return cmp.Or(a.First.Compare(b.First), cmp.Compare(a.Version, b.Version)) }) {
		if Product(p.Agent) != kind {
			continue
		}
		n := len(own)
		switch {
		case n == 0 || own[n-1].Version < p.Version:
			own = append(own, p)
		case own[n-1].Version == p.Version:
			own[n-1].Times += p.Times
			if p.Last.After(own[n-1].Last) {
				own[n-1].Last = p.Last
			}
		} // an older version once more is some cache's, and tells nothing
	}
	return own, mixed
}

// Holdings is when the recipient, whose pickups they are, held each item of a publication.
// It takes n log n steps.
func Holdings(history []Row, own []Pickup) []Holding {
	all := make([]Holding, len(history))
	after := func(version int64) int {
		i, _ := slices.BinarySearchFunc(own, version, func(p Pickup, v int64) int { return cmp.Compare(p.Version, v) })
		return i
	}
	for i, r := range history {
		first := after(r.From)
		if first == len(own) || r.To != 0 && own[first].Version > r.To {
			continue
		}
		all[i].From = own[first].First
		if r.To == 0 {
			continue
		}
		if without := after(r.To + 1); without < len(own) {
			all[i].To = own[without].First
			switch {
			case own[without].Times > 1: // as if they came at even distances
				p := own[without]
				all[i].Again = p.First.Add(p.Last.Sub(p.First) / time.Duration(p.Times-1))
			case without+1 < len(own):
				all[i].Again = own[without+1].First
			}
		}
	}
	return all
}
