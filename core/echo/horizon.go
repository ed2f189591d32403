package echo

import (
	"slices"
	"time"
)

// mayHide reports whether an own sale may be hidden in an entry together with what its platform knew from a
// moment on: it may have been there, or been sold, before.
func (m *matcher) mayHide(entry int, knew time.Time) bool {
	return knew.After(m.feed.Entries[entry].Stand.NotBefore) || m.revealed(entry)
}

// comeIntoSight tells of entries whether the feed may not have shown them before since they were too far off:
// several came into sight so long ahead, or it showed no other one from so far. Many feeds end a number of
// days from today, and what appears there may be old.
func (m *matcher) comeIntoSight() func(entry int) bool {
	var from, to []time.Duration // how long ahead each was at most when it was seen first, and at least when it was not
	for _, e := range m.feed.Entries {
		seen := m.ahead(e, e.Stand.SeenBy)
		if from = append(from, seen); e.Stand.SeenBy.Sub(e.Stand.NotBefore) < 24*time.Hour {
			seen = m.ahead(e, e.Stand.NotBefore)
		}
		to = append(to, seen)
	}
	slices.Sort(from)
	slices.Sort(to)
	return func(i int) bool {
		e := m.feed.Entries[i]
		if e.Span.Start <= m.feed.Today {
			return false // it is cut off
		}
		least, most := m.ahead(e, e.Stand.SeenBy), m.ahead(e, e.Stand.NotBefore)
		later, _ := slices.BinarySearch(from, most+1)
		before, _ := slices.BinarySearch(to, least)
		return later-before >= leastMeasures || later == len(from)
	}
}

// ahead is how long after a moment an entry begins, but for some hours that are the same for all of a feed.
func (m *matcher) ahead(e Entry, at time.Time) time.Duration {
	return time.Duration(float64(e.Span.Start-m.feed.Today)/float64(m.rules.Day)*24*float64(time.Hour)) + m.feed.Read.Sub(at)
}
