package rules

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// UnitsRule says how many units an entry takes, where that differs from one to the next. It is written
// as a text:
//
//	title matches (\d+) boats    the number that the first group of the expression (RE2) takes
//	property X-BOATS             the number that is its value
//
// Where it finds no number, or one that is not possible, the link's own units count. The zero UnitsRule
// finds none.
type UnitsRule struct {
	text       string
	property   string // "": the title
	expression *regexp.Regexp
}

// ParseUnitsRule reads a rule for units; an empty text finds none. The error says how one is written.
func ParseUnitsRule(text string) (UnitsRule, error) {
	text = strings.Join(strings.Fields(text), " ")
	if text == "" {
		return UnitsRule{}, nil
	}
	if len(text) > mostFilter {
		return UnitsRule{}, fmt.Errorf("a rule for units is at most %d characters long", mostFilter)
	}
	if property, is := strings.CutPrefix(text, "property "); is && propertyName.MatchString(property) {
		return UnitsRule{text: text, property: strings.ToUpper(property)}, nil
	}
	words, is := strings.CutPrefix(text, "title matches ")
	if !is {
		return UnitsRule{}, fmt.Errorf(`%q is no rule for units: write it as title matches (\d+) boats, or property X-BOATS`, text)
	}
	expression, err := regexp.Compile(words)
	if err != nil {
		return UnitsRule{}, fmt.Errorf("%q is no expression (RE2): %s", words, reason(err))
	}
	if expression.NumSubexp() == 0 {
		return UnitsRule{}, fmt.Errorf(`%q does not say where the number is: put it in brackets, as in (\d+) boats`, words)
	}
	return UnitsRule{text: text, expression: expression}, nil
}

// propertyName is the name of a property (RFC 5545, 3.1).
var propertyName = regexp.MustCompile(`^[A-Za-z0-9-]+$`)

// String is the rule as it is written.
func (r UnitsRule) String() string { return r.text }

// Of is how many units an entry with a title takes, and false where the rule finds no number from 1 to
// MaxCapacity. texts gives the values of its properties.
func (r UnitsRule) Of(title string, texts func(property string) []string) (units int, found bool) {
	number := ""
	switch {
	case r.property != "":
		if values := texts(r.property); len(values) > 0 {
			number = values[0]
		}
	case r.expression != nil:
		if groups := r.expression.FindStringSubmatch(title); groups != nil {
			number = groups[1]
		}
	}
	n, err := strconv.Atoi(strings.TrimSpace(number))
	return n, err == nil && n >= 1 && n <= MaxCapacity
}
