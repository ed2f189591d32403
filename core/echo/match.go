package echo

import (
	"cmp"
	"math"
	"slices"
	"sort"
	"time"

	"wharf/core/carried"
	"wharf/core/span"
)

// matcher finds what the entries of one feed are.
type matcher struct {
	rules    Rules
	feed     *Feed
	held     *holdings
	all      *everything
	learnt   learnt
	verdicts []Verdict
	rows     []*sentRow // by entry: what its UID says it is
	known    []bool     // its UID is one of ours
	settled  []bool     // there is a verdict
	used     map[carried.Name]bool
	furthest []int64 // the latest end of the items up to there
	first    map[span.Span]firstShown
	revealed func(entry int) bool
	sold     []run[Entry]    // what is surely sold, in order
	words    map[string]bool // titles that mark blocks
	earliest time.Time       // pickup of any of them
	equals   int             // how many entries equal what was sent
	shared   map[sentAs]bool
}

// several is the form of a span that was shown first in more than one.
const several = "\x00"

// firstShown is the entry of a span that a feed showed first.
type firstShown struct {
	seen time.Time
	form string
}

func newMatcher(r Rules, f *Feed, held *holdings, all *everything) *matcher {
	if held == nil {
		held = &holdings{}
	}
	n := len(f.Entries)
	titled := *f
	titled.Entries = withTitles(f)
	f = &titled
	m := &matcher{rules: r, feed: f, held: held, all: all, verdicts: make([]Verdict, n), rows: make([]*sentRow, n), known: make([]bool, n), settled: make([]bool, n),
		used: map[carried.Name]bool{}, furthest: make([]int64, len(held.items))}
	m.revealed = m.comeIntoSight()
	end := int64(math.MinInt64)
	for i, it := range held.items {
		end = max(end, it.Span.End)
		m.furthest[i] = end
		if m.earliest.IsZero() || it.since().Before(m.earliest) {
			m.earliest = it.since()
		}
	}
	m.first = make(map[span.Span]firstShown, n)
	for i, e := range f.Entries {
		if was, seen := m.first[e.Span]; !seen || e.Stand.SeenBy.Before(was.seen) {
			m.first[e.Span] = firstShown{e.Stand.SeenBy, e.Form}
		} else if e.Stand.SeenBy.Equal(was.seen) && e.Form != was.form {
			m.first[e.Span] = firstShown{seen: was.seen, form: several}
		}
		m.verdicts[i], m.rows[i], m.known[i] = all.certain(f.Platform, e)
	}
	return m
}

// leastAlike is how many entries of a feed must bear the same title for it to be its platform's
// word, and not a guest's name.
const leastAlike = 3

// longestForm is how long a form with its title may be, in bytes.
const longestForm = 200

// withTitles are the entries of a feed, of which the title is part of the form where it is the
// platform's word.
func withTitles(f *Feed) []Entry {
	times := map[string]int{}
	for _, e := range f.Entries {
		times[e.Title]++
	}
	entries := slices.Clone(f.Entries)
	for i, e := range entries {
		if e.Title == "" || e.Form == "" {
			continue
		}
		titled := WithTitle(e.Form, e.Title)
		if len(titled) > longestForm { // bound
			continue // nobody's word
		}
		of := HabitOf{FormOf, titled}
		_, known := f.Known[of]
		_, said := f.Said[of]
		if known || said || times[e.Title] >= leastAlike {
			entries[i].Form = titled
		}
	}
	return entries
}

// match goes through the rules in their order.
func (m *matcher) match(from sources, shared map[sentAs]bool) {
	m.shared = shared
	m.learn(from)
	m.certain(from)
	m.own()
	for i, e := range m.feed.Entries {
		m.settled[i] = m.settled[i] || shared[sentAs{e.UID, e.Span}] && len(m.feed.Mirrors) == 0
	}
	later := map[int]bool{} // what is surely written as a sale takes no item from what may be its block
	if m.tellsApart() {
		for i, e := range m.feed.Entries {
			later[i] = !m.settled[i] && m.learnt.salesForms[e.Form]
			m.settled[i] = m.settled[i] || later[i]
		}
	}
	m.equal()
	m.ways()
	m.parts()
	m.overlapping()
	for i := range later {
		m.settled[i] = m.settled[i] && !later[i]
	}
	if len(later) > 0 {
		m.equal()
	}
	m.reflected()
}

