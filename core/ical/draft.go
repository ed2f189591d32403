package ical

import (
	"bytes"
	"slices"
	"unsafe"
)

// draft is a component on its way: its text in one buffer and marks into it, so that the
// finished one takes a handful of allocations whatever its size.
type draft struct {
	text   []byte
	tail   []byte // lines of Raw components that are not as they stood: after text in the end
	marks  []mark
	opened []int // marks of the components that are open
	nodes  int   // components
	fields int   // properties
	tidy   bool
	large  bool // more than Limits.Entry: told
}

// mark is a BEGIN, a property or an END. A BEGIN's name is what lies from name to params,
// and its upto is the number of its own properties.
type mark struct {
	kind                     markKind
	inTail                   bool
	line                     int32
	from, name, params, upto uint32 // the name ends at name, the parameters at params
}

type markKind uint8

const (
	aProperty markKind = iota
	aBegin
	anEnd
)

// whole are the components that stand in a VCALENDAR and never in one another: where one
// begins inside another, an END is missing.
var whole = []string{"VEVENT", "VTODO", "VJOURNAL", "VFREEBUSY", "VTIMEZONE", "VAVAILABILITY"}

// component reads up to the END that belongs to the BEGIN.
func (r *Reader) component(line int, raw []byte, name string) (*Component, error) {
	d := &r.draft
	d.text, d.tail, d.marks, d.opened = r.slabs.room(r.size), d.tail[:0], d.marks[:0], d.opened[:0]
	d.nodes, d.fields, d.tidy, d.large = 0, 0, true, false
	if err := r.open(line, raw, name); err != nil {
		return nil, err
	}
	for len(d.opened) > 0 {
		for r.plainLine() {
		}
		if len(d.opened) == 0 {
			break
		}
		c, err := r.content()
		if err != nil {
			return nil, r.ended(err)
		}
		switch word, name := c.keyword(); {
		case word == property:
			r.property(c)
		case word == end:
			r.close(c, name)
		case name == "VCALENDAR" || slices.Contains(whole, name) && slices.Contains(whole, d.name(d.opened[0])):
			r.diagf(c.line, Error, "unbalanced", "BEGIN:%s before the END of %s: what came before was taken for all of it", name, d.name(d.opened[0]))
			r.again = true
			d.endAll()
		default:
			if err := r.open(c.line, c.raw, name); err != nil {
				return nil, err
			}
		}
	}
	return r.build(), nil
}

// endAll ends all that is open, at an END that is missing.
func (d *draft) endAll() {
	d.tidy = false
	for len(d.opened) > 0 {
		d.end()
	}
}

// name is that of the component whose BEGIN is the ith mark.
func (d *draft) name(i int) string {
	m := d.marks[i]
	return interned(d.text[m.name:m.params])
}

func (r *Reader) open(line int, raw []byte, name string) error {
	d := &r.draft
	if err := r.another(line); err != nil {
		return err
	}
	if len(d.opened) >= r.Limits.Depth {
		r.diagf(line, Error, "too-deep", "%s is nested more than %d deep: it was left out", shorten(name), r.Limits.Depth)
		d.tidy = false
		return r.passOver()
	}
	m := mark{kind: aBegin, line: int32(line), from: uint32(len(d.text))}
	if r.Raw {
		d.tidy = d.tidy && string(raw) == "BEGIN:"+name+"\r\n"
		d.text = append(d.text, raw...)
		m.name, m.params = m.from+6, m.from+6+uint32(len(name))
		if !d.tidy {
			m.name = uint32(len(d.text))
			d.text = append(d.text, name...)
			m.params = uint32(len(d.text))
		}
	} else {
		m.name = m.from
		d.text = append(d.text, name...)
		m.params = uint32(len(d.text))
	}
	d.nodes++
	d.opened = append(d.opened, len(d.marks))
	d.marks = append(d.marks, m)
	return nil
}

// passOver leaves out what is nested too deep, up to its END.
func (r *Reader) passOver() error {
	for open := 1; open > 0; {
		c, err := r.content()
		if err != nil {
			return r.ended(err)
		}
		switch word, name := c.keyword(); {
		case word == end && name == "VCALENDAR":
			r.again = true
			return nil
		case word == end:
			open--
		case word == begin:
			open++
		}
	}
	return nil
}

