package ical

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// Reader reads components from an iCalendar stream one at a time, so that memory is
// bounded by the largest component and not by the document.
//
// The fields may be changed before the first call of Next.
type Reader struct {
	// MaxLine is the most bytes that an unfolded content line may have; a longer one
	// is cut there with a diagnostic. Default 1 MiB.
	MaxLine int
	// MaxDepth is how deep components may be nested. Default 16.
	MaxDepth int

	// Calendar is the VCALENDAR's own properties, as far as they have been read:
	// all of them once Next has returned io.EOF.
	Calendar Component
	// Diagnostics is what was wrong but survivable so far.
	Diagnostics []Diagnostic

	in      *bufio.Reader
	started bool
	line    int    // number of the line last read
	next    []byte // the physical line read ahead, to see whether it is a fold
	ahead   bool
}

// NewReader returns a Reader of r.
func NewReader(r io.Reader) *Reader {
	return &Reader{MaxLine: 1 << 20, MaxDepth: 16, in: bufio.NewReaderSize(r, 64<<10)}
}

// Next returns the next direct subcomponent of VCALENDAR (VEVENT, VTIMEZONE, ...).
// At the end of the calendar it returns io.EOF. When the stream is no calendar, or
// ends before END:VCALENDAR, the error is a *NotCalendarError.
func (r *Reader) Next() (*Component, error) {
	if !r.started {
		if err := r.start(); err != nil {
			return nil, err
		}
	}
	for {
		p, err := r.property()
		if err != nil {
			return nil, r.cutOff(err)
		}
		switch {
		case p.Name == "BEGIN" && strings.EqualFold(p.Value, "VCALENDAR"):
			// Some platforms put several calendars one after the other: read as one.
		case p.Name == "BEGIN":
			return r.component(p, 1)
		case p.Name == "END":
			if !strings.EqualFold(p.Value, "VCALENDAR") {
				r.diagf(p.Line, Error, "unbalanced", "END:%s has no BEGIN: it was passed over", p.Value)
				continue
			}
			if err := r.afterEnd(); err != nil {
				return nil, err
			}
		default:
			r.Calendar.Properties = append(r.Calendar.Properties, p)
		}
	}
}

// ReadAll reads the rest of the calendar into one VCALENDAR component.
func (r *Reader) ReadAll() (*Component, error) {
	for {
		c, err := r.Next()
		if errors.Is(err, io.EOF) {
			return &r.Calendar, nil
		}
		if err != nil {
			return nil, err
		}
		r.Calendar.Components = append(r.Calendar.Components, c)
	}
}

// start checks that the stream begins a calendar.
func (r *Reader) start() error {
	r.started = true
	head, err := r.in.Peek(sniffLen)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return err
	}
	if not := sniff(head); not != nil {
		not.Line = 1
		return not
	}
	r.Calendar = Component{Name: "VCALENDAR", Line: 1}
	for {
		p, err := r.property()
		if err != nil {
			return r.cutOff(err)
		}
		if p.Name == "BEGIN" {
			r.Calendar.Line = p.Line
			return nil
		}
	}
}

// afterEnd is called after END:VCALENDAR: it returns io.EOF unless another calendar
// follows.
func (r *Reader) afterEnd() error {
	p, err := r.property()
	if err != nil {
		return err
	}
	if p.Name == "BEGIN" && strings.EqualFold(p.Value, "VCALENDAR") {
		r.diagf(p.Line, Info, "several-calendars", "the file holds several calendars one after the other: they are read as one")
		return nil
	}
	r.diagf(p.Line, Warning, "after-end", "there is more text after END:VCALENDAR: it was passed over")
	return io.EOF
}

func (r *Reader) cutOff(err error) error {
	if !errors.Is(err, io.EOF) {
		return err
	}
	return &NotCalendarError{Code: "cut-off", Line: r.line, Is: "cut off before its end (END:VCALENDAR is missing)",
		Remedy: "download it again; if it stays so, tell the platform that its feed is incomplete"}
}

