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
	Line     int      `json:"line"`
	Severity Severity `json:"severity"`
	Code     string   `json:"code"`
	Message  string   `json:"message"`
}

// Diagf makes a Diagnostic with a formatted message.
func Diagf(line int, severity Severity, code, format string, args ...any) Diagnostic {
	return Diagnostic{line, severity, code, fmt.Sprintf(format, args...)}
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
