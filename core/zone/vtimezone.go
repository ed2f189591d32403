package zone

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"wharf/core/ical"
	"wharf/core/rrule"
	"wharf/core/span"
)

// lastYear is how far the rules of a VTIMEZONE are laid out.
const lastYear = 2100

// onset is the instant from which an observance (STANDARD or DAYLIGHT) holds.
type onset struct {
	at     int64 // Unix time
	offset int   // seconds east of UTC
	dst    bool
	name   string
}

// mostOnsets is how many an observance is believed to have.
const mostOnsets = 2000

// fromVTimezone lays the observances out.
func fromVTimezone(id string, c *ical.Component) (*Zone, error) {
	z := &Zone{name: id}
	first := int64(math.MaxInt64)
	for _, sub := range c.Components() {
		if sub.Name != "STANDARD" && sub.Name != "DAYLIGHT" {
			continue
		}
		from, onsets, err := observance(sub)
		if err != nil {
			return nil, err
		}
		for _, o := range onsets {
			if o.at < first {
				first, z.before = o.at, from
			}
		}
		z.onsets = append(z.onsets, onsets...)
	}
	if len(z.onsets) == 0 {
		return nil, errors.New("it has neither STANDARD nor DAYLIGHT")
	}
	slices.SortStableFunc(z.onsets, func(a, b onset) int { return cmp.Compare(a.at, b.at) })
	return z, nil
}

// fromOnsets hands the zone to package time in the form of a TZif file (RFC 8536).
func (z *Zone) fromOnsets() *time.Location {
	loc, err := time.LoadLocationFromTZData(z.name, tzif(z.before, z.onsets))
	if err != nil { // of what package time does not take, the offset that holds last
		return time.FixedZone(z.name, z.onsets[len(z.onsets)-1].offset)
	}
	return loc
}

// observance returns the offset before a STANDARD or DAYLIGHT and its onsets, which are
// readings of the clock as it was before (RFC 5545 section 3.6.5).
func observance(c *ical.Component) (from int, onsets []onset, err error) {
	p, ok := c.Get("DTSTART")
	if !ok {
		return 0, nil, fmt.Errorf("%s without DTSTART", c.Name)
	}
	start, err := p.Moment()
	if err != nil {
		return 0, nil, err
	}
	from, err = ical.ParseOffset(c.Value("TZOFFSETFROM"))
	if err != nil {
		return 0, nil, err
	}
	to, err := ical.ParseOffset(c.Value("TZOFFSETTO"))
	if err != nil {
		return 0, nil, err
	}
	name := c.Text("TZNAME")
	add := func(w span.Wall) {
		onsets = append(onsets, onset{int64(w) - int64(from), to, c.Name == "DAYLIGHT", name})
	}
	add(start.Wall)
	for p := range c.Each("RDATE") {
		for v, err := range p.Values() {
			if err != nil {
				return 0, nil, err
			}
			add(v.Moment.Wall)
		}
	}
	for p := range c.Each("RRULE") {
		r, err := rrule.Parse(p.Value)
		if err != nil {
			return 0, nil, fmt.Errorf("its rule %w", err)
		}
		until := span.NewDate(lastYear, time.December, 31).Wall()
		if m, ends := r.Until(); ends {
			until = m.Wall
			if m.Anchor == ical.UTC {
				until += span.Wall(from)
			}
		}
		r.Each(start.Wall, start.Wall, until, false, func(w span.Wall) bool {
			if w > start.Wall && w <= until {
				add(w)
			}
			return w <= until && len(onsets) <= mostOnsets
		})
	}
	if len(onsets) > mostOnsets {
		return 0, nil, fmt.Errorf("its clock changes more than %d times", mostOnsets)
	}
	return from, onsets, nil
}

// tzif writes a version 2 TZif file (RFC 8536 section 3). Type 0 is what holds before
// the first transition; it is kept apart so that package time takes it for that.
func tzif(before int, all []onset) []byte {
	var b, names bytes.Buffer
	put := func(v any) { _ = binary.Write(&b, binary.BigEndian, v) } // a bytes.Buffer does not fail
	header := func(times, types, chars int) {
		b.WriteString("TZif2")
		b.Write(make([]byte, 15))
		put([]uint32{0, 0, 0, uint32(times), uint32(types), uint32(chars)})
	}
	types := []onset{{offset: before, name: "LMT"}}
	index := make([]uint8, len(all))
	for i, o := range all {
		kind := onset{offset: o.offset, dst: o.dst, name: cmp.Or(o.name, "LMT")}
		at := slices.Index(types[1:], kind)
		if at < 0 && len(types) < 255 {
			types = append(types, kind)
			at = len(types) - 2
		}
		index[i] = uint8(at + 1)
	}
	starts := make([]uint8, len(types))
	for i, k := range types {
		starts[i] = uint8(min(names.Len(), 255))
		names.WriteString(k.name[:min(len(k.name), 6)] + "\x00")
	}
	header(0, 0, 0)
	header(len(all), len(types), names.Len())
	for _, o := range all {
		put(o.at)
	}
	put(index)
	for i, k := range types {
		put(int32(k.offset))
		put(k.dst)
		put(starts[i])
	}
	b.Write(names.Bytes())
	b.WriteString("\n\n")
	return b.Bytes()
}
