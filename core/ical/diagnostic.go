package ical

import (
	"errors"
	"fmt"
)

// Severity says how much a Diagnostic matters.
type Severity string

const (
	Error   Severity = "error"   // something could not be read
	Warning Severity = "warning" // read, but perhaps not as meant
	Info    Severity = "info"    // worth knowing
)

// Diagnostic is one remark about a document: where, how bad, a code that stays the
// same from release to release, and a sentence for a person.
type Diagnostic struct {
	Position
	Severity Severity `json:"severity"`
	Code     string   `json:"code"`
	Message  string   `json:"message"`
}

// Position is a place in a document.
type Position struct {
	// Line counts the lines of the text from 1; 0: it is nowhere in it.
	Line int `json:"line"`
	// Column counts characters from 1. In a line that is folded it is counted as if that were
	// one line.
	Column int `json:"-"` // not among what `wharf file check --json` gives
}

// Diagf makes a Diagnostic with a formatted message.
func Diagf(at Position, severity Severity, code, format string, args ...any) Diagnostic {
	return Diagnostic{at, severity, code, fmt.Sprintf(format, args...)}
}

// NotCalendarError says that the bytes are no iCalendar document, what they are
// instead, and what to do about it.
type NotCalendarError struct {
	Code   string // not-calendar, empty, html, zip, csv, cut-off, too-large
	Line   int    // where that was found
	Is     string // "a web page"
	Remedy string // what the coordinator can do
}

// IsCutOff reports whether an error says that a calendar ends before its END. What was read
// of it until then is whole.
func IsCutOff(err error) bool {
	var not *NotCalendarError
	return errors.As(err, &not) && not.Code == cutOff
}

const cutOff = "cut-off"

func (e *NotCalendarError) Error() string {
	return fmt.Sprintf("this is %s, not a calendar: %s", e.Is, e.Remedy)
}