// close ends the component of that name, and those in it whose END is missing.
func (r *Reader) close(c *content, name string) {
	d := &r.draft
	n := len(d.opened) - 1
	at := n
	for at >= 0 && d.name(d.opened[at]) != name {
		at--
	}
	switch {
	case at < 0 && name == "VCALENDAR":
		r.diagf(c.line, Error, "unbalanced", "END:VCALENDAR before the END of %s: what came before was taken for all of it", d.name(d.opened[0]))
		r.again = true
		d.endAll()
		return
	case at < 0:
		r.diagf(c.line, Error, "unbalanced", "END:%s where END:%s was due: it was passed over", name, d.name(d.opened[n]))
		d.tidy = false
		return
	case at < n:
		r.diagf(c.line, Error, "unbalanced", "END:%s where END:%s was due: both end here", name, d.name(d.opened[n]))
		d.tidy = false
	}
	if r.Raw {
		d.tidy = d.tidy && c.tidy && string(c.raw) == "END:"+name+"\r\n"
		d.text = append(d.text, c.raw...)
	}
	for len(d.opened) > at {
		d.end()
	}
}

// end closes the innermost open component.
func (d *draft) end() {
	d.opened = d.opened[:len(d.opened)-1]
	d.marks = append(d.marks, mark{kind: anEnd, upto: uint32(len(d.text))})
}

// plainLine takes the next line if it is a property as most are, or the END that is due:
// within the buffer, not folded, of printable ASCII, its name in upper case. What is
// otherwise is left to content, property and close, which give the same for such lines,
// only more slowly.
func (r *Reader) plainLine() bool {
	l, d := r.lines, &r.draft
	if r.again || len(d.opened) == 0 {
		return false
	}
	rest := l.buf[l.from:l.to]
	end := plainRun(rest)
	lf := end
	if lf < len(rest) && rest[lf] == '\r' {
		lf++
	}
	if end < 3 || lf+1 >= len(rest) || rest[lf] != '\n' || rest[lf+1] == ' ' || rest[lf+1] == '\t' || rest[0] == 'B' {
		return false
	}
	line := rest[:end]
	if line[0] == 'E' && line[1] == 'N' {
		return r.plainEnd(line, rest[:lf+1])
	}
	name := 0
	for name < end && class[line[name]] == ofNames {
		name++
	}
	if name == 0 || name == end || len(d.text)+len(d.tail)+end > r.Limits.Entry || end > r.Limits.Line {
		return false
	}
	params := name
	switch line[name] {
	case ':':
	case ';':
		var err error
		if params, err = skipParams(line, name); err != nil {
			return false
		}
	default:
		return false
	}
	l.from += lf + 1
	l.number++
	if r.Only != nil && !r.Only[string(line[:name])] {
		d.tidy = false
		return true
	}
	d.tidy = d.tidy && end < lf && end <= foldAt
	at := len(d.text)
	if r.Raw && d.tidy {
		line = rest[:lf+1]
	}
	d.text = append(d.text, line...)
	d.mark(l.number-1, at, at+name, at+params, at+end, false)
	return true
}

var plainEvent = []byte("BEGIN:VEVENT\r\n")

// plainBegin takes the next line if it begins an event as most do.
func (r *Reader) plainBegin() bool {
	l := r.lines
	rest := l.buf[l.from:l.to]
	if !r.inside || r.again || len(rest) <= len(plainEvent) || !bytes.HasPrefix(rest, plainEvent) || rest[len(plainEvent)] <= ' ' {
		return false
	}
	l.from += len(plainEvent)
	l.number++
	return true
}

// plainEnd takes a line, with its end in raw, if it is the END that is due.
func (r *Reader) plainEnd(line, raw []byte) bool {
	l, d := r.lines, &r.draft
	m := &d.marks[d.opened[len(d.opened)-1]]
	if string(line[:min(4, len(line))]) != "END:" || !bytes.Equal(line[4:], d.text[m.name:m.params]) {
		return false
	}
	l.from += len(raw)
	l.number++
	if d.tidy = d.tidy && len(raw) == len(line)+2; r.Raw {
		d.text = append(d.text, raw...)
	}
	d.end()
	return true
}

// mark adds a property to the innermost open component. Its fields are set in place: made
// elsewhere and copied, they would be waited for.
func (d *draft) mark(line, from, name, params, upto int, inTail bool) {
	d.marks[d.opened[len(d.opened)-1]].upto++
	d.fields++
	n := len(d.marks)
	if n == cap(d.marks) {
		d.marks = slices.Grow(d.marks, 64)
	}
	d.marks = d.marks[:n+1]
	m := &d.marks[n]
	m.kind, m.inTail, m.line = aProperty, inTail, int32(line)
	m.from, m.name, m.params, m.upto = uint32(from), uint32(name), uint32(params), uint32(upto)
}

