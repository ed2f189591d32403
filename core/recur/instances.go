package recur

import (
	"cmp"
	"slices"

	"wharf/core/ical"
	"wharf/core/rrule"
	"wharf/core/span"
)

// readRules reads the RRULEs and finds whether the event repeats at all.
func (x *expansion) readRules(y *series) {
	_, y.repeats = y.master.Get("RDATE")
	for p := range y.master.Each("RRULE") {
		y.repeats = true
		if r, ok := x.ruleOf(p, y); ok {
			y.rules = append(y.rules, r)
		}
	}
}

// ruleOf reads an RRULE or EXRULE; what is wrong with it is told.
func (x *expansion) ruleOf(p ical.Property, y *series) (rrule.Rule, bool) {
	r, err := rrule.Parse(p.Value)
	switch {
	case err != nil && p.Name == "EXRULE":
		x.told(p.Position(), ical.Warning, "rule-not-covered", "the dates that %q leaves out are not understood (%v): they still count", y.event.Summary, err)
		return r, false
	case err != nil:
		x.told(p.Position(), ical.Warning, "rule-not-covered", "the repetition of %q is not understood (%v): only its first date counts", y.event.Summary, err)
		return r, false
	case r.Freq() < rrule.Daily && y.shape.dates:
		x.told(p.Position(), ical.Warning, "rule-of-times", "%q has dates and comes round more often than daily: only its first date counts", y.event.Summary)
		return r, false
	}
	if until, ends := r.Until(); ends {
		x.checkUntil(p, until, y)
	}
	return r, true
}

// checkUntil tells an UNTIL of another type than DTSTART asks for (RFC 5545 section 3.3.10).
func (x *expansion) checkUntil(p ical.Property, until ical.Moment, y *series) {
	s := &y.shape
	wrong := ""
	switch {
	case s.dates != until.AllDay() && s.dates:
		wrong = "a time, where the event has dates: its day was taken, which is the last"
	case s.dates != until.AllDay():
		wrong = "a date, where the event has times: that day is the last"
	case s.dates:
	case s.start.Anchor == ical.Floating && until.Anchor == ical.UTC:
		wrong = "in UTC, where the event is in no zone: it was compared with the event in the zone in which that is read"
	case s.start.Anchor != ical.Floating && until.Anchor != ical.UTC:
		wrong = "not in UTC: it was read by the event's own clock"
	}
	if wrong != "" {
		x.told(p.Position(), ical.Info, "until-type", "the end of the repetition of %q (UNTIL) is %s", y.event.Summary, wrong)
	}
}

// bound is where a rule ends by its UNTIL, which is inclusive: as a reading or an instant.
type bound struct {
	wall    span.Wall
	instant int64
	kind    boundKind
}

type boundKind uint8

const (
	unbounded boundKind = iota
	byWall
	byInstant
)

// boundOf is where an UNTIL ends a series.
func (x *expansion) boundOf(until ical.Moment, s *shape) bound {
	switch {
	case s.dates && until.Anchor == ical.UTC:
		// Midnight in the calendar's zone, written in UTC, means the day that begins.
		if w := x.zone.Wall(int64(until.Wall)); w.Clock() == 0 {
			return bound{wall: w, kind: byWall}
		}
		return bound{wall: until.Wall, kind: byWall}
	case until.Anchor == ical.UTC:
		return bound{instant: int64(until.Wall), kind: byInstant}
	case until.AllDay():
		return bound{wall: until.Wall + 86399, kind: byWall}
	}
	return bound{wall: until.Wall, kind: byWall}
}

// around is where the starts lie whose instances may overlap the window, also after they
// were changed: readings of the series' clock.
func (x *expansion) around(y *series) (from, to span.Wall) {
	reach, shift := y.shape.reach(), span.Wall(0)
	for i := range y.changes {
		c := &y.changes[i]
		reach, shift = max(reach, c.shape.reach()), max(shift, c.shift, -c.shift)
	}
	const slack = 2 * 86400 // for zones and changes of the clock
	return y.shape.zone.Wall(x.from) - reach - shift - slack, y.shape.zone.Wall(x.to) + shift + slack
}

// layOut gathers the starts whose instances may overlap the window, sorted and each once:
// DTSTART, the rules and the RDATEs.
func (x *expansion) layOut(y *series) {
	s := &y.shape
	from, to := x.around(y)
	strict := len(y.changes) == 0 && !s.dates
	if start := s.start.Wall; start >= from && start <= to {
		y.instances = append(y.instances, instance{start, s.original(), -1})
	}
	for _, r := range y.rules {
		x.layOutRule(y, r, from, to, x.window.Limit+1, strict)
	}
	for p := range y.master.Each("RDATE") {
		x.layOutDates(y, p, from, to)
	}
	order := func(a, b instance) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(b.length, a.length)) }
	if !slices.IsSortedFunc(y.instances, order) {
		slices.SortFunc(y.instances, order)
	}
	y.instances = slices.CompactFunc(y.instances, func(a, b instance) bool { return a.at == b.at })
}