// nothingSent reports whether nothing that the platform ever held can have led to the entry.
func (m *matcher) nothingSent(e Entry) bool {
	if m.earliest.After(e.Stand.SeenBy) {
		return true
	}
	n := sort.Search(len(m.held.items), func(i int) bool { return m.held.items[i].Span.Start >= e.Span.End+m.rules.Day })
	return n == 0 || m.furthest[n-1] <= e.Span.Start-m.rules.Day
}

// eligible reports whether the platform held the item at some moment up to when the entry
// was seen, and may still have shown it after it was last not.
func (m *matcher) eligible(e Entry, it *item) bool { return !m.used[it.Name] && m.mayShow(e, it) }

// mayShow is eligible also of an item that explains another entry.
func (m *matcher) mayShow(e Entry, it *item) bool {
	h := it.holding
	if it.uid != "" && it.uid != e.UID && m.shared[sentAs{e.UID, e.Span}] {
		return false // where it is passed on it keeps its UID, and that is another
	}
	return !it.since().After(e.Stand.SeenBy) &&
		(h.To.IsZero() || h.To.Add(m.learnt.delay).After(e.Stand.NotBefore))
}

// open are the entries that nothing has settled yet, those first that are rather reflections:
// in the block form, not in the sales form, the later ones.
func (m *matcher) open() []int {
	var all []int
	for i, done := range m.settled {
		if !done {
			all = append(all, i)
		}
	}
	rank := func(i int) int {
		switch form := m.feed.Entries[i].Form; {
		case m.learnt.blockForms[form]:
			return 0
		case m.learnt.salesForms[form]:
			return 2
		}
		return 1
	}
	slices.SortFunc(all, func(a, b int) int {
		x, y := m.feed.Entries[a], m.feed.Entries[b]
		return cmp.Or(cmp.Compare(rank(a), rank(b)), y.Stand.NotBefore.Compare(x.Stand.NotBefore), x.Span.Compare(y.Span), cmp.Compare(x.UID, y.UID), cmp.Compare(x.Minted, y.Minted))
	})
	return all
}

// found is an entry with what explains it.
type found struct {
	entry int
	items []*item
	way   Way
}

// equal matches entries one to one with items of the same span, then with those of which the
// past is cut off.
func (m *matcher) equal() {
	var all []found
	take := func(way Way, key func(span.Span) span.Span) {
		items := map[span.Span][]*item{}
		for _, it := range m.held.items {
			if !m.used[it.Name] {
				k := key(it.Span)
				items[k] = append(items[k], it)
			}
		}
		entries := map[span.Span][]int{}
		var keys []span.Span
		for _, i := range m.open() {
			k := key(m.feed.Entries[i].Span)
			if len(items[k]) == 0 { // bound
				continue
			}
			if len(entries[k]) == 0 {
				keys = append(keys, k)
			}
			entries[k] = append(entries[k], i)
		}
		for _, k := range keys {
			for i, it := range m.assign(entries[k], items[k], way) {
				m.used[it.Name], m.settled[i] = true, true
				all = append(all, found{i, []*item{it}, way})
			}
		}
	}
	take("", func(s span.Span) span.Span { return s })
	if m.allowed(Trimmed) {
		take(Trimmed, func(s span.Span) span.Span { return span.Span{Start: s.End, End: s.End} })
	}
	slices.SortFunc(all, func(a, b found) int { return cmp.Compare(a.entry, b.entry) })
	for n := range all {
		all[n].items[0] = m.successor(all[n].items[0])
	}
	m.equals += len(all)
	m.learnNames()
	m.learnByChance(all)
	m.learnReflects(all)
	besides := map[span.Span]int{} // own sales of the span
	for i, e := range m.feed.Entries {
		if e.Answer == Own || !m.settled[i] && m.learnt.salesForms[e.Form] {
			besides[e.Span]++
		}
	}
	for _, f := range all {
		m.verdicts[f.entry] = m.verdictOn(f, besides[m.feed.Entries[f.entry].Span] > 0)
	}
}

