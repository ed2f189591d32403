// Package recur turns the components of a document into entries, and entries into
// the occurrences that overlap a window.
//
// In: an iCalendar document and, for an expansion, a window and the zone that ties its
// dates to the world. Out: Occurrences, keyed by their original start (RFC 5545 section
// 3.8.4.4, the recurrence set of section 3.8.5), and Diagnostics for what could not be
// understood: of such an entry DTSTART still counts. What an expansion costs is what
// lies in its window, not what lies before it.
package recur

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"hash/maphash"
	"maps"
	"slices"
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
	Entries []Entry
	Name    string // the name the document gives itself, if any
	// Refresh is how often the publisher says that it is to be read (RFC 7986 section 5.7); 0: nothing.
	Refresh     time.Duration
	Diagnostics []ical.Diagnostic

	calendars []calendar // each VCALENDAR of the stream
	frameText []string   // what they say for all that is in them
}

// calendar is what a VCALENDAR says for all that is in it.
type calendar struct {
	explained []*ical.Component // its VTIMEZONEs
	zones     *zone.Table
	floating  *zone.Zone // that it names for floating times; nil: none
	cancelled bool       // METHOD:CANCEL: all of it is called off
}

// Read reads a whole document. Of one that is cut off (ical.IsCutOff) it returns what is
// whole, and the error.
func Read(r *ical.Reader) (*Document, error) {
	calendars, err := r.ReadAll()
	if err != nil && !ical.IsCutOff(err) {
		return nil, err
	}
	doc := Of(calendars)
	doc.Diagnostics = slices.Concat(r.Diagnostics, doc.Diagnostics)
	return doc, err
}

// Of is the document of calendars that were read.
func Of(calendars []*ical.Component) *Document {
	doc := &Document{}
	var zones, components []*ical.Component
	for _, cal := range calendars {
		components = slices.Grow(components, len(cal.Components()))
		for _, c := range cal.Components() {
			switch {
			case c.Name == "VTIMEZONE":
				zones = append(zones, c)
			case doc.books(c):
				components = append(components, c)
			}
		}
	}
	doc.frame(calendars, zones)
	entries, diags := group(components)
	doc.Entries = entries
	doc.Diagnostics = append(doc.Diagnostics, diags...)
	return doc
}

// books reports whether the component can take time; others are told.
func (doc *Document) books(c *ical.Component) bool {
	if c.Name == "VEVENT" || c.Name == "VFREEBUSY" {
		return true
	}
	doc.diagf(c.Position(), ical.Info, "not-a-booking", "%s is no event: it takes no time", c.Name)
	return false
}

// frame takes what the VCALENDARs say for all that is in them.
func (doc *Document) frame(calendars, vtimezones []*ical.Component) {
	doc.calendars = make([]calendar, len(calendars))
	for i, c := range calendars {
		var own []*ical.Component
		for _, z := range vtimezones {
			if z.Calendar == i {
				own = append(own, z)
			}
		}
		doc.frameText = append(doc.frameText, "METHOD:"+c.Value("METHOD"))
		for _, z := range own {
			doc.frameText = append(doc.frameText, zoneText(z))
		}
		zones, diags := zone.NewTable(own)
		doc.Diagnostics = append(doc.Diagnostics, diags...)
		doc.calendars[i] = calendar{explained: own, zones: zones, cancelled: c.Value("METHOD") == "CANCEL"}
		doc.Name = cmp.Or(doc.Name, c.Text("NAME"), c.Text("X-WR-CALNAME"))
		for _, name := range []string{"REFRESH-INTERVAL", "X-PUBLISHED-TTL"} {
			if d, err := ical.ParseDuration(c.Value(name)); err == nil && doc.Refresh == 0 {
				doc.Refresh = max(0, time.Duration(d.Days)*24*time.Hour+d.Exact)
			}
		}
		if p, ok := c.Get("X-WR-TIMEZONE"); ok {
			doc.frameText = append(doc.frameText, "X-WR-TIMEZONE:"+p.Text())
			z, err := zones.Resolve(p.Text())
			if err != nil {
				doc.diagf(p.Position(), ical.Warning, "unknown-zone", "%v: floating times are read in the calendar's zone", err)
			}
			doc.calendars[i].floating = z
		}
	}
}

// Zones are the VTIMEZONEs of one of the document's VCALENDARs (ical.Component Calendar).
func (doc *Document) Zones(calendar int) []*ical.Component { return doc.calendars[calendar].explained }

