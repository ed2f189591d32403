package ical

import (
	"iter"
	"slices"
	"strings"
)

// Component is what stands between a BEGIN and its END.
type Component struct {
	Name     string // in upper case
	Line     int    // the line of the document on which it begins, from 1; 0 when made by us
	Calendar int    // in which of the Reader's Calendars it stood

	// The properties of a component that was read are marks into its text, which hold no
	// pointers and cost next to nothing until they are asked for.
	text       string
	marks      []mark
	components []*Component
	raw        string // as it stood, if that is well-formed; "" once it is changed
	edit       *edit  // nil for one that is as it was read, and has its subcomponents last
}

// edit is what few components have.
type edit struct {
	changed []Property // instead of marks
	places  []int      // how many properties stand before each of the first subcomponents; all, before the others
}

func (c *Component) editing() *edit {
	if c.edit == nil {
		c.edit = &edit{}
	}
	return c.edit
}

// changed are the properties of a component that was made or changed.
func (c *Component) changed() []Property {
	if c.edit == nil {
		return nil
	}
	return c.edit.changed
}

// Position is where the component begins in the document that it was read from.
func (c *Component) Position() Position {
	if c.Line == 0 {
		return Position{}
	}
	return Position{c.Line, 1}
}

// Len is the number of the component's own properties.
func (c *Component) Len() int { return len(c.marks) + len(c.changed()) }

// At is the ith of the component's own properties.
func (c *Component) At(i int) Property {
	if c.marks == nil {
		return c.edit.changed[i]
	}
	m := &c.marks[i]
	return Property{Name: c.text[m.from:m.name], params: c.text[m.name:m.params], Value: c.text[m.params+1 : m.upto], Line: int(m.line)}
}

// Properties returns the component's own properties, in order.
func (c *Component) Properties() []Property {
	all := make([]Property, c.Len())
	for i := range all {
		all[i] = c.At(i)
	}
	return all
}

// Components returns the direct subcomponents, in order. They are not to be changed.
func (c *Component) Components() []*Component { return c.components }

// find is the place of the first property of that name from the ith on; -1 for none.
func (c *Component) find(name string, i int) int {
	for ; i < len(c.marks); i++ {
		m := &c.marks[i]
		if int(m.name-m.from) == len(name) && c.text[m.from:m.name] == name {
			return i
		}
	}
	for all := c.changed(); i < len(all); i++ {
		if all[i].Name == name {
			return i
		}
	}
	return -1
}

// Get returns the first property of that name and whether there is one.
func (c *Component) Get(name string) (Property, bool) {
	i := c.find(name, 0)
	if i < 0 {
		return Property{}, false
	}
	return c.At(i), true
}

// Each yields every property of that name, in order.
func (c *Component) Each(name string) iter.Seq[Property] {
	return func(yield func(Property) bool) {
		for i := c.find(name, 0); i >= 0; i = c.find(name, i+1) {
			if !yield(c.At(i)) {
				return
			}
		}
	}
}

// Text is the unescaped text of the first property of that name, or "".
func (c *Component) Text(name string) string {
	p, _ := c.Get(name)
	return p.Text()
}

// Value is the value of the first property of that name as written, in upper case
// and trimmed, for properties whose values are keywords; or "".
func (c *Component) Value(name string) string {
	p, _ := c.Get(name)
	return strings.ToUpper(strings.TrimSpace(p.Value))
}

// Children returns the direct subcomponents of that name.
func (c *Component) Children(name string) []*Component {
	var all []*Component
	for _, sub := range c.components {
		if sub.Name == name {
			all = append(all, sub)
		}
	}
	return all
}

// Add appends a property whose value is written as it stands.
func (c *Component) Add(name, value string, params ...Param) {
	c.AddProperty(NewProperty(name, value, params...))
}

// AddText appends a property whose value is text to be escaped.
func (c *Component) AddText(name, text string) { c.Add(name, EscapeText(text)) }

// AddProperty appends a property.
func (c *Component) AddProperty(p Property) {
	e := c.editing()
	for len(e.places) < len(c.components) {
		e.places = append(e.places, c.Len())
	}
	if c.marks != nil {
		e.changed, c.marks, c.text = c.Properties(), nil, ""
	}
	e.changed, c.raw = append(e.changed, p), ""
}

// AddComponent appends a subcomponent.
func (c *Component) AddComponent(sub *Component) {
	c.components, c.raw = append(c.components, sub), ""
}

// With returns a copy of the component with one property more.
func (c *Component) With(p Property) *Component {
	made := *c
	if c.edit != nil {
		made.edit = &edit{slices.Clip(c.edit.changed), slices.Clip(c.edit.places)}
	}
	made.AddProperty(p)
	return &made
}

// Map returns the component with each property, also of all that is nested in it,
// replaced by what f makes of it, or left out where f reports false. It is the same
// component where nothing changes; c itself is never changed.
func (c *Component) Map(f func(in *Component, p Property) (Property, bool)) *Component {
	made := &Component{Name: c.Name, Line: c.Line, Calendar: c.Calendar}
	changed := false
	for p, sub := range c.inOrder() {
		if sub != nil {
			nested := sub.Map(f)
			changed = changed || nested != sub
			made.AddComponent(nested)
			continue
		}
		q, keep := f(c, p)
		changed = changed || !keep || q != p
		if keep {
			made.AddProperty(q)
		}
	}
	if !changed {
		return c
	}
	return made
}

// inOrder yields the properties and subcomponents as they stand: a property, where there
// is no subcomponent.
func (c *Component) inOrder() iter.Seq2[Property, *Component] {
	return func(yield func(Property, *Component) bool) {
		n := 0
		var places []int
		if c.edit != nil {
			places = c.edit.places
		}
		for i := range c.Len() {
			for ; n < len(places) && places[n] <= i; n++ {
				if !yield(Property{}, c.components[n]) {
					return
				}
			}
			if !yield(c.At(i), nil) {
				return
			}
		}
		for _, sub := range c.components[n:] {
			if !yield(Property{}, sub) {
				return
			}
		}
	}
}
