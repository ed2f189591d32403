package recur

import (
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"slices"
	"strings"

	"wharf/core/ical"
	"wharf/core/rrule"
	"wharf/core/span"
	"wharf/core/zone"
)

// Expand returns the entry's occurrences in the window, in order of start, and what
// could not be understood. Who expands many entries uses one Expander.
func (doc *Document) Expand(e Entry, w Window) ([]Occurrence, []ical.Diagnostic) {
	return doc.In(w).Expand(e)
}

// Expander expands entries of a document in a window, one after the other. It is not for
// use by several goroutines at a time.
type Expander struct{ expansion }

// In returns an Expander for the window.
func (doc *Document) In(w Window) *Expander {
	if w.Limit == 0 {
		w.Limit = 10000
	}
	z := zone.Of(w.Zone)
	return &Expander{expansion{doc: doc, window: w, from: w.From.Unix(), to: w.To.Unix(), zone: z, midnights: z.Cursor()}}
}

// Expand is Document.Expand. What it returned before stays as it is.
func (x *Expander) Expand(e Entry) ([]Occurrence, []ical.Diagnostic) {
	x.found, x.diags, x.unknown = nil, nil, x.unknown[:0]
	if e.lead().Name == "VFREEBUSY" {
		x.freeBusy(e)
	} else {
		x.entry(e)
	}
	if order := func(a, b Occurrence) int {
		return cmp.Or(cmp.Compare(a.Start, b.Start), cmp.Compare(a.Key.at, b.Key.at))
	}; !slices.IsSortedFunc(x.found, order) {
		slices.SortFunc(x.found, order)
	}
	return x.found, x.diags
}

// expansion is the state of an Expander.
type expansion struct {
	doc       *Document
	window    Window
	from, to  int64      // of the window
	zone      *zone.Zone // of the window
	midnights zone.Cursor
	found     []Occurrence
	diags     []ical.Diagnostic
	unknown   []string // zones that are told of
	series    series   // the entry at hand
}

func (x *expansion) told(at ical.Position, severity ical.Severity, code, format string, args ...any) {
	x.diags = append(x.diags, ical.Diagf(at, severity, code, format, args...))
}

// holds reports whether an occurrence from start to end overlaps the window; one that
// lasts nothing does when its start is inside.
func (x *expansion) holds(start, end int64) bool {
	if end <= start {
		return start >= x.from && start < x.to
	}
	return start < x.to && end > x.from
}

// add places an occurrence of the event and keeps it if it overlaps the window, or always.
func (x *expansion) add(event *Event, s *shape, key Key, w span.Wall, at int64, always bool) {
	o := Occurrence{Event: event, Key: key}
	if s.dates {
		s.placeDates(&o, w.Date(), &x.midnights)
	} else {
		s.place(&o, w, at)
	}
	if always || x.holds(o.Start, o.End) {
		x.found = append(x.found, o)
	}
}

// eventOf is what all occurrences of a component have in common.
func (x *expansion) eventOf(c *ical.Component, e Entry, s *shape) *Event {
	event := &Event{Component: c, UID: e.UID, Summary: c.Text("SUMMARY"), Revision: RevisionOf(c), Created: stampOf(c, "CREATED"), Line: c.Line,
		Endless: s.endless, AllDay: s.dates, InUTC: s.start.Anchor == ical.UTC}
	event.Status, event.Transparent = x.statusOf(c, e)
	return event
}

// busyStatus is the widely used vendor property that says whether an event takes time.
const busyStatus = "X-MICROSOFT-CDO-BUSYSTATUS"

// statusOf applies STATUS, TRANSP and the vendor property for busy status; an override
// without STATUS has its master's.
func (x *expansion) statusOf(c *ical.Component, e Entry) (Status, bool) {
	status := c.Value("STATUS")
	if status == "" && e.Master != nil && e.Master != c {
		status = e.Master.Value("STATUS")
	}
	vendor := c.Value(busyStatus)
	transparent := c.Value("TRANSP") == "TRANSPARENT" || vendor == "FREE"
	switch {
	case x.doc.calendars[c.Calendar].cancelled || status == "CANCELLED":
		return Cancelled, transparent
	case status == "TENTATIVE" || vendor == "TENTATIVE":
		return Tentative, transparent
	}
	return Confirmed, transparent
}

