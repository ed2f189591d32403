package ical

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"math/bits"
	"unicode/utf8"
)

// lines splits a stream into content lines. Its buffer is the only one: a line is found
// as offsets into it, and joined elsewhere only where it is folded.
type lines struct {
	in       io.Reader
	buf      []byte
	from, to int // what of buf is yet to be split
	eof      bool
	number   int   // of the next physical line
	most     int   // bytes of a content line
	left     int64 // bytes that the document may still have
	joined   []byte
}

// content is one content line, valid until the next one is asked for.
type content struct {
	text  []byte // unfolded
	raw   []byte // as it stood, with its end
	line  int
	tidy  bool // raw is well-formed, as far as the form of its lines goes
	plain bool // nothing but printable ASCII
	long  bool // longer than allowed: text is its beginning
}

const bufferSize = 64 << 10

var errTooLarge = errors.New("the document is larger than allowed")

func newLines(in io.Reader, buffer []byte, limits Limits) *lines {
	return &lines{in: in, buf: buffer, number: 1, most: limits.Line, left: limits.Bytes}
}

// fill reads more, making room first; false at the end of the stream.
func (l *lines) fill() (bool, error) {
	if l.eof {
		return false, nil
	}
	if l.from > 0 {
		copy(l.buf, l.buf[l.from:l.to])
		l.to -= l.from
		l.from = 0
	}
	if l.to == len(l.buf) {
		l.buf = append(l.buf, make([]byte, len(l.buf))...)
	}
	for range 100 { // as bufio does: a reader that gives nothing for ever is broken
		n, err := l.in.Read(l.buf[l.to:])
		l.to += n
		if l.left -= int64(n); l.left < 0 {
			return false, errTooLarge
		}
		if errors.Is(err, io.EOF) {
			l.eof = true
			return n > 0, nil
		}
		if err != nil {
			return false, err
		}
		if n > 0 {
			return true, nil
		}
	}
	return false, io.ErrNoProgress
}

// physical finds the physical line that begins at from, as offsets of its end and of the
// next line's begin, and whether it is plain; ok is false when more must be read to know.
// Lines end in CRLF, LF or CR.
func (l *lines) physical(from int) (end, next int, isPlain, ok bool) {
	rest := l.buf[from:l.to]
	lf := bytes.IndexByte(rest, '\n')
	if lf < 0 {
		return l.withoutLF(from)
	}
	end, next = from+lf, from+lf+1
	if lf > 0 && rest[lf-1] == '\r' {
		end--
	}
	if plain(l.buf[from:end]) {
		return end, next, true, true
	}
	if cr := bytes.IndexByte(l.buf[from:end], '\r'); cr >= 0 {
		return from + cr, from + cr + 1, false, true
	}
	return end, next, false, true
}

// withoutLF is physical for what holds no LF: a line may end in CR, or with the stream.
func (l *lines) withoutLF(from int) (end, next int, isPlain, ok bool) {
	rest := l.buf[from:l.to]
	switch cr := bytes.IndexByte(rest, '\r'); {
	case cr >= 0 && (cr < len(rest)-1 || l.eof):
		return from + cr, from + cr + 1, false, true
	case l.eof:
		return l.to, l.to, false, l.to > from
	}
	return 0, 0, false, false
}

// next reads the next content line into c: a physical line with those that continue it
// (RFC 5545 section 3.1). At the end of the stream the error is io.EOF.
func (l *lines) next(c *content) error {
	*c = content{line: l.number, tidy: true, plain: true}
	if end, next, isPlain, ok := l.physical(l.from); ok && isPlain && next < l.to && l.buf[next] > ' ' && end-l.from <= l.most { // as most are
		c.text, c.raw = l.buf[l.from:end], l.buf[l.from:next]
		c.tidy = next-end == len("\r\n") && end-l.from <= foldAt
		l.number++
		l.from = next
		return nil
	}
	at := 0 // from l.from, since fill moves what is there
	folds, textEnd := 0, 0
	for {
		end, next, isPlain, ok := l.physical(l.from + at)
		if !ok || next == l.to && !l.eof { // the fold of the next line is to be seen, too
			if at > l.most || l.to-l.from > l.most+bufferSize {
				return l.discard(c)
			}
			more, err := l.fill()
			if err != nil {
				return err
			}
			if !more && l.from == l.to {
				return io.EOF
			}
			continue
		}
		l.number++
		begin := l.from + at
		c.tidy = c.tidy && next-end == len("\r\n") && end-begin <= foldAt
		c.plain = c.plain && isPlain
		if folds > 0 {
			if folds == 1 {
				l.joined = append(l.joined[:0], l.buf[l.from:l.from+textEnd]...)
			}
			if begin+1 < end && !utf8.RuneStart(l.buf[begin+1]) {
				c.tidy = false
			}
			l.joined = append(l.joined, l.buf[min(begin+1, end):end]...)
		}
		textEnd = end - l.from
		at = next - l.from
		if next < l.to && (l.buf[next] == ' ' || l.buf[next] == '\t') {
			folds++
			continue
		}
		break
	}
	c.raw = l.buf[l.from : l.from+at]
	c.text = l.joined
	if folds == 0 {
		c.text = l.buf[l.from : l.from+textEnd]
	}
	l.from += at
	if len(c.text) > l.most {
		c.long = true
		c.text = c.text[:foldAt]
	}
	return nil
}

// discard passes over the rest of a line that is too long to be kept.
func (l *lines) discard(c *content) error {
	c.long, c.tidy, c.plain, l.number = true, false, false, c.line
	c.text = bytes.Clone(l.buf[l.from : l.from+foldAt])
	for {
		_, next, _, ok := l.physical(l.from)
		if ok && (next < l.to || l.eof) {
			l.number++
			l.from = next
			if next == l.to || l.buf[next] != ' ' && l.buf[next] != '\t' {
				return nil
			}
			continue
		}
		if !ok {
			l.from = max(l.from, l.to-1) // a CR may be the first half of an end
		}
		if _, err := l.fill(); err != nil {
			return err
		}
	}
}

// plain reports whether all bytes are printable ASCII.
func plain(b []byte) bool { return plainRun(b) == len(b) }

// plainRun is how many of the first bytes are printable ASCII, looking at eight at a time.
func plainRun(b []byte) int {
	const high, spaces = 0x8080808080808080, 0x2020202020202020
	i := 0
	for ; i+8 <= len(b); i += 8 {
		v := binary.LittleEndian.Uint64(b[i:])
		// With its top bit set, a byte of 0x20 or more keeps that bit when 0x20 is taken
		// away; a lower one loses it, and none borrows from the next.
		if other := (v | ^((v | high) - spaces)) & high; other != 0 {
			return i + bits.TrailingZeros64(other)/8
		}
	}
	for ; i < len(b); i++ {
		if b[i] < 0x20 || b[i] >= 0x80 {
			return i
		}
	}
	return i
}
