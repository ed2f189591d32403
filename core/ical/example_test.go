package ical_test

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"wharf/core/ical"
)

const document = `BEGIN:VCALENDAR
VERSION:2.0
BEGIN:VEVENT
UID:1@desk.example
dtstart;TZID=America/Halifax:20260703T090000
SUMMARY:Day charter\, two
  guests
nonsense
END:VEVENT
END:VCALENDAR
`

// Components come one at a time; what is wrong but survivable is told.
func ExampleReader_Next() {
	r := ical.NewReader(strings.NewReader(document))
	for {
		c, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		start, _ := c.Get("DTSTART")
		fmt.Println(c.Name, "of line", c.Line, "in", start.Param("TZID"), "at", start.Value)
		fmt.Println(c.Text("SUMMARY"))
	}
	for _, d := range r.Diagnostics {
		fmt.Printf("line %d: %s\n", d.Line, d.Code)
	}
	// Output:
	// VEVENT of line 3 in America/Halifax at 20260703T090000
	// Day charter, two guests
	// line 8: bad-line
}

// What is no calendar is named, with what to do about it.
func ExampleNotCalendarError() {
	_, err := ical.NewReader(strings.NewReader("<!DOCTYPE html><title>Log in</title>")).ReadAll()
	var not *ical.NotCalendarError
	fmt.Println(errors.As(err, &not), not.Code, "is", not.Is)
	// Output: true html is a web page
}

// A component that is made is written as RFC 5545 has it: text escaped, long lines folded.
func ExampleWrite() {
	e := &ical.Component{Name: "VEVENT"}
	e.Add("DTSTART", "20260703", ical.Param{Name: "VALUE", Values: []string{"DATE"}})
	e.AddText("SUMMARY", "Day charter, two guests")
	var b strings.Builder
	_ = ical.Write(&b, e) // a strings.Builder does not fail
	_, _ = io.WriteString(os.Stdout, strings.ReplaceAll(b.String(), "\r\n", "\n"))
	// Output:
	// BEGIN:VEVENT
	// DTSTART;VALUE=DATE:20260703
	// SUMMARY:Day charter\, two guests
	// END:VEVENT
}
