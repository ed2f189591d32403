// Package rules holds what a coordinator lays down about a calendar and its links:
// how time is reckoned on it, how much there is to let, and how each feed counts.
//
// In: settings. Out: checked values that the rooms below can rely on. Turnaround,
// opening hours and parts are not covered yet.
package rules

import (
	"fmt"
	"time"

	"wharf/core/recur"
	"wharf/core/span"
	"wharf/core/zone"
)

// MaxCapacity is the largest capacity that a calendar can have.
const MaxCapacity = 10000

// Calendar says how bookings of one bookable thing are reckoned.
type Calendar struct {
	Zone     *time.Location // IANA zone in which its days and nights begin
	Grain    span.Grain
	Capacity int // units to let at once, at least 1
}

// FieldError names the setting that is wrong.
type FieldError struct {
	Field string
	Err   error
}

func (e *FieldError) Error() string { return e.Field + ": " + e.Err.Error() }

func (e *FieldError) Unwrap() error { return e.Err }

// NewCalendar checks a calendar's settings. The error is a *FieldError.
func NewCalendar(zoneName, grain string, capacity int) (Calendar, error) {
	loc, err := zone.Load(zoneName)
	if err != nil {
		return Calendar{}, &FieldError{"zone", err}
	}
	g, err := span.ParseGrain(grain)
	if err != nil {
		return Calendar{}, &FieldError{"grain", err}
	}
	if capacity < 1 || capacity > MaxCapacity {
		return Calendar{}, &FieldError{"capacity", fmt.Errorf("capacity %d is not possible: use a number from 1 to %d", capacity, MaxCapacity)}
	}
	return Calendar{loc, g, capacity}, nil
}

// Role says what a feed's entries do on a calendar.
type Role string

const (
	Blocks Role = "blocks" // they take units
	Shows  Role = "shows"  // they are only seen
)

// TentativeRule says how a link counts tentative entries.
type TentativeRule string

const (
	AsTentative TentativeRule = "tentative"
	AsFirm      TentativeRule = "firm"
	Ignored     TentativeRule = "ignore"
)

// Link says that a feed counts on a calendar, and how.
type Link struct {
	Role      Role
	Tentative TentativeRule
	Units     int // taken by each booking, at least 1
	Counting  UnitsRule
	Filter    Filter
	Given     Given
}

// LinkText is what a person lays down about a link, as it is written; "" and 0 are the defaults (blocks,
// tentative, 1 unit each, all entries).
type LinkText struct {
	Role, Tentative string
	Units           int
	Counting        string // see UnitsRule
	Filter          string // see Filter
}

// NewLink checks a link's settings. The error is a *FieldError.
func NewLink(text LinkText) (Link, error) {
	l := Link{Role: Blocks, Tentative: AsTentative, Units: 1}
	switch r := Role(text.Role); r {
	case Blocks, Shows:
		l.Role = r
	case "":
	default:
		return Link{}, &FieldError{"role", fmt.Errorf("role %q is not known: use blocks or shows", text.Role)}
	}
	switch t := TentativeRule(text.Tentative); t {
	case AsTentative, AsFirm, Ignored:
		l.Tentative = t
	case "":
	default:
		return Link{}, &FieldError{"tentative", fmt.Errorf("tentative %q is not known: use tentative, firm or ignore", text.Tentative)}
	}
	if text.Units < 0 || text.Units > MaxCapacity {
		return Link{}, &FieldError{"units", fmt.Errorf("units %d is not possible: use a number from 1 to %d", text.Units, MaxCapacity)}
	}
	if text.Units > 0 {
		l.Units = text.Units
	}
	var err error
	if l.Counting, err = ParseUnitsRule(text.Counting); err != nil {
		return Link{}, &FieldError{"counting", err}
	}
	if l.Filter, err = ParseFilter(text.Filter); err != nil {
		return Link{}, &FieldError{"filter", err}
	}
	return l, nil
}

// Takes reports whether an entry counts.
func (l Link) Takes(e recur.Entry) bool { return l.Filter.Takes(e, l.Given) }

// UnitsOf is how many units an occurrence of an entry with this title takes.
func (l Link) UnitsOf(e recur.Entry, title string) int {
	if n, found := l.Counting.Of(title, e.Texts); found {
		return n
	}
	return l.Units
}

// MaterialisedWindow is the stretch of time around now in which occurrences are laid
// out: 90 days back and 24 months ahead, from local midnight in the calendar's zone,
// so that it moves once a day.
func MaterialisedWindow(now time.Time, loc *time.Location) (from, to time.Time) {
	today := span.DateOf(now.In(loc))
	y, m, d := today.Civil()
	return (today - 90).Start(loc), span.NewDate(y, m+24, d).Start(loc)
}
