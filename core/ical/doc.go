// Package ical turns iCalendar text (RFC 5545) into components and back.
//
// In: bytes. Out: a tree of Components with Properties, each with the line on which
// it stood, and Diagnostics for what is wrong but survivable; or a NotCalendarError
// that names what the bytes are instead. Nothing is interpreted beyond the syntax:
// what a VEVENT means is for the rooms below.
//
// A document is a stream of content lines (RFC 5545 section 3.1):
//
//	BEGIN:VEVENT
//	DTSTART;TZID=America/Halifax:20260703T090000
//	SUMMARY:Day charter\, two guests
//	END:VEVENT
//
// What is read of what is written, and what is written of what is set:
//
//	summary:Day charter\, two guests        -> Name "SUMMARY", Text "Day charter, two guests"
//	DTSTART;TZID="America/Halifax":20260703 -> Param("TZID") "America/Halifax", Value "20260703"
//	SUMMARY:Day cha, CRLF, space, rter      -> Value "Day charter"
//	X-NOTE;X-BY=^n^'me^':1                  -> Param("X-BY") with a line end and "me" in quotes (RFC 6868)
//	nonsense                                -> a Diagnostic "bad-line"; the rest of the event counts
//	<!DOCTYPE html>                         -> a NotCalendarError with the code "html"
//	AddText("SUMMARY", "a, b; c")           -> SUMMARY:a\, b\; c
//
// Lines end in CRLF; a bare LF or CR is accepted. A line that starts with a space or
// a tab continues the one before it. Names are case-insensitive and are kept in upper
// case; values are kept as they were written.
package ical
