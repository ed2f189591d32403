// Package hold is what people enter by hand: a booking of their own, once or repeated, or a closure.
//
// In: what a person writes, and the rules of its calendar. Out: a Hold that is checked, the iCalendar document that
// says the same (RFC 5545), which the rooms above lay out as they lay out a feed's, and what is to be asked before
// it is kept. Change edits one instance of a series, those from one on, or all of it.
//
//	{Start: "2026-12-20", End: "2026-12-23"}              three days, or the nights between
//	{Start: "2026-12-20T14:00", End: "2026-12-20T16:00"}  two hours, by the clock of the zone
//	{..., Repeat: "FREQ=WEEKLY;COUNT=6"}                  six of them
package hold

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/rrule"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

// Hold is a booking that a person has entered.
type Hold struct {
	UID   string `json:"uid"`
	Title string `json:"title,omitempty"`
	Note  string `json:"note,omitempty"`
	// Start and End are local: both dates, or both with hours. The end is not part of it.
	Start string `json:"start"`
	End   string `json:"end"`
	Zone  string `json:"zone,omitempty"` // whose clock they go by; "": that of the calendar
	// Repeat is a rule (RFC 5545 section 3.3.10); Except are starts that it leaves out, and Instances those of which
	// something differs.
	Repeat    string     `json:"repeat,omitempty"`
	Except    []string   `json:"except,omitempty"`
	Instances []Instance `json:"instances,omitempty"`

	Tentative  bool        `json:"tentative,omitempty"`
	Closure    bool        `json:"closure,omitempty"` // it is no sale
	Units      int         `json:"units,omitempty"`   // 0: one, or of a closure all that there are
	Categories []string    `json:"categories,omitempty"`
	Class      rules.Class `json:"class,omitempty"`
	Expires    time.Time   `json:"expires,omitzero"` // when it ends to count; zero: never
	Created    time.Time   `json:"created,omitzero"`
}

// Instance is one of a series that is not as its rule has it.
type Instance struct {
	Of        string `json:"of"` // where the rule would have it begin
	Start     string `json:"start"`
	End       string `json:"end"`
	Title     string `json:"title,omitempty"`
	Tentative bool   `json:"tentative,omitempty"`
}

// Bounds of what is written.
const (
	maxTitle     = 500
	maxNote      = 4000
	maxExcept    = 2000
	maxInstances = 500
	maxYears     = 10 // that one can last
)

func wrong(field, format string, args ...any) error {
	return &rules.FieldError{Field: field, Err: fmt.Errorf(format, args...)}
}

// Checked is a hold whose settings are right for a calendar, tidied. The error is a *rules.FieldError.
func (h Hold) Checked(c rules.Calendar) (Hold, error) {
	h.Title, h.Note = strings.TrimSpace(h.Title), strings.TrimSpace(h.Note)
	if n := len([]rune(h.Title)); n > maxTitle {
		return h, wrong("title", "the title has %d characters: use at most %d, and put the rest into the note", n, maxTitle)
	}
	if n := len([]rune(h.Note)); n > maxNote {
		return h, wrong("note", "the note has %d characters: use at most %d", n, maxNote)
	}
	loc, err := h.zone(c.Zone)
	if err != nil {
		return h, err
	}
	if h.Start, h.End, err = checkedEnds(h.Start, h.End, loc); err != nil {
		return h, err
	}
	if h.Units < 0 || h.Units > rules.MaxCapacity {
		return h, wrong("units", "units %d is not possible: use a number from 1 to %d", h.Units, rules.MaxCapacity)
	}
	if h.Closure && h.Tentative {
		return h, wrong("tentative", "a closure is firm: take one of the two away")
	}
	given, err := rules.NewGiven(h.Categories, string(h.Class))
	if err != nil {
		return h, err
	}
	h.Categories, h.Class = given.Categories, given.Class
	return h.checkedSeries(loc)
}

func (h Hold) zone(calendar *time.Location) (*time.Location, error) {
	if h.Zone == "" {
		return calendar, nil
	}
	loc, err := zone.Load(h.Zone)
	if err != nil {
		return nil, &rules.FieldError{Field: "zone", Err: err}
	}
	return loc, nil
}

