package echo

import (
	"cmp"
	"slices"
	"time"

	"wharf/core/carried"
)

// turns and turnsWithin say how often something must have been sent, taken back and sent again, and how fast, for that to be no
// doing of anybody's.
const (
	turns       = 5
	turnsWithin = 72 * time.Hour
)

// sentAgain finds what was sent, taken back and sent again, over and over, with nothing about it changed: what another
// platform makes of it makes it look like a reflection, and without that it looks like a sale again, or like a block that is
// forgotten. Nobody can tell which it is, so it is held back until somebody looks.
func sentAgain(all []*matcher, sent []Publication) {
	if len(all) > 0 && all[0].rules.Capacity > 1 {
		return // several may lie side by side
	}
	to := map[string]int64{} // by UID: the platform to which it goes again and again
	for _, p := range sent {
		for _, uid := range returning(p.History) {
			to[uid] = p.Platform
		}
	}
	if len(to) == 0 { // bound
		return
	}
	for _, m := range all {
		for i, e := range m.feed.Entries {
			platform, again := to[e.Minted]
			if again && (m.verdicts[i].Kind == Booking || m.verdicts[i].Kind == Stale) && e.Answer == "" && !(m.learnt.salesForms[e.Form] && m.tellsApart()) {
				m.verdicts[i] = Verdict{Kind: Unclear, Evidence: Evidence{Kind: Returns, Against: NewWay, Span: e.Span, Platform: m.feed.Platform, Mirrors: platform, Item: e.Minted, Live: true}}
			}
		}
	}
}

// returning are the UIDs of what was carried, missing and carried again so often. It takes n log n steps.
func returning(history []carried.Row) (uids []string) {
	runs := map[carried.Name][]carried.Row{}
	for _, r := range history {
		runs[r.Name] = append(runs[r.Name], r)
	}
	for name, rows := range runs {
		if len(rows) < turns {
			continue
		}
		slices.SortFunc(rows, func(a, b carried.Row) int { return cmp.Compare(a.From, b.From) })
		if wentAndCame(rows[len(rows)-turns:]) {
			uids = append(uids, name.UID)
		}
	}
	return uids
}

// wentAndCame reports whether between all of some runs the item was missing, and soon came back as it was.
func wentAndCame(runs []carried.Row) bool {
	for i, r := range runs[1:] {
		if r.Span != runs[i].Span || r.From == runs[i].To+1 {
			return false
		}
	}
	return runs[len(runs)-1].Stamp.Sub(runs[0].Stamp) <= turnsWithin
}
