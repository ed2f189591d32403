// Package reading is one reading of a feed as a pure function.
//
// In: what is recorded of the feed, its document as it was read now, the calendars on which
// it counts with what is recorded of it there, and the times of the reading. Out: Changes,
// the rows to record. Nothing is read or written here, so that a whole history of readings
// is a table test, and the same reading twice is one that changes nothing.
//
// The rules are those of the model under "One booking or two", point 2: entries are matched
// by UID, then by what they are; a match that differs is changed, the rest is added or gone;
// one that is gone and comes back is the same. Bookings that have ended have passed, one that
// has begun is kept to its end, and a start moved up by a feed that trims the past is the same
// booking.
package reading

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/rules"
)

// Feed is what is recorded of a feed before a reading.
type Feed struct {
	Entries []Entry
	// Frame is the digest of what the document said for all that is in it (recur.Document
	// Frame); "" when that is not known.
	Frame string
	// Since is the request time of the last good reading of this document, at this address;
	// zero for its first.
	Since time.Time
}

// Entry is an entry as it is recorded.
type Entry struct {
	ID int64 // 0: it is new
	Identity
	// NotBefore is the request time of the last good reading without it, zero when it was
	// there from the first on; SeenBy is the end of the first reading with it.
	NotBefore, SeenBy time.Time
	// Gone is the end of the first reading without it; zero while it is there.
	Gone time.Time
}

// Times are those of a reading: when it was asked for, and when all of it was there.
type Times struct{ Requested, Finished time.Time }

// Changes are what a reading leads to.
type Changes struct {
	// Unchanged: the same occurrences in meaning. There may still be a new Frame to record.
	Unchanged bool
	Frame     string
	// Entries are those of the document, in its order, as they are recorded from now on;
	// Added, Changed and Returned, of those that were gone, are indexes into them.
	Entries                  []Entry
	Added, Changed, Returned []int
	Removed                  []Entry  // those that are gone from now on
	Remarks                  []string // what could not be read as it was meant, a line each
	Places                   []Placed // in the order of the places that were given

	since  time.Time
	now    time.Time
	framed bool         // what the document says for all that is in it has changed
	named  map[int]bool // of Returned, those that came back under their own UID
}

// ErrTooMany says that the feed has more bookings than it may have on a calendar.
var ErrTooMany = errors.New("too many bookings")

// Read returns what a reading leads to: Compare, and where that finds anything, Return and
// LayOut.
func Read(ctx context.Context, f Feed, gone []Entry, doc *recur.Document, places []Place, t Times, most int) (Changes, error) {
	c := Compare(f, doc, t)
	if c.Unchanged {
		return c, nil
	}
	c.Return(gone)
	return c, c.LayOut(ctx, doc, places, most)
}

// Compare compares a document with what is recorded of its feed. Where nothing differs it
// is Unchanged, and there is nothing to lay out.
func Compare(f Feed, doc *recur.Document, t Times) Changes {
	c := match(f, doc, t)
	c.Frame, c.since, c.now = doc.Frame(), f.Since, t.Finished
	c.framed = f.Frame != "" && f.Frame != c.Frame
	c.Unchanged = len(c.Added)+len(c.Changed)+len(c.Removed) == 0 && !f.Since.IsZero() && !c.framed
	return c
}

// Return finds, among the entries that were gone, those that are back: by UID, else where
// all but the UID is the same. They are not Added then.
func (c *Changes) Return(gone []Entry) {
	before, after := make([]Identity, len(gone)), make([]Identity, len(c.Added))
	for i, e := range gone {
		before[i] = e.Identity
	}
	for n, i := range c.Added {
		after[n] = c.Entries[i].Identity
	}
	back := map[int]bool{}
	c.named = map[int]bool{}
	for _, pair := range matchGone(before, after) {
		i := c.Added[pair.New]
		e := gone[pair.Old]
		c.named[i] = e.UID != "" && e.UID == after[pair.New].UID
		e.Identity, e.Gone = after[pair.New], time.Time{}
		c.Entries[i] = e
		c.Returned = append(c.Returned, i)
		back[i] = true
	}
	c.Added = slices.DeleteFunc(c.Added, func(i int) bool { return back[i] })
}

