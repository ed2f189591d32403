package ical

import (
	"io"
	"strings"
	"unicode/utf8"
)

// foldAt is the most octets a line may have, without its end (RFC 5545 section 3.1).
const foldAt = 75

// Write writes the component and all in it as content lines that end in CRLF, folded
// at 75 octets and never inside a UTF-8 sequence. The same component gives the same
// bytes. No value can begin a line of its own: line ends in it are written as \n, other
// control characters are left out.
func Write(w io.Writer, c *Component) error {
	b := append(make([]byte, 0, bufferSize/8), "BEGIN:"...)
	b = append(append(b, c.Name...), "\r\n"...)
	for p, sub := range c.inOrder() {
		if sub == nil {
			b = appendProperty(b, &p)
			continue
		}
		b = appendComponent(b, sub)
		if len(b) > bufferSize/2 {
			if _, err := w.Write(b); err != nil {
				return err
			}
			b = b[:0]
		}
	}
	b = append(append(append(b, "END:"...), c.Name...), "\r\n"...)
	_, err := w.Write(b)
	return err
}

// String is the component as Write writes it.
func (c *Component) String() string { return string(appendComponent(nil, c)) }

func appendComponent(b []byte, c *Component) []byte {
	if c.untouched() {
		return append(b, c.raw...)
	}
	b = append(append(append(b, "BEGIN:"...), c.Name...), "\r\n"...)
	if c.edit == nil { // the lines are there already, unfolded
		for i := range c.marks {
			m := &c.marks[i]
			from := len(b)
			b = endLine(append(b, c.text[m.from:m.upto]...), from)
		}
		for _, sub := range c.components {
			b = appendComponent(b, sub)
		}
	} else {
		for p, sub := range c.inOrder() {
			if sub == nil {
				b = appendProperty(b, &p)
			} else {
				b = appendComponent(b, sub)
			}
		}
	}
	return append(append(append(b, "END:"...), c.Name...), "\r\n"...)
}

// untouched reports whether the component can be written as it stood.
func (c *Component) untouched() bool {
	if c.raw == "" {
		return false
	}
	for _, sub := range c.components {
		if !sub.untouched() {
			return false
		}
	}
	return true
}

// String is the property as one unfolded content line.
func (p Property) String() string { return p.Name + p.params + ":" + p.Value }

func appendProperty(b []byte, p *Property) []byte {
	from := len(b)
	return endLine(append(append(append(append(b, p.Name...), p.params...), ':'), p.Value...), from)
}

// endLine makes what is from on a content line: without control characters, folded.
func endLine(b []byte, from int) []byte {
	if line := b[from:]; !plain(line) && (!utf8.Valid(line) || hasControls(line)) {
		safe := strings.ToValidUTF8(string(line), "\ufffd")
		b = append(b[:from], strings.Map(dropControl, lineEnds.Replace(safe))...)
	}
	if len(b)-from > foldAt {
		b = fold(b, from)
	}
	return append(b, "\r\n"...)
}

// A line end in a value would begin a new property.
var lineEnds = strings.NewReplacer("\r\n", `\n`, "\n", `\n`, "\r", `\n`)

func dropControl(c rune) rune {
	if c < 0x20 && c != '\t' || c == 0x7f {
		return -1
	}
	return c
}

// fold folds the line that begins at from: it makes room for all folds at once and moves
// the pieces into place from behind.
func fold(b []byte, from int) []byte {
	end := len(b)
	var few [64]int
	cuts := few[:0]
	for at := from + foldAt; at < end; at += foldAt - 1 {
		for !utf8.RuneStart(b[at]) {
			at--
		}
		cuts = append(cuts, at)
	}
	const mark = "\r\n "
	for range cuts {
		b = append(b, mark...)
	}
	for i := len(cuts) - 1; i >= 0; i-- {
		to := cuts[i] + (i+1)*len(mark)
		copy(b[to:], b[cuts[i]:end])
		copy(b[to-len(mark):], mark)
		end = cuts[i]
	}
	return b
}
