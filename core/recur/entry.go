// Package recur turns the components of a document into entries, and entries into
// the occurrences that overlap a window.
//
// In: an iCalendar document and, for an expansion, a window and the zones that tie
// its readings to the world. Out: Occurrences, keyed by their original start
// (RFC 5545 section 3.8.4.4, the recurrence set of section 3.8.5), and Diagnostics
// for what could not be understood: of such an entry DTSTART still counts.
package recur

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/zone"
)

// Entry is one VEVENT series (its master and its overrides) or one VFREEBUSY.
type Entry struct {
	UID       string
	Master    *ical.Component // nil when only overrides are there
	Overrides []*ical.Component
}

// Document is what a feed says: its entries and what is needed to place them in time.
type Document struct {
	Entries     []Entry
	Zones       *zone.Table
	Floating    *time.Location // the zone the document names for floating times; nil: none
	Cancelled   bool           // METHOD:CANCEL: all of it is called off
	Name        string         // the name the document gives itself, if any
	Diagnostics []ical.Diagnostic
}

// Read reads a whole document.
func Read(r *ical.Reader) (*Document, error) {
	cal, err := r.ReadAll()
	if err != nil {
		return nil, err
	}
	doc := &Document{Diagnostics: r.Diagnostics, Cancelled: cal.Value("METHOD") == "CANCEL",
		Name: cmp.Or(cal.Text("NAME"), cal.Text("X-WR-CALNAME"))}
	zones, diags := zone.NewTable(cal.Children("VTIMEZONE"))
	doc.Zones = zones
	doc.Diagnostics = append(doc.Diagnostics, diags...)
	if p, ok := cal.Get("X-WR-TIMEZONE"); ok {
		doc.Floating, err = zones.Resolve(p.Text())
		if err != nil {
			doc.diagf(p.Line, ical.Warning, "unknown-zone", "%v: floating times are read in the calendar's zone", err)
		}
	}
	doc.group(cal.Components)
	return doc, nil
}

// group puts masters and overrides of one UID together. Exact copies and older
// revisions of the same thing are left out; a further master with the same UID is an
// entry of its own; what has no UID is never the same as another.
func (doc *Document) group(components []*ical.Component) {
	first := map[string]int{} // UID -> index of its first entry
	for _, c := range Latest(components) {
		switch c.Name {
		case "VEVENT", "VFREEBUSY":
		case "VTIMEZONE":
			continue
		default:
			doc.diagf(c.Line, ical.Info, "not-a-booking", "%s is no event: it was passed over", c.Name)
			continue
		}
		uid := strings.TrimSpace(c.Text("UID"))
		if uid == "" {
			doc.diagf(c.Line, ical.Info, "no-uid", "the %s has no UID: it is told from others by its span and title", c.Name)
		}
		_, override := c.Get("RECURRENCE-ID")
		i, seen := first[uid]
		seen = seen && uid != ""
		switch {
		case !seen:
			first[uid] = len(doc.Entries)
			doc.Entries = append(doc.Entries, Entry{UID: uid})
			i = len(doc.Entries) - 1
		case !override && doc.Entries[i].Master != nil:
			doc.diagf(c.Line, ical.Warning, "uid-twice", "UID %s is used by two different events: both count", uid)
			doc.Entries = append(doc.Entries, Entry{UID: uid})
			i = len(doc.Entries) - 1
		}
		if override {
			doc.Entries[i].Overrides = append(doc.Entries[i].Overrides, c)
		} else {
			doc.Entries[i].Master = c
		}
	}
}

func (doc *Document) diagf(line int, severity ical.Severity, code, format string, args ...any) {
	doc.Diagnostics = append(doc.Diagnostics, ical.Diagf(line, severity, code, format, args...))
}

