package echo

import (
	"slices"
	"sort"

	"wharf/core/span"
)

// ways matches what is left with items that it differs from as reflections do: joined, split,
// a day earlier or later, a day more at one end. A way that fewer entries have than tell is
// new, and makes them at most unclear.
func (m *matcher) ways() {
	if m.learnt.reflects == No {
		return // what only resembles something sent is a sale
	}
	var all []found
	count := map[Way]int{}
	add := func(f found) {
		for _, it := range f.items {
			m.used[it.Name] = true
		}
		m.settled[f.entry] = true
		all = append(all, f)
		count[f.way]++
	}
	open := slices.DeleteFunc(m.open(), func(i int) bool { // these only resemble
		return m.likeSales(m.feed.Entries[i])
	})
	longer := m.learnEnds()
	for _, known := range []bool{true, false} { // what is known of the feed comes first
		m.differing(open, func(w Way) bool { return m.learnt.ways[w] == known && m.allowed(w) }, add)
		if known {
			m.cuts(open, add)
		}
	}
	m.runs(open, add)
	m.learnByChance(all)
	for w, n := range count {
		if w == Widened && longer {
			continue // days that equal what was sent say nothing against it
		}
		if w.isRule(n, m.equals) {
			m.learnWay(w, entriesOf(all, w))
		} else if _, said := m.feed.Said[HabitOf{WayOf, string(w)}]; !said && w.more() && n < m.equals {
			delete(m.learnt.ways, w) // it was own sales beside what was sent
		}
	}
	for _, f := range all {
		v := m.verdictOn(f, false)
		if v.Kind == Echo && !m.learnt.ways[f.way] && (v.Evidence.Kind != BlockForm || f.way.more()) {
			v.Kind, v.Evidence.Against = Unclear, NewWay
		}
		m.verdicts[f.entry] = v
	}
}

// isRule reports whether so many entries that differ in a way make it the feed's, where others equal
// what was sent. What a platform does to one block it does to nearly all, but for joining and splitting.
func (w Way) isRule(n, equals int) bool { return n >= leastMeasures && (!w.more() || n > equals) }

// differing finds entries that are items joined, split or nearly so, in the ways to use.
func (m *matcher) differing(open []int, use func(Way) bool, add func(found)) {
	if use(Joined) {
		for _, i := range m.unsettled(open) {
			if items := m.joined(i); len(items) > 1 {
				add(found{i, items, Joined})
			}
		}
	}
	for _, i := range m.unsettled(open) {
		if it, way := m.nearly(i, use); it != nil {
			add(found{i, []*item{it}, way})
		}
	}
}

// unsettled are those of entries that nothing has settled meanwhile.
func (m *matcher) unsettled(open []int) []int {
	return slices.DeleteFunc(slices.Clone(open), func(i int) bool { return m.settled[i] })
}

// allowed reports whether nobody said that the feed does not differ so.
func (m *matcher) allowed(w Way) bool { return m.feed.Said[HabitOf{WayOf, string(w)}] != No }

// entriesOf are the entries that were found to differ in a way.
func entriesOf(all []found, w Way) (entries []int) {
	for _, f := range all {
		if f.way == w {
			entries = append(entries, f.entry)
		}
	}
	return entries
}

// mostWithin is how many items one entry can hold: one that holds more is no block.
const mostWithin = 400

// cutTo is what an entry can show of an item, if it begins today and its feed cuts off the past.
func (m *matcher) cutTo(e Entry, it *item) span.Span {
	cut := span.Span{Start: min(e.Span.Start, it.Span.End), End: it.Span.End}
	if m.allowed(Trimmed) && differs(cut, it.Span, m.rules.Day, m.feed.Today) == Trimmed {
		return cut
	}
	return it.Span
}

