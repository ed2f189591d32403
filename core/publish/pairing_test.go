package publish_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"wharf/core/publish"
	"wharf/core/span"
)

// TestPaired: whose link a feed's platform imports, by what only that one carried.
func TestPaired(t *testing.T) {
	s := func(starts ...int64) (all []span.Span) {
		for _, start := range starts {
			all = append(all, span.Span{Start: start, End: start + 2})
		}
		return all
	}
	fed := func(uids []string, spans ...span.Span) publish.Fed {
		f := publish.Fed{UIDs: map[string]bool{}, Spans: map[span.Span]bool{}}
		for _, u := range uids {
			f.UIDs[u] = true
		}
		for _, s := range spans {
			f.Spans[s] = true
		}
		return f
	}
	both := []publish.Fed{fed([]string{"a", "c"}, s(1, 2, 3, 9)...), fed([]string{"b", "c"}, s(4, 5, 6, 9)...)}
	for _, tc := range []struct {
		name  string
		uids  []string
		spans []span.Span
		of, n int
	}{
		{"a UID of one alone", []string{"x", "b", "c"}, nil, 1, 1},
		{"one that both carried says nothing", []string{"c"}, nil, -1, 0},
		{"of both: it is nobody's", []string{"a", "b"}, s(4, 5, 6), -1, 0},
		{"three spans of one alone", nil, s(4, 5, 6, 9, 20), 1, 3},
		{"two are chance", nil, s(4, 5, 9), -1, 0},
		{"the same one three times is one", nil, s(4, 4, 4), -1, 0},
		{"spans of both", nil, s(1, 2, 3, 4, 5, 6), -1, 0},
		{"nothing", nil, nil, -1, 0},
	} {
		of, n := publish.Paired(tc.uids, tc.spans, both)
		assert.Equal(t, []int{tc.of, tc.n}, []int{of, n}, tc.name)
	}
}
