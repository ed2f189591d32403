package sim

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/carried"
	"wharf/core/echo"
	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/publish"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// wharfs is what Wharf has of a platform.
type wharfs struct {
	feed     reading.Feed
	gone     []reading.Entry
	bookings []reading.Booking
	text     string                    // as it was read last
	truth    map[int64]truth           // by entry
	sources  map[int64]*publish.Source // likewise
	history  []carried.Row
	pickups  []carried.Pickup
	version  int64
	habits   echo.Said // learnt so far
	minted   map[int64]string
	rules    rules.Publication // of what it is sent
	back     map[int64]bool    // by row: it was sent back, and counted
}

// mint is the UID under which a booking is published.
func (k *wharfs) mint(b reading.Booking) string {
	if k.minted[b.ID] == "" {
		k.minted[b.ID] = carried.Mint([]byte("sim"), fmt.Sprint(b.Entry), b.Occurrence)
	}
	return k.minted[b.ID]
}

// truth is what an entry is in truth.
type truth struct {
	line line
	on   *platform
}

// reflection reports whether there is no sale of the platform's own in it.
func (t truth) reflection() bool { return len(t.line.own) == 0 }

// calendar and link are those of everything.
var (
	calendar = rules.Calendar{Zone: time.UTC, Grain: span.Night, Capacity: 1}
	link     = rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: 1}
)

// mostPieces is how many pieces of one booking may be published.
const mostPieces = 9

// pickup downloads the publication for a platform.
func (w *world) pickup(p *platform) {
	w.apply(p)
	if p.wharf.version == 0 || w.fails(p) {
		return
	}
	k := &p.wharf
	if n := len(k.pickups); n > 0 && k.pickups[n-1].Version == k.version {
		k.pickups[n-1].Last = w.now
		k.pickups[n-1].Times++
		return // it has that
	}
	k.pickups = append(k.pickups, carried.Pickup{Version: k.version, Agent: p.Name, First: w.now, Last: w.now, Times: 1})
	var blocks []block
	for _, r := range carried.Apply(k.history, carried.Change{}) {
		blocks = append(blocks, block{uid: r.SentUID(), span: r.Span, of: w.goesBackTo(p, r)})
		w.sentBack(p, r)
	}
	w.takes(p, wharf, blocks)
}

// goesBackTo are the sales of which something that a platform is sent tells; where that is no single booking, those of all
// that it overlaps.
func (w *world) goesBackTo(p *platform, r carried.Row) []*sale {
	of := w.minted[r.UID]
	if !p.wharf.rules.Joined && p.wharf.rules.Occupancy != rules.WhereFull {
		return of
	}
	for _, k := range w.counting {
		if k.on != p && r.Span.Overlaps(k.fact.Span) {
			of = union(of, w.minted[k.minted])
		}
	}
	return of
}

// sentBack counts what a platform is sent for the first time that is its own.
func (w *world) sentBack(p *platform, r carried.Row) {
	of := w.goesBackTo(p, r)
	others := slices.ContainsFunc(of, func(s *sale) bool { return s.platform != p.id })
	if p.wharf.back[r.ID] || r.Span.Start <= w.today() || others || !slices.ContainsFunc(of, (*sale).stands) {
		return
	}
	p.wharf.back[r.ID] = true
	w.count(func(c *Counts) { c.SentBack++ }, p)
	w.example("sent back", "%s is sent its own booking %v", p, r.Span)
}

// read reads a platform's feed, as the service does.
func (w *world) read(p *platform) {
	w.apply(p)
	if w.fails(p) {
		return
	}
	k := &p.wharf
	if !p.changed && p.UIDs != New {
		k.feed.Since = w.now
		w.judgeIfPending()
		return
	}
	p.changed = false
	p.reads++
	lines := w.lines(p)
	k.text = text(lines)
	doc, err := recur.Read(ical.NewReader(strings.NewReader(k.text)))
	if err != nil {
		panic(err)
	}
	times := reading.Times{Requested: w.now, Finished: w.now.Add(time.Second)}
	c, err := reading.Read(context.Background(), k.feed, k.gone, doc, []reading.Place{{Calendar: calendar, Link: link, Bookings: k.bookings}}, times, 100000)
	if err != nil {
		panic(err)
	}
	k.feed.Since, k.feed.Frame, k.feed.UIDs = w.now, c.Frame, c.UIDs
	if c.Unchanged {
		w.judgeIfPending()
		return
	}
	w.record(p, &c, doc, lines)
	w.judge()
}

// record keeps what a reading led to.
func (w *world) record(p *platform, c *reading.Changes, doc *recur.Document, lines []line) {
	k := &p.wharf
	k.gone = append(k.gone, c.Removed...)
	returned := map[int64]bool{}
	for _, i := range c.Returned {
		returned[c.Entries[i].ID] = true
	}
	k.gone = slices.DeleteFunc(k.gone, func(e reading.Entry) bool { return returned[e.ID] })
	k.feed.Entries = nil
	k.sources = map[int64]*publish.Source{}
	for i := range c.Entries {
		if c.Entries[i].ID == 0 {
			w.ids++
			c.Entries[i].ID = w.ids
		}
		k.feed.Entries = append(k.feed.Entries, c.Entries[i])
		k.truth[c.Entries[i].ID] = truth{lines[i], p}
		k.sources[c.Entries[i].ID] = &publish.Source{Doc: doc, Entry: doc.Entries[i]}
	}
	at := map[int64]int{}
	for i, b := range k.bookings {
		at[b.ID] = i
	}
	for _, b := range c.Places[0].Changed {
		k.bookings[at[b.ID]] = b
	}
	for _, b := range c.Places[0].Added {
		w.ids++
		b.ID, b.Entry = w.ids, c.Entries[b.At].ID
		k.bookings = append(k.bookings, b)
	}
	// What has long been over needs not be known for ever.
	k.bookings = slices.DeleteFunc(k.bookings, func(b reading.Booking) bool { return !b.Removed.IsZero() && b.Span.End < w.today()-60 })
}