// LayOut finds what the document means on each calendar now. most is how many bookings a
// feed may have on one; beyond that the error is ErrTooMany. Where only the frame of the
// document is new, the entries whose occurrences it changes become Changed; if there are
// none, the reading is Unchanged after all. It ends early, with the error of ctx, only when
// ctx does.
func (c *Changes) LayOut(ctx context.Context, doc *recur.Document, places []Place, most int) (err error) {
	if c.Remarks, err = remarksOn(ctx, doc, c.now); err != nil {
		return err
	}
	fresh := make([]bool, len(c.Entries))
	for _, i := range slices.Concat(c.Added, c.Changed, c.Returned) {
		fresh[i] = true
	}
	touched := map[int]bool{}
	for _, p := range places {
		l := laying{place: p, doc: doc, entries: c.Entries, fresh: fresh, framed: c.framed, named: c.named, since: c.since, now: c.now, most: most}
		placed, err := l.layOut(ctx)
		if err != nil {
			return err
		}
		l.touch(placed, touched)
		c.Places = append(c.Places, placed)
	}
	if c.framed {
		c.Changed = append(c.Changed, slices.Sorted(maps.Keys(touched))...)
		c.Unchanged = len(c.Added)+len(c.Changed)+len(c.Returned)+len(c.Removed) == 0
	}
	return nil
}

// match compares the document with the entries that are recorded.
func match(f Feed, doc *recur.Document, t Times) Changes {
	before, after := make([]Identity, len(f.Entries)), make([]Identity, len(doc.Entries))
	for i, e := range f.Entries {
		before[i] = e.Identity
	}
	for i, e := range doc.Entries {
		after[i] = IdentityOf(e)
	}
	c := Changes{Entries: make([]Entry, len(after))}
	stays := make([]bool, len(before))
	known := make([]bool, len(after))
	for _, pair := range Match(before, after) {
		e := f.Entries[pair.Old]
		stays[pair.Old], known[pair.New] = true, true
		if e.Digest != after[pair.New].Digest {
			e.Identity = after[pair.New]
			c.Changed = append(c.Changed, pair.New)
		}
		c.Entries[pair.New] = e
	}
	for i, id := range after {
		if !known[i] {
			c.Entries[i] = Entry{Identity: id, NotBefore: f.Since, SeenBy: t.Finished}
			c.Added = append(c.Added, i)
		}
	}
	for i, e := range f.Entries {
		if !stays[i] {
			e.Gone = t.Finished
			c.Removed = append(c.Removed, e)
		}
	}
	return c
}

// Recognise finds the recorded entries in a document that was read before: they are beside
// its entries.
func Recognise(recorded []Entry, doc *recur.Document) []Entry {
	return match(Feed{Entries: recorded}, doc, Times{}).Entries
}

// MaxRemarks is how many remarks on a feed, and notices on a link, are recorded.
const MaxRemarks = 20

// calendarsZone stands in remarks for the zone of whichever calendar is meant.
var calendarsZone = time.FixedZone("the calendar's zone", 0)

// remarksOn says what a document holds that could not be read as it was meant.
func remarksOn(ctx context.Context, doc *recur.Document, now time.Time) ([]string, error) {
	all := doc.Diagnostics
	from, to := rules.MaterialisedWindow(now, time.UTC)
	x := doc.In(recur.Window{From: from, To: to, Zone: calendarsZone, KeepSingle: true})
	for _, e := range doc.Entries {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		_, found := x.Expand(e)
		all = append(all, found...)
	}
	var lines []string
	more := 0
	for _, d := range all {
		switch {
		case d.Severity == ical.Info:
		case len(lines) == MaxRemarks:
			more++
		default:
			lines = append(lines, Clip(fmt.Sprintf("line %d: %s", d.Line, oneLine(d.Message)), 400))
		}
	}
	if more > 0 {
		lines = append(lines, fmt.Sprintf("and %d more", more))
	}
	return lines, nil
}

func oneLine(s string) string { return strings.ReplaceAll(s, "\n", " ") }

// Clip keeps at most n characters of a text.
func Clip(s string, n int) string {
	if len(s) <= n {
		return s
	}
	if r := []rune(s); len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}