// layOutRule gathers the starts of one rule, at most so many. Those that an exception or an
// override leaves out are not among them; strict: nor are those that do not overlap the
// window themselves.
func (x *expansion) layOutRule(y *series, r rrule.Rule, from, to span.Wall, most int, strict bool) {
	s := &y.shape
	end := bound{}
	if until, ends := r.Until(); ends {
		end = x.boundOf(until, s)
	}
	if end.kind == byWall {
		to = min(to, end.wall)
	}
	had, later := len(y.instances), false // than DTSTART
	lead := s.lead()
	r.Each(s.start.Wall, from, to, s.dates, func(w span.Wall) bool {
		if w == s.start.Wall {
			return true
		}
		if w > to {
			return false
		}
		if later = true; w < from {
			return true
		}
		at := int64(w.Date())
		if !s.dates {
			at = s.clock.Instant(w)
			if end.kind == byInstant && at > end.instant {
				return false
			}
			if strict && (at >= x.to || at < x.from && at+lead <= x.from) {
				return at < x.to+86400 // around a change of the clock they are not in order
			}
		}
		in := instance{w, at, -1}
		if y.leavesOut(in) {
			return true
		}
		y.instances = append(y.instances, in)
		y.cut = len(y.instances)-had >= most
		return !y.cut
	})
	if !later && end.kind == unbounded && s.start.Wall <= to && r.Never(s.start.Wall, s.dates) {
		x.told(y.master.Position(), ical.Warning, "rule-gives-nothing", "the repetition of %q never comes round (not in 400 years): only its first date counts", y.event.Summary)
	}
}

// layOutDates gathers the starts of one RDATE.
func (x *expansion) layOutDates(y *series, p ical.Property, from, to span.Wall) {
	s := &y.shape
	for v, err := range p.Values() {
		if err != nil {
			x.told(p.Position(), ical.Warning, "bad-rdate", "%v: it was passed over", err)
			continue
		}
		in := instance{at: x.originalOf(v.Moment, s, y.master.Calendar, p.Position()), length: -1}
		if v.Type == ical.PeriodType {
			at, end := x.period(v, y.master.Calendar, p.Position())
			in.length = end - at
		}
		if s.dates {
			in.wall = span.Date(in.at).Wall()
		} else {
			in.wall = s.zone.Wall(in.at)
		}
		if reach := max(0, span.Wall(in.length)); in.wall >= from-reach && in.wall <= to {
			y.instances = append(y.instances, in)
		}
	}
}

// period is where a PERIOD begins and ends, in Unix time.
func (x *expansion) period(v ical.Value, calendar int, at ical.Position) (start, end int64) {
	clock := x.zoneOf(v.Moment, calendar, at).Cursor()
	start = clock.Instant(v.Moment.Wall)
	if v.ByLength {
		end = clock.Instant(v.Moment.Wall.AddDays(v.Duration.Days)) + int64(v.Duration.Exact.Seconds())
	} else {
		until := v.End()
		clock = x.zoneOf(until, calendar, at).Cursor()
		end = clock.Instant(until.Wall)
	}
	return start, max(start, end)
}

// readExclusions gathers the EXDATEs and what the EXRULEs give. A date without time, on a
// series with times, leaves out the instances of that day, since that is how some
// platforms write it.
func (x *expansion) readExclusions(y *series) {
	s := &y.shape
	for p := range y.master.Each("EXDATE") {
		for v, err := range p.Values() {
			switch {
			case err != nil:
				x.told(p.Position(), ical.Warning, "bad-exdate", "%v: it was passed over, so the date still counts", err)
			case v.Moment.AllDay() && !s.dates:
				y.daysOff = append(y.daysOff, v.Moment.Wall.Date())
			default:
				y.excluded = append(y.excluded, x.originalOf(v.Moment, s, y.master.Calendar, p.Position()))
			}
		}
	}
	for p := range y.master.Each("EXRULE") {
		if r, ok := x.ruleOf(p, y); ok {
			x.excludeRule(y, r)
		}
	}
	slices.Sort(y.excluded)
	slices.Sort(y.daysOff)
}

// excludeRule gathers what an EXRULE leaves out in and around the window (RFC 2445 section
// 4.8.5.2). Unlike an RRULE's, its first date is DTSTART only if the rule says so.
func (x *expansion) excludeRule(y *series, r rrule.Rule) {
	except := series{entry: y.entry, master: y.master, shape: y.shape, event: y.event}
	s := &except.shape
	from, to := x.around(y)
	x.layOutRule(&except, r, from, to, 10*x.window.Limit, false)
	for _, in := range except.instances {
		y.excluded = append(y.excluded, in.at)
	}
	if except.cut {
		x.told(y.master.Position(), ical.Warning, "too-many", "%q leaves out more than %d dates in this window: the later ones still count", y.event.Summary, 10*x.window.Limit)
	}
	if r.Gives(s.start.Wall, s.dates) {
		y.excluded = append(y.excluded, s.original())
	}
}
