package zone

import (
	"math"
	"slices"
	"sort"
	"sync"
	"time"

	"wharf/core/span"
)

// Zone is a time zone: its offsets as a table, laid out when they are first asked for.
// It is safe for use by several goroutines.
type Zone struct {
	name   string
	loc    *time.Location // nil for one made of a VTIMEZONE, until it is asked for
	onsets []onset        // of such a one
	before int            // the offset before the first of these

	locate sync.Once
	lay    sync.Once
	table  table
}

// table has n changes of the clock and n+1 stretches between them.
type table struct {
	at       []int64     // the instants of the changes, Unix time
	offset   []int64     // of each stretch, seconds east of UTC
	end      []span.Wall // what the clock shows as each stretch but the last ends
	from, to span.Wall   // where the table holds; beyond it package time is asked
}

// UTC is the zone of that name.
var UTC = &Zone{name: "UTC", loc: time.UTC}

// Of is the zone of a location.
func Of(loc *time.Location) *Zone {
	if loc == time.UTC {
		return UTC
	}
	if z, ok := places.Load(loc); ok {
		return z.(*Zone)
	}
	return &Zone{name: loc.String(), loc: loc}
}

// String is the zone's name.
func (z *Zone) String() string { return z.name }

// Location is the zone as package time has it.
func (z *Zone) Location() *time.Location {
	z.locate.Do(func() {
		if z.loc == nil {
			z.loc = z.fromOnsets()
		}
	})
	return z.loc
}

// The years for which the offsets of a location are laid out.
const tableFrom, tableTo = 1900, 2150

func (z *Zone) laidOut() *table {
	z.lay.Do(func() {
		t := &z.table
		t.from, t.to = math.MinInt64, math.MaxInt64
		switch {
		case z.onsets != nil:
			t.offset = append(t.offset, int64(z.before))
			for _, o := range z.onsets {
				t.add(o.at, int64(o.offset))
			}
		case z.loc == time.UTC:
			t.offset = []int64{0}
		default:
			start := time.Date(tableFrom, 1, 1, 0, 0, 0, 0, time.UTC)
			end := time.Date(tableTo, 1, 1, 0, 0, 0, 0, time.UTC)
			_, offset := start.In(z.loc).Zone()
			t.offset = append(t.offset, int64(offset))
			for at := range changes(z.loc, start, end) {
				_, offset := at.Zone()
				t.add(at.Unix(), int64(offset))
			}
			t.from, t.to = span.WallOf(start.AddDate(0, 0, 2)), span.WallOf(end.AddDate(0, 0, -2))
		}
	})
	return &z.table
}

// add appends a change of the clock.
func (t *table) add(at, offset int64) {
	last := t.offset[len(t.offset)-1]
	if offset == last {
		return
	}
	if n := len(t.at); n > 0 && t.at[n-1] == at { // two at once: the later one holds
		t.offset[n] = offset
		return
	}
	t.at = append(t.at, at)
	t.end = append(t.end, span.Wall(at+last))
	t.offset = append(t.offset, offset)
}

// Equal reports whether two zones show the same from 1970 to 2100.
func Equal(a, b *Zone) bool {
	from, to := time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC).Unix(), time.Date(2100, 1, 1, 0, 0, 0, 0, time.UTC).Unix()
	differ := func(at int64) bool { return at >= from && at < to && a.Wall(at) != b.Wall(at) }
	if a == b {
		return true
	}
	return !differ(from) && !slices.ContainsFunc(a.laidOut().at, differ) && !slices.ContainsFunc(b.laidOut().at, differ)
}

// Cursor turns readings into instants. It remembers the stretch between two changes of
// the clock in which it was last, so that readings close to each other cost a comparison.
type Cursor struct {
	zone   *Zone
	lo, hi span.Wall // readings of the stretch that are neither in a gap nor said twice before
	offset int64
}

// Cursor returns a new one.
func (z *Zone) Cursor() Cursor { return Cursor{zone: z} }

// Instant is the Unix time at which a clock of the zone shows the reading. A reading in a
// gap is taken with the offset before it; of an ambiguous one, the first (RFC 5545 section
// 3.3.5).
func (c *Cursor) Instant(w span.Wall) int64 {
	if w >= c.lo && w < c.hi {
		return int64(w) - c.offset
	}
	return c.seek(w)
}

// Day is the Unix time of a day's first instant: midnight, or the end of the gap where a
// change of the clock leaves midnight out.
func (c *Cursor) Day(d span.Date) int64 {
	w := d.Wall()
	if w >= c.lo && w < c.hi {
		return int64(w) - c.offset
	}
	if t := c.zone.laidOut(); w < t.from || w >= t.to {
		return d.Start(c.zone.Location()).Unix()
	} else if i, gap := t.find(w); gap {
		return t.at[i-1]
	}
	return c.seek(w)
}

// find returns the stretch in which the clock first shows the reading, or before which it
// leaves it out.
func (t *table) find(w span.Wall) (i int, gap bool) {
	i = sort.Search(len(t.end), func(i int) bool { return w < t.end[i] })
	return i, i > 0 && int64(w) < t.at[i-1]+t.offset[i]
}

func (c *Cursor) seek(w span.Wall) int64 {
	t := c.zone.laidOut()
	if w < t.from || w >= t.to {
		return Instant(w, c.zone.Location()).Unix()
	}
	i, gap := t.find(w)
	if gap {
		return int64(w) - t.offset[i-1]
	}
	c.offset, c.lo, c.hi = t.offset[i], t.from, t.to
	if i > 0 {
		c.lo = max(t.end[i-1], span.Wall(t.at[i-1]+t.offset[i]))
	}
	if i < len(t.end) {
		c.hi = t.end[i]
	}
	return int64(w) - c.offset
}

// Wall is what a clock of the zone shows at a Unix time.
func (z *Zone) Wall(unix int64) span.Wall {
	t := z.laidOut()
	if w := span.Wall(unix); w < t.from || w >= t.to {
		return span.WallOf(time.Unix(unix, 0).In(z.Location()))
	}
	i := sort.Search(len(t.at), func(i int) bool { return unix < t.at[i] })
	return span.Wall(unix + t.offset[i])
}

// Instant returns the instant at which a clock in loc shows the reading, as Cursor.Instant
// does, for single ones.
func Instant(w span.Wall, loc *time.Location) time.Time {
	wall := w.Time()
	for _, around := range []time.Duration{-24 * time.Hour, 24 * time.Hour} {
		_, offset := wall.Add(around).In(loc).Zone()
		t := wall.Add(-time.Duration(offset) * time.Second)
		if _, actual := t.In(loc).Zone(); actual == offset {
			return t.In(loc)
		}
	}
	_, before := wall.Add(-24 * time.Hour).In(loc).Zone()
	return wall.Add(-time.Duration(before) * time.Second).In(loc)
}
