package recur

import (
	"strings"

	"wharf/core/ical"
)

// freeBusy reads the periods of a VFREEBUSY (RFC 5545 section 3.8.2.6).
func (x *expansion) freeBusy(e Entry) {
	if e.Master == nil {
		return
	}
	busy := Event{Component: e.Master, UID: e.UID, Status: Confirmed, Summary: e.Title(), Revision: RevisionOf(e.Master), Created: stampOf(e.Master, "CREATED")}
	for p := range e.Master.Each("FREEBUSY") {
		event := busy
		event.Line = p.Line
		switch kind := strings.ToUpper(p.Param("FBTYPE")); {
		case kind == "FREE":
			continue
		case x.doc.calendars[e.Master.Calendar].cancelled:
			event.Status = Cancelled
		case kind == "BUSY-TENTATIVE":
			event.Status = Tentative
		}
		for v, err := range p.Values() {
			if err != nil {
				x.told(p.Position(), ical.Warning, "bad-period", "%v: it was passed over", err)
				continue
			}
			at, end := x.period(v, e.Master.Calendar, p.Position())
			o := Occurrence{Event: &event, Key: Key{at, instantKey}, Start: at, End: end, NominalEnd: end}
			if x.holds(at, end) {
				x.found = append(x.found, o)
			}
		}
	}
}