// within are the unused items that lie within a span, or do but for the past, and may explain the entry, by start.
func (m *matcher) within(e Entry, s span.Span) []*item {
	items := m.held.items
	first := sort.Search(len(items), func(i int) bool { return items[i].Span.Start >= s.Start })
	var all []*item
	if s.Start == e.Span.Start {
		for it := range m.around(span.Span{Start: s.Start, End: s.Start}, 0, mostWithin) {
			if s.Contains(m.cutTo(e, it)) && m.eligible(e, it) {
				all = append(all, it)
			}
		}
		slices.Reverse(all)
	}
	for looked, it := range items[first:] {
		if it.Span.Start >= s.End { // bound
			break
		}
		if looked == mostWithin { // bound
			return nil
		}
		if it.Span.End <= s.End && m.eligible(e, it) {
			all = append(all, it)
		}
	}
	return all
}

// joined are the items that the entry is, laid end to end or overlapping; nil for none.
func (m *matcher) joined(i int) []*item {
	e := m.feed.Entries[i]
	var chain []*item
	reached := e.Span.Start
	within := m.within(e, e.Span)
	for n := 0; reached < e.Span.End; {
		var best *item
		for ; n < len(within) && within[n].Span.Start <= reached; n++ {
			if best == nil || within[n].Span.End > best.Span.End {
				best = within[n]
			}
		}
		if best == nil {
			return nil
		}
		chain = append(chain, best)
		reached = best.Span.End
	}
	return chain
}

// nearly is an item that the entry is but for a day, in one of the ways to use; nil for none.
func (m *matcher) nearly(i int, use func(Way) bool) (*item, Way) {
	e, day := m.feed.Entries[i], m.rules.Day
	items := m.held.items
	for _, start := range []int64{e.Span.Start, e.Span.Start - day, e.Span.Start + day} {
		first := sort.Search(len(items), func(i int) bool { return items[i].Span.Start >= start })
		for _, it := range items[first:min(first+mostAlike, len(items))] {
			if it.Span.Start != start { // bound
				break
			}
			if w := differs(e.Span, it.Span, day, m.feed.Today); (w == Shifted || w == Widened) && use(w) && m.eligible(e, it) {
				return it, w
			}
		}
	}
	return nil, ""
}

// parts finds the entries that hold whole items and more: those are reflections, the rest is
// the platform's own; all of it is unclear if an item was not known to the platform before.
// It is never one in the sales form, nor without a form of blocks: a longer sale over what
// was sold elsewhere is a clash.
func (m *matcher) parts() {
	if m.rules.Capacity > 1 || m.learnt.reflects == No {
		return
	}
	var withOwn []int
	defer func() {
		if len(withOwn) >= leastMeasures {
			m.learnWay(WithOwn, withOwn)
		}
	}()
	m.sold = m.surelySales()
	for _, i := range m.open() {
		e := m.feed.Entries[i]
		if m.learnt.salesForms[e.Form] {
			continue
		}
		items := m.within(e, e.Span)
		if len(items) == 0 {
			continue
		}
		withOwn = append(withOwn, i)
		m.settled[i] = true
		v := Verdict{Kind: Booking, Evidence: Evidence{Kind: PartSent, Span: items[0].Span, Platform: m.feed.Platform, Version: items[0].version, Item: items[0].UID, PickedUp: items[0].holding.From.Unix()}}
		v.Evidence.Live = slices.ContainsFunc(items, m.live)
		rest := []span.Span{e.Span}
		for _, it := range items {
			m.used[it.Name] = true
			rest = span.Without(rest, it.Span)
			if m.mayHide(i, it.holding.From.Add(m.learnt.delay)) {
				v.Kind, v.Evidence.Against = Unclear, NotKnownBefore
			}
			if !m.live(it) { // its time may be a sale's by now
				v.Kind, v.Evidence.Against = Unclear, DroppedMeanwhile
			}
		}
		if v.Kind == Booking && m.learnt.ways[Widened] && slices.ContainsFunc(rest, func(s span.Span) bool { return s.End == e.Span.End }) {
			v.Kind, v.Evidence.Against = Unclear, NothingSpeaksForIt // its last day may be the one that the platform makes more
		}
		if v.Kind == Booking {
			v.Rest = m.notShown(e, rest)
		}
		m.verdicts[i] = v
	}
}

