package ical

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Anchor says how a Moment's wall clock is tied to the world.
type Anchor int

const (
	DateOnly Anchor = iota // VALUE=DATE: a day, in nobody's zone
	Floating               // local time wherever it is read
	UTC                    // ends in Z
	Zoned                  // local time of the zone that TZID names
)

// Moment is a DATE or DATE-TIME value (RFC 5545 sections 3.3.4 and 3.3.5) as it was
// written: a reading of a wall clock and what ties it to the world. It becomes an
// instant only through a zone.
type Moment struct {
	Wall   time.Time // the reading, held in UTC whatever the Anchor
	Anchor Anchor
	TZID   string // for Zoned
}

// Moments reads the comma-separated DATE or DATE-TIME values of a property such as
// DTSTART or EXDATE. Periods (RDATE;VALUE=PERIOD) are for Periods.
func (p Property) Moments() ([]Moment, error) {
	var all []Moment
	for _, v := range strings.Split(p.Value, ",") {
		m, err := ParseMoment(v, p.Param("TZID"))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p.Name, err)
		}
		all = append(all, m)
	}
	return all, nil
}

// Moment reads the single DATE or DATE-TIME value of a property.
func (p Property) Moment() (Moment, error) {
	m, err := ParseMoment(p.Value, p.Param("TZID"))
	if err != nil {
		return Moment{}, fmt.Errorf("%s: %w", p.Name, err)
	}
	return m, nil
}

// ParseMoment reads 20260703, 20260703T090000 or 20260703T090000Z. The form of the
// value decides, whatever a VALUE parameter says, since feeds often leave it out.
func ParseMoment(s, tzid string) (Moment, error) {
	s = strings.ToUpper(strings.TrimSpace(s))
	if len(s) == 8 {
		t, err := time.Parse("20060102", s)
		if err != nil {
			return Moment{}, fmt.Errorf("%q is not a date", s)
		}
		return Moment{Wall: t, Anchor: DateOnly}, nil
	}
	bare, utc := strings.CutSuffix(s, "Z")
	if len(bare) == 13 { // seconds left out
		bare += "00"
	}
	leap := strings.HasSuffix(bare, "60") && len(bare) == 15 // a leap second reads as the one before
	if leap {
		bare = bare[:13] + "59"
	}
	t, err := time.Parse("20060102T150405", bare)
	if err != nil {
		return Moment{}, fmt.Errorf("%q is neither a date (20260703) nor a time (20260703T090000Z)", shorten(s))
	}
	switch {
	case utc:
		return Moment{Wall: t, Anchor: UTC}, nil
	case tzid != "":
		return Moment{Wall: t, Anchor: Zoned, TZID: tzid}, nil
	}
	return Moment{Wall: t, Anchor: Floating}, nil
}

// AllDay reports whether the value is a DATE.
func (m Moment) AllDay() bool { return m.Anchor == DateOnly }

// Duration is a DURATION value (RFC 5545 section 3.3.6): days are nominal and follow
// the wall clock, the rest is exact.
type Duration struct {
	Days  int
	Exact time.Duration
}

// ParseDuration reads P2D, PT1H30M, P1W, -PT15M and the like.
func ParseDuration(s string) (Duration, error) {
	bad := fmt.Errorf("%q is not a duration: P2D is two days, PT1H30M an hour and a half", shorten(s))
	rest := strings.ToUpper(strings.TrimSpace(s))
	sign := 1
	if strings.HasPrefix(rest, "-") {
		sign = -1
	}
	rest = strings.TrimLeft(rest, "+-")
	rest, ok := strings.CutPrefix(rest, "P")
	if !ok || rest == "" {
		return Duration{}, bad
	}
	var d Duration
	clock := false
	for rest != "" {
		if rest[0] == 'T' && !clock {
			clock, rest = true, rest[1:]
			continue
		}
		digits := strings.IndexFunc(rest, func(r rune) bool { return r < '0' || r > '9' })
		if digits <= 0 || digits > 7 {
			return Duration{}, bad
		}
		n, _ := strconv.Atoi(rest[:digits]) // digits only, at most seven
		unit := rest[digits]
		rest = rest[digits+1:]
		switch {
		case unit == 'W' && !clock:
			d.Days += 7 * n
		case unit == 'D' && !clock:
			d.Days += n
		case unit == 'H' && clock:
			d.Exact += time.Duration(n) * time.Hour
		case unit == 'M' && clock:
			d.Exact += time.Duration(n) * time.Minute
		case unit == 'S' && clock:
			d.Exact += time.Duration(n) * time.Second
		default:
			return Duration{}, bad
		}
	}
	d.Days *= sign
	d.Exact *= time.Duration(sign)
	return d, nil
}