func (r *Reader) property(c *content) {
	d := &r.draft
	name, params, ok := r.head(c)
	if !ok || r.Only != nil && !r.Only[string(c.text[:name])] {
		d.tidy = false
		return
	}
	if len(d.text)+len(d.tail)+len(c.text) > r.Limits.Entry {
		if !d.large {
			r.diagf(c.line, Error, "large-entry", "the %s is larger than %d bytes: the rest of it was left out", d.name(d.opened[0]), r.Limits.Entry)
		}
		d.large, d.tidy = true, false
		return
	}
	d.tidy = d.tidy && c.tidy
	at, inTail := len(d.text), false
	switch {
	case r.Raw && d.tidy && len(c.raw) > len(c.text)+len("\r\n"): // folded
		at, inTail = len(d.tail), true
		d.tail = append(d.tail, c.text...)
		d.text = append(d.text, c.raw...)
	case r.Raw && d.tidy:
		d.text = append(d.text, c.raw...)
	default:
		d.text = append(d.text, c.text...)
	}
	d.mark(c.line, at, at+name, at+params, at+len(c.text), inTail)
}

// slabs are where finished components lie, several to an allocation. Nothing in them is
// written again.
type slabs struct {
	text  []byte
	marks []mark
	nodes []Component
}

// The sizes of slabs: a component that is kept keeps its neighbours' memory, too.
const textSlab, markSlab, nodeSlab = 16 << 10, 256, 16

// room makes room for the text of another component and returns where it begins.
func (s *slabs) room(known int) []byte {
	if cap(s.text)-len(s.text) < 1024 {
		s.text = make([]byte, 0, min(textSlab, known))
	}
	return s.text[len(s.text):]
}

// build makes the component of the marks.
func (r *Reader) build() *Component {
	d, s := &r.draft, &r.slabs
	if len(d.tail) > 0 {
		base := uint32(len(d.text))
		for i := range d.marks {
			if m := &d.marks[i]; m.inTail {
				m.from, m.name, m.params, m.upto = m.from+base, m.name+base, m.params+base, m.upto+base
			}
		}
		d.text = append(d.text, d.tail...)
	}
	if cap(s.marks)-len(s.marks) < d.fields {
		s.marks = make([]mark, 0, max(markSlab, d.fields))
	}
	if len(s.nodes) < d.nodes {
		s.nodes = make([]Component, max(nodeSlab, d.nodes))
	}
	// The text is not copied: what it lies in is left alone from here on.
	b := builder{slabs: s, marks: d.marks, text: unsafe.String(unsafe.SliceData(d.text), len(d.text)), calendar: len(r.Calendars) - 1, raw: r.Raw && d.tidy}
	s.text = d.text
	return b.component()
}

type builder struct {
	*slabs
	text     string
	marks    []mark // those that are left
	calendar int
	raw      bool
}

func (b *builder) component() *Component {
	begun := b.marks[0]
	c := &b.nodes[0]
	b.nodes = b.nodes[1:]
	c.Name, c.Line, c.Calendar, c.text = componentName(b.text[begun.name:begun.params]), int(begun.line), b.calendar, b.text
	from, upto := len(b.slabs.marks), len(b.slabs.marks)+int(begun.upto)
	b.slabs.marks = b.slabs.marks[:upto]
	c.marks = b.slabs.marks[from:from:upto]
	for b.marks = b.marks[1:]; ; {
		run := 0
		for b.marks[run].kind == aProperty {
			run++
		}
		c.marks = append(c.marks, b.marks[:run]...)
		last := b.marks[run]
		if b.marks = b.marks[run:]; last.kind == aBegin {
			if len(c.marks) < upto-from || c.edit != nil { // properties come after it, too
				e := c.editing()
				e.places = append(e.places, len(c.marks))
			}
			c.components = append(c.components, b.component())
			continue
		}
		if b.raw {
			c.raw = b.text[begun.from:last.upto]
		}
		b.marks = b.marks[1:]
		return c
	}
}

// componentName does not hold on to the text for the commonest name.
func componentName(s string) string {
	if s == "VEVENT" {
		return "VEVENT"
	}
	return s
}
