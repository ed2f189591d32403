package echo

import (
	"cmp"
	"slices"

	"wharf/core/span"
)

// shown is an entry that nothing that we sent explains.
type shown struct{ feed, entry int }

// leastPairs is how many pairs of equal spans make a direct link of two platforms thinkable,
// where they were not there from the first readings on.
const leastPairs = 3

// pair matches what nothing explains one to one between platforms: equal spans may be the
// reflections of platforms that are linked directly.
func pair(r Rules, all []*matcher) {
	if r.Capacity > 1 {
		return // equal spans prove nothing
	}
	type platforms struct{ a, b int64 }
	pairs := map[platforms][][2]shown{}
	for _, group := range alike(all) {
		slices.SortFunc(group, func(x, y shown) int {
			return cmp.Or(cmp.Compare(all[x.feed].feed.Platform, all[y.feed].feed.Platform), cmp.Compare(x.feed, y.feed), cmp.Compare(x.entry, y.entry))
		})
		taken := make([]bool, len(group))
		for i, x := range group {
			for j := i + 1; j < len(group) && !taken[i]; j++ {
				y := group[j]
				a, b := all[x.feed].feed.Platform, all[y.feed].feed.Platform
				uid := all[x.feed].feed.Entries[x.entry].UID
				if taken[j] || a == b || uid != "" && uid == all[y.feed].feed.Entries[y.entry].UID {
					continue
				}
				taken[i], taken[j] = true, true
				pairs[platforms{a, b}] = append(pairs[platforms{a, b}], [2]shown{x, y})
			}
		}
	}
	for _, p := range pairs {
		judgePairs(all, p)
	}
}

// alike are the entries that nothing explains, of spans that several feeds show.
func alike(all []*matcher) [][]shown {
	bySpan := map[span.Span][]shown{}
	for f, m := range all {
		for i, e := range m.feed.Entries {
			if !m.settled[i] && !e.Stand.SeenBy.IsZero() { // of a file nothing is recorded
				bySpan[e.Span] = append(bySpan[e.Span], shown{f, i})
			}
		}
	}
	var groups [][]shown
	for _, g := range bySpan {
		if len(g) > 1 && len(g) <= mostAlike {
			groups = append(groups, g)
		}
	}
	return groups
}

// judgePairs judges the pairs of two platforms. What is written as sales are on both sides is
// sold twice. Where only one side is, and that again and again, the other reflects it. All
// else is for a person to say.
func judgePairs(all []*matcher, pairs [][2]shown) {
	sale := func(s shown) bool { m := all[s.feed]; return m.learnt.salesForms[m.feed.Entries[s.entry].Form] }
	oneSided := map[int]int{} // by the feed that may reflect
	firstOnes := true
	for _, p := range pairs {
		for side, s := range p {
			if sale(p[1-side]) && !sale(s) {
				oneSided[s.feed]++
			}
			firstOnes = firstOnes && all[s.feed].feed.Entries[s.entry].Stand.NotBefore.IsZero()
		}
	}
	if !firstOnes && len(pairs) < leastPairs {
		return
	}
	for _, p := range pairs {
		if sale(p[0]) && sale(p[1]) {
			continue
		}
		for side, s := range p {
			m, other := all[s.feed], p[1-side]
			e := Evidence{Kind: Paired, Span: m.feed.Entries[s.entry].Span, Platform: all[other.feed].feed.Platform, Live: true}
			switch {
			case sale(s):
			case sale(other) && oneSided[s.feed] >= leastPairs:
				e.Against = ""
				m.verdicts[s.entry] = Verdict{Kind: Echo, Evidence: e}
			default:
				e.Against = NothingSpeaksForIt
				m.verdicts[s.entry] = Verdict{Kind: Unclear, Evidence: e}
			}
		}
	}
}
