package store

import (
	"context"
	"io"
	"iter"
	"slices"
	"strings"
	"time"
)

// SaveTexts stores source texts of entries of a feed, packed together, and returns where they
// are: each is a piece of that.
func (tx *Tx) SaveTexts(feed int64, at time.Time, texts []string) (int64, error) {
	id := int64(0)
	part := 0
	for some := range tx.parts(pack([]byte(joined(texts)))) {
		row := TextPart{ID: id, Part: part, FeedID: feed, At: at, Body: some}
		if err := tx.db.Create(&row).Error; err != nil {
			return 0, err
		}
		id = row.ID
		part++
	}
	return id, nil
}

// pieceEnd stands between two texts.
const pieceEnd = "\x00"

func joined(texts []string) string {
	pieces := make([]string, len(texts))
	for i, t := range texts {
		pieces[i] = strings.ReplaceAll(t, pieceEnd, "")
	}
	return strings.Join(pieces, pieceEnd)
}

// Text returns a source text; ErrNotFound when it is not kept any more.
func (s *Store) Text(ctx context.Context, id int64, piece int) (string, error) {
	parts, err := many[TextPart](s.db.WithContext(ctx).Where("id = ?", id).Order("part"))
	if err != nil {
		return "", err
	}
	if len(parts) == 0 {
		return "", ErrNotFound
	}
	var body []byte
	for _, p := range parts {
		body = append(body, p.Body...)
	}
	r, err := Unpack(body)
	if err != nil {
		return "", err
	}
	defer r.Close()
	all, err := io.ReadAll(r)
	if err != nil {
		return "", err
	}
	pieces := strings.Split(string(all), pieceEnd)
	if piece < 0 || piece >= len(pieces) {
		return "", ErrNotFound
	}
	return pieces[piece], nil
}

// parts cuts packed bytes into what fits into a statement also when every byte of it must be
// escaped.
func (tx *Tx) parts(packed []byte) iter.Seq[[]byte] { return slices.Chunk(packed, int(tx.packet/4)) }
