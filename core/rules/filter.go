package rules

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"wharf/core/recur"
)

// Filter says which entries of a feed count on a calendar, so that one feed serves several. It is
// written as a text:
//
//	title has Ketch          the words are in it, in capitals or not
//	place has no Pontoon
//	category matches ^(sail|oar)$    an expression (RE2)
//	resource matches no ^crane
//
// The zero Filter takes all. What is asked is the entry as a whole: the dates of a series go together.
type Filter struct {
	text       string
	property   string
	words      string // in lower case; "" with an expression
	expression *regexp.Regexp
	no         bool
}

// filtered are the properties that a filter may ask.
var filtered = map[string]string{"title": "SUMMARY", "place": "LOCATION", "category": "CATEGORIES", "resource": "RESOURCES"}

// mostFilter is how long a filter may be, in bytes.
const mostFilter = 300

// ParseFilter reads a filter; an empty text takes all. The error says how one is written.
func ParseFilter(text string) (Filter, error) {
	text = strings.Join(strings.Fields(text), " ")
	if text == "" {
		return Filter{}, nil
	}
	if len(text) > mostFilter {
		return Filter{}, fmt.Errorf("a filter is at most %d characters long: ask for less", mostFilter)
	}
	words := strings.SplitN(text, " ", 3)
	property, known := filtered[words[0]]
	if !known || len(words) < 3 {
		return Filter{}, fmt.Errorf("%q is no filter: write it as title has Ketch, place has no Pontoon, category matches ^(sail|oar)$, or resource matches no ^crane", text)
	}
	f := Filter{text: text, property: property, words: words[2]}
	if rest, no := strings.CutPrefix(f.words, "no "); no {
		f.words, f.no = rest, true
	}
	switch words[1] {
	case "has":
		f.words = strings.ToLower(f.words)
		return f, nil
	case "matches":
		var err error
		if f.expression, err = regexp.Compile(f.words); err != nil {
			return Filter{}, fmt.Errorf("%q is no expression (RE2): %s", f.words, reason(err))
		}
		f.words = ""
		return f, nil
	}
	return Filter{}, fmt.Errorf("a filter has no %q: write %s has, %s has no, %s matches, or %s matches no", words[1], words[0], words[0], words[0], words[0])
}

// reason is what is wrong with an expression.
func reason(err error) string {
	return strings.TrimPrefix(err.Error(), "error parsing regexp: ")
}

// String is the filter as it is written.
func (f Filter) String() string { return f.text }

// Takes reports whether an entry counts that was given something by its feed.
func (f Filter) Takes(e recur.Entry, given Given) bool {
	if f.property == "" {
		return true
	}
	texts := e.Texts(f.property)
	if f.property == "CATEGORIES" {
		texts = given.CategoriesOf(e.Texts("CATEGORIES"))
	}
	return slices.ContainsFunc(texts, f.is) != f.no
}

// is reports whether a text has what is asked for.
func (f Filter) is(text string) bool {
	if f.expression != nil {
		return f.expression.MatchString(text)
	}
	return strings.Contains(strings.ToLower(text), f.words)
}
