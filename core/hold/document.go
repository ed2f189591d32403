package hold

import (
	"strconv"
	"strings"

	"wharf/core/ical"
	"wharf/core/recur"
)

// Calendar is the hold as an iCalendar document, with as many components as it has instances that differ.
func (h Hold) Calendar() *ical.Component {
	cal := &ical.Component{Name: "VCALENDAR"}
	cal.Add("VERSION", "2.0")
	if h.Zone != "" {
		cal.Add("X-WR-TIMEZONE", h.Zone)
	}
	master := h.event(h.Title, h.Start, h.End, h.Tentative)
	if h.Repeat != "" {
		master.Add("RRULE", h.Repeat)
		for _, text := range h.Except {
			addPoint(master, "EXDATE", text)
		}
	}
	cal.AddComponent(master)
	for _, in := range h.Instances {
		e := h.event(in.Title, in.Start, in.End, in.Tentative)
		addPoint(e, "RECURRENCE-ID", in.Of)
		cal.AddComponent(e)
	}
	return cal
}

// Document is the hold as a feed's document would be.
func (h Hold) Document() *recur.Document { return recur.Of([]*ical.Component{h.Calendar()}) }

func (h Hold) event(title, start, end string, tentative bool) *ical.Component {
	e := &ical.Component{Name: "VEVENT"}
	e.Add("UID", h.UID)
	if !h.Created.IsZero() {
		e.Add("CREATED", h.Created.UTC().Format("20060102T150405Z"))
	}
	addPoint(e, "DTSTART", start)
	addPoint(e, "DTEND", end)
	e.AddText("SUMMARY", title)
	if h.Note != "" {
		e.AddText("DESCRIPTION", h.Note)
	}
	if tentative {
		e.Add("STATUS", "TENTATIVE")
	}
	if len(h.Categories) > 0 {
		all := make([]string, len(h.Categories))
		for i, c := range h.Categories {
			all[i] = ical.EscapeText(c)
		}
		e.Add("CATEGORIES", strings.Join(all, ","))
	}
	if h.Class != "" {
		e.Add("CLASS", string(h.Class))
	}
	return e
}

// addPoint adds a property of a day, or of a time by no zone's clock (RFC 5545 section 3.3.5, form 1).
func addPoint(e *ical.Component, name, text string) {
	p, err := parse(text)
	if err != nil {
		return // it was checked
	}
	if p.dated {
		e.Add(name, p.wall.Time().Format("20060102"), ical.Param{Name: "VALUE", Values: []string{"DATE"}})
		return
	}
	e.Add(name, p.wall.Time().Format("20060102T150405"))
}

// count is a rule with another COUNT.
func withCount(rule string, n int) string { return with(rule, "COUNT", strconv.Itoa(n)) }

// with is a rule of which one part is another; COUNT and UNTIL take each other's place (RFC 5545 section 3.3.10).
func with(rule, name, value string) string {
	var parts []string
	for part := range strings.SplitSeq(rule, ";") {
		if key, _, _ := strings.Cut(part, "="); key != "COUNT" && key != "UNTIL" {
			parts = append(parts, part)
		}
	}
	return strings.Join(append(parts, name+"="+value), ";")
}

// partOf is a part of a rule, "" where it has none.
func partOf(rule, name string) string {
	for part := range strings.SplitSeq(rule, ";") {
		if key, value, _ := strings.Cut(part, "="); key == name {
			return value
		}
	}
	return ""
}
