package ical

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"sync"
	"unicode/utf8"
)

// Reader reads components from an iCalendar stream one at a time, so that memory is
// bounded by the largest component and not by the document. A stream may hold several
// calendars one after the other.
//
// The fields Limits, Raw and Only may be changed before the first call of Next.
type Reader struct {
	Limits Limits
	// Raw: components keep the bytes in which they stood, so that Write can copy those
	// that nobody changed.
	Raw bool
	// Only, when not nil, has the names of the properties to keep; others are read over.
	Only map[string]bool

	// Calendars are the VCALENDARs met so far, with their own properties only. The
	// properties of the last one are complete when the next one begins, or Next has
	// returned io.EOF.
	Calendars []*Component
	// Diagnostics is what was wrong but survivable so far.
	Diagnostics []Diagnostic

	in      io.Reader
	lines   *lines
	started bool
	inside  bool    // a VCALENDAR
	junk    bool    // text after one, told once
	latin   bool    // bytes that are no UTF-8, told once
	count   int     // of components
	current content // the line at hand
	again   bool    // it is to be given once more
	err     error   // after which nothing more comes
	*desk
	slabs slabs
	size  int // of a document in memory, and a little more
}

// desk is what a Reader works on and does not give away, so that the next one can have it.
type desk struct {
	buffer []byte
	joined []byte
	draft  draft
}

var desks = sync.Pool{New: func() any { return &desk{buffer: make([]byte, bufferSize)} }}

// release gives the desk back, unless it has become large.
func (r *Reader) release() {
	d := r.desk
	r.desk, r.current = nil, content{}
	if r.lines != nil {
		d.buffer, d.joined = r.lines.buf, r.lines.joined
		r.lines.buf, r.lines.joined = nil, nil
	}
	if d.draft.text = nil; max(len(d.buffer), cap(d.joined), cap(d.draft.tail), cap(d.draft.marks)) <= 4*bufferSize {
		desks.Put(d)
	}
}

// NewReader returns a Reader of r.
func NewReader(r io.Reader) *Reader {
	size := bufferSize
	if known, ok := r.(interface{ Len() int }); ok { // of what is in memory, no more than that
		size = min(size, known.Len()+1024)
	}
	return &Reader{Limits: DefaultLimits(), in: r, size: size}
}

// Next returns the next direct subcomponent of a VCALENDAR (VEVENT, VTIMEZONE, ...).
// At the end of the stream it returns io.EOF. When the stream is no calendar, is larger
// than allowed, or ends before END:VCALENDAR, the error is a *NotCalendarError.
func (r *Reader) Next() (*Component, error) {
	if r.err != nil {
		return nil, r.err
	}
	c, err := r.next()
	if err != nil {
		r.err = err
		r.release()
	}
	return c, err
}

func (r *Reader) next() (*Component, error) {
	if !r.started {
		r.started = true
		r.desk, _ = desks.Get().(*desk)
		if err := r.start(); err != nil {
			return nil, err
		}
	}
	for {
		if r.plainBegin() {
			return r.component(r.lines.number-1, plainEvent, "VEVENT")
		}
		c, err := r.content()
		if err != nil {
			return nil, r.ended(err)
		}
		word, name := c.keyword()
		begins := word == begin
		switch {
		case begins && name == "VCALENDAR":
			if err := r.begin(c.line); err != nil {
				return nil, err
			}
		case !r.inside:
			if !r.junk {
				r.diagf(c.line, Warning, "after-end", "there is text outside of the calendar: it was passed over")
				r.junk = true
			}
		case begins:
			return r.component(c.line, c.raw, name)
		case word == end:
			r.end(c.line, name)
		default:
			r.calendarProperty(c)
		}
	}
}

// ReadAll reads the rest of the stream: each VCALENDAR with all that is in it. Of a stream
// that is cut off (IsCutOff) it returns what is whole, and the error.
func (r *Reader) ReadAll() ([]*Component, error) {
	for {
		c, err := r.Next()
		if errors.Is(err, io.EOF) {
			return r.Calendars, nil
		}
		if IsCutOff(err) {
			return r.Calendars, err
		}
		if err != nil {
			return nil, err
		}
		r.Calendars[c.Calendar].AddComponent(c)
	}
}

