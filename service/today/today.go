// Package today says what the first page says, read in one go and from little: what of the feeds, the calendars and the
// directions needs a person, what is lost for sale, and who comes and goes. Clashes have a list of their own.
package today

import (
	"cmp"
	"context"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"wharf/core/exposure"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/refresh"
	"wharf/service/store"
)

// Page is what is told.
type Page struct {
	Zone      string    // of the first calendar; its day is today
	Date      span.Date // today
	Calendars []store.Calendar
	Feeds     []store.Feed // with what their state is told from, and nothing else
	Unfresh   []store.Feed // those that are not fresh
	Oldest    *time.Time   // the oldest of their last good readings
	Bare      []store.Calendar
	Missing   []Direction
	Pairings  []Pairing
	Unpicked  []store.Outgoing // that nobody ever came for
	Overdue   []store.Outgoing // that are not picked up as usual
	Forgotten []store.Booking  // blocks of what is gone
	Copies    []Copy           // that are not as their originals any more
	Waiting   int              // entries that somebody is to look at
	Reminders []Reminder       // that are due
	Days      []Day            // today and tomorrow
}

// Way is in which way a direction goes.
type Way string

// Ways.
const (
	In  Way = "in"  // from the platform to us
	Out Way = "out" // back to it
)

// Direction is one between a calendar and a platform.
type Direction struct {
	Calendar, Platform int64
	Way                Way
}

// Copy is a hold that was copied from a feed.
type Copy struct {
	store.Hold
	store.Original
}

// Day is who comes and goes on one.
type Day struct {
	Date     span.Date
	Come, Go []Movement
}

// Movement is a booking that begins, or ends, on a day.
type Movement struct {
	store.Booking
	Grain span.Grain
	Zone  string
}

// Read tells how things stand at a moment. No recipient is overdue for the time overdueAfter.
func Read(ctx context.Context, db *store.Store, overdueAfter time.Duration, now time.Time) (*Page, error) {
	p := &Page{Zone: "UTC"}
	var err error
	if p.Calendars, err = db.Calendars(ctx); err != nil {
		return p, err
	}
	if len(p.Calendars) > 0 {
		p.Zone = p.Calendars[0].Zone
	}
	p.Date = span.DateOf(now.UTC())
	if loc, err := zone.Load(p.Zone); err == nil { // else that calendar is set aside, and says so
		p.Date = span.DateOf(now.In(loc))
	}
	// Side by side: each writes fields of its own, and a page is waiting.
	all, ctx := errgroup.WithContext(ctx)
	all.Go(func() error { return p.readFeeds(ctx, db, now) })
	all.Go(func() error { return p.readDirections(ctx, db, overdueAfter, now) })
	all.Go(func() error { return p.readMovements(ctx, db) })
	all.Go(func() (err error) {
		p.Forgotten, err = Forgotten(ctx, db, p.Calendars, now)
		return err
	})
	all.Go(func() error { return p.readCopies(ctx, db) })
	all.Go(func() error {
		reminders, err := Reminders(ctx, db, p.Calendars, 0, now)
		p.Reminders = DueAt(reminders, now)
		return err
	})
	all.Go(func() error {
		waiting, err := db.ToReview(ctx, store.Waiting, PointsOf(p.Calendars, now))
		p.Waiting = len(waiting)
		return err
	})
	return p, all.Wait()
}

func (p *Page) readCopies(ctx context.Context, db *store.Store) error {
	differing, err := db.OriginalsOf(ctx, 0)
	for _, o := range differing {
		h, err := db.Hold(ctx, o.HoldID)
		if err != nil {
			return err
		}
		p.Copies = append(p.Copies, Copy{h, o})
	}
	return err
}

func (p *Page) readFeeds(ctx context.Context, db *store.Store, now time.Time) error {
	var err error
	p.Feeds, err = db.FeedStates(ctx)
	for _, f := range p.Feeds {
		if state, _ := refresh.State(f, now); state != refresh.Fresh {
			p.Unfresh = append(p.Unfresh, f)
		}
		if f.LastGoodEnd != nil && (p.Oldest == nil || f.LastGoodEnd.Before(*p.Oldest)) {
			p.Oldest = f.LastGoodEnd
		}
	}
	return err
}

// Forgotten lists the blocks of what is gone on some calendars that are not over at a moment.
func Forgotten(ctx context.Context, db *store.Store, calendars []store.Calendar, now time.Time) ([]store.Booking, error) {
	rows, err := db.StaleBookings(ctx)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	at := PointsOf(calendars, now)
	return slices.DeleteFunc(rows, func(b store.Booking) bool {
		now, shown := at(b.CalendarID)
		return !shown || b.EndPoint <= now
	}), nil
}

