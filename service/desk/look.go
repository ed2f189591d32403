package desk

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"wharf/core/booking"
	"wharf/core/ical"
	"wharf/core/publish"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/store"
)

// Shown is an event of a publication as its recipient reads it.
type Shown struct {
	Span   span.Span
	Title  string
	Status recur.Status
	Free   bool
}

// Look is a publication as its recipient sees it.
type Look struct {
	Grain  span.Grain
	Events []Shown
	Bytes  int
	Text   string // the document
}

// placed is a calendar with what its publications are read by.
type placed struct {
	store.Calendar
	rules  rules.Calendar
	window span.Span // that a publication shows
	from   time.Time
	to     time.Time
}

func (d *Desk) placed(ctx context.Context, row store.Publication) (p placed, err error) {
	if p.Calendar, err = d.Store.Calendar(ctx, row.CalendarID); err != nil {
		return p, err
	}
	if p.rules, err = rules.NewCalendar(p.Zone, p.Grain, p.Capacity); err != nil {
		return p, err
	}
	step := row.WindowStep
	if step == 0 {
		step = publish.Step(d.Now(), p.rules.Zone)
	}
	p.window = publish.Window(row.Options, step, p.rules.Grain, p.rules.Zone)
	days := publish.Window(row.Options, step, span.Day, p.rules.Zone)
	p.from, p.to = span.Date(days.Start).Start(p.rules.Zone), span.Date(days.End).Start(p.rules.Zone)
	return p, nil
}

// shown reads a document as somebody with this calendar would.
func (p placed) shown(doc *recur.Document) (all []Shown) {
	x := doc.In(recur.Window{From: p.from, To: p.to, Zone: p.rules.Zone, Limit: mostShown})
	for _, e := range doc.Entries {
		found, _ := x.Expand(e)
		for _, o := range found {
			s, _ := booking.SpanOf(o, p.rules)
			if !s.Empty() {
				all = append(all, Shown{Span: s, Title: o.Summary, Status: o.Status, Free: o.Transparent})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b Shown) int { return a.Span.Compare(b.Span) })
	return all
}

// mostShown is how many events of a document are looked at.
const mostShown = 20000

// Preview is what the recipient of a publication sees at present. That is no pickup.
func (d *Desk) Preview(ctx context.Context, id int64) (l Look, err error) {
	row, err := d.Store.Publication(ctx, id)
	if err != nil {
		return l, err
	}
	p, err := d.placed(ctx, row)
	if err != nil {
		return l, err
	}
	l.Grain = p.rules.Grain
	served, err := d.Store.PublicationsServed(ctx, []int64{id})
	if err != nil || len(served) == 0 {
		return l, err
	}
	_, plain, err := served[0].Texts()
	if err != nil {
		return l, err
	}
	doc, err := recur.Read(ical.NewReader(bytes.NewReader(plain)))
	if err != nil {
		return l, err
	}
	l.Events, l.Bytes, l.Text = p.shown(doc), len(plain), string(plain)
	return l, nil
}

// Comparison is what a recipient shows beside what it was sent, from today on.
type Comparison struct {
	Grain           span.Grain
	Unsent, Unshown []publish.Stretch
	Shown, Sent     int // how many events there are on either side
}

// CompareWith holds a publication against a feed of its recipient that we read, or against a link or file of theirs. The
// error may be a *rules.FieldError or one of AddFeed.
func (d *Desk) CompareWith(ctx context.Context, id, feed int64, from Source) (c Comparison, err error) {
	row, err := d.Store.Publication(ctx, id)
	if err != nil {
		return c, err
	}
	p, err := d.placed(ctx, row)
	if err != nil {
		return c, err
	}
	mine, err := d.Preview(ctx, id)
	if err != nil {
		return c, err
	}
	var theirs []publish.Stretch
	if feed != 0 {
		theirs, err = d.stretchesOf(ctx, p, feed)
	} else {
		theirs, err = d.stretchesIn(ctx, p, from)
	}
	if err != nil {
		return c, err
	}
	loc, err := zone.Load(p.Zone)
	if err != nil {
		return c, err
	}
	ahead := span.Span{Start: max(p.window.Start, span.Point(d.Now(), p.rules.Grain, loc)), End: p.window.End}
	sent := taken(mine.Events)
	c = Comparison{Grain: p.rules.Grain, Shown: within(theirs, ahead), Sent: within(sent, ahead)}
	c.Unsent, c.Unshown = publish.Compare(sent, theirs, ahead)
	return c, nil
}

func within(all []publish.Stretch, window span.Span) (n int) {
	for _, s := range all {
		if s.Span.Overlaps(window) {
			n++
		}
	}
	return n
}

// taken are the events that take something.
func taken(events []Shown) (all []publish.Stretch) {
	for _, e := range events {
		if !e.Free && e.Status != recur.Cancelled {
			all = append(all, publish.Stretch{Span: e.Span, Title: e.Title})
		}
	}
	return all
}

// stretchesOf are those of a feed's bookings on a calendar.
func (d *Desk) stretchesOf(ctx context.Context, p placed, feed int64) (all []publish.Stretch, err error) {
	row, err := d.Store.Feed(ctx, feed)
	if errors.Is(err, store.ErrNotFound) {
		return nil, &rules.FieldError{Field: "feed", Err: fmt.Errorf("there is no feed %d", feed)}
	}
	if err != nil {
		return nil, err
	}
	bookings, err := d.Store.BookingsWithin(ctx, p.ID, p.window)
	for _, b := range bookings {
		if b.FeedID == row.ID && b.Blocks {
			all = append(all, publish.Stretch{Span: b.Span(), Title: b.Title})
		}
	}
	return all, err
}

// stretchesIn are those of a link or file.
func (d *Desk) stretchesIn(ctx context.Context, p placed, from Source) ([]publish.Stretch, error) {
	got, err := d.read(ctx, from)
	if err != nil {
		return nil, err
	}
	return taken(p.shown(got.Document())), nil
}
