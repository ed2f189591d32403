package rules

import (
	"fmt"
	"slices"
	"strings"
)

// Class says who may see an entry (RFC 5545, 3.8.1.3); "" where it is not said, which is as Public.
type Class string

const (
	Public       Class = "PUBLIC"
	Private      Class = "PRIVATE"
	Confidential Class = "CONFIDENTIAL"
)

// Given is what a person says of all that a feed brings in.
type Given struct {
	Categories []string // beside those that an entry has itself
	Class      Class    // of what has none itself
}

// mostCategories is how many categories a feed can give, and mostCategory how long one may be, in characters.
const (
	mostCategories = 20
	mostCategory   = 50
)

// NewGiven checks what is said of all that a feed brings in. The error is a *FieldError.
func NewGiven(categories []string, class string) (Given, error) {
	var g Given
	for _, c := range categories {
		c = strings.TrimSpace(c)
		switch {
		case c == "" || slices.Contains(g.Categories, c):
			continue
		case strings.ContainsAny(c, ",\n\r") || len([]rune(c)) > mostCategory:
			return Given{}, &FieldError{"categories", fmt.Errorf("%q is no category: write each by itself, without commas, in at most %d characters", c, mostCategory)}
		}
		g.Categories = append(g.Categories, c)
	}
	if len(g.Categories) > mostCategories {
		return Given{}, &FieldError{"categories", fmt.Errorf("these are %d categories: give at most %d", len(g.Categories), mostCategories)}
	}
	switch c := Class(strings.ToUpper(class)); c {
	case "", Public, Private, Confidential:
		g.Class = c
	default:
		return Given{}, &FieldError{"class", fmt.Errorf("class %q is not known: use public, private or confidential", class)}
	}
	return g, nil
}

// CategoriesOf are those of what has some of its own: these, then those that it is given.
func (g Given) CategoriesOf(own []string) []string {
	all := own
	for _, c := range g.Categories {
		if !slices.Contains(all, c) {
			all = append(all, c)
		}
	}
	return all
}

// ClassOf is that of what says its own, which is Private where nobody knows it, or else the one that it is given.
func (g Given) ClassOf(own []string) Class {
	if len(own) == 0 || own[0] == "" {
		return g.Class
	}
	switch c := Class(strings.ToUpper(own[0])); c {
	case Public, Private, Confidential:
		return c
	}
	return Private
}
