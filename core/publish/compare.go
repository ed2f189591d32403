package publish

import (
	"slices"

	"wharf/core/span"
)

// Stretch is when something is taken, and what it is called.
type Stretch struct {
	Span  span.Span
	Title string
}

// Compare holds what a recipient shows as taken against what it was sent, within a window: unsent is what it shows that was not
// sent, unshown what was sent that it does not show. Only the stretches count, not into how many pieces they are cut. Both
// are in order.
func Compare(sent, shown []Stretch, window span.Span) (unsent, unshown []Stretch) {
	return beyond(shown, sent, window), beyond(sent, shown, window)
}

// beyond is what of some stretches others do not cover.
func beyond(these, those []Stretch, window span.Span) (left []Stretch) {
	covered := make([]span.Span, len(those))
	for i, s := range those {
		covered[i] = s.Span
	}
	covered = span.Union(covered)
	for _, s := range these {
		rest := []span.Span{{Start: max(s.Span.Start, window.Start), End: min(s.Span.End, window.End)}}
		n, _ := slices.BinarySearchFunc(covered, rest[0].Start, func(c span.Span, at int64) int {
			if c.End <= at {
				return -1
			}
			return 1
		})
		for _, c := range covered[n:] {
			if c.Start >= s.Span.End {
				break
			}
			rest = span.Without(rest, c)
		}
		for _, r := range rest {
			if !r.Empty() {
				left = append(left, Stretch{r, s.Title})
			}
		}
	}
	slices.SortStableFunc(left, func(a, b Stretch) int { return a.Span.Compare(b.Span) })
	return left
}
