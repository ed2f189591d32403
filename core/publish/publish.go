// Package publish writes what a publication carries as an iCalendar document.
//
// In: the rows that are carried now. Out: bytes, the same for the same rows on any
// machine. The detail is "times" so far: a placeholder title, UID, status and nothing
// else; no METHOD, so that recipients take it for a calendar and not for an invitation.
package publish

import (
	"strconv"
	"time"

	"wharf/core/carried"
	"wharf/core/ical"
	"wharf/core/rules"
	"wharf/core/span"
)

// Placeholder is the title of every event at the detail "times", on publications that are
// made from now on. Each keeps the title that it was made with, so that no recipient sees
// all its blocks change.
const Placeholder = "Spoken for"

// ProductID is the PRODID of everything we write (RFC 5545 section 3.7.3).
const ProductID = "-//Wharf//Wharf//EN"

// Render writes the rows as events under those rules, in the order given.
func Render(name string, r rules.Publication, grain span.Grain, rows []carried.Row) []byte {
	cal := &ical.Component{Name: "VCALENDAR"}
	cal.Add("VERSION", "2.0")
	cal.Add("PRODID", ProductID)
	cal.AddText("NAME", name)         // RFC 7986 section 5.1
	cal.AddText("X-WR-CALNAME", name) // what most recipients read
	for _, row := range rows {
		cal.AddComponent(event(r.Title, grain, row))
	}
	return []byte(cal.String())
}

func event(title string, grain span.Grain, r carried.Row) *ical.Component {
	e := &ical.Component{Name: "VEVENT"}
	e.Add("UID", r.UID)
	e.Add("DTSTAMP", r.Stamp.UTC().Format("20060102T150405Z"))
	addPoint(e, "DTSTART", r.Span.Start, grain)
	addPoint(e, "DTEND", r.Span.End, grain)
	e.AddText("SUMMARY", title)
	status := "CONFIRMED"
	if r.Tentative {
		status = "TENTATIVE"
	}
	e.Add("STATUS", status)
	e.Add("SEQUENCE", strconv.Itoa(r.Sequence))
	e.Add("TRANSP", "OPAQUE")
	return e
}

func addPoint(e *ical.Component, name string, p int64, grain span.Grain) {
	if grain.Dated() {
		y, m, d := span.Date(p).Civil()
		day := time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
		e.Add(name, day.Format("20060102"), ical.Param{Name: "VALUE", Values: []string{"DATE"}})
		return
	}
	e.Add(name, time.Unix(p, 0).UTC().Format("20060102T150405Z"))
}

// Step is the Monday of now's week in loc. The window of a publication moves from one to
// the next, and each is stored when it is taken: so a new day alone changes no bytes, and
// the bytes do not depend on when they are rendered.
func Step(now time.Time, loc *time.Location) span.Date {
	today := span.DateOf(now.In(loc))
	return today - span.Date((int(today.Weekday())+6)%7)
}

// Window is the stretch that a publication shows whose window is at the step: from 30 days
// before it to 24 months after it.
func Window(step span.Date, grain span.Grain, loc *time.Location) span.Span {
	y, m, d := step.Civil()
	from, to := step-30, span.NewDate(y, m+24, d)
	if grain.Dated() {
		return span.Days(from, to)
	}
	return span.Instants(from.Start(loc), to.Start(loc))
}