// live reports whether an item is published still, if only what is to come of it: its own feed may have cut the past
// off, however long ago.
func (m *matcher) live(it *item) bool {
	return it.live || it.now.Contains(span.Span{Start: max(it.Span.Start, m.feed.Today+m.rules.Day), End: it.Span.End})
}

// mostCompared bounds how many pairs of alike entries and items are tried in all orders; where
// there are more, each entry takes the first item that fits.
const mostCompared = 4096

// assign gives entries, in their order, an item each that may explain them. An item that one
// has goes to another only if there is one left for the first: so as many as can be are
// explained, and those first that come first.
func (m *matcher) assign(entries []int, items []*item, way Way) map[int]*item {
	fits := func(i int, it *item) bool {
		e := m.feed.Entries[i]
		return differs(e.Span, it.Span, m.rules.Day, m.feed.Today) == way && m.eligible(e, it)
	}
	holder := map[carried.Name]int{} // of an item, by place in entries
	given := map[int]*item{}
	var tried map[carried.Name]bool
	var give func(i int) bool
	few := len(entries)*len(items) <= mostCompared
	give = func(i int) bool {
		for n, it := range slices.Backward(items) { // the one that was picked up last comes first
			if !few && len(items)-n > mostAlike { // bound
				break
			}
			if tried[it.Name] || !fits(i, it) {
				continue
			}
			tried[it.Name] = true
			if other, taken := holder[it.Name]; taken && (!few || // bound
				!give(other)) {
				continue
			}
			holder[it.Name], given[i] = i, it
			if !few && n == len(items)-1 { // bound
				items = items[:n]
			}
			return true
		}
		return false
	}
	for _, i := range entries {
		tried = map[carried.Name]bool{}
		if few || len(given) < len(items) { // bound
			give(i)
		}
	}
	return given
}

// successor is the item that a block stands for by now: where what it came from was dropped,
// and the platform holds something else of the same span, that.
func (m *matcher) successor(it *item) *item {
	if m.live(it) {
		return it
	}
	first := sort.Search(len(m.held.items), func(i int) bool { return m.held.items[i].Span.Compare(it.Span) >= 0 })
	for _, next := range m.held.items[first:min(first+mostAlike, len(m.held.items))] {
		if next.Span != it.Span {
			break
		}
		if next.live && !m.used[next.Name] && !next.holding.From.After(m.feed.Read) {
			m.used[next.Name] = true
			again := *next
			again.holding.From = it.holding.From // for the block it is as if it had been there all the time
			return &again
		}
	}
	return it
}

// verdictOn weighs what speaks for an entry's being what was sent, and what against it.
func (m *matcher) verdictOn(f found, besides bool) Verdict {
	e, first := m.feed.Entries[f.entry], f.items[0]
	var from, to time.Time // of all of it: from the last one's pickup to the first drop of any
	var drops []time.Time
	for _, it := range f.items {
		if it.holding.From.After(from) {
			from = it.holding.From
		}
		drops = append(drops, it.holding.To)
	}
	if drops = slices.DeleteFunc(drops, time.Time.IsZero); len(drops) > 0 {
		to = slices.MinFunc(drops, time.Time.Compare)
	}
	live := slices.ContainsFunc(f.items, m.live)
	knew := from.Add(m.learnt.delay)
	v := Verdict{Kind: Echo, Evidence: Evidence{Kind: Held, Way: f.way, Span: first.Span, Platform: m.feed.Platform, Version: first.version, Item: first.UID, PickedUp: from.Unix(), Live: live}}
	if first.mirrored != 0 {
		v.Evidence.Mirrors, v.Evidence.Version, v.Evidence.PickedUp = first.mirrored, 0, 0
	}
	if !to.IsZero() {
		v.Evidence.Dropped = to.Unix()
	}
	v.Evidence.Against = m.against(e, f.way, from, to, first.mirrored != 0)
	v.Evidence.Kind, v.Evidence.Chance = m.speaking(f.entry, first, knew, besides)
	return m.weighed(v, f, live)
}