func (w *world) judgeIfPending() {
	if !w.pendingAt.IsZero() && !w.now.Before(w.pendingAt) {
		w.judge()
	}
}

// known is a booking that was judged, with the truth.
type known struct {
	truth
	minted  string
	fact    judge.Booking
	verdict judge.Verdict
}

// facts are what Wharf knows, and the same bookings with the truth.
func (w *world) facts() (judge.Facts, []known) {
	f := judge.Facts{Calendar: calendar, Now: w.now, Conflicts: w.conflicts}
	var all []known
	for _, p := range w.platforms {
		feed := judge.Feed{ID: int64(p.id + 1), Platform: int64(p.id + 1), Read: p.wharf.feed.Since, Known: p.wharf.habits}
		for _, l := range w.Links {
			if l.Declared && l.By == p.id {
				feed.Mirrors = append(feed.Mirrors, int64(l.Of+1))
			}
		}
		f.Feeds = append(f.Feeds, feed)
		for _, b := range p.wharf.bookings {
			if !b.Removed.IsZero() && w.now.Sub(b.Removed) < 48*time.Hour {
				f.Feeds[len(f.Feeds)-1].Gone = append(f.Feeds[len(f.Feeds)-1].Gone, echo.Gone{UID: b.UID, Minted: p.wharf.mint(b), Span: b.Span, Stand: b.Stand, At: b.Removed})
			}
			if !b.Removed.IsZero() || b.Span.End <= w.today()-30 {
				continue
			}
			k := known{truth: p.wharf.truth[b.Entry], minted: p.wharf.mint(b)}
			for n := range mostPieces {
				w.minted[carried.Piece(k.minted, n)] = k.line.sales()
			}
			k.fact = judge.Booking{ID: b.ID, Feed: int64(p.id + 1), Platform: int64(p.id + 1), UID: b.UID, Key: b.Occurrence, Minted: k.minted,
				Booking: b.Booking, Title: b.Title, Form: b.Form, Revision: b.Revision, Created: b.Created, Stand: b.Stand, Sighting: b.Sighting, Source: p.wharf.sources[b.Entry]}
			f.Bookings = append(f.Bookings, k.fact)
			all = append(all, k)
		}
		if !slices.Contains(w.OneWay, p.id) {
			f.Publications = append(f.Publications, judge.Publication{ID: int64(p.id + 1), Platform: int64(p.id + 1), Version: p.wharf.version, History: p.wharf.history, Pickups: p.wharf.pickups, Rules: p.wharf.rules,
				Window: publish.Window(p.wharf.rules, publish.Step(w.now, time.UTC), calendar.Grain, time.UTC), Laid: publish.Laid(publish.Step(w.now, time.UTC), time.UTC)})
		}
	}
	for _, k := range w.held() {
		f.Bookings, all = append(f.Bookings, k.fact), append(all, k)
	}
	return f, all
}

// judge judges the calendar, and compares that with the truth.
func (w *world) judge() {
	w.tally.Judgements++
	f, all := w.facts()
	if w.Seen != nil {
		w.Seen(f)
	}
	r, err := judge.Judge(context.Background(), f)
	if err != nil {
		panic(err)
	}
	for i := range all {
		all[i].verdict = r.Verdicts[i]
	}
	for _, h := range r.Habits {
		w.platforms[h.Feed-1].wharf.habits[h.HabitOf] = h.Value
	}
	w.pendingAt = time.Time{}
	if r.Pending {
		w.pendingAt = w.now.Add(time.Hour)
	}
	w.counting = slices.DeleteFunc(slices.Clone(all), func(k known) bool {
		return k.verdict.Kind == judge.Echo || k.verdict.Kind == judge.OneWith
	})
	w.compare(all, r)
	w.publish(all, r)
	w.accept(all)
	w.conflicts = w.conflicts[:0]
	for _, c := range r.Conflicts {
		if c.State == judge.Open || c.State == judge.Acknowledged {
			if c.ID == 0 {
				w.ids++
				c.ID = w.ids
			}
			w.conflicts = append(w.conflicts, c)
		}
	}
}

// publish keeps the new versions.
func (w *world) publish(all []known, r judge.Result) {
	for _, rendition := range r.Renditions {
		p := w.platforms[rendition.ID-1]
		k := &p.wharf
		if rendition.Version == k.version {
			continue
		}
		for n := range k.history {
			if slices.Contains(rendition.Change.Close, k.history[n].ID) {
				k.history[n].To = rendition.Version - 1
			}
		}
		for _, row := range rendition.Change.Open {
			w.rowID++
			row.ID = w.rowID
			k.history = append(k.history, row)
		}
		// What has long been over needs not be known for ever.
		k.history = slices.DeleteFunc(k.history, func(r carried.Row) bool { return r.To != 0 && r.Span.End < w.today()-60 })
		k.version = rendition.Version
		w.tally.Versions++
	}
}

// accept lets the person declare a mirror that was proposed.
func (w *world) accept(all []known) {
	for _, k := range all {
		if e := k.verdict.Evidence; e.Kind == echo.Paired {
			for i, l := range w.Links {
				if l.By == k.on.id && l.Of == int(e.Platform)-1 && !l.Declared {
					w.Links[i].Declared = true
					w.push(w.now.Add(time.Minute), w.judge)
				}
			}
		}
	}
}