// component reads up to the END that belongs to begin.
func (r *Reader) component(begin Property, depth int) (*Component, error) {
	c := &Component{Name: strings.ToUpper(strings.TrimSpace(begin.Value)), Line: begin.Line}
	if depth > r.MaxDepth {
		return nil, &NotCalendarError{Code: "too-deep", Line: begin.Line, Is: fmt.Sprintf("nested more than %d deep", r.MaxDepth),
			Remedy: "tell the platform that its feed is broken"}
	}
	for {
		p, err := r.property()
		if err != nil {
			return nil, r.cutOff(err)
		}
		switch p.Name {
		case "BEGIN":
			sub, err := r.component(p, depth+1)
			if err != nil {
				return nil, err
			}
			c.Components = append(c.Components, sub)
		case "END":
			if strings.EqualFold(strings.TrimSpace(p.Value), c.Name) {
				return c, nil
			}
			r.diagf(p.Line, Error, "unbalanced", "END:%s where END:%s was due: it was passed over", p.Value, c.Name)
		default:
			c.Properties = append(c.Properties, p)
		}
	}
}

// property reads the next content line that can be understood as a property; others
// become diagnostics.
func (r *Reader) property() (Property, error) {
	for {
		text, line, err := r.unfolded()
		if err != nil {
			return Property{}, err
		}
		if strings.TrimSpace(text) == "" {
			continue
		}
		p, err := ParseLine(text)
		if err != nil {
			r.diagf(line, Error, "bad-line", "%v: the line was passed over", err)
			continue
		}
		p.Line = line
		return p, nil
	}
}

// unfolded returns the next content line with its continuation lines joined
// (RFC 5545 section 3.1) and the number of its first line.
func (r *Reader) unfolded() (string, int, error) {
	text, err := r.physical()
	if err != nil {
		return "", 0, err
	}
	first := r.line
	joined := append([]byte(nil), text...)
	cut := false
	for {
		text, err = r.physical()
		if err != nil {
			if errors.Is(err, io.EOF) {
				break
			}
			return "", 0, err
		}
		if len(text) == 0 || text[0] != ' ' && text[0] != '\t' {
			r.ahead = true
			break
		}
		if len(joined)+len(text) > r.MaxLine {
			cut = true
			continue
		}
		joined = append(joined, text[1:]...)
	}
	if cut {
		r.diagf(first, Warning, "long-line", "the line is longer than %d bytes: the rest of it was left out", r.MaxLine)
	}
	if !utf8.Valid(joined) {
		r.diagf(first, Warning, "not-utf8", "the line is not UTF-8: it was read as Latin-1")
		return fromLatin1(joined), first, nil
	}
	return string(joined), first, nil
}

// physical returns the next line of the stream without its end, or the one read
// ahead. The bytes are valid until the next call.
func (r *Reader) physical() ([]byte, error) {
	if r.ahead {
		r.ahead = false
		return r.next, nil
	}
	r.next = r.next[:0]
	for {
		b, err := r.in.ReadByte()
		if err != nil {
			if errors.Is(err, io.EOF) && len(r.next) > 0 {
				break
			}
			return nil, err
		}
		if b == '\n' {
			break
		}
		if b == '\r' {
			if peek, _ := r.in.Peek(1); len(peek) == 1 && peek[0] == '\n' {
				_, _ = r.in.ReadByte()
			}
			break
		}
		if len(r.next) < r.MaxLine {
			r.next = append(r.next, b)
		}
	}
	r.line++
	if r.line == 1 && len(r.next) >= 3 && string(r.next[:3]) == "\xef\xbb\xbf" {
		r.next = r.next[3:]
	}
	return r.next, nil
}

func (r *Reader) diagf(line int, severity Severity, code, format string, args ...any) {
	r.Diagnostics = append(r.Diagnostics, Diagf(line, severity, code, format, args...))
}

func fromLatin1(b []byte) string {
	runes := make([]rune, len(b))
	for i, c := range b {
		runes[i] = rune(c)
	}
	return string(runes)
}
