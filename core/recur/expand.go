package recur

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/span"
	"wharf/core/zone"
)

// Status is what an occurrence says of itself.
type Status string

const (
	Confirmed Status = "confirmed"
	Tentative Status = "tentative"
	Cancelled Status = "cancelled"
)

// Occurrence is one instance of an entry.
type Occurrence struct {
	UID string
	// RecurrenceID is the original start of an instance of a series, as a date or as
	// UTC RFC 3339; "" for an entry that does not repeat.
	RecurrenceID string
	// Key tells the occurrences of one entry apart: RecurrenceID, or the start of a
	// period of a VFREEBUSY.
	Key string

	// AllDay: the occurrence has dates, First up to, not including, Last.
	AllDay      bool
	First, Last span.Date
	// Start and End are instants; for all-day ones the local midnights in the zone
	// that the expansion was given.
	Start, End time.Time
	// NominalEnd is the end by the wall clock (a series that ends at 11:00 ends at
	// 11:00 also when clocks changed on the way); End is exact, as RFC 5545 section
	// 3.8.2.2 has it.
	NominalEnd time.Time
	// Endless: a DATE-TIME with neither end nor duration.
	Endless bool

	Status      Status
	Transparent bool
	Summary     string
	Revision    Revision
	Created     time.Time // CREATED; zero when not given
	Line        int
}

// Window is what to expand: the occurrences that overlap [From, To), at most Limit of
// an entry (0: 10,000), with DATEs placed in Zone, and so floating times unless the
// document names a zone for them.
type Window struct {
	From, To time.Time
	Zone     *time.Location
	Limit    int
	// KeepSingle: entries that do not repeat are kept whatever their date.
	KeepSingle bool
}

// Holds reports whether an occurrence from start to end overlaps the window; one that
// lasts nothing does when its start is inside.
func (w Window) Holds(start, end time.Time) bool {
	if !end.After(start) {
		return !start.Before(w.From) && start.Before(w.To)
	}
	return start.Before(w.To) && end.After(w.From)
}

// Expand returns the entry's occurrences in the window, in order of start, and what
// could not be understood.
func (doc *Document) Expand(e Entry, w Window) ([]Occurrence, []ical.Diagnostic) {
	x := expansion{doc: doc, window: w}
	if x.window.Limit == 0 {
		x.window.Limit = 10000
	}
	if e.lead().Name == "VFREEBUSY" {
		x.freeBusy(e)
	} else {
		x.series(e)
	}
	slices.SortFunc(x.found, func(a, b Occurrence) int {
		return cmp.Or(a.Start.Compare(b.Start), cmp.Compare(a.Key, b.Key))
	})
	return x.found, x.diags
}

// expansion is the state of one Expand.
type expansion struct {
	doc    *Document
	window Window
	found  []Occurrence
	diags  []ical.Diagnostic
}

func (x *expansion) warn(line int, code, format string, args ...any) {
	x.diags = append(x.diags, ical.Diagf(line, ical.Warning, code, format, args...))
}

// shape is an event's time as its component gives it.
type shape struct {
	start     ical.Moment
	startZone *time.Location
	// The end: a wall reading of its own, or a duration.
	wallLength  time.Duration // by the wall clock
	exactLength time.Duration
	endless     bool
}

func (x *expansion) series(e Entry) {
	overridden := map[string]bool{}
	for _, o := range e.Overrides {
		p, _ := o.Get("RECURRENCE-ID")
		if p.Param("RANGE") != "" {
			x.warn(o.Line, "range-not-covered", "RANGE=%s is not covered: only this one instance is changed", p.Param("RANGE"))
		}
		m, err := p.Moment()
		if err != nil {
			x.warn(o.Line, "bad-recurrence-id", "%v: the override counts as an event of its own", err)
			x.single(o, e, digest([]string{p.Value}))
			continue
		}
		key := x.key(m, x.zoneOf(m, o.Line))
		overridden[key] = true
		x.single(o, e, key)
	}
	if e.Master == nil {
		return
	}
	s, ok := x.shapeOf(e.Master)
	if !ok {
		return
	}
	rules, repeats := x.rulesOf(e.Master, s)
	if !repeats {
		if key := x.key(s.start, s.startZone); len(overridden) == 0 || !overridden[key] {
			x.add(x.kind(e.Master, e, s), "", s.at(s.start.Wall), x.window.KeepSingle)
		}
		return
	}
	excluded, kind, n := x.excluded(e.Master, s), x.kind(e.Master, e, s), 0
	instances := x.instances(e.Master, s, rules, x.window.Limit+len(excluded)+len(overridden))
	x.found = slices.Grow(x.found, min(len(instances), x.window.Limit))
	for _, in := range instances {
		t := s.at(in.wall)
		key := keyOf(in.wall, t.start, kind.AllDay)
		if overridden[key] || excluded[key] {
			continue
		}
		if n++; n > x.window.Limit {
			x.warn(e.Master.Line, "too-many", "the series has more than %d occurrences in the window: the later ones were left out", x.window.Limit)
			return
		}
		if in.length != nil {
			t.end = t.start.Add(*in.length)
			t.nominalEnd = t.end
		}
		x.add(kind, key, t, false)
	}
}

