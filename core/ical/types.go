package ical

import (
	"encoding/base64"
	"fmt"
	"iter"
	"strings"

	"wharf/core/span"
)

// Type is the type of a value (RFC 5545 section 3.3).
type Type uint8

const (
	Unknown Type = iota // of a VALUE parameter that nobody knows: carried as it stands
	Binary
	Boolean
	CalAddress
	Date
	DateTime
	DurationType
	Float
	Integer
	PeriodType
	Recur
	Text
	Time
	URI
	UTCOffset
)

var typeNames = map[string]Type{"BINARY": Binary, "BOOLEAN": Boolean, "CAL-ADDRESS": CalAddress, "DATE": Date, "DATE-TIME": DateTime, "DURATION": DurationType, "FLOAT": Float,
	"INTEGER": Integer, "PERIOD": PeriodType, "RECUR": Recur, "TEXT": Text, "TIME": Time, "URI": URI, "UTC-OFFSET": UTCOffset}

// form is what a property's values are: their type, where no VALUE parameter says
// otherwise, and what stands between two of them, if there can be more than one.
type form struct {
	kind      Type
	separator byte
}

// forms are those of the properties of RFC 5545, 7986, 7953, 9073, 9074 and 9253.
var forms = func() map[string]form {
	m := map[string]form{"GEO": {Float, ';'}, "CATEGORIES": {Text, ','}, "RESOURCES": {Text, ','}, "EXDATE": {DateTime, ','}, "RDATE": {DateTime, ','}, "FREEBUSY": {PeriodType, ','}}
	for kind, names := range map[Type]string{
		Text: "CALSCALE METHOD PRODID VERSION CLASS COMMENT DESCRIPTION LOCATION STATUS SUMMARY TRANSP TZID TZNAME CONTACT RELATED-TO UID ACTION REQUEST-STATUS NAME COLOR " +
			"BUSYTYPE LOCATION-TYPE PARTICIPANT-TYPE RESOURCE-TYPE STYLED-DESCRIPTION PROXIMITY REFID",
		URI:          "ATTACH TZURL URL SOURCE IMAGE CONFERENCE STRUCTURED-DATA CONCEPT LINK",
		CalAddress:   "ATTENDEE ORGANIZER CALENDAR-ADDRESS",
		DateTime:     "COMPLETED DTEND DUE DTSTART TZUNTIL RECURRENCE-ID CREATED DTSTAMP LAST-MODIFIED ACKNOWLEDGED",
		DurationType: "DURATION TRIGGER REFRESH-INTERVAL",
		Integer:      "PERCENT-COMPLETE PRIORITY REPEAT SEQUENCE",
		UTCOffset:    "TZOFFSETFROM TZOFFSETTO",
		Recur:        "RRULE EXRULE",
	} {
		for name := range strings.FieldsSeq(names) {
			m[name] = form{kind: kind}
		}
	}
	return m
}()

// quick finds most forms by a few bytes of their names; the others are looked up in forms.
var quick = func() (q [256]struct {
	name string
	form form
}) {
	for name, f := range forms {
		if at := &q[quickly(name)]; at.name == "" || at.name > name {
			at.name, at.form = name, f
		}
	}
	return q
}()

// quickly is the hash by which quick goes. Of the multipliers that were tried, by this one
// the fewest names meet.
func quickly(name string) uint8 {
	n := len(name)
	return uint8((uint32(n)<<24 ^ uint32(name[0])<<16 ^ uint32(name[n/2])<<8 ^ uint32(name[n-1])) * 2654437659 >> 24)
}

// Value is one decoded value. Which field holds it depends on Type; Text always does as
// far as there is one: unescaped for TEXT, as written otherwise.
type Value struct {
	Type     Type
	ByLength bool // a PERIOD that has a Duration and no End
	ends     Anchor
	Text     string
	Moment   Moment    // DATE, DATE-TIME, TIME (on 1970-01-01), the start of a PERIOD
	until    span.Wall // the End
	Duration Duration  // DURATION, PERIOD
	Number   float64   // FLOAT, INTEGER, UTC-OFFSET (seconds), BOOLEAN (1 or 0)
}

// End is that of a PERIOD that has one.
func (v Value) End() Moment { return Moment{Wall: v.until, Anchor: v.ends, TZID: v.Moment.TZID} }

// Type is that of the property's values: by its VALUE parameter, else by its name.
func (p Property) Type() Type { return p.form().kind }

func (p *Property) form() (f form) {
	if p.Name == "" {
		return f
	}
	if known := &quick[quickly(p.Name)]; known.name == p.Name {
		f = known.form
	} else if other, ok := forms[p.Name]; ok {
		f = other
	} else {
		f.kind = Text // RFC 5545 section 3.8.8
	}
	switch p.params {
	case "":
	case ";VALUE=DATE":
		f.kind = Date
	default:
		if v := p.Param("VALUE"); v != "" {
			f.kind = typeNames[strings.ToUpper(v)]
		}
	}
	return f
}