// Latest leaves out exact copies and older revisions: components with the same kind,
// UID, RECURRENCE-ID and ORGANIZER but a lower SEQUENCE, then DTSTAMP (RFC 5546
// section 2.1.5). Those without UID are all kept. The order is kept.
func Latest(components []*ical.Component) []*ical.Component {
	type identity struct{ kind, uid, recurrence, organizer string }
	var kept []*ical.Component
	at := map[identity][]int{}
	for _, c := range components {
		uid := strings.TrimSpace(c.Text("UID"))
		if uid == "" || c.Name == "VTIMEZONE" {
			kept = append(kept, c)
			continue
		}
		recurrence, _ := c.Get("RECURRENCE-ID")
		id := identity{c.Name, uid, recurrence.Param("TZID") + ":" + recurrence.Value, c.Value("ORGANIZER")}
		placed := false
		for _, i := range at[id] {
			if order := RevisionOf(c).Compare(RevisionOf(kept[i])); order != 0 {
				if order > 0 {
					kept[i] = c
				}
				placed = true
			} else if c.String() == kept[i].String() {
				placed = true
			}
		}
		if !placed {
			at[id] = append(at[id], len(kept))
			kept = append(kept, c)
		}
	}
	return kept
}

// Revision says which of two states of one event is the later one.
type Revision struct {
	Sequence int
	Stamp    time.Time // DTSTAMP; zero when there is none
}

// RevisionOf reads SEQUENCE and DTSTAMP.
func RevisionOf(c *ical.Component) Revision {
	var r Revision
	if n, err := strconv.Atoi(c.Value("SEQUENCE")); err == nil {
		r.Sequence = max(0, min(n, math.MaxInt32))
	}
	r.Stamp = stampOf(c, "DTSTAMP")
	return r
}

// Compare is positive when r is the later revision, 0 when nothing tells them apart.
func (r Revision) Compare(s Revision) int {
	return cmp.Or(cmp.Compare(r.Sequence, s.Sequence), r.Stamp.Compare(s.Stamp))
}

// stampOf reads a property that holds a UTC time, such as CREATED; zero when absent
// or unreadable.
func stampOf(c *ical.Component, name string) time.Time {
	p, ok := c.Get(name)
	if !ok {
		return time.Time{}
	}
	m, err := p.Moment()
	if err != nil {
		return time.Time{}
	}
	return m.Wall
}

// lead is the component that stands for the entry: its master, else its first
// override.
func (e Entry) lead() *ical.Component {
	if e.Master != nil {
		return e.Master
	}
	return e.Overrides[0]
}

// Line is where the entry stands in its document.
func (e Entry) Line() int { return e.lead().Line }

// Title is the entry's SUMMARY.
func (e Entry) Title() string { return e.lead().Text("SUMMARY") }

// Digest is the same for two entries that mean the same: UID, DTSTAMP and the order
// of properties and overrides do not count.
func (e Entry) Digest() string {
	texts := make([]string, 0, 1+len(e.Overrides))
	if e.Master != nil {
		texts = append(texts, canonical(e.Master))
	}
	for _, o := range e.Overrides {
		texts = append(texts, canonical(o))
	}
	slices.Sort(texts)
	return digest(texts)
}

// Place is a digest of the entry's time and title as written, by which entries are
// matched when their UIDs are of no use.
func (e Entry) Place() string {
	c := e.lead()
	parts := []string{c.Name, e.Title()}
	for _, name := range []string{"DTSTART", "DTEND", "DURATION", "RRULE", "RECURRENCE-ID", "FREEBUSY"} {
		p, _ := c.Get(name)
		parts = append(parts, p.Param("TZID"), p.Value)
	}
	return digest(parts)
}

func digest(parts []string) string {
	sum := sha256.Sum256([]byte(strings.Join(parts, "\x00")))
	return hex.EncodeToString(sum[:16])
}

func canonical(c *ical.Component) string {
	lines := make([]string, 0, len(c.Properties)+len(c.Components))
	for _, p := range c.Properties {
		if p.Name == "UID" || p.Name == "DTSTAMP" {
			continue
		}
		params := slices.Clone(p.Params)
		slices.SortFunc(params, func(a, b ical.Param) int { return cmp.Compare(a.Name, b.Name) })
		lines = append(lines, ical.Property{Name: p.Name, Params: params, Value: p.Value}.String())
	}
	for _, sub := range c.Components {
		lines = append(lines, canonical(sub))
	}
	slices.Sort(lines)
	return c.Name + "\n" + strings.Join(lines, "\n")
}
