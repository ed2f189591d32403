// Package booking says what an occurrence means on a calendar, and which bookings of
// several feeds are one.
//
// In: occurrences, a calendar's rules and a link's. Out: Bookings on the calendar's
// axis, by the tables "Busy or not" and "Span, by the calendar's grain" of the model,
// and Notices for what a person should look at.
package booking

import (
	"time"

	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

// Booking is a busy span on a calendar.
type Booking struct {
	Span      span.Span
	Tentative bool
	Blocks    bool // false: shown only
	Units     int
}

// Notice is what a person should know about an occurrence that was read in a way
// they may not expect.
type Notice string

const (
	NoNight      Notice = "blocks-no-night" // a timed entry that crosses no midnight, on nights
	LastsNothing Notice = "lasts-nothing"   // neither end nor duration
	LikeDates    Notice = "looks-like-dates"
)

// Of returns what the occurrence means on the calendar, and false when it means
// nothing there: cancelled, tentative where those are ignored, or without a night or
// a moment of its own.
func Of(o recur.Occurrence, c rules.Calendar, l rules.Link) (Booking, []Notice, bool) {
	if o.Status == recur.Cancelled || o.Status == recur.Tentative && l.Tentative == rules.Ignored {
		return Booking{}, nil, false
	}
	s, notices := SpanOf(o, c)
	b := Booking{
		Span:      s,
		Tentative: o.Status == recur.Tentative && l.Tentative == rules.AsTentative,
		Blocks:    l.Role == rules.Blocks && !o.Transparent,
		Units:     l.Units,
	}
	return b, notices, !s.Empty()
}

// SpanOf places the occurrence on the calendar's axis; the span is empty when it takes
// nothing there.
func SpanOf(o recur.Occurrence, c rules.Calendar) (span.Span, []Notice) {
	if o.AllDay {
		if c.Grain.Dated() {
			return span.Days(o.First, o.Last), nil
		}
		return span.Instants(o.First.Start(c.Zone), o.Last.Start(c.Zone)), nil
	}
	var notices []Notice
	if o.Endless {
		notices = append(notices, LastsNothing)
	}
	if likeDates(o, c.Zone) {
		notices = append(notices, LikeDates)
	}
	if c.Grain == span.Time {
		return span.Span{Start: o.Start, End: o.End}, notices
	}
	z := zone.Of(c.Zone)
	start, end := z.Wall(o.Start), z.Wall(o.NominalEnd)
	if c.Grain == span.Day {
		return touchedDays(start, end), notices
	}
	nights := crossedNights(start, end)
	if nights.Empty() && !o.Endless {
		notices = append(notices, NoNight)
	}
	return nights, notices
}

// touchedDays is every local day that the stretch touches; an end at midnight touches
// no new day, and one that lasts nothing touches the day it is on.
func touchedDays(start, end span.Wall) span.Span {
	first, last := start.Date(), end.Date()
	if end.Clock() != 0 || last == first {
		last++
	}
	return span.Days(first, last)
}

// crossedNights is each night whose midnight lies strictly inside. 00:00 to 23:59 (or
// to the next 00:00) is how some platforms write a whole day, and is read as that day.
func crossedNights(start, end span.Wall) span.Span {
	const day, minute = 86400, 60
	if start.Clock() == 0 && end-start >= day-minute {
		return span.Days(start.Date(), (end + minute).Date())
	}
	last := end.Date()
	if end.Clock() == 0 {
		last-- // the midnight at the end is not strictly inside
	}
	return span.Days(start.Date(), max(start.Date(), last))
}

// likeDates reports a timed occurrence that starts and ends at 00:00 UTC on a calendar
// whose zone is not UTC: dates, as some platforms write them.
func likeDates(o recur.Occurrence, loc *time.Location) bool {
	return o.InUTC && o.End > o.Start && o.Start%86400 == 0 && o.End%86400 == 0 && int64(zone.Of(loc).Wall(o.Start)) != o.Start
}
