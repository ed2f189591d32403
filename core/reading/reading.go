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
	UIDs    Unsettled
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
	Form     string // how it is written (recur.Entry Form); "" when that is not known
	Interval        // in which it came into the feed
	// ChangedBy is the end of the reading that last found it changed; zero: it is as it came.
	ChangedBy time.Time
	// Gone is the end of the first reading without it; zero while it is there.
	Gone time.Time
	Text TextAt
}

// TextAt says where the source text of an entry is kept; it means nothing here.
type TextAt struct {
	ID    int64 // 0: nowhere
	Piece int
}

// Times are those of a reading: when it was asked for, and when all of it was there.
type Times struct {
	Requested, Finished time.Time
	// Scheduled: it was due. What a person asks for in between agrees with nothing.
	Scheduled bool
}

// Changes are what a reading leads to.
type Changes struct {
	// Unchanged: the same occurrences in meaning. There may still be a new Frame to record.
	Unchanged bool
	Frame     string
	// Entries are those of the document, in its order, as they are recorded from now on;
	// Added, Changed and Returned, of those that were gone, are indexes into them.
	Entries                  []Entry
	Added, Changed, Returned []int
	Removed                  []Entry // those that are gone from now on
	UIDs                     Unsettled
	// Settled are indexes of entries whose new UIDs are recorded now: they are as they were.
	Settled []int
	Remarks []string // what could not be read as it was meant, a line each
	Places  []Placed // in the order of the places that were given

	now       time.Time
	scheduled bool
	reading   Interval         // of what is new in this reading
	framed    bool             // what the document says for all that is in it has changed
	named     map[int]bool     // of Returned, those that came back as what they were
	anew      map[int]bool     // entries whose UID or form changed while that of most did not
	was       map[int]Entry    // what was recorded of those that are rewritten
	gone      map[int64]TextAt // of Removed, by ID
	// settledIn is when the UIDs of Settled came to be there.
	settledIn Interval
}

// Nothing reports whether the reading found the same occurrences in meaning. There may still
// be new UIDs to record.
func (c *Changes) Nothing() bool {
	return len(c.Added)+len(c.Changed)+len(c.Returned)+len(c.Removed) == 0
}

// ErrTooMany says that the feed has more bookings than it may have on a calendar, and ErrTooOften that
// what it says comes round more often in all, be it cancelled or of no length.
var (
	ErrTooMany  = errors.New("too many bookings")
	ErrTooOften = errors.New("too many occurrences")
)

// oddTimes is how many occurrences of any kind there may be for each booking that a feed may have.
const oddTimes = 4

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
	c := Changes{Frame: doc.Frame(), now: t.Finished, scheduled: t.Scheduled, reading: Interval{f.Since, t.Finished}, was: map[int]Entry{}, gone: map[int64]TextAt{}, anew: map[int]bool{}}
	if t.Finished.Before(f.Since) { // the clock was set back: the order of readings counts
		c.reading.SeenBy = f.Since
	}
	c.framed = f.Frame != "" && f.Frame != c.Frame
	c.match(f, doc)
	c.Unchanged = c.Nothing() && len(c.Settled) == 0 && !f.Since.IsZero() && !c.framed
	return c
}

// Return finds, among the entries that were gone, those that are back: by UID, else where
// all but the UID is the same. They are not Added then.
func (c *Changes) Return(gone []Entry) {
	churning := c.UIDs.Digest != ""
	before, after := identities(gone), make([]Identity, len(c.Added))
	for n, i := range c.Added {
		after[n] = c.Entries[i].Identity
	}
	back := map[int]bool{}
	c.named = map[int]bool{}
	for _, pair := range matchGone(before, after) {
		i := c.Added[pair.New]
		e := gone[pair.Old]
		c.named[i] = churning || e.UID != "" && e.UID == after[pair.New].UID
		c.was[i] = e
		c.rewrite(i, e, after[pair.New], c.Entries[i].Form)
		c.Returned = append(c.Returned, i)
		back[i] = true
	}
	c.Added = slices.DeleteFunc(c.Added, func(i int) bool { return back[i] })
}

// Rewritten are indexes of the entries whose source text is another than the one that is
// kept.
func (c *Changes) Rewritten() []int {
	return slices.DeleteFunc(slices.Concat(c.Added, c.Changed, c.Returned), func(i int) bool {
		e := c.Entries[i]
		was, known := c.was[i]
		return e.ID != 0 && (!known || e.Text.ID != 0 && was.Digest == e.Digest)
	})
}

