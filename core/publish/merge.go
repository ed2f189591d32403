package publish

import (
	"fmt"
	"slices"
	"strings"

	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/zone"
)

// Merge puts the components of several calendars into one, in full and in order. Older
// revisions and exact copies are left out (recur.Latest); each TZID used has its
// VTIMEZONE, from the inputs or, for an IANA name, from the built-in data. What a
// calendar said for all of its events (METHOD:CANCEL, a zone for floating times) is
// written into the events, since the merged calendar cannot say it for some. A TZID for
// which there is no rule anywhere is named in the diagnostics.
func Merge(calendars []*ical.Component) (*ical.Component, []ical.Diagnostic) {
	m := merger{zones: map[string]*ical.Component{}}
	for _, c := range calendars {
		m.add(c)
	}
	out := &ical.Component{Name: "VCALENDAR"}
	out.Add("VERSION", "2.0")
	out.Add("PRODID", ProductID)
	components := recur.Latest(m.components)
	for _, tzid := range usedZones(components) {
		if z := m.zoneFor(tzid); z != nil {
			out.Components = append(out.Components, z)
		} else {
			m.diags = append(m.diags, ical.Diagf(0, ical.Warning, "unknown-zone", "time zone %q is neither an IANA name nor explained by a VTIMEZONE: it has none in the output either", tzid))
		}
	}
	out.Components = append(out.Components, components...)
	return out, m.diags
}

type merger struct {
	zones      map[string]*ical.Component // TZID -> VTIMEZONE of an input
	components []*ical.Component
	diags      []ical.Diagnostic
}

func (m *merger) add(cal *ical.Component) {
	renamed := map[string]string{}
	for _, z := range cal.Children("VTIMEZONE") {
		tzid := z.Text("TZID")
		known := m.zones[tzid]
		if known != nil && known.String() != z.String() {
			if _, err := zone.Load(tzid); err != nil { // two zones of the same name
				renamed[tzid] = m.freeName(tzid)
				z = rename(z, tzid, renamed)
				tzid = renamed[tzid]
			}
		}
		m.zones[tzid] = z
	}
	floating := ""
	if p, ok := cal.Get("X-WR-TIMEZONE"); ok {
		floating = p.Text()
	}
	for _, c := range cal.Components {
		if c.Name == "VTIMEZONE" {
			continue
		}
		if cal.Value("METHOD") == "CANCEL" {
			c = cancelled(c)
		}
		m.components = append(m.components, anchored(c, floating, renamed))
	}
}

func (m *merger) freeName(tzid string) string {
	for n := 2; ; n++ {
		if name := fmt.Sprintf("%s (%d)", tzid, n); m.zones[name] == nil {
			return name
		}
	}
}

// The years that a VTIMEZONE of ours covers.
const firstYear, lastYear = 1970, 2060

func (m *merger) zoneFor(tzid string) *ical.Component {
	if z := m.zones[tzid]; z != nil {
		return z
	}
	var none *zone.Table
	loc, err := none.Resolve(tzid)
	if err != nil {
		return nil
	}
	return zone.Component(tzid, loc, firstYear, lastYear)
}

func rename(z *ical.Component, tzid string, names map[string]string) *ical.Component {
	copied := *z
	copied.Properties = slices.Clone(z.Properties)
	for i, p := range copied.Properties {
		if p.Name == "TZID" {
			copied.Properties[i].Value = ical.EscapeText(names[tzid])
		}
	}
	return &copied
}

// cancelled is the component with STATUS:CANCELLED.
func cancelled(c *ical.Component) *ical.Component {
	copied := *c
	copied.Properties = slices.DeleteFunc(slices.Clone(c.Properties), func(p ical.Property) bool { return p.Name == "STATUS" })
	copied.Add("STATUS", "CANCELLED")
	return &copied
}

// anchored is the component, and all in it, with floating times tied to the zone that
// its calendar named and with TZIDs renamed. It is the same one if nothing changes.
func anchored(c *ical.Component, floating string, renamed map[string]string) *ical.Component {
	if floating == "" && len(renamed) == 0 {
		return c
	}
	copied := *c
	copied.Properties = slices.Clone(c.Properties)
	for i, p := range copied.Properties {
		switch name, again := renamed[p.Param("TZID")]; {
		case again:
			copied.Properties[i].Params = withZone(p.Params, name)
		case floating != "" && isFloating(p):
			copied.Properties[i].Params = withZone(p.Params, floating)
		}
	}
	copied.Components = nil
	for _, sub := range c.Components {
		copied.Components = append(copied.Components, anchored(sub, floating, renamed))
	}
	return &copied
}

func withZone(params []ical.Param, tzid string) []ical.Param {
	params = slices.DeleteFunc(slices.Clone(params), func(q ical.Param) bool { return q.Name == "TZID" })
	return append(params, ical.Param{Name: "TZID", Values: []string{tzid}})
}

// isFloating reports whether the property holds a time of no zone (RFC 5545 section
// 3.3.5, form 1).
func isFloating(p ical.Property) bool {
	if !slices.Contains([]string{"DTSTART", "DTEND", "RECURRENCE-ID", "EXDATE", "RDATE"}, p.Name) {
		return false
	}
	first, _, _ := strings.Cut(p.Value, ",")
	first, _, _ = strings.Cut(first, "/")
	m, err := ical.ParseMoment(first, p.Param("TZID"))
	return err == nil && m.Anchor == ical.Floating
}

// usedZones lists the TZIDs that the components refer to, in order of first use.
func usedZones(components []*ical.Component) []string {
	var used []string
	for _, c := range components {
		for _, p := range c.Properties {
			if tzid := p.Param("TZID"); tzid != "" && !slices.Contains(used, tzid) {
				used = append(used, tzid)
			}
		}
		for _, tzid := range usedZones(c.Components) {
			if !slices.Contains(used, tzid) {
				used = append(used, tzid)
			}
		}
	}
	return used
}
