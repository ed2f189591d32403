package conflict

import (
	"cmp"
	"slices"
)

// Follow pairs each conflict with the one that it was before: of the same kind, sharing
// a booking and a moment. It returns, for each new one, the index of the old one, or -1.
// Each old one is used once: those that are not over first, then the one that shares most.
func Follow(before []Conflict, over []bool, after []Conflict) []int {
	shared := sharing(membersOf(before), membersOf(after))
	candidates := make([]candidate, 0, len(shared))
	for pair, n := range shared {
		candidates = append(candidates, candidate{pair[0], pair[1], n})
	}
	rank := func(c candidate) int {
		if over[c.old] {
			return 1
		}
		return 0
	}
	slices.SortFunc(candidates, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(b.shared, a.shared), cmp.Compare(a.new, b.new), cmp.Compare(a.old, b.old))
	})
	was := slices.Repeat([]int{-1}, len(after))
	used := make([]bool, len(before))
	for _, c := range candidates {
		if was[c.new] < 0 && !used[c.old] {
			was[c.new], used[c.old] = c.old, true
		}
	}
	return was
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
