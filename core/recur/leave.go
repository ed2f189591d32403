package recur

import (
	"slices"
	"strings"

	"wharf/core/ical"
	"wharf/core/span"
)

// Leaving is the entry without those of its instances in the window that do not stay; what lies
// outside of the window stays. Each that goes becomes an EXDATE (RFC 5545 section 3.8.5.1), also where an
// override stood for it. Where that override was the first of a change that holds for those after it
// (RANGE=THISANDFUTURE, section 3.2.13), the change begins with the next one that it holds for and that stays. ok
// is false when nothing is left.
func (x *Expander) Leaving(e Entry, stays func(Occurrence) bool) (_ Entry, ok bool) {
	found, _ := x.Expand(e)
	y := &x.series
	left := map[Key]bool{}
	var some bool
	for _, o := range found {
		if stays(o) {
			some = true
		} else {
			left[o.Key] = true
		}
	}
	if len(left) == 0 || !some {
		return e, some
	}
	all := Entry{UID: e.UID}
	for i, o := range e.Overrides {
		key := y.keys[i]
		if !left[key] {
			all.Overrides = append(all.Overrides, o)
		} else if next, found := x.taken(o, key, found, left); found {
			all.Overrides = append(all.Overrides, next)
		}
	}
	if e.Master != nil && (y.repeats || !left[Key{}]) {
		all.Master = x.excepting(e.Master, left)
	}
	return all, true
}

// excepting is a master with an EXDATE for each of the instances, in its own form.
func (x *Expander) excepting(master *ical.Component, left map[Key]bool) *ical.Component {
	var ats []int64
	for key := range left {
		if key.kind == dateKey || key.kind == instantKey {
			ats = append(ats, key.at)
		}
	}
	slices.Sort(ats)
	s := &x.series.shape
	start, _ := master.Get("DTSTART")
	for _, at := range ats {
		p := written(s.readingIn(s, at), start)
		p.Name = "EXDATE"
		master = master.With(p)
	}
	return master
}

// taken is a change for all that comes, of which the first instance goes, as it begins with the next one.
func (x *Expander) taken(o *ical.Component, key Key, found []Occurrence, left map[Key]bool) (*ical.Component, bool) {
	y := &x.series
	i := slices.IndexFunc(y.changes, func(c change) bool { return c.from == key.at })
	id, _ := o.Get("RECURRENCE-ID")
	if i < 0 || !strings.EqualFold(id.Param("RANGE"), "THISANDFUTURE") {
		return nil, false
	}
	c := &y.changes[i]
	var next *Occurrence
	for n := range found {
		if f := &found[n]; f.Event == c.event && f.Key.at > key.at && !left[f.Key] && (next == nil || f.Key.at < next.Key.at) {
			next = f
		}
	}
	if next == nil {
		return nil, false
	}
	by := y.shape.readingIn(&c.shape, next.Key.at) - y.shape.readingIn(&c.shape, key.at)
	start, _ := y.master.Get("DTSTART")
	return o.Map(func(in *ical.Component, p ical.Property) (ical.Property, bool) {
		if in != o {
			return p, true
		}
		switch p.Name {
		case "RECURRENCE-ID":
			begins := written(y.shape.readingIn(&y.shape, next.Key.at), start)
			begins.Name = p.Name
			return begins.WithParam("RANGE", "THISANDFUTURE"), true
		case "DTSTART", "DTEND":
			if m, err := p.Moment(); err == nil {
				return written(m.Wall+by, p), true
			}
		}
		return p, true
	}), true
}

// written is a property with another time, in the form that it has.
func written(w span.Wall, like ical.Property) ical.Property {
	layout := "20060102T150405"
	switch m, err := like.Moment(); {
	case err == nil && m.AllDay():
		layout = "20060102"
	case err == nil && m.Anchor == ical.UTC:
		layout += "Z"
	}
	like.Value = w.Time().Format(layout)
	return like
}

// Rule is the value of a component's RRULE with its UNTIL in the form that RFC 5545 section 3.3.10 asks for: a date
// where the component has dates, else a time in UTC. It means the same.
func (x *Expander) Rule(value string, c *ical.Component) string {
	p, _ := c.Get("DTSTART")
	start, err := p.Moment()
	if err != nil {
		return value
	}
	parts := strings.Split(value, ";")
	for i, part := range parts {
		name, text, _ := strings.Cut(part, "=")
		until, err := ical.ParseMoment(text, "")
		if err != nil || !strings.EqualFold(name, "UNTIL") || until.AllDay() == start.AllDay() && (until.AllDay() || until.Anchor == ical.UTC) {
			continue
		}
		s := shape{dates: start.AllDay(), zone: x.zoneOf(start, c.Calendar, p.Position())}
		end := x.boundOf(until, &s)
		switch {
		case s.dates:
			text = end.wall.Time().Format("20060102")
		default:
			clock := s.zone.Cursor()
			text = span.Wall(clock.Instant(end.wall)).Time().Format("20060102T150405Z")
		}
		parts[i] = name + "=" + text
	}
	return strings.Join(parts, ";")
}
