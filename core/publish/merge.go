package publish

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/zone"
)

// Merge puts the components of several calendars into one, in full and in order. Older
// revisions and exact copies are left out (recur.Latest); each TZID used has its
// VTIMEZONE, from its own calendar or, for a known name, from the built-in data; where one
// TZID has different rules in two calendars, the later one is renamed and both are kept.
// What a calendar said for all of its events (METHOD:CANCEL, a zone for floating times) is
// written into the events, since the merged calendar cannot say it for some. A TZID for
// which there is no rule anywhere is named in the diagnostics.
func Merge(calendars []*ical.Component) (*ical.Component, []ical.Diagnostic) {
	m := merger{zones: map[string]explained{}}
	for _, c := range calendars {
		m.add(c)
	}
	out := &ical.Component{Name: "VCALENDAR"}
	out.Add("VERSION", "2.0")
	out.Add("PRODID", ProductID)
	m.write(out, recur.Latest(m.components))
	return out, m.diags
}

// write writes components, and before them the zones that they use.
func (m *merger) write(out *ical.Component, components []*ical.Component) {
	for _, tzid := range usedZones(nil, components) {
		z := m.zones[tzid]
		if z.ours || z.vtimezone != nil && z.zone != nil && len(z.vtimezone.Components()) > mostRules {
			z.vtimezone = zone.Component(tzid, z.zone.Location(), firstYearOf(tzid, components)-1, lastYear)
		}
		if z.vtimezone != nil {
			out.AddComponent(z.vtimezone)
		}
	}
	for _, c := range components {
		out.AddComponent(c)
	}
}

type merger struct {
	zones      map[string]explained // by the TZID that they have in the merged calendar
	components []*ical.Component
	diags      []ical.Diagnostic
	read       map[string]source // by how the zones of it are written
}

// source are the zones that a calendar explains.
type source struct {
	vtimezones []*ical.Component
	table      *zone.Table
}

// explained is a TZID's VTIMEZONE and what it says; nothing for one that nobody knows.
type explained struct {
	vtimezone *ical.Component
	zone      *zone.Zone
	ours      bool // from the built-in data: in the end it is written for the years that are used
}

func (e explained) same(o explained) bool {
	return e.zone != nil && o.zone != nil && zone.Equal(e.zone, o.zone) || e.vtimezone != nil && o.vtimezone != nil && e.vtimezone.String() == o.vtimezone.String()
}

func (m *merger) add(cal *ical.Component) {
	vtimezones := cal.Children("VTIMEZONE")
	table, diags := zone.NewTable(vtimezones)
	m.diags = append(m.diags, diags...)
	of := source{vtimezones, table}
	floating := cal.Text("X-WR-TIMEZONE")
	if _, err := table.Resolve(floating); err != nil {
		floating = ""
	}
	var own []*ical.Component
	for _, c := range cal.Components() {
		if c.Name != "VTIMEZONE" {
			own = append(own, anchored(c, floating, cal.Value("METHOD") == "CANCEL"))
		}
	}
	m.components = append(m.components, m.named(own, of)...)
}

// named are components of a calendar with the TZIDs that they have in the merged one.
func (m *merger) named(own []*ical.Component, of source) []*ical.Component {
	renamed := map[string]string{}
	for _, tzid := range usedZones(nil, own) {
		if name := m.zone(tzid, of.vtimezones, of.table); name != tzid {
			renamed[tzid] = name
		}
	}
	if len(renamed) > 0 {
		for i, c := range own {
			own[i] = c.Map(func(_ *ical.Component, p ical.Property) (ical.Property, bool) {
				if name, again := renamed[p.Param("TZID")]; again {
					p = p.WithParam("TZID", name)
				}
				return p, true
			})
		}
	}
	return own
}

// mostRules is how many rules a VTIMEZONE has that tells of the present alone: what has more tells how the clock went before,
// and is written anew for the years that are used, to the same effect.
const mostRules = 2

// lastYear is the last of which a VTIMEZONE of ours has every change of the clock: rules that hold then have no
// end, and some readers in use take none that has one.
const lastYear = 2060

// firstYearOf is the first year in which components have a time of a zone.
func firstYearOf(tzid string, components []*ical.Component) int {
	first := lastYear
	for _, c := range components {
		for i := range c.Len() {
			p := c.At(i)
			if p.Param("TZID") != tzid {
				continue
			}
			for value := range strings.SplitSeq(p.Value, ",") {
				if year, err := strconv.Atoi(value[:min(4, len(value))]); err == nil {
					first = min(first, year)
				}
			}
		}
		first = min(first, firstYearOf(tzid, c.Components()))
	}
	return first
}

// zone takes up a zone that a calendar uses and returns its TZID in the merged one.
func (m *merger) zone(tzid string, vtimezones []*ical.Component, table *zone.Table) string {
	e := explained{}
	var err error
	if e.zone, err = table.Resolve(tzid); err != nil {
		m.diags = append(m.diags, ical.Diagf(ical.Position{}, ical.Warning, "unknown-zone", "%v: it has no VTIMEZONE in the output either", err))
	}
	if i := slices.IndexFunc(vtimezones, func(c *ical.Component) bool { return c.Text("TZID") == tzid }); i >= 0 {
		e.vtimezone = vtimezones[i]
	} else if e.zone != nil {
		e.vtimezone, e.ours = zone.Component(tzid, e.zone.Location(), lastYear, lastYear), true
	}
	name := tzid
	for n := 2; ; n++ {
		known, taken := m.zones[name]
		switch {
		case taken && known.vtimezone != nil && e.vtimezone != nil && !known.same(e):
			name = fmt.Sprintf("%s (%d)", tzid, n)
			continue
		case !taken || known.vtimezone == nil:
			if name != tzid {
				e.vtimezone = e.vtimezone.Map(func(_ *ical.Component, p ical.Property) (ical.Property, bool) {
					if p.Name == "TZID" {
						p.Value = ical.EscapeText(name)
					}
					return p, true
				})
			}
			m.zones[name] = e
		}
		return name
	}
}

// anchored is the component with its floating times tied to the zone that its calendar
// named, if any, and called off if all of the calendar is.
func anchored(c *ical.Component, floating string, calledOff bool) *ical.Component {
	c = c.Map(func(in *ical.Component, p ical.Property) (ical.Property, bool) {
		if floating != "" && p.Type() == ical.DateTime && isFloating(p) && startsFloating(in) {
			p = p.WithParam("TZID", floating)
		}
		return p, !calledOff || in != c || p.Name != "STATUS"
	})
	if calledOff {
		c = c.With(ical.Property{Name: "STATUS", Value: "CANCELLED"})
	}
	return c
}

// startsFloating reports whether the component begins at a time of no zone. Where it does
// not, a floating EXDATE or RECURRENCE-ID goes by the clock of its DTSTART.
func startsFloating(c *ical.Component) bool {
	p, ok := c.Get("DTSTART")
	return !ok || isFloating(p)
}

// isFloating reports whether the property holds a time of no zone (RFC 5545 section
// 3.3.5, form 1).
func isFloating(p ical.Property) bool {
	for v, err := range p.Values() {
		return err == nil && v.Moment.Anchor == ical.Floating
	}
	return false
}

// usedZones adds to used the TZIDs that the components refer to, in order of first use.
func usedZones(used []string, components []*ical.Component) []string {
	for _, c := range components {
		for i := range c.Len() {
			if tzid := c.At(i).Param("TZID"); tzid != "" && !slices.Contains(used, tzid) {
				used = append(used, tzid)
			}
		}
		used = usedZones(used, c.Components())
	}
	return used
}
