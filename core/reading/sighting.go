package reading

import (
	"time"

	"wharf/core/recur"
	"wharf/core/span"
)

// Interval is when something can have come to be: not before the request time of the last
// good reading without it, and by the end of the first one with it. NotBefore is zero for
// what was there from a document's first reading on.
type Interval struct{ NotBefore, SeenBy time.Time }

// Shown is what an entry shows of one occurrence: by this a sighting is told from the next.
type Shown struct {
	UID    string
	Span   span.Span // on its calendar's axis
	Title  string
	Status Status // "" when that is not known
	Form   string // "" when that is not known
}

// Status is what an entry says of an occurrence, whatever its link makes of it.
type Status string

const (
	Firm      Status = "firm"
	Tentative Status = "tentative"
	Free      Status = "free" // it takes nothing
)

func statusOf(o recur.Occurrence) Status {
	switch {
	case o.Transparent:
		return Free
	case o.Status == recur.Tentative:
		return Tentative
	}
	return Firm
}

// differs reports whether another thing is shown; what is not known does not differ.
func (s Shown) differs(t Shown) bool {
	return s.UID != t.UID || s.Span != t.Span || s.Title != t.Title ||
		s.Status != t.Status && s.Status != "" || s.Form != t.Form && s.Form != ""
}

// Sighting is what an entry showed of one occurrence over an unbroken run of readings, once
// that is over. While it goes on it is the Booking itself.
type Sighting struct {
	Booking int64 // its ID
	Shown
	Interval // in which it began
	// Over is when it can have ended: not before the request time of the last good reading
	// with it, and by the end of the first one without it.
	Over Interval
	Text TextAt // of the entry as it was
}