// change is an override that changes the instances after its own, too (RANGE=THISANDFUTURE,
// RFC 5545 section 3.2.13).
type change struct {
	from  int64 // the original start of the first
	shift span.Wall
	shape shape
	event *Event
}

// series is an entry on its way.
type series struct {
	entry      Entry
	master     *ical.Component
	shape      shape
	event      *Event
	repeats    bool
	rules      []rrule.Rule
	keys       []Key    // of the overrides
	overridden []int64  // original starts, sorted
	changes    []change // sorted
	excluded   []int64  // original starts, sorted
	daysOff    []span.Date
	instances  []instance
	cut        bool // a rule gives more instances than these
}

// leavesOut reports whether an exception or an override takes the place of the instance.
func (y *series) leavesOut(in instance) bool {
	return contains(y.overridden, in.at) || contains(y.excluded, in.at) || y.dayOff(in.wall)
}

// begin makes room for another entry.
func (y *series) begin(e Entry) {
	*y = series{entry: e, master: e.Master, rules: y.rules[:0], keys: y.keys[:0], overridden: y.overridden[:0], changes: y.changes[:0],
		excluded: y.excluded[:0], daysOff: y.daysOff[:0], instances: y.instances[:0]}
}

// instance is one start of a series. length is that of a PERIOD, else -1.
type instance struct {
	wall   span.Wall
	at     int64 // the original start, as in a Key: a day for dates
	length int64
}

func (x *expansion) entry(e Entry) {
	y := &x.series
	y.begin(e)
	whole := false
	if e.Master != nil {
		y.shape, whole = x.shapeOf(e.Master, notPlaced)
	}
	if len(e.Overrides) > 0 {
		x.overrides(y, whole)
	}
	slices.Sort(y.overridden)
	if !whole {
		return
	}
	s := &y.shape
	y.event = x.eventOf(e.Master, e, s)
	x.readRules(y)
	if !y.repeats {
		if at := s.original(); !contains(y.overridden, at) {
			x.add(y.event, s, Key{}, s.start.Wall, at, x.window.KeepSingle)
		}
		return
	}
	y.event.Series = true
	slices.SortFunc(y.changes, func(a, b change) int { return cmp.Compare(a.from, b.from) })
	x.readExclusions(y)
	x.layOut(y)
	x.emit(y)
}

// dayOff reports whether an EXDATE without time leaves out the day.
func (y *series) dayOff(w span.Wall) bool {
	if len(y.daysOff) == 0 {
		return false
	}
	_, found := slices.BinarySearch(y.daysOff, w.Date())
	return found
}

func contains(sorted []int64, at int64) bool {
	if len(sorted) == 0 {
		return false
	}
	_, found := slices.BinarySearch(sorted, at)
	return found
}

// original is the start as in a Key.
func (s *shape) original() int64 {
	if s.dates {
		return int64(s.start.Wall.Date())
	}
	return s.clock.Instant(s.start.Wall)
}

func (s *shape) key(at int64) Key {
	if s.dates {
		return Key{at, dateKey}
	}
	return Key{at, instantKey}
}

// overrides adds the instances that components with a RECURRENCE-ID stand for. Of two for
// the same instance, named in two forms, the later revision counts.
func (x *expansion) overrides(y *series, master bool) {
	latest := map[Key]Revision{}
	for _, o := range y.entry.Overrides {
		key := x.keyOf(o, y, master)
		if r := RevisionOf(o); len(y.entry.Overrides) > 1 && r.Compare(latest[key]) > 0 {
			latest[key] = r
		}
		y.keys = append(y.keys, key)
	}
	for i, o := range y.entry.Overrides {
		if RevisionOf(o).Compare(latest[y.keys[i]]) >= 0 {
			x.override(o, y.keys[i], y, master)
		}
	}
}

// keyOf is the key of the instance that a component with a RECURRENCE-ID stands for.
func (x *expansion) keyOf(o *ical.Component, y *series, master bool) Key {
	p, _ := o.Get("RECURRENCE-ID")
	m, err := p.Moment()
	switch {
	case err != nil:
		x.told(o.Position(), ical.Warning, "bad-recurrence-id", "%v: the override counts as an event of its own", err)
		sum := sha256.Sum256([]byte(p.Value))
		return Key{int64(binary.BigEndian.Uint64(sum[:])), textKey}
	case master:
		return y.shape.key(x.originalOf(m, &y.shape, o.Calendar, o.Position()))
	case m.AllDay():
		return Key{int64(m.Wall.Date()), dateKey}
	}
	clock := x.zoneOf(m, o.Calendar, o.Position()).Cursor()
	return Key{clock.Instant(m.Wall), instantKey}
}