// single adds a component that stands for exactly one instance.
func (x *expansion) single(c *ical.Component, e Entry, key string) {
	if s, ok := x.shapeOf(c); ok {
		x.add(x.kind(c, e, s), key, s.at(s.start.Wall), false)
	}
}

// times are the instants of one instance.
type times struct {
	wall, start, end, nominalEnd time.Time
	shape                        shape
}

// at places the shape at a wall reading.
func (s shape) at(wall time.Time) times {
	start := zone.Instant(wall, s.startZone)
	return times{wall, start, start.Add(s.exactLength), zone.Instant(wall.Add(s.wallLength), s.startZone), s}
}

// kind is what all instances of a component have in common.
func (x *expansion) kind(c *ical.Component, e Entry, s shape) Occurrence {
	o := Occurrence{UID: e.UID, Summary: c.Text("SUMMARY"), Revision: RevisionOf(c), Created: stampOf(c, "CREATED"), Line: c.Line,
		Endless: s.endless, AllDay: s.start.AllDay()}
	o.Status, o.Transparent = x.statusOf(c, e)
	return o
}

// add keeps an instance of the kind if it overlaps the window, or always.
func (x *expansion) add(o Occurrence, recurrenceID string, t times, always bool) {
	o.RecurrenceID, o.Key = recurrenceID, recurrenceID
	o.Start, o.End, o.NominalEnd = t.start, t.end, t.nominalEnd
	if o.AllDay {
		o.First = span.DateOf(t.wall)
		o.Last = span.DateOf(t.wall.Add(t.shape.wallLength))
		o.Start, o.End = o.First.Start(x.window.Zone), o.Last.Start(x.window.Zone)
		o.NominalEnd = o.End
	}
	if always || x.window.Holds(o.Start, o.End) {
		x.found = append(x.found, o)
	}
}

// statusOf applies STATUS, TRANSP and the widely used vendor property for busy status;
// an override without STATUS has its master's.
func (x *expansion) statusOf(c *ical.Component, e Entry) (Status, bool) {
	status := c.Value("STATUS")
	if status == "" && e.Master != nil {
		status = e.Master.Value("STATUS")
	}
	vendor := c.Value("X-MICROSOFT-CDO-BUSYSTATUS")
	transparent := c.Value("TRANSP") == "TRANSPARENT" || vendor == "FREE"
	switch {
	case x.doc.Cancelled || status == "CANCELLED":
		return Cancelled, transparent
	case status == "TENTATIVE" || vendor == "TENTATIVE":
		return Tentative, transparent
	}
	return Confirmed, transparent
}

// shapeOf reads DTSTART with DTEND or DURATION. It reports false, with a diagnostic,
// when there is no DTSTART to go by.
func (x *expansion) shapeOf(c *ical.Component) (shape, bool) {
	p, ok := c.Get("DTSTART")
	if !ok {
		x.diags = append(x.diags, ical.Diagf(c.Line, ical.Error, "no-start", "the event %q has no DTSTART: it cannot be placed", c.Text("SUMMARY")))
		return shape{}, false
	}
	m, err := p.Moment()
	if err != nil {
		x.diags = append(x.diags, ical.Diagf(p.Line, ical.Error, "bad-start", "%v: the event %q cannot be placed", err, c.Text("SUMMARY")))
		return shape{}, false
	}
	s := shape{start: m, startZone: x.zoneOf(m, p.Line)}
	switch {
	case x.endFromDTEND(c, &s), x.endFromDuration(c, &s):
	case m.AllDay():
		s.wallLength = 24 * time.Hour
	default:
		s.endless = true
	}
	if m.AllDay() && s.wallLength < 24*time.Hour {
		s.wallLength = 24 * time.Hour // end = start, or before it: one day
	}
	if s.wallLength < 0 || s.exactLength < 0 {
		x.warn(c.Line, "ends-before-start", "the event %q ends before it starts: it is read as lasting nothing", c.Text("SUMMARY"))
		s.wallLength, s.exactLength = 0, 0
	}
	return s, true
}