// Floating is the TZID of the zone that one of the document's VCALENDARs names for times that name none; "" for none
// that is known.
func (doc *Document) Floating(calendar int) string {
	if z := doc.calendars[calendar].floating; z != nil {
		return z.String()
	}
	return ""
}

// ZoneNames are the zones that entries name for their times, and the document for floating ones, in order.
func (doc *Document) ZoneNames() []string {
	names := map[string]bool{}
	for _, text := range doc.frameText {
		if name, named := strings.CutPrefix(text, "X-WR-TIMEZONE:"); named {
			names[name] = true
		}
	}
	for _, e := range doc.Entries {
		for _, c := range append([]*ical.Component{e.lead()}, e.Overrides...) {
			for _, name := range []string{"DTSTART", "DTEND"} {
				if p, ok := c.Get(name); ok && p.Param("TZID") != "" {
					names[p.Param("TZID")] = true
				}
			}
		}
	}
	return slices.Sorted(maps.Keys(names))
}

// Frame is the same for two documents that say the same for all that is in them: the zones
// that they explain or name, and METHOD. Entries with equal digests in documents with equal
// frames have the same occurrences.
func (doc *Document) Frame() string {
	texts := slices.Clone(doc.frameText)
	slices.Sort(texts)
	return digest(texts)
}

// zoneText is what a VTIMEZONE is read by.
func zoneText(c *ical.Component) string {
	var lines []string
	for _, p := range c.Properties() {
		if zoneProperties[p.Name] {
			lines = append(lines, p.Name+":"+p.Value)
		}
	}
	for _, sub := range c.Components() {
		lines = append(lines, zoneText(sub))
	}
	slices.Sort(lines)
	return c.Name + "\n" + strings.Join(lines, "\n")
}

func (doc *Document) diagf(at ical.Position, severity ical.Severity, code, format string, args ...any) {
	doc.Diagnostics = append(doc.Diagnostics, ical.Diagf(at, severity, code, format, args...))
}

// group puts masters and overrides of one UID together. Copies and older revisions of the
// same thing are left out; a further master with the same UID is an entry of its own;
// what has no UID is never the same as another.
func group(components []*ical.Component) ([]Entry, []ical.Diagnostic) {
	var diags []ical.Diagnostic
	times := timesOf(components)
	entries := make([]Entry, 0, len(components))
	first := map[string]int{} // UID -> index of its first entry, of those that come more than once
	for _, c := range latest(components, times, essence) {
		uid := uidOf(c)
		if uid == "" {
			diags = append(diags, ical.Diagf(c.Position(), ical.Info, "no-uid", "the %s has no UID: it is told from others by its span and title", c.Name))
		}
		_, override := c.Get("RECURRENCE-ID")
		i, seen := len(entries), false
		if uid != "" && times[hashOf(uid)] > 1 {
			if i, seen = first[uid]; !seen {
				i = len(entries)
				first[uid] = i
			}
		}
		switch {
		case !seen:
			entries = append(entries, Entry{UID: uid})
		case !override && entries[i].Master != nil:
			diags = append(diags, ical.Diagf(c.Position(), ical.Warning, "uid-twice", "UID %s is used by two different events: both count", uid))
			i = len(entries)
			entries = append(entries, Entry{UID: uid})
		}
		if override {
			entries[i].Overrides = append(entries[i].Overrides, c)
		} else {
			entries[i].Master = c
		}
	}
	return entries, diags
}

// seed is of the hashes by which UIDs are counted.
var seed = maphash.MakeSeed()

func hashOf(uid string) uint64 { return maphash.String(seed, uid) }

// timesOf counts how often each UID comes, by its hash: what comes once by that is alone,
// and the others are looked at more closely.
func timesOf(components []*ical.Component) map[uint64]int32 {
	times := make(map[uint64]int32, len(components))
	for _, c := range components {
		times[hashOf(uidOf(c))]++
	}
	return times
}

func uidOf(c *ical.Component) string {
	p, _ := c.Get("UID")
	return strings.TrimSpace(p.Text())
}

// Latest leaves out exact copies and older revisions: components with the same kind,
// UID, RECURRENCE-ID and ORGANIZER but a lower SEQUENCE, then DTSTAMP (RFC 5546
// section 2.1.5). Those without UID are all kept. The order is kept. It takes as many
// steps as there are components.
func Latest(components []*ical.Component) []*ical.Component {
	return latest(components, timesOf(components), (*ical.Component).String)
}

// identity is what two components have in common that are states of one thing.
type identity struct{ kind, uid, recurrence, organizer string }

