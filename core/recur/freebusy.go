package recur

import (
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/zone"
)

// freeBusy reads the periods of a VFREEBUSY (RFC 5545 section 3.8.2.6).
func (x *expansion) freeBusy(e Entry) {
	if e.Master == nil {
		return
	}
	for _, p := range e.Master.All("FREEBUSY") {
		kind := strings.ToUpper(p.Param("FBTYPE"))
		if kind == "FREE" {
			continue
		}
		status := Confirmed
		if kind == "BUSY-TENTATIVE" {
			status = Tentative
		}
		if x.doc.Cancelled {
			status = Cancelled
		}
		for _, v := range strings.Split(p.Value, ",") {
			head, tail, _ := strings.Cut(v, "/")
			m, err := ical.ParseMoment(head, p.Param("TZID"))
			if err != nil {
				x.warn(p.Line, "bad-period", "FREEBUSY: %v: it was passed over", err)
				continue
			}
			length, err := x.periodLength(m, tail, p)
			if err != nil {
				x.warn(p.Line, "bad-period", "FREEBUSY: %v: it was passed over", err)
				continue
			}
			start := zone.Instant(m.Wall, x.zoneOf(m, p.Line))
			o := Occurrence{UID: e.UID, Key: start.UTC().Format(time.RFC3339), Start: start, End: start.Add(length),
				NominalEnd: start.Add(length), Status: status, Summary: e.Title(), Revision: RevisionOf(e.Master), Line: p.Line}
			if x.window.Holds(o.Start, o.End) {
				x.found = append(x.found, o)
			}
		}
	}
}
