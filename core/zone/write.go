package zone

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"sort"
	"time"

	"wharf/core/ical"
	"wharf/core/span"
)

// Component writes a zone as a VTIMEZONE (RFC 5545 section 3.6.5) with every change of
// the clock from the year from to the year to, each listed by its date.
func Component(tzid string, loc *time.Location, from, to int) *ical.Component {
	c := &ical.Component{Name: "VTIMEZONE"}
	c.Add("TZID", tzid)
	type kind struct {
		name         string
		before, upon int
		dst          bool
	}
	sub := map[kind]*ical.Component{}
	var kinds []kind
	add := func(k kind, wall time.Time) {
		o := sub[k]
		if o == nil {
			o = &ical.Component{Name: "STANDARD"}
			if k.dst {
				o.Name = "DAYLIGHT"
			}
			o.Add("DTSTART", wall.Format("20060102T150405"))
			o.Add("TZOFFSETFROM", formatOffset(k.before))
			o.Add("TZOFFSETTO", formatOffset(k.upon))
			o.AddText("TZNAME", k.name)
			sub[k] = o
			kinds = append(kinds, k)
			return
		}
		o.Add("RDATE", wall.Format("20060102T150405"))
	}
	start := time.Date(from, 1, 1, 0, 0, 0, 0, time.UTC).In(loc)
	name, offset := start.Zone()
	add(kind{name, offset, offset, start.IsDST()}, span.WallOf(start).Time())
	for at := range changes(loc, start, time.Date(to+1, 1, 1, 0, 0, 0, 0, time.UTC)) {
		before := offset
		name, offset = at.Zone()
		add(kind{name, before, offset, at.IsDST()}, at.UTC().Add(time.Duration(before)*time.Second))
	}
	observances := make([]*ical.Component, len(kinds))
	for i, k := range kinds {
		observances[i] = sub[k]
	}
	slices.SortStableFunc(observances, func(a, b *ical.Component) int { return cmp.Compare(a.Value("DTSTART"), b.Value("DTSTART")) })
	for _, o := range observances {
		c.AddComponent(o)
	}
	return c
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
