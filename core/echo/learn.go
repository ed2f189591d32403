package echo

import (
	"math"
	"slices"
	"time"
)

// learnt is what the recorded facts tell of how a feed's platform writes, shows and sells.
// It is worked out anew each time, so that it does not depend on what came first.
type learnt struct {
	salesForms, blockForms, alike map[string]bool
	ways                          map[Way]bool
	keepsUIDs                     bool
	reflects, reflected           string // Yes, No; "" while that is not known; and what it was before
	delay                         time.Duration
	measured                      bool    // the delay was
	sales                         []Entry // that nothing could have sent
	forms                         map[string]bool
	names                         map[string]bool // forms of which the title may be the name of a guest who comes again and again
	lengths, hours                map[int64]int   // of the sales, how many are so long, and begin at that time of the day
	starts                        []int64         // in order
	rate, rateBefore              float64         // of own sales per second, at the upper end; infinite while nothing is known
	from                          map[HabitOf][]int
}

// leastMeasures is how many reflections must have been timed for a delay to count as measured,
// and how many must differ in the same way for it to be one of the feed's.
const leastMeasures = 3

// learn takes what is certain: echoes by UID, and entries that nothing could have sent, neither
// we nor another platform that had the same before.
func (m *matcher) learn(from sources) {
	l := &m.learnt
	l.salesForms, l.blockForms, l.alike, l.ways, l.from = map[string]bool{}, map[string]bool{}, map[string]bool{}, map[Way]bool{}, map[HabitOf][]int{}
	l.forms, l.rateBefore = map[string]bool{}, math.Inf(1)
	l.delay = m.rules.Delay
	var delays []time.Duration
	m.words = m.blockWords()
	doubts := m.doubts(from)
	for i, e := range m.feed.Entries {
		row := m.rows[i]
		if m.known[i] { // no platform writes its sales under our UIDs
			l.blockForms[e.Form] = true
			l.teach(i, HabitOf{FormOf, e.Form})
		}
		switch {
		case row != nil:
			if row.platform != m.feed.Platform {
				continue
			}
			l.keepsUIDs = true
			l.teach(i, HabitOf{Name: KeepsUIDs})
			if late := e.Stand.SeenBy.Sub(row.holding.From); !e.Stand.NotBefore.IsZero() && late > 0 && late <= longestDelay { // it is very late for one that it never held
				delays = append(delays, late)
				l.teach(i, HabitOf{Name: Delays})
			}
		case e.Answer == Own || e.Answer == "" && m.surelySold(i, from) && !doubts[e.Form] && !m.words[e.Title]:
			l.sales = append(l.sales, e)
			l.salesForms[e.Form] = true
			l.teach(i, HabitOf{FormOf, e.Form})
			l.teach(i, HabitOf{Name: Rate})
		}
	}
	if len(delays) >= leastMeasures {
		// The next one may be as much later as these differ.
		l.delay, l.measured = (2*slices.Max(delays) - slices.Min(delays) + time.Minute - 1).Truncate(time.Minute), true
	}
	l.remember(m.feed.Known)
	for form := range l.blockForms {
		if form == "" || l.salesForms[form] { // they look alike: the feed has neither
			delete(l.blockForms, form)
			delete(l.salesForms, form)
			l.alike[form] = form != ""
		}
	}
	delete(l.salesForms, "")
	delete(l.alike, "")
	m.learnSales()
	l.obey(m.feed.Said, m.rules.Delay)
}

// learnNames takes the title in a form for a guest's name where sales are written like it, and what was
// sent does not explain all entries that bear it.
func (m *matcher) learnNames() {
	m.learnt.names = map[string]bool{}
	for i, e := range m.feed.Entries {
		if plain, _, titled := TitleOf(e.Form); titled && m.learnt.salesForms[plain] && !m.settled[i] {
			m.learnt.names[e.Form] = true
		}
	}
}

// surelySold reports whether nobody can have sent the entry, nor the platform itself what it
// shows of the same span already, written otherwise.
func (m *matcher) surelySold(i int, from sources) bool {
	e := m.feed.Entries[i]
	return !m.known[i] && m.nothingSent(e) && !from.of(m.feed, e) && m.first[e.Span].form == e.Form
}

// doubts are the forms known to be those of blocks that only few of their entries make doubtful:
// those whose original left before it was read, say.
func (m *matcher) doubts(from sources) map[string]bool {
	all, sold := map[string]int{}, map[string]int{}
	for i, e := range m.feed.Entries {
		if m.feed.Known[HabitOf{FormOf, e.Form}] != Block {
			continue
		}
		all[e.Form]++
		if m.surelySold(i, from) {
			sold[e.Form]++
		}
	}
	few := map[string]bool{}
	for form, n := range all {
		few[form] = sold[form]*fewDoubts <= n
	}
	return few
}

// blockWords are the titles by which the platform marks blocks, however else it writes them.
func (m *matcher) blockWords() map[string]bool {
	words := map[string]bool{}
	for of, value := range m.feed.Known {
		if _, word, titled := TitleOf(of.Of); value == Block && titled {
			words[word] = true
		}
	}
	return words
}

// learnSales counts the sales, for the chance of one more.
func (m *matcher) learnSales() {
	l := &m.learnt
	since := m.feed.Read
	for _, e := range m.feed.Entries {
		if e.Stand.SeenBy.Before(since) {
			since = e.Stand.SeenBy
		}
	}
	l.rate = roundUp(rateOf(l.sales, since, m.feed.Read))
	if len(l.sales) < leastMeasures && l.rateBefore < l.rate {
		l.rate = l.rateBefore
	}
	l.lengths, l.hours = map[int64]int{}, map[int64]int{}
	for _, e := range l.sales {
		l.forms[e.Form] = true
		l.lengths[e.Span.Len()]++
		l.hours[clock(e.Span.Start, m.rules.Day)]++
		l.starts = append(l.starts, e.Span.Start)
	}
	slices.Sort(l.starts)
}

// clock is the time of the day at a point.
func clock(at, day int64) int64 { return (at%day + day) % day }

// learnWay takes a way for one of the feed's, unless a person said otherwise.
func (m *matcher) learnWay(w Way, entries []int) {
	of := HabitOf{WayOf, string(w)}
	if _, said := m.feed.Said[of]; said {
		return
	}
	m.learnt.ways[w] = true
	for _, i := range entries {
		m.learnt.teach(i, of)
	}
}