// start finds out what the stream is, and its first VCALENDAR.
func (r *Reader) start() error {
	r.lines = newLines(r.in, r.desk.buffer, r.Limits)
	l := r.lines
	// A kilobyte or two tells what it is, unless a calendar comes after other text.
	for enough, found := 2048, false; !found && l.to < bufferSize; {
		more, err := l.fill()
		if err != nil {
			return r.ended(err)
		}
		if !more {
			break
		}
		if l.to >= enough {
			_, found = calendarStart(l.buf[:l.to])
			enough = 2 * l.to
		}
	}
	if order := utf16Order(l.buf[:l.to]); order != nil {
		r.diagf(1, Info, "utf-16", "the file is in UTF-16: it was converted; calendars are to be in UTF-8 (RFC 5545 section 3.1.4)")
		whole := io.MultiReader(bytes.NewReader(bytes.Clone(l.buf[:l.to])), r.in)
		r.lines = newLines(&utf16Reader{in: whole, order: order}, r.desk.buffer, r.Limits)
		l = r.lines
		if _, err := l.fill(); err != nil {
			return r.ended(err)
		}
	}
	if bytes.HasPrefix(l.buf[:l.to], []byte("\xef\xbb\xbf")) {
		l.from = 3
	}
	head := l.buf[l.from:l.to]
	at, found := calendarStart(head)
	if !found {
		not := sniff(head)
		not.Line = 1
		return not
	}
	if len(bytes.TrimSpace(head[:at])) > 0 {
		r.diagf(1, Warning, "junk-before", "there is text before BEGIN:VCALENDAR: it was passed over")
	}
	for !r.inside {
		c, err := r.content()
		if errors.Is(err, io.EOF) {
			return unknown(1)
		}
		if err != nil {
			return r.ended(err)
		}
		if word, name := c.keyword(); word == begin && name == "VCALENDAR" {
			if err := r.begin(c.line); err != nil {
				return err
			}
		}
	}
	return nil
}

// begin is called at BEGIN:VCALENDAR.
func (r *Reader) begin(line int) error {
	if r.inside {
		r.diagf(line, Warning, "unbalanced", "a calendar begins before the one before it has ended (END:VCALENDAR is missing)")
	}
	if len(r.Calendars) == 1 {
		r.diagf(line, Info, "several-calendars", "the file holds several calendars one after the other: all of them are read")
	}
	if len(r.Calendars) >= r.Limits.Calendars {
		return tooMany("too-many-calendars", "calendars", r.Limits.Calendars, line)
	}
	r.Calendars = append(r.Calendars, &Component{Name: "VCALENDAR", Line: line})
	r.inside = true
	return r.another(line)
}

// another counts a component.
func (r *Reader) another(line int) error {
	if r.count++; r.count > r.Limits.Components {
		return tooMany("too-many-components", "components", r.Limits.Components, line)
	}
	return nil
}

// tooMany is the error of a document that has more of something than it may.
func tooMany(code, what string, most, line int) error {
	return &NotCalendarError{Code: code, Line: line, Is: fmt.Sprintf("of more than %d %s", most, what),
		Remedy: "ask the platform for a feed of the coming months only, or raise the limit"}
}

// end is called at an END outside of all components.
func (r *Reader) end(line int, name string) {
	if name != "VCALENDAR" {
		r.diagf(line, Error, "unbalanced", "END:%s has no BEGIN: it was passed over", name)
		return
	}
	r.inside = false
}

// ended says what the end of the stream, or an error, means where it came.
func (r *Reader) ended(err error) error {
	switch {
	case errors.Is(err, errTooLarge):
		return &NotCalendarError{Code: "too-large", Line: r.lines.number, Is: fmt.Sprintf("larger than %d bytes", r.Limits.Bytes),
			Remedy: "ask the platform for a feed of the coming months only, or raise the limit"}
	case !errors.Is(err, io.EOF) || !r.inside:
		return err
	}
	return &NotCalendarError{Code: cutOff, Line: r.lines.number - 1, Is: "cut off before its end (END:VCALENDAR is missing)",
		Remedy: "download it again; if it stays so, tell the platform that its feed is incomplete"}
}

func (r *Reader) calendarProperty(c *content) {
	if nameEnd, paramsEnd, ok := r.head(c); ok {
		text := string(c.text)
		p := Property{Name: text[:nameEnd], params: text[nameEnd:paramsEnd], Value: text[paramsEnd+1:], Line: c.line}
		r.Calendars[len(r.Calendars)-1].AddProperty(p)
	}
}

// content returns the next line that is not blank.
func (r *Reader) content() (*content, error) {
	c := &r.current
	if r.again {
		r.again = false
		return c, nil
	}
	for {
		if err := r.lines.next(c); err != nil {
			return nil, err
		}
		if c.line > r.Limits.Lines {
			return nil, tooMany("too-many-lines", "lines", r.Limits.Lines, c.line)
		}
		if !c.plain {
			r.characters(c)
		}
		if len(c.text) > 0 && (c.text[0] > ' ' || len(bytes.TrimSpace(c.text)) > 0) {
			return c, nil
		}
		r.draft.tidy = false // a blank line is not written again
	}
}

// characters makes UTF-8 of the line.
func (r *Reader) characters(c *content) {
	if !utf8.Valid(c.text) {
		text, latin := toUTF8(c.text)
		if !r.latin {
			r.latin = true
			how := "as Latin-1"
			if !latin {
				how = "with a replacement for the broken characters"
			}
			r.diagf(c.line, Warning, "not-utf8", "the line is not UTF-8: it was read %s, and other such lines likewise", how)
		}
		c.text, c.tidy = text, false
		return
	}
	c.tidy = c.tidy && !hasControls(c.text)
}

