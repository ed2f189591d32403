package zone

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"sort"
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/span"
)

// Component writes a zone as a VTIMEZONE (RFC 5545 section 3.6.5) with every change of
// the clock from the year from to the year to: by rules where it comes on the nth or last
// such weekday of a month, year after year, and else by its date. A rule that holds in the
// last year has no end.
func Component(tzid string, loc *time.Location, from, to int) *ical.Component {
	c := &ical.Component{Name: "VTIMEZONE"}
	c.AddText("TZID", tzid)
	start := time.Date(from, 1, 1, 0, 0, 0, 0, time.UTC).In(loc)
	name, offset := start.Zone()
	first := turn{kind{name, offset, offset, start.IsDST()}, span.WallOf(start)}
	turns := []turn{first}
	for at := range changes(loc, start, time.Date(to+1, 1, 1, 0, 0, 0, 0, time.UTC)) {
		before := offset
		name, offset = at.Zone()
		turns = append(turns, turn{kind{name, before, offset, at.IsDST()}, span.Wall(at.Unix() + int64(before))})
	}
	var observances []*ical.Component
	for len(turns) > 0 {
		var run []turn
		run, turns = cutRun(turns)
		observances = append(observances, run[0].observance(run, to))
	}
	slices.SortStableFunc(observances, func(a, b *ical.Component) int { return cmp.Compare(a.Value("DTSTART"), b.Value("DTSTART")) })
	for _, o := range observances {
		c.AddComponent(o)
	}
	return c
}

// kind is what an observance says of the clock.
type kind struct {
	name         string
	before, upon int // offsets
	dst          bool
}

// turn is a change of the clock.
type turn struct {
	kind
	wall span.Wall // by the clock as it was before
}

// yearly says on what day of a year, and when, a turn comes.
type yearly struct {
	month   time.Month
	weekday time.Weekday
	nth     int
	clock   int
}

// days are the two ways to say it: by the nth weekday of the month and, if it is that, by
// the last.
func (t turn) days() (nth, last yearly, isLast bool) {
	d := t.wall.Date()
	_, month, day := d.Civil()
	nth = yearly{month, d.Weekday(), (day-1)/7 + 1, t.wall.Clock()}
	last = nth
	last.nth = -1
	_, next, _ := (d + 7).Civil()
	return nth, last, next != month
}

// cutRun takes the first turn out of turns, with those that a rule makes of it in the years
// after, if they are worth a rule.
func cutRun(turns []turn) (run, rest []turn) {
	first := turns[0]
	nth, last, isLast := first.days()
	run = following(turns, func(t turn) bool { n, _, _ := t.days(); return n == nth })
	if isLast {
		if other := following(turns, func(t turn) bool { _, l, is := t.days(); return is && l == last }); len(other) > len(run) {
			run = other
		}
	}
	if len(run) < 3 {
		run = run[:1]
	}
	return run, slices.DeleteFunc(slices.Clone(turns), func(t turn) bool { return slices.Contains(run, t) })
}

// following are the first turn and those of its kind that fit, one in each year after it.
func following(turns []turn, fits func(turn) bool) []turn {
	run := turns[:1:1]
	year, _, _ := turns[0].wall.Date().Civil()
	for _, t := range turns[1:] {
		y, _, _ := t.wall.Date().Civil()
		if y > year+1 {
			break
		}
		if y == year+1 && t.kind == turns[0].kind && fits(t) {
			run, year = append(run, t), y
		}
	}
	return run
}

// observance writes a turn, and the rule by which the others of the run follow it.
func (t turn) observance(run []turn, lastYear int) *ical.Component {
	o := &ical.Component{Name: "STANDARD"}
	if t.dst {
		o.Name = "DAYLIGHT"
	}
	o.Add("DTSTART", t.wall.Time().Format("20060102T150405"))
	o.Add("TZOFFSETFROM", formatOffset(t.before))
	o.Add("TZOFFSETTO", formatOffset(t.upon))
	o.AddText("TZNAME", t.name)
	if len(run) == 1 {
		return o
	}
	day, last, _ := t.days()
	if slices.ContainsFunc(run, func(u turn) bool { n, _, _ := u.days(); return n != day }) {
		day = last
	}
	rule := fmt.Sprintf("FREQ=YEARLY;BYMONTH=%d;BYDAY=%d%s", day.month, day.nth, strings.ToUpper(day.weekday.String()[:2]))
	final := run[len(run)-1]
	if y, _, _ := final.wall.Date().Civil(); y < lastYear {
		rule += ";UNTIL=" + (final.wall - span.Wall(final.before)).Time().Format("20060102T150405Z")
	}
	o.Add("RRULE", rule)
	return o
}

func formatOffset(seconds int) string {
	sign := '+'
	if seconds < 0 {
		sign, seconds = '-', -seconds
	}
	text := fmt.Sprintf("%c%02d%02d", sign, seconds/3600, seconds/60%60)
	if seconds%60 != 0 {
		text += fmt.Sprintf("%02d", seconds%60)
	}
	return text
}

// changes yields the instants of [from, to) at which the clock in loc changes. It goes by
// Time.ZoneBounds, and by days where that does not advance: at the ends of leap years
// where a zone is given by a rule.
func changes(loc *time.Location, from, to time.Time) iter.Seq[time.Time] {
	return func(yield func(time.Time) bool) {
		const day = 24 * time.Hour
		for at := from.In(loc); ; {
			_, end := at.ZoneBounds()
			switch {
			case end.IsZero():
				return
			case !end.After(at):
				end = at.Add(day)
				if !sameRule(at, end) { // the change lies between
					n := sort.Search(int(day/time.Second), func(i int) bool { return !sameRule(at, at.Add(time.Duration(i)*time.Second)) })
					end = at.Add(time.Duration(n) * time.Second)
				}
			}
			if !end.Before(to) {
				return
			}
			if !sameRule(at, end) && !yield(end) {
				return
			}
			at = end
		}
	}
}

func sameRule(a, b time.Time) bool {
	nameA, offsetA := a.Zone()
	nameB, offsetB := b.Zone()
	return nameA == nameB && offsetA == offsetB
}
