package store

import (
	"bytes"
	"io"

	"github.com/klauspost/compress/gzip"
)

// Texts are stored packed (gzip): feeds as they were read, and publications, which go out
// to most recipients just as they are stored.

// pack compresses a text.
func pack(text []byte) []byte {
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	_, _ = w.Write(text) // a bytes.Buffer does not fail
	_ = w.Close()
	return b.Bytes()
}

// Unpack reads a text that was stored.
func Unpack(packed []byte) (io.ReadCloser, error) { return gzip.NewReader(bytes.NewReader(packed)) }

// isPacked reports whether stored bytes are packed; publications once were stored plain.
func isPacked(stored []byte) bool { return bytes.HasPrefix(stored, []byte("\x1f\x8b")) }