// Values decodes the property's values, one after the other. An error says what that one
// value should look like; those after it still come.
func (p Property) Values() iter.Seq2[Value, error] {
	return func(yield func(Value, error) bool) {
		f, tzid := p.form(), ""
		if (f.kind == DateTime || f.kind == PeriodType) && p.params != "" {
			tzid = p.Param("TZID")
		}
		for rest, more := p.Value, true; more; {
			var v Value
			if v.Text, more = rest, false; f.separator != 0 {
				v.Text, rest, more = cutValue(rest, f.separator)
			}
			err := v.decode(f.kind, tzid)
			if err != nil {
				err = fmt.Errorf("%s: %w", p.Name, err)
			}
			if !yield(v, err) {
				return
			}
		}
	}
}

// BadValues tells the values of the component, and of all in it, that are not of the type
// that they should have.
func (c *Component) BadValues() []Diagnostic {
	var bad []Diagnostic
	for _, p := range c.Properties() {
		for _, err := range p.Values() {
			if err != nil {
				bad = append(bad, Diagf(p.Position(), Warning, "bad-value", "%v", err))
				break
			}
		}
	}
	for _, sub := range c.components {
		bad = append(bad, sub.BadValues()...)
	}
	return bad
}

// cutValue splits one value off a list; an escaped separator is part of a value.
func cutValue(s string, separator byte) (one, rest string, more bool) {
	for at := 0; ; {
		i := strings.IndexByte(s[at:], separator)
		if i < 0 {
			return s, "", false
		}
		at += i
		escapes := 0
		for escapes < at && s[at-1-escapes] == '\\' {
			escapes++
		}
		if escapes%2 == 0 {
			return s[:at], s[at+1:], true
		}
		at++
	}
}

// decode sets the fields that are of type t by the text.
func (v *Value) decode(t Type, tzid string) (err error) {
	if t == DateTime && len(v.Text) > len("20260703T090000Z") && strings.IndexByte(v.Text, '/') >= 0 { // the form decides
		t = PeriodType
	}
	v.Type = t
	switch t {
	case Text:
		v.Text = UnescapeText(v.Text)
	case Date, DateTime:
		v.Moment, err = ParseMoment(v.Text, tzid)
		if err == nil && v.Moment.AllDay() { // again
			v.Type = Date
		}
	case PeriodType:
		return v.period(tzid)
	case DurationType:
		v.Duration, err = ParseDuration(v.Text)
	case Time:
		v.Moment, err = ParseMoment("19700101T"+strings.TrimSpace(v.Text), tzid)
	case Float, Integer:
		v.Number, err = number(v.Text)
		if err == nil && t == Integer && v.Number != float64(int64(v.Number)) {
			err = fmt.Errorf("%q is not a whole number", shorten(v.Text))
		}
	case UTCOffset:
		seconds := 0
		seconds, err = ParseOffset(v.Text)
		v.Number = float64(seconds)
	case Boolean:
		switch strings.ToUpper(strings.TrimSpace(v.Text)) {
		case "TRUE":
			v.Number = 1
		case "FALSE":
		default:
			err = fmt.Errorf("%q is neither TRUE nor FALSE", shorten(v.Text))
		}
	case Binary:
		_, err = v.Bytes()
	}
	return err
}

// Bytes decodes a BINARY value (RFC 5545 section 3.3.1).
func (v Value) Bytes() ([]byte, error) {
	b, err := base64.StdEncoding.DecodeString(strings.TrimSpace(v.Text))
	if err != nil {
		return nil, fmt.Errorf("the data is not BASE64 (%w)", err)
	}
	return b, nil
}

// period reads 20260703T090000Z/PT1H or 20260703T090000Z/20260703T100000Z (RFC 5545
// section 3.3.9).
func (v *Value) period(tzid string) (err error) {
	head, tail, ok := strings.Cut(v.Text, "/")
	if !ok {
		return fmt.Errorf("%q is not a period (20260703T090000Z/PT1H)", shorten(v.Text))
	}
	if v.Moment, err = ParseMoment(head, tzid); err != nil {
		return err
	}
	if tail = strings.TrimSpace(tail); tail != "" && strings.IndexByte("Pp+-", tail[0]) >= 0 {
		v.ByLength = true
		v.Duration, err = ParseDuration(tail)
		return err
	}
	end, err := ParseMoment(tail, tzid)
	v.until, v.ends = end.Wall, end.Anchor
	return err
}
