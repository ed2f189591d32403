package echo

import (
	"cmp"
	"maps"
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
		slices.SortFunc(group, func(x, y shown) int { // by what is of the entries, and not by where they stand
			f, g := all[x.feed].feed, all[y.feed].feed
			return cmp.Or(cmp.Compare(f.Platform, g.Platform), cmp.Compare(f.ID, g.ID), cmp.Compare(f.Entries[x.entry].UID, g.Entries[y.entry].UID),
				cmp.Compare(f.Entries[x.entry].Minted, g.Entries[y.entry].Minted))
		})
		taken := make([]bool, len(group))
		for i, x := range group {
			if taken[i] {
				continue
			}
			a := all[x.feed].feed.Platform
			with := map[int64]bool{a: true} // one of each platform
			for j := i + 1; j < len(group); j++ {
				y := group[j]
				b := all[y.feed].feed.Platform
				if taken[j] || with[b] {
					continue
				}
				taken[i], taken[j], with[b] = true, true, true
				pairs[platforms{a, b}] = append(pairs[platforms{a, b}], [2]shown{x, y})
			}
		}
	}
	inOrder := slices.SortedFunc(maps.Keys(pairs), func(x, y platforms) int { return cmp.Or(cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b)) })
	for _, between := range inOrder { // one may be in pairs with several
		judgePairs(all, pairs[between])
	}
	for _, m := range all {
		m.againstItself()
	}
}

// againstItself finds what a feed shows beside its platform's own sale of the same span, written
// otherwise: no platform sells twice what it knows to be sold, so it imports its own feed, or
// another one that imports it.
func (m *matcher) againstItself() {
	l := &m.learnt
	sold := map[span.Span]bool{}
	for _, e := range m.feed.Entries {
		if l.salesForms[e.Form] {
			sold[e.Span] = true
		}
	}
	var again []int
	for i, e := range m.feed.Entries {
		if !m.settled[i] && sold[e.Span] && m.unlikeSales(e) {
			again = append(again, i)
		}
	}
	for _, i := range again {
		v := Verdict{Kind: Echo, Evidence: Evidence{Kind: OwnAgain, Span: m.feed.Entries[i].Span, Platform: m.feed.Platform, Live: true}}
		if len(again) < leastPairs && !m.learnt.blockForms[m.feed.Entries[i].Form] {
			v.Kind, v.Evidence.Against = Unclear, NothingSpeaksForIt
		}
		m.verdicts[i] = v
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
		if len(g) > 1 && len(g) <= mostAlike { // bound
			groups = append(groups, g)
		}
	}
	return groups
}

// ofAGuest reports whether an entry is a sale to a guest who comes again and again, so that the name looks like the title of
// blocks: but for that it is written as sales are, and what its platform imports it is known to write otherwise.
func (m *matcher) ofAGuest(e Entry) bool {
	plain, _, _ := TitleOf(e.Form)
	return m.learnt.salesForms[plain] && len(m.learnt.blockForms) > 0 && !m.learnt.blockForms[e.Form]
}

// judgePairs judges the pairs of two platforms. What is written as sales are on both sides is
// sold twice, but for several when Wharf came. Where only one side is, and that again and again, the other reflects it. All
// else is for a person to say: what was there from the first on, what is written otherwise than
// the sales of its feed, and the rest if there are several pairs.
func judgePairs(all []*matcher, pairs [][2]shown) {
	entry := func(s shown) Entry { return all[s.feed].feed.Entries[s.entry] }
	sale := func(s shown) bool {
		m := all[s.feed]
		return m.learnt.salesForms[entry(s).Form] || m.learnt.alike[entry(s).Form] || m.ofAGuest(entry(s))
	}
	unlike := func(s shown) bool { return all[s.feed].unlikeSales(entry(s)) && !all[s.feed].ofAGuest(entry(s)) }
	oneSided := map[int]int{} // by the feed that may reflect
	for _, p := range pairs {
		for side, s := range p {
			if sale(p[1-side]) && unlike(s) {
				oneSided[s.feed]++
			}
		}
	}
	firstOnes := func(p [2]shown) bool {
		return entry(p[0]).Stand.NotBefore.IsZero() && entry(p[1]).Stand.NotBefore.IsZero()
	}
	soldTwice := 0 // by the looks of it, when Wharf came
	for _, p := range pairs {
		if firstOnes(p) && sale(p[0]) && sale(p[1]) {
			soldTwice++
		}
	}
	for _, p := range pairs {
		alike := sale(p[0]) && sale(p[1]) // so many at once are blocks that look like sales
		if alike && !(firstOnes(p) && soldTwice >= leastPairs) {
			continue
		}
		// What gets nothing from us, and is not written as a sale, comes from elsewhere.
		imports := func(s, of shown) bool { return len(all[s.feed].held.items) == 0 && unlike(s) && sale(of) }
		if !firstOnes(p) && len(pairs) < leastPairs && !imports(p[0], p[1]) && !imports(p[1], p[0]) {
			continue
		}
		for side, s := range p {
			m, other := all[s.feed], p[1-side]
			e := Evidence{Kind: Paired, Span: entry(s).Span, Platform: all[other.feed].feed.Platform, Live: true}
			switch {
			case sale(s) && !alike:
			case sale(other) && unlike(s) && oneSided[s.feed] >= leastPairs:
				of := HabitOf{FormOf, entry(s).Form}
				if _, said := m.feed.Said[of]; !said {
					m.learnt.blockForms[of.Of] = true
					m.learnt.teach(s.entry, of)
				}
				m.verdicts[s.entry] = Verdict{Kind: Echo, Evidence: e}
			case m.verdicts[s.entry].Kind == Booking: // else a pair before this one said it
				e.Against = NothingSpeaksForIt
				m.verdicts[s.entry] = Verdict{Kind: Unclear, Evidence: e}
			}
		}
	}
}
