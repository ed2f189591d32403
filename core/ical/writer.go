package ical

import (
	"bufio"
	"io"
	"strings"
	"unicode/utf8"
)

// foldAt is the most octets a line may have, without its end (RFC 5545 section 3.1).
const foldAt = 75

// Write writes the component and all in it as content lines that end in CRLF, folded
// at 75 octets and never inside a UTF-8 sequence. The same component gives the same
// bytes.
func Write(w io.Writer, c *Component) error {
	b := bufio.NewWriter(w)
	writeComponent(b, c)
	return b.Flush()
}

// String is the component as Write writes it.
func (c *Component) String() string {
	var b strings.Builder
	_ = Write(&b, c) // a strings.Builder does not fail
	return b.String()
}

func writeComponent(b *bufio.Writer, c *Component) {
	writeLine(b, "BEGIN:"+c.Name)
	for _, p := range c.Properties {
		writeLine(b, p.String())
	}
	for _, sub := range c.Components {
		writeComponent(b, sub)
	}
	writeLine(b, "END:"+c.Name)
}

// String is the property as one unfolded content line.
func (p Property) String() string {
	var s strings.Builder
	s.WriteString(p.Name)
	for _, q := range p.Params {
		s.WriteByte(';')
		s.WriteString(q.Name)
		s.WriteByte('=')
		for i, v := range q.Values {
			if i > 0 {
				s.WriteByte(',')
			}
			s.WriteString(quoteParam(v))
		}
	}
	s.WriteByte(':')
	// A line end in a value would begin a new property.
	s.WriteString(strings.NewReplacer("\r\n", `\n`, "\n", `\n`, "\r", `\n`).Replace(p.Value))
	return s.String()
}

func quoteParam(v string) string {
	v = caretEncoder.Replace(v)
	if strings.ContainsAny(v, ",;:") {
		return `"` + v + `"`
	}
	return v
}

func writeLine(b *bufio.Writer, line string) {
	room := foldAt
	for len(line) > room {
		cut := room
		for cut > 0 && !utf8.RuneStart(line[cut]) {
			cut--
		}
		_, _ = b.WriteString(line[:cut])
		_, _ = b.WriteString("\r\n ")
		line = line[cut:]
		room = foldAt - 1
	}
	_, _ = b.WriteString(line)
	_, _ = b.WriteString("\r\n")
}
