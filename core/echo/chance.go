package echo

import (
	"math"
	"slices"
	"sort"
	"time"

	"wharf/core/carried"
	"wharf/core/span"
)

// fewDoubts is to how many that equal what was sent there may be one of the same form that
// nothing explains: a block whose original is long gone, say.
const fewDoubts = 10

// marvel is the chance below which no coincidence is believed in.
const marvel = DefaultLimit * DefaultLimit

// learnByChance takes a form for that of blocks which entries have that equal what was sent, and
// none that nothing could have sent: if all of those were own sales, it would be a marvel.
func (m *matcher) learnByChance(all []found) {
	joint, matched, doubtful := map[string]float64{}, map[string]int{}, map[string]int{}
	type piece struct {
		of   carried.Name
		form string
	}
	counted := map[piece]bool{} // the pieces of one item are one coincidence
	for _, f := range all {
		e := m.feed.Entries[f.entry]
		if p := (piece{f.items[0].Name, e.Form}); counted[p] {
			continue
		} else {
			counted[p] = true
		}
		if _, seen := joint[e.Form]; !seen {
			joint[e.Form] = 1
		}
		matched[e.Form]++
		p := m.chance(e, f.items[0].holding.From.Add(m.learnt.delay))
		if e.Answer == Reflected || f.items[0].mirrored != 0 && e.Stand.NotBefore.IsZero() {
			p = 0 // a person said so, or where it comes from
		}
		// Never less than this: what is recorded of one entry may be odd.
		joint[e.Form] *= max(0.005, p)
	}
	for i, e := range m.feed.Entries {
		if !m.settled[i] && !m.resembles(i) {
			doubtful[e.Form]++
		}
	}
	for form, p := range joint {
		if _, said := m.feed.Said[HabitOf{FormOf, form}]; said || form == "" || doubtful[form]*fewDoubts > matched[form] || m.learnt.forms[form] || p >= marvel {
			continue
		}
		m.learnt.blockForms[form] = true
		for _, f := range all {
			if m.feed.Entries[f.entry].Form == form {
				m.learnt.teach(f.entry, HabitOf{FormOf, form})
			}
		}
	}
}

// leastUnshown is how many items a feed must not show, though its platform knew them, for it
// to show nothing of what it is sent, and leastShown how many it must show to show all.
const (
	leastUnshown = 3
	leastShown   = 5
)

// learnReflects says whether the feed shows what its platform was sent. What it knew and does
// not show, though it shows later dates, tells that it shows nothing of it, if nearly all that
// equals something sent is written as its sales are. Where it shows all and more, it shows all.
func (m *matcher) learnReflects(all []found) {
	l, of := &m.learnt, HabitOf{Name: Reflects}
	if _, said := m.feed.Said[of]; said {
		return
	}
	unshown, shown := m.shownOfSent()
	others := 0 // that equal something sent, and are not written as sales are
	for _, f := range all {
		if !l.salesForms[m.feed.Entries[f.entry].Form] {
			others++
		}
	}
	// What was learnt holds until something speaks against it.
	stays := len(l.blockForms) == 0 && others == 0
	if l.reflected == Yes {
		stays = unshown < leastUnshown
	}
	if stays {
		l.reflects = l.reflected
	}
	switch {
	case unshown >= max(leastUnshown, leastShown*others) && len(l.blockForms) == 0:
		l.reflects = No
	case unshown == 0 && len(shown) >= leastShown:
		l.reflects = Yes
		for _, f := range all {
			l.teach(f.entry, of)
			if form := m.feed.Entries[f.entry].Form; l.salesForms[form] && len(l.blockForms) == 0 {
				l.alike[form] = true // no other form is left for what it shows of ours
			}
		}
		for form := range l.alike {
			if _, said := m.feed.Said[HabitOf{FormOf, form}]; !said {
				delete(l.salesForms, form)
			}
		}
	}
}

// shownOfSent is how many items that its platform knew for long the feed does not show, though it shows
// later dates, and the spans of those that it shows.
func (m *matcher) shownOfSent() (unshown int, shown map[span.Span]bool) {
	shown = map[span.Span]bool{}
	var until int64 // the end of what the feed shows
	spans := make([]span.Span, 0, len(m.feed.Entries))
	for _, e := range m.feed.Entries {
		spans = append(spans, e.Span)
		until = max(until, e.Span.End)
	}
	slices.SortFunc(spans, span.Span.Compare)
	furthest := make([]int64, len(spans))
	for i, s := range spans {
		furthest[i] = max(s.End, furthest[max(0, i-1)])
	}
	for _, it := range m.held.items {
		if !it.live || it.mirrored != 0 || it.Span.Start <= m.feed.Today || it.Span.End > until || !it.holding.From.Add(m.learnt.delay).Before(m.feed.Read) {
			continue
		}
		n := sort.Search(len(spans), func(i int) bool { return spans[i].Start >= it.Span.End })
		if n == 0 || furthest[n-1] <= it.Span.Start {
			unshown++
		} else if m.used[it.Name] {
			shown[it.Span] = true
		}
	}
	return unshown, shown
}

// resembles reports whether an entry may come of items in one of the ways.
func (m *matcher) resembles(i int) bool {
	e := m.feed.Entries[i]
	return len(m.within(e, e.Span)) > 0 || m.covered(e, m.rules.Day) != nil
}

// rateOf is how often sales are made, per second, at the upper end of what the data allow:
// those that were seen to come since the feed was first read, and of those that were there
// from the first on those that say when they were made. None in a time allow some, too.
func rateOf(sales []Entry, first, read time.Time) float64 {
	var n int
	made := first
	for _, e := range sales {
		switch {
		case !e.Stand.NotBefore.IsZero():
			n++
		case !e.Created.IsZero():
			n++
			if e.Created.Before(made) {
				made = e.Created
			}
		}
	}
	if len(sales) == 0 {
		return math.Inf(1)
	}
	return (float64(n) + 3*math.Sqrt(float64(n)) + 3) / read.Sub(made).Seconds() // infinite over no time
}

// chance is that of an own sale of just this span between the last reading without the entry
// and the moment from which the platform knew what was sent, or by which it was seen.
func (m *matcher) chance(e Entry, knew time.Time) float64 {
	if e.Stand.NotBefore.IsZero() {
		return 1
	}
	until := e.Stand.SeenBy
	if knew.Before(until) && m.rules.Capacity == 1 { // else what it knows does not keep it from selling
		until = knew
	}
	window := until.Sub(e.Stand.NotBefore)
	if window <= 0 {
		return 0
	}
	expected := m.learnt.rate * window.Seconds() * m.share(e.Span)
	return min(1, expected)
}

// share is which part of the feed's sales has just this span: by their lengths, by how many
// begin about then, and by the hour at which they begin.
func (m *matcher) share(s span.Span) float64 {
	const about = 15 // days before and after
	l, day := &m.learnt, m.rules.Day
	from, _ := slices.BinarySearch(l.starts, s.Start-about*day)
	to, _ := slices.BinarySearch(l.starts, s.Start+about*day+1)
	part := func(n int) float64 { return float64(n+1) / float64(len(l.sales)+1) }
	return part(l.lengths[s.Len()]) * part(to-from) / (2*about + 1) * part(l.hours[clock(s.Start, day)])
}
