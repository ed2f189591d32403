package hold

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

// mostOfSeries is how many instances of a series become holds of their own, where it cannot stay one.
const mostOfSeries = 500

// FromDocument makes holds of what a document says, for a calendar: a series stays one where it has one rule and the clock of
// a zone that has a name, else each of its instances to come is a hold of its own. left says what is none, and why.
func FromDocument(doc *recur.Document, c rules.Calendar, now time.Time) (holds []Hold, left []string) {
	from, to := rules.MaterialisedWindow(now, c.Zone)
	x := doc.In(recur.Window{From: from, To: to, Zone: c.Zone, KeepSingle: true, Limit: mostOfSeries})
	for _, e := range doc.Entries {
		found, _ := x.Expand(e)
		found = slices.DeleteFunc(slices.Clone(found), func(o recur.Occurrence) bool { return o.Status == recur.Cancelled || o.Transparent || o.Endless })
		if len(found) == 0 {
			left = append(left, fmt.Sprintf("%q takes nothing: it is called off, free, without an end, or over.", e.Title()))
			continue
		}
		if h, ok := series(e, found, c); ok {
			holds = append(holds, h)
			continue
		}
		for _, o := range found {
			if o.Series && o.End <= now.Unix() {
				continue
			}
			h := plain(e, o.Event)
			h.Start, h.End = endsOf(o, c.Zone)
			holds = append(holds, h)
		}
	}
	return holds, left
}

// plain is a hold with the words of an entry.
func plain(e recur.Entry, o *recur.Event) Hold {
	class := rules.Class("")
	if own := e.TextsIn(o.Component, "CLASS"); len(own) > 0 {
		class = rules.Given{}.ClassOf(own)
	}
	given, err := rules.NewGiven(e.TextsIn(o.Component, "CATEGORIES"), string(class))
	if err != nil {
		given = rules.Given{Class: class} // more or longer ones than a hold can have
	}
	return Hold{UID: e.UID, Title: clip(o.Summary, maxTitle), Note: clip(strings.Join(e.Texts("DESCRIPTION"), "\n"), maxNote), Tentative: o.Status == recur.Tentative, Categories: given.Categories, Class: given.Class}
}

func clip(text string, most int) string {
	if r := []rune(text); len(r) > most {
		return string(r[:most])
	}
	return text
}

// endsOf are the ends of an occurrence, by the clock of a zone.
func endsOf(o recur.Occurrence, loc *time.Location) (start, end string) {
	if o.AllDay {
		return o.First.String(), o.Last.String()
	}
	at := func(unix int64) string { return point{span.WallOf(time.Unix(unix, 0).In(loc)), false}.String() }
	return at(o.Start), at(o.End)
}

// series is an entry as one hold, if it can be.
func series(e recur.Entry, found []recur.Occurrence, c rules.Calendar) (h Hold, ok bool) {
	m := e.Master
	if m == nil || !found[0].Series {
		return h, false
	}
	rule, ok := onlyRule(m)
	start, _ := m.Get("DTSTART")
	at, err := start.Moment()
	if !ok || err != nil {
		return h, false
	}
	loc, zoned, ok := clockOf(at, c.Zone)
	first := slices.IndexFunc(found, func(o recur.Occurrence) bool { return o.Line == m.Line })
	if !ok || first < 0 {
		return h, false
	}
	h = plain(e, found[first].Event)
	h.Zone, h.Repeat, h.Start = zoned, rule, point{at.Wall, at.AllDay()}.String()
	a, b := endsOf(found[first], loc)
	from, _ := parse(a)
	to, _ := parse(b)
	h.End = to.moved(from, point{at.Wall, at.AllDay()}).String()
	if !h.leaveOut(m, loc) || !h.takeOver(e.Overrides, found, loc) {
		return h, false
	}
	_, err = h.Checked(c)
	return h, err == nil
}

// onlyRule is the one rule of a series; false where it has none, several, or dates beside it.
func onlyRule(m *ical.Component) (rule string, ok bool) {
	for p := range m.Each("RRULE") {
		if rule != "" {
			return "", false
		}
		rule = p.Value
	}
	for _, name := range []string{"RDATE", "EXRULE"} {
		if _, has := m.Get(name); has {
			return "", false
		}
	}
	return rule, rule != ""
}

// clockOf is the clock that a moment goes by, and the zone to name ("" for the calendar's own); false where only its document
// knows whose is meant.
func clockOf(at ical.Moment, calendar *time.Location) (loc *time.Location, named string, ok bool) {
	switch at.Anchor {
	case ical.DateOnly:
		return calendar, "", true
	case ical.UTC:
		named = "UTC"
	case ical.Zoned:
		named = at.TZID
	default:
		return nil, "", false
	}
	loc, err := zone.Load(named)
	if named == calendar.String() {
		named = ""
	}
	return loc, named, err == nil
}

// leaveOut leaves out what a series does.
func (h *Hold) leaveOut(m *ical.Component, loc *time.Location) bool {
	for p := range m.Each("EXDATE") {
		for v, err := range p.Values() {
			if err != nil {
				return false
			}
			h.Except = append(h.Except, inZone(v.Moment, loc).String())
		}
	}
	return true
}

// takeOver takes what is other than the rest of a series over; what is called off is left out.
func (h *Hold) takeOver(overrides []*ical.Component, found []recur.Occurrence, loc *time.Location) bool {
	for _, o := range overrides {
		of, has := o.Get("RECURRENCE-ID")
		id, err := of.Moment()
		if !has || err != nil || of.Param("RANGE") != "" {
			return false
		}
		in := Instance{Of: inZone(id, loc).String(), Title: clip(o.Text("SUMMARY"), maxTitle), Tentative: strings.EqualFold(o.Value("STATUS"), "TENTATIVE")}
		n := slices.IndexFunc(found, func(f recur.Occurrence) bool { return f.Line == o.Line })
		if n < 0 { // called off, or outside of what was looked at
			h.Except = append(h.Except, in.Of)
			continue
		}
		in.Start, in.End = endsOf(found[n], loc)
		h.Instances = append(h.Instances, in)
	}
	return true
}

// inZone is a moment by the clock of a zone.
func inZone(m ical.Moment, loc *time.Location) point {
	if m.Anchor == ical.UTC {
		return point{span.WallOf(m.Wall.Time().In(loc)), false}
	}
	return point{m.Wall, m.AllDay()}
}