// hasControls reports whether there are characters that a value cannot have (RFC 5545
// section 3.1, CONTROL).
func hasControls(text []byte) bool {
	for _, b := range text {
		if b < 0x20 && b != '\t' || b == 0x7f {
			return true
		}
	}
	return false
}

// keyword is what a line is: one of the two that hold the document together, or a property.
type keyword int

const (
	property keyword = iota
	begin
	end
)

// keyword tells a BEGIN or END, and its value in upper case.
func (c *content) keyword() (keyword, string) {
	if c.text[0] > ' ' && c.text[0]|0x20 != 'b' && c.text[0]|0x20 != 'e' {
		return property, ""
	}
	switch t := c.text; {
	case len(t) > 6 && string(t[:6]) == "BEGIN:" && t[6] > ' ':
		return begin, interned(trimmed(t[6:]))
	case len(t) > 4 && string(t[:4]) == "END:" && t[4] > ' ':
		return end, interned(trimmed(t[4:]))
	}
	t := bytes.TrimLeft(c.text, " \t")
	word, length := begin, len("BEGIN")
	if len(t) > 0 && t[0]|0x20 == 'e' {
		word, length = end, len("END")
	}
	if len(t) <= length || !strings.EqualFold(string(t[:length]), "BEGIN"[:length]) && !strings.EqualFold(string(t[:length]), "END") {
		return property, ""
	}
	rest := bytes.TrimLeft(t[length:], " \t")
	if len(rest) > 0 && rest[0] == ';' { // neither may have parameters, which are passed over
		if at, err := skipParams(rest, 0); err == nil {
			rest = rest[at:]
		}
	}
	if len(rest) == 0 || rest[0] != ':' {
		return property, ""
	}
	return word, interned(bytes.TrimSpace(rest[1:]))
}

// trimmed is b without the spaces at its end.
func trimmed(b []byte) []byte {
	for len(b) > 0 && b[len(b)-1] <= ' ' {
		b = b[:len(b)-1]
	}
	return b
}

// interned is the name in upper case, without an allocation for those that everyone uses.
func interned(b []byte) string {
	switch string(b) {
	case "VEVENT":
		return "VEVENT"
	case "VALARM":
		return "VALARM"
	case "VTODO":
		return "VTODO"
	case "VCALENDAR":
		return "VCALENDAR"
	}
	return strings.TrimSpace(strings.Map(dropControl, strings.ToUpper(string(b))))
}

// position is where in the line an error of splitHead is.
func (c *content) position(err error) Position {
	var head *headError
	if !errors.As(err, &head) {
		return Position{c.line, 1}
	}
	return Position{c.line, 1 + utf8.RuneCount(c.text[:head.at])}
}

// head splits a line, mended where that is needed. What cannot be read is told.
func (r *Reader) head(c *content) (nameEnd, paramsEnd int, ok bool) {
	if c.long {
		name, _, _ := strings.Cut(strings.ReplaceAll(string(c.text), ";", ":"), ":")
		r.diagf(c.line, Error, "long-line", "%s is longer than %d bytes: it was left out", shorten(name), r.Limits.Line)
		return 0, 0, false
	}
	nameEnd, paramsEnd, upper, err := splitHead(c.text)
	if err != nil {
		at := c.position(err)
		text, mended := mend(string(c.text))
		if mended {
			c.text = []byte(text)
			var again error
			if nameEnd, paramsEnd, upper, again = splitHead(c.text); again != nil {
				mended = false
			}
		}
		if !mended {
			r.diagAt(at, Error, "bad-line", "%v: the line was passed over", err)
			return 0, 0, false
		}
		r.diagAt(at, Warning, "mended-line", "%v: the line was read as %q", err, shorten(text))
		c.tidy = false
	}
	if name := string(c.text[:nameEnd]); strings.EqualFold(name, "BEGIN") || strings.EqualFold(name, "END") {
		r.diagf(c.line, Error, "bad-line", "%s does not say of what: the line was passed over", name)
		return 0, 0, false
	}
	if !upper {
		copy(c.text[:nameEnd], bytes.ToUpper(c.text[:nameEnd]))
		c.tidy = false
	}
	return nameEnd, paramsEnd, true
}

// diagf tells of a line as a whole.
func (r *Reader) diagf(line int, severity Severity, code, format string, args ...any) {
	r.diagAt(Position{line, 1}, severity, code, format, args...)
}

func (r *Reader) diagAt(at Position, severity Severity, code, format string, args ...any) {
	switch n := len(r.Diagnostics); {
	case n < r.Limits.Diagnostics:
		r.Diagnostics = append(r.Diagnostics, Diagf(at, severity, code, format, args...))
	case n == r.Limits.Diagnostics:
		r.Diagnostics = append(r.Diagnostics, Diagf(at, Warning, "more-remarks", "there are more remarks than %d: the rest is not listed", n))
	}
}
