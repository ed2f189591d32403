// Package carried keeps what a publication carried, version by version, and mints the
// UIDs by which our own items are recognised when they come back.
//
// In: what a publication carries so far and what it should carry now. Out: the rows to
// close and to open, one per item and unbroken run of versions, and whether there is a
// new version at all.
package carried

import (
	"cmp"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/span"
)

// Item is one booking as a publication carries it.
type Item struct {
	Name
	Span      span.Span
	Grain     span.Grain // by which its span goes; "": as that of the publication's calendar
	Units     int
	Tentative bool
	// Content is a digest of what else is shown of it; "" where nothing is.
	Content string
	// Sent is the UID that its recipient sees, where that is its source's; "" for that of its name. All instances of
	// one series have the same, and the same Content.
	Sent string
}

// SentUID is the UID that its recipient sees.
func (i Item) SentUID() string { return cmp.Or(i.Sent, i.UID) }

// On is its span as one of a calendar that goes by a grain: a time takes the days that it touches, a day all of its hours.
func (i Item) On(grain span.Grain, loc *time.Location) span.Span {
	switch {
	case i.Grain == "" || i.Grain.Dated() == grain.Dated():
		return i.Span
	case i.Grain.Dated():
		return span.Instants(span.Date(i.Span.Start).Start(loc), span.Date(i.Span.End).Start(loc))
	}
	day := func(at int64) span.Date { return span.DateOf(time.Unix(at, 0).In(loc)) }
	return span.Days(day(i.Span.Start), day(max(i.Span.Start, i.Span.End-1))+1)
}

// Wanted is an item that a publication should carry.
type Wanted struct {
	Item
	Least int // its SEQUENCE is at least this, as its source's is
}

// Name tells the items of a publication apart.
type Name struct {
	UID string
	// Recurrence is the RECURRENCE-ID of an instance that is carried as part of its series;
	// "" for what is carried by itself.
	Recurrence string
}

// Row says that an item was carried from version From up to version To.
type Row struct {
	ID int64
	Item
	Sequence int       // SEQUENCE: never falls for a name
	Stamp    time.Time // DTSTAMP: changes only with the item
	From     int64
	To       int64 // 0: still carried
}

// Version is one state of a publication, and since when it was published.
type Version struct {
	Number int64
	At     time.Time
}

// Pickup is the download of a version by one reader, which may have come for it several
// times between First and Last.
type Pickup struct {
	Version     int64
	Agent       string // the reader's User-Agent
	First, Last time.Time
	Times       int64
}

// mintedEnd is what every UID of ours ends in.
const mintedEnd = "@wharf"

// Mint returns the UID under which a booking is published. It tells nothing about the
// booking, is the same for every recipient and on every calendar, and stays the same as
// long as the parts that name the booking do.
func Mint(key []byte, parts ...string) string {
	mac := hmac.New(sha256.New, key)
	mac.Write([]byte(strings.Join(parts, "\x00")))
	return hex.EncodeToString(mac.Sum(nil)[:16]) + mintedEnd
}

// Piece is the UID of the nth piece of a booking of which only pieces are published; that of
// the first is the booking's own.
func Piece(minted string, n int) string {
	if n == 0 {
		return minted
	}
	sum := sha256.Sum256([]byte(minted + "\x00" + strconv.Itoa(n)))
	return hex.EncodeToString(sum[:16]) + mintedEnd
}

// LooksMinted reports whether a UID may be one of ours; only a look at what was carried
// or is stored tells.
func LooksMinted(uid string) bool { return len(uid) == 38 && strings.HasSuffix(uid, mintedEnd) }

// MintedIn is the part of a UID that may be one of ours, as where a platform made it of one; "" for none.
func MintedIn(uid string) string {
	end := strings.Index(uid, mintedEnd)
	if end < 32 {
		return ""
	}
	return uid[end-32 : end+len(mintedEnd)]
}

// Change is the step from one version of a publication to the next.
type Change struct {
	Close []int64 // IDs of the rows that end with the version before
	Open  []Row   // rows that begin with the new version
}

// Empty reports whether the publication stays as it is.
func (c Change) Empty() bool { return len(c.Close) == 0 && len(c.Open) == 0 }

func (c Change) closed() map[int64]bool {
	closed := make(map[int64]bool, len(c.Close))
	for _, id := range c.Close {
		closed[id] = true
	}
	return closed
}

// Advance compares what is carried with what should be. history is every row of the
// publication, closed ones too; version is the number that a new version would have
// and now its DTSTAMP, in whole seconds. That an item is gone is a revision of its own, also where
// nothing is said of it: its recipient may have been told that it is called off. An instance of a series
// that comes into sight revises nothing: it has the SEQUENCE and DTSTAMP of those that were there.
func Advance(history []Row, want []Wanted, version int64, now time.Time) Change {
	open, series := map[Name]Row{}, map[Item]Row{}
	sequence := map[Name]int{}
	for _, r := range history {
		next := r.Sequence + 2
		if r.To == 0 {
			open[r.Name] = r
			series[seriesOf(r.Item)] = r
			next = r.Sequence + 1
		}
		sequence[r.revised()] = max(sequence[r.revised()], next)
	}
	var c Change
	for _, item := range want {
		r, carried := open[item.Name]
		delete(open, item.Name)
		if carried && r.Item == item.Item {
			continue
		}
		if carried {
			c.Close = append(c.Close, r.ID)
		}
		row := Row{Item: item.Item, Sequence: max(sequence[item.revised()], item.Least), Stamp: now.UTC().Truncate(time.Second), From: version}
		if same, shown := series[seriesOf(item.Item)]; shown && item.Sent != "" {
			row.Sequence, row.Stamp = same.Sequence, same.Stamp
		}
		c.Open = append(c.Open, row)
	}
	for _, r := range open {
		c.Close = append(c.Close, r.ID)
	}
	slices.Sort(c.Close)
	return c
}

// revised is by what an item has its SEQUENCE: a series has one.
func (i Item) revised() Name {
	if i.Sent != "" {
		return Name{UID: i.Sent}
	}
	return i.Name
}

// seriesOf is what all instances of a series have in common.
func seriesOf(i Item) Item { return Item{Sent: i.Sent, Content: i.Content} }

// Through is the history after the change that makes a version: every row, closed ones too.
func Through(history []Row, c Change, version int64) []Row {
	closed := c.closed()
	all := slices.Clone(history)
	for i, r := range all {
		if closed[r.ID] {
			all[i].To = version - 1
		}
	}
	return append(all, c.Open...)
}

// Apply returns what is carried after the change, ordered by span, then name. It takes n log n
// steps.
func Apply(history []Row, c Change) []Row {
	closed := c.closed()
	var now []Row
	for _, r := range history {
		if r.To == 0 && !closed[r.ID] {
			now = append(now, r)
		}
	}
	now = append(now, c.Open...)
	slices.SortFunc(now, func(a, b Row) int {
		return cmp.Or(a.Span.Compare(b.Span), strings.Compare(a.UID, b.UID), strings.Compare(a.Recurrence, b.Recurrence))
	})
	return now
}
