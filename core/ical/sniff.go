package ical

import (
	"bytes"
	"regexp"
	"strings"
)

// calendarStart finds the line that begins the first calendar, also after other text.
func calendarStart(head []byte) (at int, found bool) {
	for at < len(head) {
		line := head[at:]
		if end := bytes.IndexAny(line[:min(len(line), 4096)], "\r\n"); end >= 0 {
			line = line[:end+1]
		}
		if c := (content{text: bytes.TrimSpace(line)}); len(c.text) > 0 {
			if word, name := c.keyword(); word == begin && name == "VCALENDAR" {
				return at, true
			}
		}
		at += len(line)
	}
	return 0, false
}

// sniff names what the leading bytes are when no calendar begins in them.
func sniff(head []byte) *NotCalendarError {
	text := bytes.TrimSpace(head)
	lower := strings.ToLower(string(text[:min(len(text), 256)]))
	switch {
	case len(text) == 0:
		return &NotCalendarError{Code: "empty", Is: "empty",
			Remedy: "check in the platform that the feed is published, then copy its link again"}
	case strings.HasPrefix(lower, "<!doctype html"), strings.HasPrefix(lower, "<html"), strings.Contains(lower, "<html"),
		strings.HasPrefix(lower, "<head"), strings.HasPrefix(lower, "<body"):
		if asksForPassword.Match(text) {
			return &NotCalendarError{Code: "login", Is: "a page to log in on",
				Remedy: "copy the feed's own link, which needs no login; or where the platform has user names and passwords for feeds, give these"}
		}
		return &NotCalendarError{Code: "html", Is: "a web page",
			Remedy: "copy the link of the calendar feed (often called iCal, ICS or export link), not the address of the page it is shown on"}
	case bytes.HasPrefix(text, []byte("PK\x03\x04")):
		return &NotCalendarError{Code: "zip", Is: "a zip archive",
			Remedy: "unpack it and use one of the .ics files inside, or copy the link of the feed itself"}
	case bytes.HasPrefix(text, []byte("\x1f\x8b")):
		return &NotCalendarError{Code: "archive", Is: "a compressed archive",
			Remedy: "unpack it and use the .ics file inside, or copy the link of the feed itself"}
	case strings.HasPrefix(lower, "<?xml"), strings.HasPrefix(lower, "{"), strings.HasPrefix(lower, "["):
		return &NotCalendarError{Code: "data", Is: "XML or JSON data",
			Remedy: "look in the platform for a link that gives iCalendar (.ics)"}
	case looksLikeCSV(text):
		return &NotCalendarError{Code: "csv", Is: "a spreadsheet (CSV)",
			Remedy: "export it as iCalendar (.ics) instead, or copy the link of the feed"}
	}
	return unknown(0)
}

// asksForPassword finds the field for a password in a page.
var asksForPassword = regexp.MustCompile(`(?i)<input[^>]*\btype\s*=\s*["']?password`)

// unknown says of something that nobody knows what it is.
func unknown(line int) *NotCalendarError {
	return &NotCalendarError{Code: "not-calendar", Line: line, Is: "something else",
		Remedy: "a calendar begins with BEGIN:VCALENDAR; copy the link of the feed or export the calendar as .ics"}
}

func looksLikeCSV(text []byte) bool {
	first, _, _ := bytes.Cut(text, []byte("\n"))
	return bytes.Count(first, []byte(",")) >= 2 || bytes.Count(first, []byte(";")) >= 2 || bytes.Count(first, []byte("\t")) >= 2
}
