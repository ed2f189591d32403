package publish

import (
	"slices"

	"wharf/core/span"
)

// Fed is what a publication ever carried, by what a feed would show of it.
type Fed struct {
	UIDs  map[string]bool
	Spans map[span.Span]bool
}

// leastSpans is how many spans must be a publication's alone before they say anything: guests want the same dates by chance.
const leastSpans = 3

// Paired finds the publication that a feed shows: the one that alone carried a UID that it shows, or, where it shows no
// UID of any, at least three of its spans; n is how many of them. It is -1 where nothing tells, or more than one would do.
func Paired(uids []string, spans []span.Span, all []Fed) (of, n int) {
	shown := func(f Fed, uid string) bool { return f.UIDs[uid] }
	if slices.ContainsFunc(uids, func(uid string) bool { return slices.ContainsFunc(all, func(f Fed) bool { return shown(f, uid) }) }) {
		return onlyOf(uids, all, shown)
	}
	if of, n = onlyOf(spans, all, func(f Fed, s span.Span) bool { return f.Spans[s] }); n >= leastSpans {
		return of, n
	}
	return -1, 0
}

// onlyOf is the one of which alone something is shown, and of how much; -1 where that is none or several.
func onlyOf[T comparable](shown []T, all []Fed, has func(Fed, T) bool) (of, n int) {
	of = -1
	seen := map[T]bool{}
	for _, s := range shown {
		only := -1
		for i, f := range all {
			if !has(f, s) {
				continue
			}
			if only >= 0 {
				only = -1
				break
			}
			only = i
		}
		switch {
		case only < 0 || seen[s]:
		case of >= 0 && of != only:
			return -1, 0
		default:
			of, n, seen[s] = only, n+1, true
		}
	}
	return of, n
}
