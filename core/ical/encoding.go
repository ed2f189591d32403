package ical

import (
	"bytes"
	"encoding/binary"
	"io"
	"unicode/utf16"
	"unicode/utf8"
)

// utf16Order tells UTF-16 by its byte order mark, or by the zero bytes that the ASCII of
// its first letters leaves; nil when it is none.
func utf16Order(head []byte) binary.ByteOrder {
	switch {
	case len(head) < 2:
		return nil
	case head[0] == 0xff && head[1] == 0xfe, head[0] != 0 && head[1] == 0:
		return binary.LittleEndian
	case head[0] == 0xfe && head[1] == 0xff, head[0] == 0 && head[1] != 0:
		return binary.BigEndian
	}
	return nil
}

// utf16Reader gives UTF-16 as UTF-8, without the byte order mark.
type utf16Reader struct {
	in    io.Reader
	order binary.ByteOrder
	raw   [4096]byte
	rest  int    // bytes of raw that are not converted yet
	out   []byte // converted, not given yet
	err   error
}

func (r *utf16Reader) Read(p []byte) (int, error) {
	for len(r.out) == 0 {
		if r.err != nil {
			return 0, r.err
		}
		n, err := r.in.Read(r.raw[r.rest:])
		r.rest += n
		r.err = err
		r.convert()
	}
	n := copy(p, r.out)
	r.out = r.out[n:]
	return n, nil
}

// convert takes all whole characters of raw; half of a pair waits for the other one.
func (r *utf16Reader) convert() {
	r.out = r.out[:0]
	at := 0
	for at+2 <= r.rest {
		c := rune(r.order.Uint16(r.raw[at:]))
		size := 2
		if utf16.IsSurrogate(c) {
			if at+4 > r.rest && r.err == nil {
				break
			}
			second := rune(0)
			if at+4 <= r.rest {
				second = rune(r.order.Uint16(r.raw[at+2:]))
			}
			if c = utf16.DecodeRune(c, second); c != utf8.RuneError {
				size = 4
			}
		}
		if at += size; c != 0xfeff {
			r.out = utf8.AppendRune(r.out, c)
		}
	}
	r.rest = copy(r.raw[:], r.raw[at:r.rest])
}

// toUTF8 reads bytes that are no UTF-8: as Windows-1252, the superset of Latin-1 that is
// meant by it on the web; or, where other characters of the line are right, with a
// replacement for those that are not.
func toUTF8(b []byte) (text []byte, latin bool) {
	for rest := b; len(rest) > 0; {
		c, size := utf8.DecodeRune(rest)
		if size > 1 && c != utf8.RuneError {
			return bytes.ToValidUTF8(b, []byte("\ufffd")), false
		}
		rest = rest[size:]
	}
	text = make([]byte, 0, len(b)+len(b)/8)
	for _, c := range b {
		switch {
		case c >= 0x80 && c < 0xa0:
			text = utf8.AppendRune(text, windows1252[c-0x80])
		default:
			text = utf8.AppendRune(text, rune(c))
		}
	}
	return text, true
}

// windows1252 are the characters where it departs from Latin-1, 0x80 to 0x9f.
var windows1252 = [32]rune{
	'€', 0xfffd, '‚', 'ƒ', '„', '…', '†', '‡', 'ˆ', '‰', 'Š', '‹', 'Œ', 0xfffd, 'Ž', 0xfffd,
	0xfffd, '‘', '’', '“', '”', '•', '–', '—', '˜', '™', 'š', '›', 'œ', 0xfffd, 'ž', 'Ÿ',
}
