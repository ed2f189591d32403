package conflict

import (
	"cmp"
	"maps"
	"slices"
)

// Follow pairs each conflict with the one that it was before: sharing a booking and a moment, and of
// the same kind or, where nothing of its own kind is left, of another one that is not over: what was
// unclear is one conflict with the double booking that it turns out to be. It returns, for each new
// one, the index of the old one, or -1. Each old one is used once: those that are not over first,
// then the one that shares most.
func Follow(before []Conflict, over []bool, after []Conflict) []int {
	f := followed{over: over, was: slices.Repeat([]int{-1}, len(after)), used: make([]bool, len(before))}
	f.pair(membersOf(before), membersOf(after))
	kinds := map[Kind][]member{}
	for _, m := range membersOf(after) {
		if f.was[m.conflict] < 0 {
			kinds[m.Kind] = append(kinds[m.Kind], m)
		}
	}
	for _, kind := range slices.Sorted(maps.Keys(kinds)) {
		turned := slices.Clone(before)
		for i := range turned {
			turned[i].Kind = kind
		}
		f.pair(slices.DeleteFunc(membersOf(turned), func(m member) bool { return f.used[m.conflict] || over[m.conflict] }), kinds[kind])
	}
	return f.was
}

// followed is what conflicts were before, as far as that is found.
type followed struct {
	over []bool
	was  []int  // by new one
	used []bool // by old one
}

// pair pairs those that share most.
func (f followed) pair(olds, news []member) {
	shared := sharing(olds, news)
	candidates := make([]candidate, 0, len(shared))
	for pair, n := range shared {
		candidates = append(candidates, candidate{pair[0], pair[1], n})
	}
	rank := func(c candidate) int {
		if f.over[c.old] {
			return 1
		}
		return 0
	}
	slices.SortFunc(candidates, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(b.shared, a.shared), cmp.Compare(a.new, b.new), cmp.Compare(a.old, b.old))
	})
	for _, c := range candidates {
		if f.was[c.new] < 0 && !f.used[c.old] {
			f.was[c.new], f.used[c.old] = c.old, true
		}
	}
}

// member says that a booking is in a conflict.
type member struct {
	booking  int64
	conflict int // its index
	*Conflict
}

// membersOf lists who is in the conflicts, by kind and booking, then in order of time.
func membersOf(all []Conflict) []member {
	var members []member
	for i := range all {
		for _, id := range all[i].Bookings {
			members = append(members, member{id, i, &all[i]})
		}
	}
	slices.SortFunc(members, func(a, b member) int {
		return cmp.Or(a.compare(b), a.Span.Compare(b.Span), cmp.Compare(a.conflict, b.conflict))
	})
	return members
}

func (m member) compare(o member) int {
	return cmp.Or(cmp.Compare(m.booking, o.booking), cmp.Compare(m.Kind, o.Kind))
}

// candidate is a pair that shares bookings at a moment.
type candidate struct{ old, new, shared int }

// sharing counts the bookings that each old conflict shares with each new one, of those
// that have a moment in common. The new ones of a kind do not overlap each other.
func sharing(olds, news []member) map[[2]int]int {
	shared := map[[2]int]int{}
	first := 0 // the first new one of the same booking and kind
	for _, o := range olds {
		for first < len(news) && news[first].compare(o) < 0 {
			first++
		}
		of := news[first:]
		from, _ := slices.BinarySearchFunc(of, o, func(n, o member) int {
			if n.compare(o) == 0 && n.Span.End <= o.Span.Start {
				return -1
			}
			return 1
		})
		for _, n := range of[from:] {
			if n.compare(o) != 0 || n.Span.Start >= o.Span.End {
				break
			}
			shared[[2]int{o.conflict, n.conflict}]++
		}
	}
	return shared
}
