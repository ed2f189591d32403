package cli

import (
	"fmt"
	"os"
)

// spool keeps pieces of text: in memory at first, and on disk what comes after that, so
// that a long output takes no more memory than a short one.
type spool struct {
	chunks [][]byte // in memory
	disk   *os.File // for the rest; nil as long as there is none
	size   int64    // of the rest
	tail   []byte   // of it, not written yet
}

const (
	chunkSize  = 256 << 10
	mostChunks = 64 // in memory
)

// place is where a piece lies: a chunk's number and the place in it, or beyond onDisk the
// place in the file.
type place int64

const (
	perChunk = 1 << 32
	onDisk   = mostChunks * perChunk
)

func (s *spool) add(piece []byte) (place, error) {
	n := len(s.chunks)
	if s.disk == nil && (n == 0 || len(piece) > cap(s.chunks[n-1])-len(s.chunks[n-1])) {
		if n == mostChunks {
			return s.spill(piece)
		}
		s.chunks = append(s.chunks, make([]byte, 0, max(chunkSize, len(piece))))
		n++
	}
	if s.disk != nil {
		return s.spill(piece)
	}
	chunk := &s.chunks[n-1]
	at := place(n-1)*perChunk + place(len(*chunk))
	*chunk = append(*chunk, piece...)
	return at, nil
}

// spill keeps a piece on disk.
func (s *spool) spill(piece []byte) (at place, err error) {
	if s.disk == nil {
		if s.disk, err = os.CreateTemp("", "wharf-*"); err != nil {
			return 0, fmt.Errorf("there is more to list than memory should hold, and no place for it on disk (%w): set TMPDIR to a directory that can be written", err)
		}
	}
	at = onDisk + place(s.size)
	s.tail = append(s.tail, piece...)
	s.size += int64(len(piece))
	if len(s.tail) >= chunkSize {
		err = s.flush()
	}
	return at, err
}

func (s *spool) flush() error {
	if _, err := s.disk.Write(s.tail); err != nil {
		return fmt.Errorf("there is no room on disk for what is to be listed (%w): set TMPDIR to a directory with room", err)
	}
	s.tail = s.tail[:0]
	return nil
}

// get returns the length bytes that lie there. They are not to be changed.
func (s *spool) get(at place, length int) ([]byte, error) {
	if at < onDisk {
		return s.chunks[at/perChunk][at%perChunk:][:length], nil
	}
	if len(s.tail) > 0 {
		if err := s.flush(); err != nil {
			return nil, err
		}
	}
	piece := make([]byte, length)
	_, err := s.disk.ReadAt(piece, int64(at-onDisk))
	return piece, err
}

// close forgets everything.
func (s *spool) close() {
	if s.disk != nil {
		_ = s.disk.Close()
		_ = os.Remove(s.disk.Name()) // a temporary file: the system clears it, too
	}
}
