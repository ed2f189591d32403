// Package zone turns the name of a time zone into its rules, and a reading of a wall
// clock into an instant.
//
// In: a TZID and the VTIMEZONEs of the document it stands in. Out: a *time.Location.
// IANA names come first, from data that is built in, so that the machine's own zone
// files never decide; then the document's VTIMEZONE (RFC 5545 section 3.6.5).
package zone

import (
	"archive/zip"
	"bytes"
	_ "embed"
	"fmt"
	"io"
	"strings"
	"sync"
	"time"

	"wharf/core/ical"
)

//go:embed zoneinfo.zip
var data []byte

var (
	archive = sync.OnceValue(openArchive)
	loaded  sync.Map // IANA name -> *time.Location
)

func openArchive() map[string]*zip.File {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		panic("zone: the built-in zone data is broken: " + err.Error())
	}
	files := make(map[string]*zip.File, len(z.File))
	for _, f := range z.File {
		files[f.Name] = f
	}
	return files
}

// Load returns the IANA zone of that name, such as "America/Halifax".
func Load(name string) (*time.Location, error) {
	if name == "UTC" || name == "Etc/UTC" {
		return time.UTC, nil
	}
	if loc, ok := loaded.Load(name); ok {
		return loc.(*time.Location), nil
	}
	f := archive()[name]
	if f == nil || strings.HasSuffix(name, "/") {
		return nil, fmt.Errorf("time zone %q is not known: use an IANA name such as America/Halifax", name)
	}
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("time zone %q: %w", name, err)
	}
	defer r.Close()
	raw, err := io.ReadAll(r)
	if err != nil {
		return nil, fmt.Errorf("time zone %q: %w", name, err)
	}
	loc, err := time.LoadLocationFromTZData(name, raw)
	if err != nil {
		return nil, fmt.Errorf("time zone %q: %w", name, err)
	}
	loaded.Store(name, loc)
	return loc, nil
}

// Table resolves the TZIDs of one document.
type Table struct {
	own map[string]*time.Location // from its VTIMEZONEs
}

// NewTable reads the document's VTIMEZONE components. What cannot be read of them is
// in the diagnostics.
func NewTable(vtimezones []*ical.Component) (*Table, []ical.Diagnostic) {
	t := &Table{own: map[string]*time.Location{}}
	var diags []ical.Diagnostic
	for _, c := range vtimezones {
		id := c.Text("TZID")
		if id == "" {
			diags = append(diags, ical.Diagf(c.Line, ical.Warning, "zone-without-id", "a VTIMEZONE has no TZID: nothing can refer to it"))
			continue
		}
		loc, err := fromVTimezone(id, c)
		if err != nil {
			diags = append(diags, ical.Diagf(c.Line, ical.Warning, "bad-zone", "VTIMEZONE %q cannot be read (%v)", id, err))
			continue
		}
		t.own[id] = loc
	}
	return t, diags
}

// Resolve returns the rules for a TZID: the IANA zone of that name (also behind a
// globally unique prefix, RFC 5545 section 3.2.19), else the document's own.
func (t *Table) Resolve(tzid string) (*time.Location, error) {
	if loc, err := Load(tzid); err == nil {
		return loc, nil
	}
	if strings.HasPrefix(tzid, "/") {
		parts := strings.Split(strings.Trim(tzid, "/"), "/")
		for i := range parts {
			if loc, err := Load(strings.Join(parts[i:], "/")); err == nil {
				return loc, nil
			}
		}
	}
	if t != nil {
		if loc, ok := t.own[tzid]; ok {
			return loc, nil
		}
	}
	return nil, fmt.Errorf("time zone %q is neither an IANA name nor explained by a VTIMEZONE", tzid)
}

// Instant returns the instant at which a clock in loc shows the wall reading (held in
// UTC). A reading in a gap is taken with the offset before it; of an ambiguous one,
// the first (RFC 5545 section 3.3.5).
func Instant(wall time.Time, loc *time.Location) time.Time {
	for _, around := range []time.Duration{-24 * time.Hour, 24 * time.Hour} {
		_, offset := wall.Add(around).In(loc).Zone()
		t := wall.Add(-time.Duration(offset) * time.Second)
		if _, actual := t.In(loc).Zone(); actual == offset {
			return t.In(loc)
		}
	}
	_, before := wall.Add(-24 * time.Hour).In(loc).Zone()
	return wall.Add(-time.Duration(before) * time.Second).In(loc)
}

// Wall returns what a clock in loc shows at t, held in UTC.
func Wall(t time.Time, loc *time.Location) time.Time {
	l := t.In(loc)
	_, offset := l.Zone()
	return t.UTC().Add(time.Duration(offset) * time.Second)
}
