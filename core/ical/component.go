package ical

import (
	"slices"
	"strings"
)

// Param is one parameter of a property with its values, unquoted and with the
// escapes of RFC 6868 undone.
type Param struct {
	Name   string
	Values []string
}

// Property is one content line: a name, its parameters and the value as written
// (text escapes still in place; see Text).
type Property struct {
	Name   string
	Params []Param
	Value  string
	Line   int // the line of the document on which it begins, from 1
}

// Component is what stands between a BEGIN and its END.
type Component struct {
	Name       string
	Properties []Property
	Components []*Component
	Line       int
}

// Param returns the first value of the parameter, or "" when there is none.
func (p Property) Param(name string) string {
	for _, q := range p.Params {
		if q.Name == name && len(q.Values) > 0 {
			return q.Values[0]
		}
	}
	return ""
}

// Text is the value with the escapes of RFC 5545 section 3.3.11 undone.
func (p Property) Text() string { return UnescapeText(p.Value) }

// Get returns the first property of that name and whether there is one.
func (c *Component) Get(name string) (Property, bool) {
	i := slices.IndexFunc(c.Properties, func(p Property) bool { return p.Name == name })
	if i < 0 {
		return Property{}, false
	}
	return c.Properties[i], true
}

// All returns every property of that name, in order.
func (c *Component) All(name string) []Property {
	var all []Property
	for _, p := range c.Properties {
		if p.Name == name {
			all = append(all, p)
		}
	}
	return all
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
	for _, sub := range c.Components {
		if sub.Name == name {
			all = append(all, sub)
		}
	}
	return all
}

// Add appends a property whose value is written as it stands.
func (c *Component) Add(name, value string, params ...Param) {
	c.Properties = append(c.Properties, Property{Name: name, Value: value, Params: params})
}

// AddText appends a property whose value is text to be escaped.
func (c *Component) AddText(name, text string) { c.Add(name, EscapeText(text)) }

var (
	unescaper = strings.NewReplacer(`\\`, `\`, `\;`, `;`, `\,`, `,`, `\n`, "\n", `\N`, "\n")
	escaper   = strings.NewReplacer(`\`, `\\`, `;`, `\;`, `,`, `\,`, "\r\n", `\n`, "\n", `\n`, "\r", `\n`)
)

// UnescapeText undoes the escapes of a TEXT value (RFC 5545 section 3.3.11).
func UnescapeText(s string) string {
	if !strings.Contains(s, `\`) {
		return s
	}
	return unescaper.Replace(s)
}

// EscapeText writes a TEXT value.
func EscapeText(s string) string { return escaper.Replace(s) }