// checkedEnds are both ends as they are written here.
func checkedEnds(start, end string, loc *time.Location) (string, string, error) {
	from, err := parse(start)
	if err != nil {
		return "", "", &rules.FieldError{Field: "start", Err: err}
	}
	to, err := parse(end)
	if err != nil {
		return "", "", &rules.FieldError{Field: "end", Err: err}
	}
	switch {
	case from.dated != to.dated:
		return "", "", wrong("end", "one end has an hour and the other has none: write both as days, or both with hours")
	case to.wall <= from.wall:
		return "", "", wrong("end", "it ends at %s, which is not after its start at %s", to, from)
	case to.wall > from.wall.AddDays(366*maxYears):
		return "", "", wrong("end", "it would last longer than %d years: look at the year of its end", maxYears)
	}
	for field, p := range map[string]point{"start": from, "end": to} {
		if p.missing(loc) {
			return "", "", wrong(field, "there is no %s on that day in %s: the clocks are put forward then", p.wall.Time().Format("15:04"), loc)
		}
	}
	return from.String(), to.String(), nil
}

// checkedSeries checks what makes it a series.
func (h Hold) checkedSeries(loc *time.Location) (Hold, error) {
	h.Repeat = strings.TrimPrefix(strings.ToUpper(strings.TrimSpace(h.Repeat)), "RRULE:")
	if h.Repeat == "" {
		h.Except, h.Instances = nil, nil
		return h, nil
	}
	start, _ := parse(h.Start)
	rule, err := rrule.Parse(h.Repeat)
	if err != nil {
		return h, &rules.FieldError{Field: "repeat", Err: fmt.Errorf("%w: write it as FREQ=WEEKLY;COUNT=6, say", err)}
	}
	if rule.Never(start.wall, start.dated) || !rule.Gives(start.wall, start.dated) {
		return h, wrong("repeat", "%s does not begin on %s: choose a start on which it does", h.Repeat, start)
	}
	if len(h.Except) > maxExcept || len(h.Instances) > maxInstances {
		return h, wrong("repeat", "of one series at most %d can be left out, and %d be other than the rest: end it, and begin a new one", maxExcept, maxInstances)
	}
	for i, text := range h.Except {
		p, err := parse(text)
		if err == nil && p.dated != start.dated {
			err = errors.New("it is no start of this series")
		}
		if err != nil {
			return h, &rules.FieldError{Field: "except", Err: err}
		}
		h.Except[i] = p.String()
	}
	slices.Sort(h.Except)
	h.Except = slices.Compact(h.Except)
	for i, in := range h.Instances {
		of, err := parse(in.Of)
		if err != nil || of.dated != start.dated {
			return h, wrong("instances", "%q is no start of this series", in.Of)
		}
		if in.Start, in.End, err = checkedEnds(in.Start, in.End, loc); err != nil {
			return h, err
		}
		in.Of = of.String()
		h.Instances[i] = in
	}
	slices.SortFunc(h.Instances, func(a, b Instance) int { return strings.Compare(a.Of, b.Of) })
	return h, nil
}

// point is a day, or a reading of a clock.
type point struct {
	wall  span.Wall
	dated bool
}

// minutes is how a reading of a clock is written here.
const minutes = "2006-01-02T15:04"

func parse(text string) (point, error) {
	text = strings.TrimSpace(text)
	if d, err := span.ParseDate(text); err == nil {
		return point{d.Wall(), true}, nil
	}
	for _, layout := range []string{minutes, "2006-01-02T15:04:05", "2006-01-02 15:04"} {
		if t, err := time.Parse(layout, text); err == nil {
			return point{span.WallOf(t), false}, nil
		}
	}
	return point{}, fmt.Errorf("%q is no day and no time: write 2026-12-20, or 2026-12-20T14:00", text)
}

func (p point) String() string {
	switch {
	case p.dated:
		return p.wall.Date().String()
	case p.wall.Clock()%60 != 0:
		return p.wall.Time().Format("2006-01-02T15:04:05")
	}
	return p.wall.Time().Format(minutes)
}

// missing reports whether the clock of a zone never shows it: it is put forward over it.
func (p point) missing(loc *time.Location) bool {
	return !p.dated && span.WallOf(zone.Instant(p.wall, loc)) != p.wall
}

// moved is the point as much later as another is than a third.
func (p point) moved(from, to point) point {
	p.wall += to.wall - from.wall
	return p
}

// Expiry is the instant at which a day begins, or at which the clock of a zone shows a time.
func Expiry(text string, loc *time.Location) (time.Time, error) {
	p, err := parse(text)
	switch {
	case err != nil:
		return time.Time{}, err
	case p.dated:
		return p.wall.Date().Start(loc), nil
	case p.missing(loc):
		return time.Time{}, fmt.Errorf("there is no %s on that day in %s: the clocks are put forward then", p.wall.Time().Format("15:04"), loc)
	}
	return zone.Instant(p.wall, loc), nil
}