func (x *expansion) endFromDTEND(c *ical.Component, s *shape) bool {
	p, ok := c.Get("DTEND")
	if !ok {
		return false
	}
	m, err := p.Moment()
	if err != nil {
		x.warn(p.Line, "bad-end", "%v: the event %q is read as if it had no end", err, c.Text("SUMMARY"))
		return false
	}
	if m.AllDay() != s.start.AllDay() {
		x.warn(p.Line, "mixed-end", "DTSTART and DTEND of %q are of different kinds (a date and a time)", c.Text("SUMMARY"))
	}
	end := zone.Instant(m.Wall, x.zoneOf(m, p.Line))
	s.exactLength = end.Sub(zone.Instant(s.start.Wall, s.startZone))
	s.wallLength = zone.Wall(end, s.startZone).Sub(s.start.Wall)
	if s.start.AllDay() {
		s.wallLength = m.Wall.Truncate(24 * time.Hour).Sub(s.start.Wall)
	}
	return true
}

func (x *expansion) endFromDuration(c *ical.Component, s *shape) bool {
	p, ok := c.Get("DURATION")
	if !ok {
		return false
	}
	d, err := ical.ParseDuration(p.Value)
	if err != nil {
		x.warn(p.Line, "bad-duration", "%v: the event %q is read as if it had no end", err, c.Text("SUMMARY"))
		return false
	}
	s.wallLength = time.Duration(d.Days)*24*time.Hour + d.Exact
	end := zone.Instant(s.start.Wall.AddDate(0, 0, d.Days), s.startZone).Add(d.Exact)
	s.exactLength = end.Sub(zone.Instant(s.start.Wall, s.startZone))
	return true
}

// zoneOf is the zone in which a reading is to be understood.
func (x *expansion) zoneOf(m ical.Moment, line int) *time.Location {
	switch m.Anchor {
	case ical.UTC:
		return time.UTC
	case ical.Zoned:
		loc, err := x.doc.Zones.Resolve(m.TZID)
		if err == nil {
			return loc
		}
		loc = cmp.Or(x.doc.Floating, x.window.Zone)
		x.warn(line, "unknown-zone", "%v: read in %s", err, loc)
		return loc
	case ical.Floating:
		return cmp.Or(x.doc.Floating, x.window.Zone)
	}
	return x.window.Zone
}

// key is the canonical form of an original start: a date, or a UTC time.
func (x *expansion) key(m ical.Moment, loc *time.Location) string {
	return keyOf(m.Wall, zone.Instant(m.Wall, loc), m.AllDay())
}

func keyOf(wall, instant time.Time, date bool) string {
	if date {
		return span.DateOf(wall).String()
	}
	return instant.UTC().Format(time.RFC3339)
}

// rulesOf reads the RRULEs and reports whether the event repeats at all.
func (x *expansion) rulesOf(c *ical.Component, s shape) ([]Rule, bool) {
	var rules []Rule
	for _, p := range c.All("RRULE") {
		r, err := ParseRule(p.Value)
		if err != nil {
			x.warn(p.Line, "rule-not-covered", "the repetition of %q is not understood (%v): only its first date counts", c.Text("SUMMARY"), err)
			continue
		}
		if r.freq < Daily && s.start.AllDay() {
			x.warn(p.Line, "rule-of-times", "%q has dates and comes round more often than daily: only its first date counts", c.Text("SUMMARY"))
			continue
		}
		rules = append(rules, r)
	}
	for _, p := range c.All("EXRULE") {
		x.warn(p.Line, "exrule", "EXRULE is obsolete and was passed over: no date of %q is left out for it", c.Text("SUMMARY"))
	}
	_, dates := c.Get("RDATE")
	_, ruled := c.Get("RRULE")
	return rules, dates || ruled
}

// instance is one start of a series, before exclusions; length is set for a PERIOD.
type instance struct {
	wall   time.Time
	length *time.Duration
}

