package recur

import (
	"errors"
	"io"

	"wharf/core/ical"
)

// Stream expands a document that is too large to be kept: it is read twice. The first
// time it is learnt how often each UID comes and which zones there are; the second time
// each entry is expanded as soon as all of it has been read, and forgotten. What it finds
// is what Read and Expand find, in another order.
type Stream struct {
	Limits ical.Limits
	Window Window
	// Found is called with the occurrences of each entry in order of start.
	Found func([]Occurrence) error
	// Told is called with what could not be understood.
	Told func(ical.Diagnostic)
}

// zoneProperties are what a VTIMEZONE is read by.
var zoneProperties = map[string]bool{"UID": true, "TZID": true, "DTSTART": true, "TZOFFSETFROM": true, "TZOFFSETTO": true, "TZNAME": true, "RRULE": true, "RDATE": true}

// Expand does it. The errors are those of in, of Found, and *ical.NotCalendarError. Of a
// document that is cut off (ical.IsCutOff) what is whole is found before the error.
func (s Stream) Expand(in io.ReadSeeker) error {
	start, err := in.Seek(0, io.SeekCurrent)
	if err != nil {
		return err
	}
	doc, parts, err := s.survey(in)
	if err != nil {
		return err
	}
	if _, err := in.Seek(start, io.SeekStart); err != nil {
		return err
	}
	r := ical.NewReader(in)
	r.Limits, r.Only = s.Limits, counts
	waiting := map[uint64][]*ical.Component{}
	x := doc.In(s.Window)
	for told := 0; ; {
		c, err := r.Next()
		for ; told < len(r.Diagnostics); told++ {
			s.Told(r.Diagnostics[told])
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if c.Name == "VTIMEZONE" || !doc.books(c) {
			s.tell(doc)
			continue
		}
		uid := uidOf(c)
		hash := hashOf(uid)
		whole := []*ical.Component{c}
		if uid != "" && parts[hash] > 1 {
			whole = append(waiting[hash], c)
			if len(whole) < int(parts[hash]) {
				waiting[hash] = whole
				continue
			}
			delete(waiting, hash)
		}
		if err := s.expand(x, whole); err != nil {
			return err
		}
	}
}

// survey reads the document for what must be known before anything can be expanded: the
// zones, and how many components there are of each UID, by its hash.
func (s Stream) survey(in io.Reader) (*Document, map[uint64]int32, error) {
	r := ical.NewReader(in)
	r.Limits, r.Only = s.Limits, zoneProperties
	doc := &Document{}
	parts := map[uint64]int32{}
	var zones []*ical.Component
	for {
		c, err := r.Next()
		switch {
		case errors.Is(err, io.EOF), ical.IsCutOff(err):
			doc.frame(r.Calendars, zones)
			s.tell(doc)
			return doc, parts, nil
		case err != nil:
			for _, d := range r.Diagnostics {
				s.Told(d)
			}
			return nil, nil, err
		case c.Name == "VTIMEZONE":
			zones = append(zones, c)
		case c.Name == "VEVENT", c.Name == "VFREEBUSY":
			parts[hashOf(uidOf(c))]++
		}
	}
}

// tell passes on what the document was told.
func (s Stream) tell(doc *Document) {
	for _, d := range doc.Diagnostics {
		s.Told(d)
	}
	doc.Diagnostics = doc.Diagnostics[:0]
}

func (s Stream) expand(x *Expander, components []*ical.Component) error {
	entries, diags := group(components)
	for _, d := range diags {
		s.Told(d)
	}
	for _, e := range entries {
		found, diags := x.Expand(e)
		for _, d := range diags {
			s.Told(d)
		}
		if err := s.Found(found); err != nil {
			return err
		}
	}
	return nil
}