// notShown is what is left of spans of an entry without what its platform holds and may show in it, though
// that explains another entry, and without its sales that it shows besides: it does not sell that twice. It is all
// of them if nothing would be left.
func (m *matcher) notShown(e Entry, spans []span.Span) []span.Span {
	rest := spans
	for it := range m.around(e.Span, 0, mostWithin) {
		if shown := m.cutTo(e, it); m.live(it) && e.Span.Contains(shown) && m.mayShow(e, it) {
			rest = span.Without(rest, shown)
		}
	}
	n := sort.Search(len(m.sold), func(i int) bool { return m.sold[i].span.End > e.Span.Start })
	for _, r := range m.sold[n:] {
		if r.span.Start >= e.Span.End { // bound
			break
		}
		rest = span.Without(rest, r.span)
	}
	if len(rest) == 0 {
		return spans
	}
	return rest
}

// likeSales reports whether an entry is written as sales of the feed are, if not as they alone.
func (m *matcher) likeSales(e Entry) bool {
	return m.learnt.salesForms[e.Form] || m.learnt.alike[e.Form]
}

// surelySales are the runs of entries that are written as sales alone are.
func (m *matcher) surelySales() []run[Entry] {
	var sales []Entry
	for _, e := range m.feed.Entries {
		if m.learnt.salesForms[e.Form] {
			sales = append(sales, e)
		}
	}
	at := func(e Entry) span.Span { return e.Span }
	slices.SortStableFunc(sales, func(a, b Entry) int { return at(a).Compare(at(b)) })
	return runsOf(sales, at)
}

// unlikeSales reports whether an entry is written as no sale of the feed is.
func (m *matcher) unlikeSales(e Entry) bool {
	l := &m.learnt
	return e.Form != "" && len(l.salesForms) > 0 && !l.salesForms[e.Form] && !l.forms[e.Form]
}

// ratherBlock reports whether an entry is written as a block, or at least as no sale of the feed is.
func (m *matcher) ratherBlock(e Entry) bool {
	return m.learnt.blockForms[e.Form] || m.unlikeSales(e)
}

// overlapping finds the entries that overlap something that the platform held and differ from it
// in no way that is thought of. They are bookings, unless they are not written as sales are:
// then nobody can tell.
func (m *matcher) overlapping() {
	if m.rules.Capacity > 1 || m.learnt.reflects == No {
		return
	}
	odd := map[string]bool{} // forms of entries that nobody can tell
	more := map[int]*item{}  // equal to what was sent, and one more than that, or the day beside it
	beside := func(e Entry, it *item) bool {
		s := span.Span{Start: it.Span.Start - m.rules.Day, End: it.Span.End + m.rules.Day}
		return m.live(it) && m.mayShow(e, it) && s.Contains(e.Span)
	}
	for _, i := range m.open() {
		e := m.feed.Entries[i]
		if !m.unlikeSales(e) {
			continue
		}
		for it := range m.around(e.Span, m.rules.Day, mostAlike) {
			if it.Span == e.Span || !it.Span.Overlaps(e.Span) {
				if beside(e, it) {
					more[i] = it
				}
				continue
			}
			if !m.live(it) || !m.mayShow(e, it) {
				continue
			}
			m.cannotTell(i, it)
			odd[plainForm(e.Form)] = true
			break
		}
	}
	for i, it := range more { // where the platform makes pieces of what it was sent, one of these may be such a piece
		if odd[plainForm(m.feed.Entries[i].Form)] && m.verdicts[i].Kind == Booking {
			m.cannotTell(i, it)
		}
	}
}

// cannotTell says of an entry that it may be made of an item in a way that is not known.
func (m *matcher) cannotTell(i int, it *item) {
	m.verdicts[i] = Verdict{Kind: Unclear, Evidence: Evidence{Kind: OverlapsSent, Against: NewWay, Span: it.Span, Platform: m.feed.Platform, Version: it.version, Item: it.UID, PickedUp: it.holding.From.Unix(), Live: true}}
}

// plainForm is a form without the title that may be part of it.
func plainForm(form string) string {
	plain, _, _ := TitleOf(form)
	return plain
}