// speaking is what speaks most for a reflection, with the chance of an own sale where it is
// that; Held for nothing more.
func (m *matcher) speaking(entry int, first *item, knew time.Time, besides bool) (Reason, float64) {
	e := m.feed.Entries[entry]
	hides := m.learnt.ways[WithOwn] && m.mayHide(entry, knew) // a sale
	switch chance, many := m.chance(e, knew), m.rules.Capacity > 1; {
	case m.learnt.blockForms[e.Form] && !hides:
		return BlockForm, 0
	case many && m.learnt.reflects == Yes:
		return Counted, 0
	case many:
	case !knew.After(e.Stand.NotBefore) && !hides:
		return KnewBefore, 0
	case first.mirrored != 0 && e.Stand.NotBefore.IsZero():
		return Declared, 0
	case besides:
		return SideBySide, 0
	case !first.stamp.IsZero() && (first.stamp.Equal(e.Created) || first.stamp.Equal(e.Stamp) && e.Stamp.Before(e.Stand.SeenBy.Add(-m.rules.Skew))): // else it may be the time of our reading
		return SameStamp, 0
	case chance < m.rules.Limit && !m.learnt.alike[e.Form] && !m.learnt.ways[WithOwn] && !m.learnt.names[e.Form]: // guests want the same nights more often than by chance
		return Improbable, chance
	}
	return Held, 0
}

// weighed is the verdict by what speaks for it and against it.
func (m *matcher) weighed(v Verdict, f found, live bool) Verdict {
	many := m.rules.Capacity > 1 // then equal spans prove nothing
	switch {
	case m.learnt.reflects == No && f.items[0].mirrored == 0:
		v.Kind, v.Evidence.Against = Booking, NotReflected
		return v
	case many && (v.Evidence.Kind == Held || v.Evidence.Against != ""):
		v.Kind = Booking
	case v.Evidence.Against == SalesForm && m.tellsApart():
		v.Kind = Booking
		return v
	case v.Evidence.Against != "":
		v.Kind = Unclear
	case v.Evidence.Kind == Held:
		v.Kind, v.Evidence.Against = Unclear, NothingSpeaksForIt
	}
	if !live && v.Kind != Booking && m.forgotten(f.items) {
		v.Kind = Stale
	}
	return v
}

// tellsApart reports whether the feed writes its blocks in a form of their own: then what is
// written as a sale is one.
func (m *matcher) tellsApart() bool { return len(m.learnt.blockForms) > 0 }

// against is what speaks for an own sale, "" for nothing.
func (m *matcher) against(e Entry, way Way, from, to time.Time, mirrored bool) Reason {
	tells := m.learnt.blockForms[e.Form] && !m.learnt.ways[WithOwn] && way != Joined // who joins may join its own

	switch {
	case mirrored && e.Stand.NotBefore.IsZero() && !m.tellsApart(): // a person said where it comes from
		return ""
	case m.learnt.salesForms[e.Form]:
		return SalesForm
	case m.learnt.keepsUIDs && !mirrored && e.UID != "" && !carried.LooksMinted(e.UID) && !m.learnt.blockForms[e.Form]:
		return OtherUID
	case !e.Created.IsZero() && e.Created.Before(from.Add(-m.rules.Skew)) && !mirrored:
		return MadeBefore
	case !to.IsZero() && !to.After(e.Stand.SeenBy) && !e.Stand.NotBefore.IsZero() && !tells:
		return DroppedMeanwhile
	case m.held.mixed && !mirrored:
		return ReadersMixed
	}
	return ""
}
