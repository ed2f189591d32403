package publish_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"wharf/core/publish"
	"wharf/core/span"
)

// TestCompare: what they show that was not sent, and what was sent that they do not show.
func TestCompare(t *testing.T) {
	s := func(title string, start, end int64) publish.Stretch {
		return publish.Stretch{Span: span.Span{Start: start, End: end}, Title: title}
	}
	for name, tc := range map[string]struct{ sent, shown, unsent, unshown []publish.Stretch }{
		"the same, in another order":            {[]publish.Stretch{s("a", 1, 3), s("b", 5, 6)}, []publish.Stretch{s("x", 5, 6), s("y", 1, 3)}, nil, nil},
		"joined, and cut":                       {[]publish.Stretch{s("a", 1, 3), s("b", 3, 6), s("c", 8, 10)}, []publish.Stretch{s("x", 1, 6), s("y", 8, 9), s("z", 9, 10)}, nil, nil},
		"one of theirs":                         {[]publish.Stretch{s("a", 1, 3)}, []publish.Stretch{s("x", 7, 9), s("y", 1, 3)}, []publish.Stretch{s("x", 7, 9)}, nil},
		"one that never arrived":                {[]publish.Stretch{s("a", 1, 3), s("b", 7, 9)}, []publish.Stretch{s("y", 1, 3)}, nil, []publish.Stretch{s("b", 7, 9)}},
		"a day more at their end":               {[]publish.Stretch{s("a", 1, 3)}, []publish.Stretch{s("y", 1, 4)}, []publish.Stretch{s("y", 3, 4)}, nil},
		"a hole in what they show":              {[]publish.Stretch{s("a", 1, 9)}, []publish.Stretch{s("x", 1, 3), s("y", 6, 9)}, nil, []publish.Stretch{s("a", 3, 6)}},
		"outside the window nothing is said of": {[]publish.Stretch{s("a", -9, -5), s("b", 95, 120)}, []publish.Stretch{s("x", 200, 201)}, nil, []publish.Stretch{s("b", 95, 100)}},
		"nothing on either side":                {},
	} {
		unsent, unshown := publish.Compare(tc.sent, tc.shown, span.Span{Start: 0, End: 100})
		assert.Equal(t, tc.unsent, unsent, name)
		assert.Equal(t, tc.unshown, unshown, name)
	}
}
