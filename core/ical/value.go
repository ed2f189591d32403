package ical

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"wharf/core/span"
)

// Anchor says how a Moment's wall clock is tied to the world.
type Anchor uint8

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
	Wall   span.Wall
	Anchor Anchor
	TZID   string // for Zoned
}

// Moment reads the single DATE or DATE-TIME value of a property.
func (p Property) Moment() (Moment, error) {
	m, err := ParseMoment(p.Value, p.Param("TZID"))
	if err != nil {
		return Moment{}, fmt.Errorf("%s: %w", p.Name, err)
	}
	return m, nil
}

// ParseMoment reads 20260703, 20260703T090000 or 20260703T090000Z; seconds may be left
// out. The form of the value decides, whatever a VALUE parameter says, since feeds often
// leave it out.
func ParseMoment(s, tzid string) (Moment, error) {
	if s == "" || s[0] <= ' ' || s[len(s)-1] <= ' ' {
		s = strings.TrimSpace(s)
	}
	day, ok := date(s)
	switch {
	case !ok:
	case len(s) == 8:
		return Moment{Wall: day.Wall()}, nil
	default:
		bare := s
		utc := s[len(s)-1]|0x20 == 'z'
		if utc {
			bare = s[:len(s)-1]
		}
		clock, ok := clockOf(bare[8:])
		switch w := day.Wall() + span.Wall(clock); {
		case !ok:
		case utc:
			return Moment{Wall: w, Anchor: UTC}, nil
		case tzid != "":
			return Moment{Wall: w, Anchor: Zoned, TZID: tzid}, nil
		default:
			return Moment{Wall: w, Anchor: Floating}, nil
		}
	}
	if len(s) == 8 {
		return Moment{}, fmt.Errorf("%q is not a date", s)
	}
	return Moment{}, fmt.Errorf("%q is neither a date (20260703) nor a time (20260703T090000Z)", shorten(s))
}

// date reads the eight digits at the front of s.
func date(s string) (span.Date, bool) {
	if len(s) < 8 {
		return 0, false
	}
	c, y, m, d := pair(s[0], s[1]), pair(s[2], s[3]), pair(s[4], s[5]), pair(s[6], s[7])
	y += 100 * c
	if c < 0 || y < 100*c || m < 1 || m > 12 || d < 1 || d > 28 && d > monthLength(y, m) {
		return 0, false
	}
	return span.NewDate(y, time.Month(m), d), true
}

func monthLength(year, month int) int {
	switch month {
	case 4, 6, 9, 11:
		return 30
	case 2:
		if year%4 == 0 && (year%100 != 0 || year%400 == 0) {
			return 29
		}
		return 28
	}
	return 31
}

// clockOf reads T090000 or T0900 as seconds from midnight. A leap second reads as the one
// before it.
func clockOf(s string) (int, bool) {
	if len(s) != 7 && len(s) != 5 || s[0]|0x20 != 't' {
		return 0, false
	}
	h, m, second := pair(s[1], s[2]), pair(s[3], s[4]), 0
	if len(s) == 7 {
		second = pair(s[5], s[6])
	}
	if h < 0 || h > 23 || m < 0 || m > 59 || second < 0 || second > 60 {
		return 0, false
	}
	return h*3600 + m*60 + min(second, 59), true
}

// pair reads two digits, or gives -1.
func pair(a, b byte) int {
	a, b = a-'0', b-'0'
	if a > 9 || b > 9 {
		return -1
	}
	return int(a)*10 + int(b)
}

// digits reads an unsigned number of digits only, or gives -1.
func digits(s string) int {
	n := 0
	for i := range len(s) {
		c := s[i] - '0'
		if c > 9 {
			return -1
		}
		n = n*10 + int(c)
	}
	return n
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
	rest := strings.ToUpper(strings.TrimSpace(s))
	sign := 1
	if strings.HasPrefix(rest, "-") {
		sign = -1
	}
	rest = strings.TrimLeft(rest, "+-")
	rest, ok := strings.CutPrefix(rest, "P")
	if !ok || rest == "" {
		return Duration{}, badDuration(s)
	}
	var d Duration
	clock := false
	for rest != "" {
		if rest[0] == 'T' && !clock {
			clock, rest = true, rest[1:]
			continue
		}
		end := 0
		for end < len(rest) && rest[end] >= '0' && rest[end] <= '9' {
			end++
		}
		if end == 0 || end > 7 || end == len(rest) {
			return Duration{}, badDuration(s)
		}
		n, unit := digits(rest[:end]), rest[end]
		rest = rest[end+1:]
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
			return Duration{}, badDuration(s)
		}
	}
	d.Days *= sign
	d.Exact *= time.Duration(sign)
	return d, nil
}

func badDuration(s string) error {
	return fmt.Errorf("%q is not a duration: P2D is two days, PT1H30M an hour and a half", shorten(s))
}

// ParseOffset reads a UTC-OFFSET (RFC 5545 section 3.3.14), +0100 or -033015, as seconds
// east of UTC.
func ParseOffset(s string) (int, error) {
	s = strings.TrimSpace(s)
	if len(s) == 5 || len(s) == 7 {
		h, m, second := digits(s[1:3]), digits(s[3:5]), 0
		if len(s) == 7 {
			second = digits(s[5:7])
		}
		if n := h*3600 + m*60 + second; h >= 0 && h <= 24 && m >= 0 && m < 60 && second >= 0 && second < 60 && (s[0] == '+' || s[0] == '-') {
			if s[0] == '-' {
				n = -n
			}
			return n, nil
		}
	}
	return 0, fmt.Errorf("%q is not an offset such as -0400", shorten(s))
}

// UnescapeText undoes the escapes of a TEXT value (RFC 5545 section 3.3.11). A backslash
// before another character stands for itself.
func UnescapeText(s string) string {
	at := strings.IndexByte(s, '\\')
	if at < 0 {
		return s
	}
	var b strings.Builder
	b.Grow(len(s) - 1)
	for from := 0; ; {
		b.WriteString(s[from:at])
		if at+1 == len(s) {
			b.WriteByte('\\')
			return b.String()
		}
		switch c := s[at+1]; c {
		case '\\', ';', ',':
			b.WriteByte(c)
		case 'n', 'N':
			b.WriteByte('\n')
		default:
			b.WriteString(s[at : at+2])
		}
		from = at + 2
		next := strings.IndexByte(s[from:], '\\')
		if next < 0 {
			b.WriteString(s[from:])
			return b.String()
		}
		at = from + next
	}
}

var escaper = strings.NewReplacer(`\`, `\\`, `;`, `\;`, `,`, `\,`, "\r\n", `\n`, "\n", `\n`, "\r", `\n`)

// EscapeText writes a TEXT value.
func EscapeText(s string) string { return escaper.Replace(s) }

func number(s string) (float64, error) {
	f, err := strconv.ParseFloat(strings.TrimSpace(s), 64)
	if err != nil {
		return 0, fmt.Errorf("%q is not a number", shorten(s))
	}
	return f, nil
}