func identityOf(c *ical.Component) identity {
	recurrence, _ := c.Get("RECURRENCE-ID")
	return identity{c.Name, uidOf(c), recurrence.Param("TZID") + ":" + recurrence.Value, c.Value("ORGANIZER")}
}

// latest is Latest with another notion of what a copy is: what has the same text.
func latest(components []*ical.Component, times map[uint64]int32, text func(*ical.Component) string) []*ical.Component {
	if len(times) == len(components) {
		return components // each is the only one of its UID
	}
	alone := func(c *ical.Component) bool {
		uid := uidOf(c)
		return uid == "" || times[hashOf(uid)] == 1 || c.Name == "VTIMEZONE"
	}
	newest := map[identity]Revision{}
	many := map[identity]bool{} // more than one is of that revision
	for _, c := range components {
		if alone(c) {
			continue
		}
		id, r := identityOf(c), RevisionOf(c)
		was, seen := newest[id]
		if order := r.Compare(was); !seen || order > 0 {
			newest[id], many[id] = r, false
		} else if order == 0 {
			many[id] = true
		}
	}
	type copied struct {
		identity
		text string
	}
	kept, seen := make([]*ical.Component, 0, len(components)), map[copied]bool{}
	for _, c := range components {
		if !alone(c) {
			id := identityOf(c)
			if RevisionOf(c).Compare(newest[id]) < 0 {
				continue
			}
			if many[id] {
				one := copied{id, text(c)}
				if seen[one] {
					continue
				}
				seen[one] = true
			}
		}
		kept = append(kept, c)
	}
	return kept
}

// counts are the properties by which an occurrence is placed and told.
var counts = map[string]bool{"UID": true, "RECURRENCE-ID": true, "DTSTART": true, "DTEND": true, "DURATION": true, "RRULE": true, "RDATE": true, "EXDATE": true, "EXRULE": true,
	"SUMMARY": true, "STATUS": true, "TRANSP": true, busyStatus: true, "SEQUENCE": true, "DTSTAMP": true, "CREATED": true, "ORGANIZER": true, "FREEBUSY": true}

// essence is the same text for two components that place and tell the same.
func essence(c *ical.Component) string {
	var b strings.Builder
	for _, p := range c.Properties() {
		if counts[p.Name] {
			b.WriteString(p.String())
			b.WriteByte('\n')
		}
	}
	return b.String()
}

// lead is the component that stands for the entry: its master, else its first
// override.
func (e Entry) lead() *ical.Component {
	if e.Master != nil {
		return e.Master
	}
	return e.Overrides[0]
}

// IsEvent reports whether it is a VEVENT, and no VFREEBUSY.
func (e Entry) IsEvent() bool { return e.lead().Name == "VEVENT" }

// Line is where the entry stands in its document.
func (e Entry) Line() int { return e.lead().Line }

// Title is the entry's SUMMARY.
func (e Entry) Title() string { return e.lead().Text("SUMMARY") }

// Texts are the values of a property of the entry, each of those that are lists of texts.
func (e Entry) Texts(name string) []string { return textsOf(e.lead(), name) }

// TextsIn are the values of a property of one of its components; those of the entry where it says nothing of that.
func (e Entry) TextsIn(c *ical.Component, name string) []string {
	if own := textsOf(c, name); len(own) > 0 {
		return own
	}
	return e.Texts(name)
}

func textsOf(c *ical.Component, name string) []string {
	var all []string
	for _, p := range c.Properties() {
		if p.Name != name {
			continue
		}
		if name == "CATEGORIES" || name == "RESOURCES" {
			all = append(all, p.TextList()...)
		} else {
			all = append(all, p.Text())
		}
	}
	return all
}

// Source is the entry as it was read: its components, one after the other.
func (e Entry) Source() string {
	var b strings.Builder
	if e.Master != nil {
		b.WriteString(e.Master.String())
	}
	for _, o := range e.Overrides {
		b.WriteString(o.String())
	}
	return b.String()
}

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
	lines := make([]string, 0, len(c.Properties())+len(c.Components()))
	for _, p := range c.Properties() {
		if p.Name == "UID" || p.Name == "DTSTAMP" {
			continue
		}
		params := p.Params()
		slices.SortStableFunc(params, func(a, b ical.Param) int { return cmp.Compare(a.Name, b.Name) })
		lines = append(lines, ical.NewProperty(p.Name, p.Value, params...).String())
	}
	for _, sub := range c.Components() {
		lines = append(lines, canonical(sub))
	}
	slices.Sort(lines)
	return c.Name + "\n" + strings.Join(lines, "\n")
}
