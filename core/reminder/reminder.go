// Package reminder says when somebody is to be reminded of a booking.
//
// In: a Lead as a person writes it, and the start of a booking on its calendar. Out: the instant at which
// the reminder is due. A booking by the night or the day starts at midnight by the calendar's clock.
package reminder

import (
	"fmt"
	"regexp"
	"strconv"
	"time"

	"wharf/core/span"
	"wharf/core/zone"
)

// Lead is how long before a booking a reminder comes: an exact time before it, or so many days before, at the
// hour of the booking or at one of its own.
type Lead struct {
	Exact time.Duration // whole minutes; 0 where it goes by days
	Days  int
	At    time.Duration // since midnight, whole minutes
	Timed bool          // At counts; else it is the hour of the booking
}

// Most is the longest lead, in days.
const Most = 366

var written = regexp.MustCompile(`^(\d{1,6})([mhd])(?: (\d{2}):(\d{2}))?$`)

// Parse reads a lead: "30m", "2h", "3d", or "1d 18:00" for six in the evening of the day before; "0d 08:00" is
// the day itself. The error says what can be written.
func Parse(text string) (Lead, error) {
	wrong := fmt.Errorf("%q is no time before a booking: write 30m, 2h or 3d, or \"1d 18:00\" for that hour of the day before", text)
	parts := written.FindStringSubmatch(text)
	if parts == nil {
		return Lead{}, wrong
	}
	n, _ := strconv.Atoi(parts[1])
	l := Lead{Days: n, Timed: parts[3] != ""}
	unit := map[string]time.Duration{"m": time.Minute, "h": time.Hour}[parts[2]]
	if unit != 0 {
		l = Lead{Exact: time.Duration(n) * unit, Timed: l.Timed}
	}
	hour, _ := strconv.Atoi(parts[3])
	minute, _ := strconv.Atoi(parts[4])
	l.At = time.Duration(hour)*time.Hour + time.Duration(minute)*time.Minute
	switch {
	case unit != 0 && l.Timed, hour > 23, minute > 59, n == 0 && !l.Timed:
		return Lead{}, wrong
	case l.Days > Most || l.Exact > Most*24*time.Hour:
		return Lead{}, fmt.Errorf("%q is longer than a year: use at most %dd", text, Most)
	}
	return l, nil
}

// String writes a lead as Parse reads it.
func (l Lead) String() string {
	switch {
	case l.Timed:
		return fmt.Sprintf("%dd %02d:%02d", l.Days, int(l.At.Hours()), int(l.At.Minutes())%60)
	case l.Exact == 0:
		return fmt.Sprintf("%dd", l.Days)
	case l.Exact%time.Hour == 0:
		return fmt.Sprintf("%dh", int(l.Exact.Hours()))
	}
	return fmt.Sprintf("%dm", int(l.Exact.Minutes()))
}

// Words says a lead in words.
func (l Lead) Words() string {
	many := func(n int, what string) string {
		if n == 1 {
			return "1 " + what
		}
		return strconv.Itoa(n) + " " + what + "s"
	}
	before := many(l.Days, "day") + " before"
	switch {
	case l.Timed && l.Days == 0:
		before = "on the day"
	case l.Timed && l.Days == 1:
		before = "the day before"
	case l.Exact > 0 && l.Exact%time.Hour == 0:
		return many(int(l.Exact.Hours()), "hour") + " before"
	case l.Exact > 0:
		return many(int(l.Exact.Minutes()), "minute") + " before"
	}
	if l.Timed {
		return fmt.Sprintf("at %02d:%02d %s", int(l.At.Hours()), int(l.At.Minutes())%60, before)
	}
	return before
}

// Due is when a reminder of a booking comes that starts at a point of a calendar. An hour that the clock of its
// zone passes over comes as much later, as everywhere.
func (l Lead) Due(start int64, grain span.Grain, loc *time.Location) time.Time {
	at := time.Unix(start, 0).UTC()
	if grain.Dated() {
		at = span.Date(start).Start(loc)
	}
	if l.Exact > 0 {
		return at.Add(-l.Exact)
	}
	local := at.In(loc)
	day := span.DateOf(local) - span.Date(l.Days)
	hour, minute, second := local.Clock()
	if l.Timed {
		hour, minute, second = int(l.At.Hours()), int(l.At.Minutes())%60, 0
	}
	if grain.Dated() && !l.Timed {
		return day.Start(loc)
	}
	return zone.Instant(span.NewWall(day, hour, minute, second), loc)
}
