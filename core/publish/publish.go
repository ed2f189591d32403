// Package publish says what a publication carries and writes it as an iCalendar document.
//
// In: the bookings that may go out, and what is laid down of the publication; then the rows
// that are carried now. Out: the items to carry; then bytes, the same for the same rows on
// any machine. There is no METHOD, so that recipients take it for a calendar and not for an
// invitation.
package publish

import (
	"cmp"
	"strconv"
	"time"

	"wharf/core/carried"
	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// Placeholder is the title of every event at the detail "times", on publications that are
// made from now on. Each keeps the title that it was made with, so that no recipient sees
// all its blocks change.
const Placeholder = "Spoken for"

// ProductID is the PRODID of everything we write (RFC 5545 section 3.7.3).
const ProductID = "-//Wharf//Wharf//EN"

// Document is what is written of a publication.
type Document struct {
	Name  string
	Rules rules.Publication
	Grain span.Grain
	Rows  []carried.Row          // carried now, in their order
	Shown map[carried.Name]Shown // what is shown of each
	// CalledOff is what is not carried any more and shown as called off, in its order.
	CalledOff []carried.Row
}

// Render writes a publication.
func Render(d Document) []byte {
	cal := &ical.Component{Name: "VCALENDAR"}
	cal.Add("VERSION", "2.0")
	cal.Add("PRODID", ProductID)
	cal.AddText("NAME", d.Name)         // RFC 7986 section 5.1
	cal.AddText("X-WR-CALNAME", d.Name) // what most recipients read
	if d.Rules.Color != "" {
		cal.Add("COLOR", d.Rules.Color) // RFC 7986 section 5.9
	}
	// How often it is worth to come back: RFC 7986 section 5.7, and what was in use before.
	every := "PT" + strconv.Itoa(cmp.Or(d.Rules.Refresh, rules.DefaultRefresh)) + "M"
	cal.Add("REFRESH-INTERVAL", every, ical.Param{Name: "VALUE", Values: []string{"DURATION"}})
	cal.Add("X-PUBLISHED-TTL", every)
	m := merger{zones: map[string]explained{}, read: map[string]source{}}
	for _, row := range d.Rows {
		shown := d.Shown[row.Name]
		if shown.Series != "" {
			m.series(row, shown)
		}
		if shown.Series != "" || shown.Part {
			continue
		}
		shown.Title = cmp.Or(shown.Title, d.Rules.Title)
		e := event(shown.Title, d.Grain, row, status(row.Tentative))
		alarms(d.Rules, e, shown)
		m.components = append(m.components, e)
	}
	for _, row := range d.CalledOff {
		m.components = append(m.components, event(d.Rules.Title, d.Grain, row, "CANCELLED"))
	}
	m.write(cal, m.components)
	return []byte(cal.String())
}

func status(tentative bool) string {
	if tentative {
		return "TENTATIVE"
	}
	return "CONFIRMED"
}

func transparency(blocks bool) string {
	if blocks {
		return "OPAQUE"
	}
	return "TRANSPARENT"
}

// alarms adds the alarms of an event (RFC 5545 section 3.6.6): that of every event, or its own.
func alarms(r rules.Publication, e *ical.Component, shown Shown) {
	minutes := shown.Alarms
	if lead, err := rules.ParseAlarm(r.Alarm); err == nil {
		minutes = []int{int(lead.Minutes())}
	}
	for _, n := range minutes {
		a := &ical.Component{Name: "VALARM"}
		a.Add("ACTION", "DISPLAY")
		a.AddText("DESCRIPTION", shown.Title)
		before := "-"
		if n < 0 { // at an hour of the day itself
			before, n = "", -n
		}
		a.Add("TRIGGER", before+"PT"+strconv.Itoa(n)+"M")
		e.AddComponent(a)
	}
}

func event(title string, grain span.Grain, r carried.Row, status string) *ical.Component {
	grain = cmp.Or(r.Grain, grain)
	e := &ical.Component{Name: "VEVENT"}
	e.AddText("UID", r.SentUID())
	e.Add("DTSTAMP", stamp(r.Stamp))
	addPoint(e, "DTSTART", r.Span.Start, grain)
	addPoint(e, "DTEND", r.Span.End, grain)
	e.AddText("SUMMARY", title)
	e.Add("STATUS", status)
	e.Add("SEQUENCE", strconv.Itoa(r.Sequence))
	e.Add("TRANSP", transparency(r.Units > 0))
	return e
}

func stamp(t time.Time) string { return t.UTC().Format("20060102T150405Z") }

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

// Laid is the stretch in which sources are laid out, also that of every day of the week that begins at the step.
func Laid(step span.Date, loc *time.Location) recur.Window {
	from, to := rules.MaterialisedWindow(step.Start(loc), loc)
	return recur.Window{From: from.AddDate(0, 0, 6), To: to, Zone: loc, KeepSingle: true}
}

// Window is the stretch that a publication shows whose window is at the step: so many days
// before it, and so many months after it.
func Window(r rules.Publication, step span.Date, grain span.Grain, loc *time.Location) span.Span {
	y, m, d := step.Civil()
	from, to := step-span.Date(cmp.Or(r.Back, rules.DefaultBack)), span.NewDate(y, m+time.Month(cmp.Or(r.Ahead, rules.MostAhead)), d)
	if grain.Dated() {
		return span.Days(from, to)
	}
	return span.Instants(from.Start(loc), to.Start(loc))
}
