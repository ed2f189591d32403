package recur

import (
	"math"
	"strconv"
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/span"
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
	*Event // what it has in common with the others of its component
	// Key tells the occurrences of one entry apart.
	Key Key
	// First, Last: an all-day occurrence has dates, First up to, not including, Last.
	First, Last span.Date
	// Start and End are Unix times; for all-day ones the local midnights in the zone that
	// the expansion was given.
	Start, End int64
	// NominalEnd is the end by the wall clock (a series that ends at 11:00 ends at
	// 11:00 also when clocks changed on the way); End is exact where DTEND gives it, as
	// RFC 5545 section 3.8.5.3 has it.
	NominalEnd int64
}

// Event is what all occurrences of one component have in common.
type Event struct {
	Component   *ical.Component
	UID         string
	Summary     string
	Status      Status
	Transparent bool
	AllDay      bool
	Endless     bool // a DATE-TIME with neither end nor duration
	InUTC       bool // its start was written in UTC
	Series      bool // an instance of a series: Key is its RECURRENCE-ID
	Revision    Revision
	Created     time.Time // CREATED; zero when not given
	Line        int
}

// RecurrenceID is the original start of an instance of a series, as a date or as
// UTC RFC 3339; "" for an entry that does not repeat.
func (o Occurrence) RecurrenceID() string {
	if !o.Series {
		return ""
	}
	return o.Key.String()
}

// Key is an original start: a date, or an instant. The zero Key is that of an entry that
// does not repeat.
type Key struct {
	at   int64
	kind keyKind
}

type keyKind uint8

const (
	noKey keyKind = iota
	dateKey
	instantKey
	textKey // the digest of one that cannot be read
)

// String is the key as a date, as UTC RFC 3339, or "".
func (k Key) String() string {
	switch k.kind {
	case dateKey:
		return span.Date(k.at).String()
	case instantKey:
		return time.Unix(k.at, 0).UTC().Format(time.RFC3339)
	case textKey:
		return "unread-" + strconv.FormatUint(uint64(k.at), 16)
	}
	return ""
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

// Revision says which of two states of one event is the later one.
type Revision struct {
	Sequence int
	Stamp    time.Time // DTSTAMP; zero when there is none
}

// RevisionOf reads SEQUENCE and DTSTAMP.
func RevisionOf(c *ical.Component) Revision {
	r := Revision{Stamp: stampOf(c, "DTSTAMP")}
	if p, ok := c.Get("SEQUENCE"); ok {
		if n, err := strconv.Atoi(strings.TrimSpace(p.Value)); err == nil {
			r.Sequence = max(0, min(n, math.MaxInt32))
		}
	}
	return r
}

// Compare is positive when r is the later revision, 0 when nothing tells them apart.
func (r Revision) Compare(s Revision) int {
	if r.Sequence != s.Sequence {
		return r.Sequence - s.Sequence
	}
	return r.Stamp.Compare(s.Stamp)
}

// stampOf reads a property that holds a UTC time, such as CREATED; zero when absent
// or unreadable.
func stampOf(c *ical.Component, name string) time.Time {
	p, ok := c.Get(name)
	if !ok {
		return time.Time{}
	}
	m, err := ical.ParseMoment(p.Value, "")
	if err != nil {
		return time.Time{}
	}
	return m.Wall.Time()
}
