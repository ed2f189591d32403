// Package zone turns the name of a time zone into its rules, and a reading of a wall
// clock into an instant.
//
// In: a TZID and the VTIMEZONEs of the document it stands in. Out: a Zone, which gives
// offsets from a table and is the same kind of thing whatever it was made of. A TZID is
// what the document's own VTIMEZONE says it is (RFC 5545 section 3.6.5); else an IANA
// name, from data that is built in, so that the machine's own zone files never decide;
// else one of the names that vendors use, by the Unicode CLDR.
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
	loaded  sync.Map // IANA name -> *Zone
	places  sync.Map // *time.Location of those -> *Zone
)

// folder is the IANA data by name, with the names as they are written by their forms in
// lower case.
type folder struct {
	files map[string]*zip.File
	names map[string]string
}

func openArchive() folder {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		panic("zone: the built-in zone data is broken: " + err.Error())
	}
	f := folder{make(map[string]*zip.File, len(z.File)), make(map[string]string, len(z.File))}
	for _, file := range z.File {
		if !strings.HasSuffix(file.Name, "/") {
			f.files[file.Name] = file
			f.names[strings.ToLower(file.Name)] = file.Name
		}
	}
	return f
}

// Load returns the IANA zone of that name, such as "America/Halifax".
func Load(name string) (*time.Location, error) {
	z, err := load(name)
	if err != nil {
		return nil, err
	}
	return z.Location(), nil
}

func load(name string) (*Zone, error) {
	if name == "UTC" || name == "Etc/UTC" {
		return UTC, nil
	}
	if z, ok := loaded.Load(name); ok {
		return z.(*Zone), nil
	}
	f := archive().files[name]
	if f == nil {
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
	z, _ := loaded.LoadOrStore(name, &Zone{name: name, loc: loc})
	places.Store(z.(*Zone).loc, z)
	return z.(*Zone), nil
}

// Table resolves the TZIDs of one calendar, each once. It is not for use by several
// goroutines at a time.
type Table struct {
	own   map[string]*Zone // from its VTIMEZONEs
	known map[string]found
}

type found struct {
	zone *Zone
	err  error
}

// NewTable reads the calendar's VTIMEZONE components. What cannot be read of them is in
// the diagnostics.
func NewTable(vtimezones []*ical.Component) (*Table, []ical.Diagnostic) {
	t := &Table{own: map[string]*Zone{}, known: map[string]found{}}
	var diags []ical.Diagnostic
	texts := map[string]string{}
	for _, c := range vtimezones {
		id := tidy(c.Text("TZID"))
		if id == "" {
			diags = append(diags, ical.Diagf(c.Position(), ical.Warning, "zone-without-id", "a VTIMEZONE has no TZID: nothing can refer to it"))
			continue
		}
		if before, twice := texts[id]; twice {
			if before != c.String() {
				diags = append(diags, ical.Diagf(c.Position(), ical.Warning, "zone-twice", "there are two VTIMEZONEs %q with different rules: the first one is used", id))
			}
			continue
		}
		texts[id] = c.String()
		z, err := fromVTimezone(id, c)
		if err != nil {
			diags = append(diags, ical.Diagf(c.Position(), ical.Warning, "bad-zone", "VTIMEZONE %q cannot be read (%v)", id, err))
			continue
		}
		t.own[id] = z
	}
	return t, diags
}

// Resolve returns the rules for a TZID. A nil Table has no VTIMEZONEs.
func (t *Table) Resolve(tzid string) (*Zone, error) {
	if t == nil {
		return byName(tidy(tzid))
	}
	f, ok := t.known[tzid]
	if !ok {
		id := tidy(tzid)
		if f.zone, ok = t.own[id]; !ok {
			f.zone, f.err = byName(id)
		}
		t.known[tzid] = f
	}
	return f.zone, f.err
}
