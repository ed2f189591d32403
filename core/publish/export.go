package publish

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/carried"
	"wharf/core/ical"
	"wharf/core/span"
)

// Exported is a booking in a file that is made once, for a person.
type Exported struct {
	Calendar  string
	Grain     span.Grain
	Zone      *time.Location
	UID       string
	Span      span.Span
	Title     string // as it is to be shown
	Tentative bool
}

// ICS writes bookings as an iCalendar file, in the order given, as of a moment. Where they are of several calendars
// each title begins with that of its own.
func ICS(name string, all []Exported, at time.Time) string {
	cal := &ical.Component{Name: "VCALENDAR"}
	cal.Add("VERSION", "2.0")
	cal.Add("PRODID", ProductID)
	cal.AddText("NAME", name)
	cal.AddText("X-WR-CALNAME", name)
	several := slices.ContainsFunc(all, func(b Exported) bool { return b.Calendar != all[0].Calendar })
	for _, b := range all {
		title := b.Title
		if several {
			title = b.Calendar + ": " + title
		}
		row := carried.Row{Item: carried.Item{Name: carried.Name{UID: b.UID}, Span: b.Span, Units: 1, Tentative: b.Tentative}, Stamp: at}
		cal.AddComponent(event(title, b.Grain, row, status(row.Tentative)))
	}
	return cal.String()
}

// CSV writes bookings as comma-separated values (RFC 4180), with a line that names the columns. Ends are days or, by
// the minute, times of the calendar's clock; the end of days is the last one, of nights the day of leaving. No cell
// begins as a formula does: spreadsheets work out what they open.
func CSV(all []Exported) (string, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.UseCRLF = true
	lines := [][]string{{"Calendar", "From", "To", "Length", "Unit", "Title", "Status"}}
	for _, b := range all {
		status := "firm"
		if b.Tentative {
			status = "tentative"
		}
		from, to, length, unit := b.columns()
		lines = append(lines, []string{plain(b.Calendar), from, to, length, unit, plain(b.Title), status})
	}
	err := w.WriteAll(lines)
	return out.String(), err
}

// columns are both ends, and how long it is.
func (b Exported) columns() (from, to, length, unit string) {
	if !b.Grain.Dated() {
		start, end := time.Unix(b.Span.Start, 0).In(b.Zone), time.Unix(b.Span.End, 0).In(b.Zone)
		return start.Format("2006-01-02 15:04"), end.Format("2006-01-02 15:04"), strconv.FormatInt(b.Span.Len()/60, 10), "minutes"
	}
	last := b.Span.End
	if b.Grain == span.Day {
		last--
	}
	return span.Date(b.Span.Start).String(), span.Date(last).String(), strconv.FormatInt(b.Span.Len(), 10), string(b.Grain) + "s"
}

// plain is a text that no spreadsheet takes for a formula.
func plain(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r\n|%", rune(text[0])) {
		return "'" + text
	}
	return text
}