// override adds the one instance, and keeps what is to hold for those after it.
func (x *expansion) override(o *ical.Component, key Key, y *series, master bool) {
	known := master && key.kind != textKey // which instance it is
	if known {
		y.overridden = append(y.overridden, key.at)
	}
	s, ok := shape{}, false
	if _, has := o.Get("DTSTART"); !known {
		s, ok = x.shapeOf(o, notPlaced)
	} else if has {
		s, ok = x.shapeOf(o, asSeries)
	}
	if !ok && known { // it says nothing of its time that can be read: that of the series
		event := x.eventOf(o, y.entry, &y.shape)
		event.Series = true
		x.add(event, &y.shape, key, y.shape.readingIn(&y.shape, key.at), key.at, false)
	}
	if !ok {
		return
	}
	event := x.eventOf(o, y.entry, &s)
	event.Series = true
	x.add(event, &s, key, s.start.Wall, s.clock.Instant(s.start.Wall), false)
	p, _ := o.Get("RECURRENCE-ID")
	switch {
	case !strings.EqualFold(p.Param("RANGE"), "THISANDFUTURE"):
	case !known:
		x.told(o.Position(), ical.Info, "range-alone", "RANGE=THISANDFUTURE stands without its series: only this one instance is known")
	default:
		y.changes = append(y.changes, change{from: key.at, shift: s.start.Wall - y.shape.readingIn(&s, key.at), shape: s, event: event})
	}
}

// readingIn is an original start of the series s as a reading of the clock by which t goes.
func (s *shape) readingIn(t *shape, at int64) span.Wall {
	switch {
	case s.dates:
		return span.Date(at).Wall()
	case t.dates:
		return s.zone.Wall(at).Date().Wall()
	}
	return t.zone.Wall(at)
}

// originalOf is the original start that a RECURRENCE-ID or EXDATE names, in whatever form:
// as in a Key. A time that names no zone is one of the series' own clock, and a date means
// that day's instance.
func (x *expansion) originalOf(m ical.Moment, s *shape, calendar int, at ical.Position) int64 {
	switch {
	case s.dates:
		return int64(m.Wall.Date())
	case m.AllDay():
		return s.clock.Instant(m.Wall + span.Wall(s.start.Wall.Clock()))
	case m.Anchor == ical.Floating:
		return s.clock.Instant(m.Wall)
	}
	z := x.zoneOf(m, calendar, at)
	if z == s.zone {
		return s.clock.Instant(m.Wall)
	}
	clock := z.Cursor()
	return clock.Instant(m.Wall)
}

// emit adds the instances that are not left out, each as the last change before it has it.
func (x *expansion) emit(y *series) {
	given := 0
	next := 0 // of y.changes
	if n := min(len(y.instances), x.window.Limit); n > 0 {
		x.found = slices.Grow(x.found, n)
	}
	for _, in := range y.instances {
		if y.leavesOut(in) {
			continue
		}
		s, event, w, at := &y.shape, y.event, in.wall, in.at
		for next < len(y.changes) && y.changes[next].from <= in.at {
			next++
		}
		if next > 0 {
			c := &y.changes[next-1]
			w = y.shape.readingIn(&c.shape, in.at) + c.shift
			s, event, at = &c.shape, c.event, c.shape.clock.Instant(w)
		}
		before := len(x.found)
		x.add(event, s, y.shape.key(in.at), w, at, false)
		if len(x.found) == before {
			continue
		}
		if given++; given > x.window.Limit {
			x.found = x.found[:before]
			y.cut = true
			break
		}
		if o := &x.found[before]; in.length >= 0 && !s.dates {
			o.End = o.Start + in.length
			o.NominalEnd = o.End
		}
	}
	if y.cut {
		x.told(y.master.Position(), ical.Warning, "too-many", "%q comes round more than %d times in this window: the later ones were left out", y.event.Summary, x.window.Limit)
	}
}
