package zone

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"sort"
	"time"

	"wharf/core/ical"
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
	add(kind{name, offset, offset, start.IsDST()}, Wall(start, loc))
	for at := range changes(loc, start, time.Date(to+1, 1, 1, 0, 0, 0, 0, time.UTC)) {
		before := offset
		name, offset = at.Zone()
		add(kind{name, before, offset, at.IsDST()}, at.UTC().Add(time.Duration(before)*time.Second))
	}
	for _, k := range kinds {
		c.Components = append(c.Components, sub[k])
	}
	slices.SortStableFunc(c.Components, func(a, b *ical.Component) int { return cmp.Compare(a.Value("DTSTART"), b.Value("DTSTART")) })
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

// changes yields the instants of [from, to) at which the clock in loc changes. It looks
// day by day and then for the second, since Time.ZoneBounds stops at the ends of leap
// years where a zone is given by a rule.
func changes(loc *time.Location, from, to time.Time) iter.Seq[time.Time] {
	return func(yield func(time.Time) bool) {
		const step = 86400
		for at := from.Unix(); at < to.Unix(); at += step {
			here := time.Unix(at, 0).In(loc)
			if sameRule(here, time.Unix(at+step, 0).In(loc)) {
				continue
			}
			n := sort.Search(step, func(i int) bool { return !sameRule(here, time.Unix(at+int64(i), 0).In(loc)) })
			if !yield(time.Unix(at+int64(n), 0).In(loc)) {
				return
			}
		}
	}
}

func sameRule(a, b time.Time) bool {
	nameA, offsetA := a.Zone()
	nameB, offsetB := b.Zone()
	return nameA == nameB && offsetA == offsetB
}
