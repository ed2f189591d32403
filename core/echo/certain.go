package echo

import (
	"wharf/core/carried"
	"wharf/core/span"
)

// unseen makes what is written as a block, and of which nothing is found, no sale where its feed mirrors
// another: what it reflects may have come and gone there between two readings.
func (m *matcher) unseen() {
	if len(m.feed.Mirrors) == 0 {
		return
	}
	for i, e := range m.feed.Entries {
		if m.learnt.blockForms[e.Form] && m.verdicts[i].Evidence == (Evidence{}) {
			m.verdicts[i] = Verdict{Kind: Unclear, Evidence: Evidence{Kind: Unseen, Against: NothingSpeaksForIt, Span: e.Span}}
		}
	}
}

// certain settles what UIDs say: ours, all but which is stale, and those that left elsewhere.
func (m *matcher) certain(from sources) {
	ways := map[Way][]int{}
	for i, e := range m.feed.Entries {
		row := m.rows[i]
		switch {
		case row != nil:
			m.equals++
			m.settled[i] = true
			m.used[row.row.Name] = true
			if h := row.holding; !m.verdicts[i].Evidence.Live && !h.Again.IsZero() {
				m.verdicts[i].Evidence.Dropped = h.To.Unix()
				if m.forgotten([]*item{{holding: h}}) {
					m.verdicts[i].Kind = Stale
				}
			}
		case m.known[i]: // else it may be explained as one without our UID is
			m.settled[i] = !m.learnt.blockForms[e.Form]
			if w, _ := m.wayOf(e); w != "" {
				ways[w] = append(ways[w], i)
			}
		default:
			m.left(i, from)
		}
	}
	for w, entries := range ways {
		if w.isRule(len(entries), m.equals) {
			m.learnWay(w, entries)
		}
		if w != Trimmed && w != Split && !m.learnt.ways[w] { // what lies within what was sent takes nothing more
			continue
		}
		for _, i := range entries {
			e := m.feed.Entries[i]
			_, sent := m.wayOf(e)
			row := m.all.rows[sentAs{m.all.known(m.feed.Platform, e.UID), sent}].all[0]
			m.settled[i] = true
			m.verdicts[i] = Verdict{Kind: Echo, Evidence: Evidence{Kind: Sent, Way: w, Span: row.row.Span, Platform: row.platform, Version: row.row.From, Item: row.row.UID}}
		}
	}
}

// left settles an entry that another platform had too until it left there: it comes from there, if it is not
// written as a sale, or the two are linked directly. Where nothing is known of how sales are written here, nobody
// can tell.
func (m *matcher) left(i int, from sources) {
	e := m.feed.Entries[i]
	was, found := from.leftAt(m.feed, e)
	linked := from.links[link{m.feed.Platform, was.platform}]
	if !found || m.learnt.salesForms[e.Form] && !linked {
		return
	}
	m.settled[i] = true
	m.verdicts[i] = Verdict{Kind: Echo, Evidence: Evidence{Kind: LeftThere, Span: e.Span, Platform: m.feed.Platform, Mirrors: was.platform, Item: was.Minted, Dropped: was.At.Unix()}}
	switch {
	case !m.ratherBlock(e) && !linked:
		m.verdicts[i].Kind, m.verdicts[i].Evidence.Against = Unclear, NothingSpeaksForIt
	case m.forgotten([]*item{{holding: carried.Holding{To: was.At, Again: was.At}}}):
		m.verdicts[i].Kind = Stale
	}
}

// wayOf is how an entry with a UID of ours differs from what was sent with it, and what that
// was; "" for in none of the ways.
func (m *matcher) wayOf(e Entry) (Way, span.Span) {
	spans := m.all.spans[m.all.known(m.feed.Platform, e.UID)]
	for _, sent := range spans {
		if w := differs(e.Span, sent, m.rules.Day, m.feed.Today); w != "" {
			return w, sent
		}
	}
	for _, sent := range spans {
		if sent.Contains(e.Span) {
			return Split, sent
		}
	}
	return "", span.Span{}
}

// differs is how a span differs from what was sent.
func differs(is, sent span.Span, day, today int64) Way {
	switch start, end := is.Start-sent.Start, is.End-sent.End; {
	case end == 0 && start > 0 && is.Start >= today-day && is.Start <= today+day:
		return Trimmed
	case start == end && (start == day || start == -day):
		return Shifted
	case start == 0 && end == day, end == 0 && start == -day:
		return Widened
	}
	return ""
}

// forgotten reports whether items are gone for long: after two downloads without them, a good
// reading that began later than the delay still shows what they left.
func (m *matcher) forgotten(items []*item) bool {
	for _, it := range items {
		if again := it.holding.Again; again.IsZero() || !m.feed.Read.After(again.Add(m.learnt.delay)) {
			return false
		}
	}
	return true
}
