package echo

import (
	"cmp"
	"iter"
	"slices"
	"sort"

	"wharf/core/span"
)

// around are the items that may overlap a span, and as much more at both ends, those that begin
// last first; of many the first so many.
func (m *matcher) around(s span.Span, more int64, most int) iter.Seq[*item] {
	return func(yield func(*item) bool) {
		items := m.held.items
		n := sort.Search(len(items), func(i int) bool { return items[i].Span.Start-more >= s.End })
		for looked := 0; n > 0 && looked < most && m.furthest[n-1]+more > s.Start; looked++ { // bound
			n--
			if !yield(items[n]) {
				return
			}
		}
	}
}

// covered are the items that take an entry together, each of which its platform may still have
// shown, and as much more at one end, those that are published first; nil if they leave any of it.
func (m *matcher) covered(e Entry, more int64) []*item {
	by := m.coveredFrom(e, 0, more)
	if by == nil {
		by = m.coveredFrom(e, more, 0)
	}
	return by
}

// coveredFrom is covered with so much more before and after each item.
func (m *matcher) coveredFrom(e Entry, before, after int64) []*item {
	var by []*item
	rest := []span.Span{e.Span}
	for _, live := range []bool{true, false} {
		for it := range m.around(e.Span, max(before, after), mostWithin) {
			if m.live(it) != live || !m.mayShow(e, it) {
				continue
			}
			if left := span.Without(rest, span.Span{Start: it.Span.Start - before, End: it.Span.End + after}); !slices.Equal(left, rest) {
				by, rest = append(by, it), left
			}
			if len(rest) == 0 {
				return by
			}
		}
	}
	return nil
}

// cuts finds blocks that lie within what their platform held, whatever they were cut to: of which
// other pieces are gone, say, or the past was cut off.
func (m *matcher) cuts(open []int, add func(found)) {
	if m.rules.Capacity > 1 {
		return // several may lie side by side
	}
	more := int64(0)
	if m.learnt.ways[Widened] {
		more = m.rules.Day
	}
	for _, i := range m.unsettled(open) {
		e := m.feed.Entries[i]
		if !m.learnt.blockForms[e.Form] && !m.words[e.Title] && !(m.learnt.ways[Split] && m.unlikeSales(e)) {
			continue
		}
		if by := m.covered(e, more); len(by) > 1 {
			add(found{i, by, Joined})
		} else if len(by) == 1 {
			add(found{i, by, Split})
		}
	}
}

// run are entries or items that touch or overlap, one after the other.
type run[T any] struct {
	span span.Span
	of   []T
}

// runsOf are the longest runs, in order. all is sorted by span.
func runsOf[T any](all []T, at func(T) span.Span) (runs []run[T]) {
	for _, x := range all {
		s := at(x)
		if n := len(runs); n > 0 && s.Start <= runs[n-1].span.End {
			runs[n-1].span.End = max(runs[n-1].span.End, s.End)
			runs[n-1].of = append(runs[n-1].of, x)
			continue
		}
		runs = append(runs, run[T]{s, []T{x}})
	}
	return runs
}

// runs finds blocks that are joined and cut in a way of their own: laid end to end they are what
// was sent, laid end to end, or a day more.
func (m *matcher) runs(open []int, add func(found)) {
	blocks := m.unsettled(open)
	at := func(i int) span.Span { return m.feed.Entries[i].Span }
	slices.SortFunc(blocks, func(a, b int) int { return cmp.Or(at(a).Compare(at(b)), cmp.Compare(a, b)) })
	sent := map[int64]run[*item]{} // by start
	for _, r := range runsOf(slices.DeleteFunc(slices.Clone(m.held.items), func(it *item) bool { return m.used[it.Name] || !it.live }), func(it *item) span.Span { return it.Span }) {
		sent[r.span.Start] = r
	}
	for _, r := range runsOf(blocks, at) {
		was := sent[r.span.Start]
		more := r.span.End - was.span.End
		way := Split
		if more != 0 {
			way = Widened
		}
		if more != 0 && more != m.rules.Day || !m.allowed(way) {
			continue
		}
		for _, i := range r.of {
			e, of := m.feed.Entries[i], slices.DeleteFunc(slices.Clone(was.of), func(it *item) bool { return it.Span.Start >= at(i).End || it.Span.End+more <= at(i).Start })
			if len(of) <= mostAlike && // bound
				!slices.ContainsFunc(of, func(it *item) bool { return !m.mayShow(e, it) }) {
				add(found{i, of, way})
			}
		}
	}
}

// fewEnds is to how many runs of blocks that are a day more there may be one that ends as what was sent
// does: an item that grew meanwhile, say. Where blocks are joined with own sales there are more.
const fewEnds = 4

// learnEnds learns from where blocks end whether they are a day more: nearly all runs of blocks end a day
// after what was sent does. It reports whether they do.
func (m *matcher) learnEnds() bool {
	day := m.rules.Day
	var blocks []int
	for i, e := range m.feed.Entries {
		if !m.likeSales(e) {
			blocks = append(blocks, i)
		}
	}
	at := func(i int) span.Span { return m.feed.Entries[i].Span }
	slices.SortFunc(blocks, func(a, b int) int { return cmp.Or(at(a).Compare(at(b)), cmp.Compare(a, b)) })
	runs := runsOf(blocks, at)
	var longer []int
	exact := 0
	for _, it := range m.held.items {
		n := sort.Search(len(runs), func(i int) bool { return runs[i].span.End >= it.Span.End }) // runs do not touch
		if n == len(runs) {
			continue
		}
		switch runs[n].span.End {
		case it.Span.End:
			exact++
		case it.Span.End + day:
			longer = append(longer, runs[n].of[len(runs[n].of)-1]) // if that day was sent, too, another one ends exactly
		}
	}
	if len(longer) < max(leastMeasures, fewEnds*exact) {
		return false
	}
	m.learnWay(Widened, longer)
	return true
}
