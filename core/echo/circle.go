package echo

import "wharf/core/carried"

// growth is how often what overlaps something that was sent must have been sent on, and have come
// back longer or elsewhere once more, for it to go round.
const growth = 3

// circulate finds what goes round between platforms and grows or moves at each turn: it overlaps
// what its platform was sent, that was shown by another one as overlapping what it was sent, and so
// on. No two sales of that kind follow each other so; it is held back until somebody looks.
func circulate(all []*matcher) {
	at := map[string]shown{} // by the UID under which it is published
	for f, m := range all {
		for i, e := range m.feed.Entries {
			if m.verdicts[i].Kind == Booking {
				for n := range max(1, len(m.verdicts[i].Rest)) {
					at[carried.Piece(e.Minted, n)] = shown{f, i}
				}
			}
		}
	}
	turns, before := map[shown]int{}, map[shown]shown{}
	var turn func(s shown) int
	turn = func(s shown) int {
		if n, known := turns[s]; known { // bound
			return n
		}
		turns[s] = 1 // also for one that leads back to itself
		most := 1
		for _, was := range all[s.feed].overlapped(s.entry, at) {
			if n := turn(was) + 1; n > most {
				most, before[s] = n, was
			}
		}
		turns[s] = most
		return most
	}
	for f, m := range all {
		if m.rules.Capacity > 1 {
			return // several may lie side by side
		}
		for i := range m.feed.Entries {
			if s := (shown{f, i}); m.verdicts[i].Kind == Booking && m.feed.Entries[i].Answer == "" && !(m.learnt.salesForms[m.feed.Entries[i].Form] && m.tellsApart()) && turn(s) >= growth {
				was := before[s]
				m.verdicts[i] = Verdict{Kind: Unclear, Evidence: Evidence{Kind: GoesRound, Against: NewWay, Span: all[was.feed].feed.Entries[was.entry].Span, Platform: m.feed.Platform,
					Mirrors: all[was.feed].feed.Platform, Item: all[was.feed].feed.Entries[was.entry].Minted, Live: true}}
			}
		}
	}
}

// overlapped are the entries of other platforms that the platform was sent before it showed the
// entry, and that this overlaps without being them.
func (m *matcher) overlapped(entry int, at map[string]shown) (found []shown) {
	e := m.feed.Entries[entry]
	for it := range m.around(e.Span, 0, mostAlike) {
		if was, shown := at[it.UID]; shown && it.Span != e.Span && it.Span.Overlaps(e.Span) && m.mayShow(e, it) && !e.Stand.NotBefore.IsZero() {
			found = append(found, was)
		}
	}
	return found
}