// instances lays out DTSTART, the rules and the RDATEs up to the window's end, sorted
// and each start once; of each rule somewhat more than most.
func (x *expansion) instances(c *ical.Component, s shape, rules []Rule, most int) []instance {
	all := []instance{{wall: s.start.Wall}}
	lengthy := max(s.wallLength, s.exactLength) + 48*time.Hour // zones and clock changes apart
	from := zone.Wall(x.window.From, s.startZone).Add(-lengthy)
	to := zone.Wall(x.window.To, s.startZone).Add(48 * time.Hour)
	sureFrom, sureTo := from.Add(lengthy+48*time.Hour), to.Add(-96*time.Hour)
	for _, r := range rules {
		had := len(all)
		for w := range r.walls(s.start.Wall, from, to, s.start.AllDay()) {
			if w.After(to) || x.past(r, w, s) || len(all)-had > most {
				break
			}
			inside := w.After(sureFrom) && w.Before(sureTo)
			if w.After(from) && (inside || !x.outside(w, s)) {
				all = append(all, instance{wall: w})
			}
		}
	}
	for _, p := range c.All("RDATE") {
		all = append(all, x.extraDates(p, s)...)
	}
	slices.SortStableFunc(all, func(a, b instance) int { return a.wall.Compare(b.wall) })
	return slices.CompactFunc(all, func(a, b instance) bool { return a.wall.Equal(b.wall) })
}

// outside reports whether an instance with times lies outside the window, as can only be
// known of its instants; those with dates are few.
func (x *expansion) outside(w time.Time, s shape) bool {
	if s.start.AllDay() {
		return false
	}
	t := s.at(w)
	return !t.start.Before(x.window.To) || t.end.Before(x.window.From) && t.nominalEnd.Before(x.window.From)
}

// past reports whether the wall reading lies after the rule's UNTIL, which is
// inclusive; a date without time includes its whole day.
func (x *expansion) past(r Rule, w time.Time, s shape) bool {
	switch {
	case r.until == nil:
		return false
	case r.until.Anchor == ical.UTC && !s.start.AllDay():
		return zone.Instant(w, s.startZone).After(r.until.Wall)
	case r.until.AllDay() || s.start.AllDay():
		return span.DateOf(w) > span.DateOf(r.until.Wall)
	}
	return w.After(r.until.Wall)
}

func (x *expansion) extraDates(p ical.Property, s shape) []instance {
	var all []instance
	for _, v := range strings.Split(p.Value, ",") {
		head, tail, period := strings.Cut(v, "/")
		m, err := ical.ParseMoment(head, p.Param("TZID"))
		if err != nil {
			x.warn(p.Line, "bad-rdate", "RDATE: %v: it was passed over", err)
			continue
		}
		in := instance{wall: x.inZoneOf(m, s, p.Line)}
		if period {
			if length, err := x.periodLength(m, tail, p); err != nil {
				x.warn(p.Line, "bad-rdate", "RDATE: %v: its length is that of the event", err)
			} else {
				in.length = &length
			}
		}
		all = append(all, in)
	}
	return all
}

// inZoneOf rewrites a reading as one of the zone of DTSTART.
func (x *expansion) inZoneOf(m ical.Moment, s shape, line int) time.Time {
	if m.AllDay() || s.start.AllDay() {
		return m.Wall
	}
	return zone.Wall(zone.Instant(m.Wall, x.zoneOf(m, line)), s.startZone)
}

// periodLength reads what follows the slash of a PERIOD (RFC 5545 section 3.3.9).
func (x *expansion) periodLength(start ical.Moment, tail string, p ical.Property) (time.Duration, error) {
	from := zone.Instant(start.Wall, x.zoneOf(start, p.Line))
	if d, err := ical.ParseDuration(tail); err == nil {
		return zone.Instant(start.Wall.AddDate(0, 0, d.Days), x.zoneOf(start, p.Line)).Add(d.Exact).Sub(from), nil
	}
	end, err := ical.ParseMoment(tail, p.Param("TZID"))
	if err != nil {
		return 0, fmt.Errorf("%q is not a period", p.Value)
	}
	return zone.Instant(end.Wall, x.zoneOf(end, p.Line)).Sub(from), nil
}

// excluded collects the EXDATEs as keys. A date without time, on a series with times,
// leaves out the instances of that day, since that is how some platforms write it.
func (x *expansion) excluded(c *ical.Component, s shape) map[string]bool {
	out := map[string]bool{}
	for _, p := range c.All("EXDATE") {
		ms, err := p.Moments()
		if err != nil {
			x.warn(p.Line, "bad-exdate", "%v: it was passed over, so the date still counts", err)
			continue
		}
		for _, m := range ms {
			if m.AllDay() && !s.start.AllDay() {
				y, mo, d := m.Wall.Date()
				h, mi, se := s.start.Wall.Clock()
				m = ical.Moment{Wall: time.Date(y, mo, d, h, mi, se, 0, time.UTC), Anchor: s.start.Anchor, TZID: s.start.TZID}
			} else if !m.AllDay() && s.start.AllDay() {
				m = ical.Moment{Wall: m.Wall, Anchor: ical.DateOnly}
			}
			out[x.key(m, x.zoneOf(m, p.Line))] = true
		}
	}
	return out
}
