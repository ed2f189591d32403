package recur

import (
	"slices"
	"time"

	"wharf/core/ical"
	"wharf/core/span"
	"wharf/core/zone"
)

// shape is an event's time as its component gives it: where it starts and how long it
// lasts.
type shape struct {
	start  ical.Moment
	zone   *zone.Zone
	clock  zone.Cursor // for starts
	ending zone.Cursor // for ends by the wall clock
	dates  bool
	wall   span.Wall // the length by the wall clock: for dates, whole days
	exact  int64     // the length in seconds, where DTEND gives it
	// A DURATION is days by the wall clock and then exact seconds (RFC 5545 section 3.3.6).
	byDuration bool
	days       int
	seconds    int64
	endless    bool
}

// reach is more than an instance can last, by any clock.
func (s *shape) reach() span.Wall { return max(s.wall, span.Wall(s.exact), 0) + 86400 }

// What becomes of a component whose DTSTART is of no use.
const (
	notPlaced = "it cannot be placed"
	asSeries  = "it is taken to be when its series has it"
)

// lead is how long an instance lasts at most, in seconds.
func (s *shape) lead() int64 {
	if s.byDuration && s.days > 0 {
		return int64(s.reach())
	}
	return max(s.exact, s.seconds)
}

// place sets the times of an occurrence that starts at the reading w, which is the
// instant at.
func (s *shape) place(o *Occurrence, w span.Wall, at int64) {
	o.Start = at
	if s.byDuration {
		end := at
		if s.days != 0 {
			end = s.ending.Instant(w.AddDays(s.days))
		}
		o.End = end + s.seconds
		o.NominalEnd = o.End
		return
	}
	o.End = at + s.exact
	o.NominalEnd = o.End
	if s.wall > 0 {
		o.NominalEnd = s.ending.Instant(w + s.wall)
	}
}

// placeDates is place for dates.
func (s *shape) placeDates(o *Occurrence, d span.Date, midnights *zone.Cursor) {
	o.First, o.Last = d, d+s.wall.Date()
	o.Start, o.End = midnights.Day(o.First), midnights.Day(o.Last)
	o.NominalEnd = o.End
}

// shapeOf reads DTSTART with DTEND or DURATION. It reports false, with a diagnostic that
// says what is done otherwise, when there is no DTSTART to go by.
func (x *expansion) shapeOf(c *ical.Component, otherwise string) (s shape, ok bool) {
	p, ok := c.Get("DTSTART")
	if !ok {
		x.told(c.Position(), ical.Error, "no-start", "the event %q has no DTSTART: %s", c.Text("SUMMARY"), otherwise)
		return s, false
	}
	m, err := p.Moment()
	if err != nil {
		x.told(p.Position(), ical.Error, "bad-start", "the start of the event %q cannot be read (%v): %s", c.Text("SUMMARY"), err, otherwise)
		return s, false
	}
	z := x.zoneOf(m, c.Calendar, p.Position())
	s = shape{start: m, dates: m.AllDay(), zone: z, clock: z.Cursor(), ending: z.Cursor()}
	switch {
	case x.endFromDTEND(c, &s), x.endFromDuration(c, &s):
	case s.dates:
		s.wall = 86400
	default:
		s.endless = true
	}
	if s.dates {
		if s.wall < 0 {
			x.told(c.Position(), ical.Warning, "ends-before-start", "the event %q ends before it starts: it is read as one day", c.Text("SUMMARY"))
		}
		s.wall = max(86400, (s.wall+86399)/86400*86400) // end = start, or before it: one day
		return s, true
	}
	if s.wall < 0 || s.exact < 0 {
		x.told(c.Position(), ical.Warning, "ends-before-start", "the event %q ends before it starts: it is read as lasting nothing", c.Text("SUMMARY"))
		s.wall, s.exact, s.days, s.seconds = 0, 0, 0, 0
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
		x.told(p.Position(), ical.Warning, "bad-end", "%v: the event %q is read as if it had no end", err, c.Text("SUMMARY"))
		return false
	}
	if m.AllDay() != s.dates {
		x.told(p.Position(), ical.Warning, "mixed-end", "DTSTART and DTEND of %q are of different kinds (a date and a time)", c.Text("SUMMARY"))
	}
	if s.dates {
		s.wall = m.Wall.Date().Wall() - s.start.Wall
		return true
	}
	z := x.zoneOf(m, c.Calendar, p.Position())
	if z == s.zone {
		s.wall = m.Wall - s.start.Wall
		s.exact = s.clock.Instant(m.Wall) - s.clock.Instant(s.start.Wall)
		return true
	}
	there := z.Cursor()
	end := there.Instant(m.Wall)
	s.exact = end - s.clock.Instant(s.start.Wall)
	s.wall = s.zone.Wall(end) - s.start.Wall
	return true
}

func (x *expansion) endFromDuration(c *ical.Component, s *shape) bool {
	p, ok := c.Get("DURATION")
	if !ok {
		return false
	}
	d, err := ical.ParseDuration(p.Value)
	if err != nil {
		x.told(p.Position(), ical.Warning, "bad-duration", "%v: the event %q is read as if it had no end", err, c.Text("SUMMARY"))
		return false
	}
	s.byDuration, s.days, s.seconds = true, d.Days, int64(d.Exact/time.Second)
	s.wall = span.Wall(0).AddDays(d.Days).Add(d.Exact)
	return true
}

// zoneOf is the zone in which a reading of the given calendar is to be understood.
func (x *expansion) zoneOf(m ical.Moment, calendar int, at ical.Position) *zone.Zone {
	switch m.Anchor {
	case ical.UTC:
		return zone.UTC
	case ical.Zoned:
		z, err := x.doc.calendars[calendar].zones.Resolve(m.TZID)
		if err == nil {
			return z
		}
		z = x.floating(calendar)
		if slices.Contains(x.unknown, m.TZID) {
			return z
		}
		x.unknown = append(x.unknown, m.TZID)
		x.told(at, ical.Warning, "unknown-zone", "%v: read in %s", err, z)
		return z
	case ical.Floating:
		return x.floating(calendar)
	}
	return x.zone
}

// floating is the zone of times that name none.
func (x *expansion) floating(calendar int) *zone.Zone {
	if z := x.doc.calendars[calendar].floating; z != nil {
		return z
	}
	return x.zone
}