// LayOut finds what the document means on each calendar now. most is how many bookings a
// feed may have on one; beyond that the error is ErrTooMany. Where only the frame of the
// document is new, the entries whose occurrences it changes become Changed; if there are
// none, the reading is Unchanged after all. It ends early, with the error of ctx, only when
// ctx does.
func (c *Changes) LayOut(ctx context.Context, doc *recur.Document, places []Place, most int) (err error) {
	if c.Remarks, err = remarksOn(ctx, doc, c.now, oddTimes*most); err != nil {
		return err
	}
	fresh := make([]bool, len(c.Entries))
	for _, i := range slices.Concat(c.Added, c.Changed, c.Returned) {
		fresh[i] = true
	}
	settled := map[int]bool{}
	for _, i := range c.Settled {
		settled[i] = true
	}
	touched := map[int]bool{}
	for _, p := range places {
		l := laying{place: p, doc: doc, entries: c.Entries, fresh: fresh, changes: c, settled: settled, now: c.now, most: most, scheduled: c.scheduled}
		placed, err := l.layOut(ctx)
		if err != nil {
			return err
		}
		l.touch(placed, touched)
		c.Places = append(c.Places, placed)
	}
	if c.framed {
		c.Changed = append(c.Changed, slices.Sorted(maps.Keys(touched))...)
		c.Unchanged = c.Nothing() && len(c.Settled) == 0
	}
	return nil
}

// match compares the document with the entries that are recorded.
func (c *Changes) match(f Feed, doc *recur.Document) {
	after := identitiesOf(doc)
	c.Entries = make([]Entry, len(after))
	pairs := Match(identities(f.Entries), after)
	stays, known := make([]bool, len(f.Entries)), make([]bool, len(after))
	for _, pair := range pairs {
		stays[pair.Old], known[pair.New] = true, true
		c.Entries[pair.New] = f.Entries[pair.Old]
	}
	c.settle(f, pairs, after)
	for _, i := range c.Settled {
		c.Entries[i].Form = doc.Entries[i].Form()
	}
	var reformed []int
	for _, pair := range pairs {
		i, e, id := pair.New, f.Entries[pair.Old], after[pair.New]
		if e.Digest == id.Digest && !c.anew[i] {
			continue
		}
		form := doc.Entries[i].Form()
		if e.Form != "" && e.Form != form {
			reformed = append(reformed, i)
		}
		c.was[i] = e
		c.rewrite(i, e, id, form)
		c.Changed = append(c.Changed, i)
	}
	if !mostOf(len(reformed), len(pairs)) {
		for _, i := range reformed {
			c.anew[i] = true
		}
	}
	for i, id := range after {
		if !known[i] {
			c.Entries[i] = Entry{Identity: id, Form: doc.Entries[i].Form(), Interval: c.reading}
			c.Added = append(c.Added, i)
		}
	}
	for i, e := range f.Entries {
		if !stays[i] {
			e.Gone = c.now
			c.gone[e.ID] = e.Text
			c.Removed = append(c.Removed, e)
		}
	}
}

// rewrite records what an entry says now; e is what was recorded of it.
func (c *Changes) rewrite(i int, e Entry, now Identity, form string) {
	if e.Digest != now.Digest {
		e.ChangedBy = c.reading.SeenBy
	}
	e.Identity, e.Form, e.Gone = now, form, time.Time{}
	c.Entries[i] = e
}

// mostOf reports whether n are more than half of all.
func mostOf(n, all int) bool { return 2*n > all }

// Recognise finds the recorded entries in a document that was read before: they are beside
// its entries.
func Recognise(recorded []Entry, doc *recur.Document) []Entry {
	entries := make([]Entry, len(doc.Entries))
	for _, pair := range Match(identities(recorded), identitiesOf(doc)) {
		entries[pair.New] = recorded[pair.Old]
	}
	return entries
}

func identities(entries []Entry) []Identity {
	ids := make([]Identity, len(entries))
	for i, e := range entries {
		ids[i] = e.Identity
	}
	return ids
}

func identitiesOf(doc *recur.Document) []Identity {
	ids := make([]Identity, len(doc.Entries))
	for i, e := range doc.Entries {
		ids[i] = IdentityOf(e)
	}
	return ids
}

// MaxRemarks is how many remarks on a feed, and notices on a link, are recorded.
const MaxRemarks = 20

// calendarsZone stands in remarks for the zone of whichever calendar is meant.
var calendarsZone = time.FixedZone("the calendar's zone", 0)

// remarksOn says what a document holds that could not be read as it was meant.
func remarksOn(ctx context.Context, doc *recur.Document, now time.Time, left int) ([]string, error) {
	all := doc.Diagnostics
	from, to := rules.MaterialisedWindow(now, time.UTC)
	x := doc.In(recur.Window{From: from, To: to, Zone: calendarsZone, KeepSingle: true})
	for _, e := range doc.Entries {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		occurrences, found := x.Expand(e)
		if left -= len(occurrences); left < 0 {
			return nil, ErrTooOften
		}
		all = append(all, found...)
	}
	return RemarksOn(all), nil
}

// RemarksOn is what of the diagnostics on a document a person may want to know, a line each; of more than
// MaxRemarks the number.
func RemarksOn(all []ical.Diagnostic) []string {
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
	return lines
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