// PointsOf gives the point at which each calendar is at a moment; false for one that is set aside, and says so.
func PointsOf(calendars []store.Calendar, now time.Time) func(calendar int64) (int64, bool) {
	points := map[int64]int64{}
	for _, c := range calendars {
		if loc, err := zone.Load(c.Zone); err == nil {
			points[c.ID] = span.Point(now, span.Grain(c.Grain), loc)
		}
	}
	return func(calendar int64) (int64, bool) { at, known := points[calendar]; return at, known }
}

func (p *Page) readDirections(ctx context.Context, db *store.Store, overdueAfter time.Duration, now time.Time) error {
	in, err := db.Incomings(ctx)
	if err != nil {
		return err
	}
	out, err := db.Outgoings(ctx)
	if err != nil {
		return err
	}
	p.Missing = missing(in, out)
	fed := map[int64]bool{}
	for _, i := range in {
		fed[i.CalendarID] = true
	}
	for _, c := range p.Calendars {
		if !fed[c.ID] {
			p.Bare = append(p.Bare, c)
		}
	}
	for _, o := range out {
		var last time.Time
		if o.LastAt != nil {
			last = *o.LastAt
		}
		switch exposure.StateOf(last, o.Gaps, overdueAfter, now) {
		case exposure.NeverCame:
			p.Unpicked = append(p.Unpicked, o)
		case exposure.Overdue:
			p.Overdue = append(p.Overdue, o)
		}
	}
	return p.readPairings(ctx, db)
}

// missing are the directions that are not there: a platform that sells is to get back what the others sell, and one that
// is told what is taken is to be read. What is only shown needs nothing back.
func missing(in []store.Incoming, out []store.Outgoing) []Direction {
	type pair struct{ calendar, platform int64 }
	read, given := map[pair]bool{}, map[pair]bool{}
	for _, i := range in {
		read[pair{i.CalendarID, i.PlatformID}] = true
	}
	var gaps []Direction
	for _, o := range out {
		at := pair{o.CalendarID, o.PlatformID}
		if !o.Person && !read[at] && !given[at] {
			gaps = append(gaps, Direction{o.CalendarID, o.PlatformID, In})
		}
		given[at] = true
	}
	for _, i := range in {
		if i.Blocks && !given[pair{i.CalendarID, i.PlatformID}] {
			gaps = append(gaps, Direction{i.CalendarID, i.PlatformID, Out})
		}
	}
	slices.SortFunc(gaps, func(a, b Direction) int {
		return cmp.Or(cmp.Compare(a.Calendar, b.Calendar), cmp.Compare(a.Platform, b.Platform))
	})
	return gaps
}

func (p *Page) readMovements(ctx context.Context, db *store.Store) error {
	end := p.Date + 2
	within := map[int64]span.Span{}
	on := map[int64]place{}
	for i, c := range p.Calendars {
		at := place{order: i, grain: span.Grain(c.Grain), zone: c.Zone}
		within[c.ID] = span.Days(p.Date, end)
		var err error
		if at.loc, err = zone.Load(c.Zone); err != nil { // it is set aside
			delete(within, c.ID)
			continue
		}
		if !at.grain.Dated() {
			within[c.ID] = span.Instants(p.Date.Start(at.loc), end.Start(at.loc))
		}
		on[c.ID] = at
	}
	rows, err := db.Bounded(ctx, within)
	for date := p.Date; date < end; date++ {
		p.Days = append(p.Days, movements(date, rows, on))
	}
	return err
}

// place is what is to be known of a calendar to say when its bookings begin and end.
type place struct {
	order int // among the calendars
	grain span.Grain
	zone  string
	loc   *time.Location
}

// movements are who comes and goes on a day: by the hour, where there is one, then by calendar. Who stays for hours comes, and that is all.
func movements(date span.Date, rows []store.Booking, on map[int64]place) Day {
	day := Day{Date: date}
	for _, b := range rows {
		at, known := on[b.CalendarID]
		if !known {
			continue
		}
		m := Movement{b, at.grain, at.zone}
		first, last := span.Date(b.StartPoint), span.Date(b.EndPoint)
		switch at.grain {
		case span.Time:
			first, last = span.DateOf(time.Unix(b.StartPoint, 0).In(at.loc)), date-1
		case span.Day:
			last--
		}
		if first == date {
			day.Come = append(day.Come, m)
		}
		if last == date {
			day.Go = append(day.Go, m)
		}
	}
	hour := func(m Movement) int64 {
		if m.Grain == span.Time {
			return m.StartPoint
		}
		return 0
	}
	for _, list := range [][]Movement{day.Come, day.Go} {
		slices.SortStableFunc(list, func(a, b Movement) int {
			return cmp.Or(cmp.Compare(hour(a), hour(b)), cmp.Compare(on[a.CalendarID].order, on[b.CalendarID].order))
		})
	}
	return day
}
