package echo

import (
	"time"

	"wharf/core/span"
)

// sharedIn are the UIDs that feeds of two platforms have with the same span: these are one
// booking, and no reflections of what we sent; but for what a platform has since it was sent its source's UID, or made of a
// UID of ours.
func sharedIn(feeds []Feed, all *everything) map[sentAs]bool {
	first, shared := map[sentAs]int64{}, map[sentAs]bool{}
	for _, f := range feeds {
		for _, e := range f.Entries {
			if all.known(f.Platform, e.UID) != e.UID || all.madeOf(e.UID) {
				continue
			}
			at := sentAs{e.UID, e.Span}
			if platform, seen := first[at]; e.UID == "" || !seen {
				first[at] = f.Platform
			} else if platform != f.Platform {
				shared[at] = true
			}
		}
	}
	return shared
}

// sources are what platforms show that may be where an entry of another one comes from.
type sources struct {
	shown map[span.Span]map[int64]time.Time // by span: the earliest moment from which each can have shown it
	left  map[sentAs][]leftThere
	feeds []Feed
	links map[link]bool
}

// link is a direct one, as a person declared it: the platform by shows what is sold on of.
type link struct{ by, of int64 }

// leftThere is an entry that a platform showed until lately.
type leftThere struct {
	platform int64
	Gone
}

func sourcesIn(feeds []Feed, all *everything) sources {
	s := sources{map[span.Span]map[int64]time.Time{}, map[sentAs][]leftThere{}, feeds, map[link]bool{}}
	platform := map[int64]int64{}
	for _, f := range feeds {
		platform[f.ID] = f.Platform
	}
	for _, f := range feeds {
		show := func(at span.Span, since time.Time) {
			if s.shown[at] == nil {
				s.shown[at] = map[int64]time.Time{}
			}
			if earlier, seen := s.shown[at][f.Platform]; !seen || since.Before(earlier) {
				s.shown[at][f.Platform] = since
			}
		}
		for _, e := range f.Entries {
			if _, _, ours := all.certain(f.Platform, e); !ours {
				show(e.Span, e.Stand.NotBefore)
			}
		}
		for _, of := range f.Mirrors {
			s.links[link{f.Platform, platform[of]}] = true
		}
		for _, g := range f.Gone {
			if _, _, ours := all.certain(f.Platform, Entry{UID: g.UID, Span: g.Span}); !ours {
				show(g.Span, g.Stand.NotBefore)
			}
			s.left[sentAs{g.UID, g.Span}] = append(s.left[sentAs{g.UID, g.Span}], leftThere{f.Platform, g})
		}
	}
	return s
}

// longestAwaited is for how long the reading of the other feeds is awaited before an entry counts
// as one that none of them can have been the origin of.
const longestAwaited = 7 * 24 * time.Hour

// of reports whether another platform may have shown the span before the entry of the feed was
// seen: also one that was not read since the entry came, or not at all.
func (s sources) of(f *Feed, e Entry) bool {
	origin := func(other int64) bool { // it has it from there, and not the other way round
		return other != f.Platform && !s.links[link{other, f.Platform}]
	}
	for other, since := range s.shown[e.Span] {
		if origin(other) && since.Before(e.Stand.SeenBy) {
			return true
		}
	}
	if f.Read.Sub(e.Stand.SeenBy) >= longestAwaited {
		return false
	}
	for _, other := range s.feeds {
		if origin(other.Platform) && (other.Read.IsZero() || !e.Stand.NotBefore.IsZero() && other.Read.Before(e.Stand.SeenBy)) {
			return true
		}
	}
	return false
}

// leftAt is the entry with the same UID and span that another platform showed until lately.
func (s sources) leftAt(f *Feed, e Entry) (left leftThere, found bool) {
	for _, l := range s.left[sentAs{e.UID, e.Span}] {
		if e.UID != "" && l.platform != f.Platform && l.At.After(left.At) {
			left, found = l, true
		}
	}
	return left, found
}
