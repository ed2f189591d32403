package sim

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/carried"
	"wharf/core/judge"
	"wharf/core/publish"
	"wharf/core/span"
)

func (w *world) judgeIfPending() {
	if !w.pendingAt.IsZero() && !w.now.Before(w.pendingAt) {
		w.judge()
	}
}

// shown is a booking with its truth.
type shown struct {
	of     []*sale
	real   bool
	title  string
	on     int
	minted string
}

// judge judges the calendar, and compares that with the truth.
func (w *world) judge() {
	w.tally.Judgements++
	f := judge.Facts{Calendar: calendar, Now: w.now, Conflicts: w.conflicts}
	known := map[int64]shown{}
	for _, p := range w.platforms {
		f.Feeds = append(f.Feeds, judge.Feed{ID: int64(p.id + 1), Read: p.feed.Since})
		for _, b := range p.bookings {
			if !b.Removed.IsZero() || b.Span.End <= int64(span.DateOf(w.now))-30 {
				continue
			}
			minted := carried.Mint([]byte("sim"), fmt.Sprint(b.Entry), b.Occurrence)
			of := p.truth[b.Entry]
			k := shown{of: of, real: len(of) > 0 && of[0] != nil, title: b.Title, on: p.id, minted: minted}
			if !k.real && len(of) > 0 {
				k.of = of[1:]
			}
			known[b.ID] = k
			w.minted[minted] = k.of
			f.Bookings = append(f.Bookings, judge.Booking{ID: b.ID, Feed: int64(p.id + 1), Platform: int64(p.id + 1), UID: b.UID, Key: b.Occurrence, Minted: minted,
				Booking: b.Booking, Title: b.Title, Form: b.Form, Revision: b.Revision, Created: b.Created, Stand: b.Stand, Sighting: b.Sighting})
		}
		p.window = publish.Window(publish.Step(w.now, time.UTC), span.Day, time.UTC)
		f.Publications = append(f.Publications, judge.Publication{ID: int64(p.id + 1), Platform: int64(p.id + 1), Window: p.window, Version: p.version, History: p.history, Pickups: p.pickups})
	}
	r, err := judge.Judge(context.Background(), f)
	if err != nil {
		panic(err)
	}
	w.pendingAt = time.Time{}
	if r.Pending {
		w.pendingAt = w.now.Add(10 * time.Minute)
	}
	w.compare(f, r, known)
	w.publish(f, r)
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
func (w *world) publish(f judge.Facts, r judge.Result) {
	for i, rendition := range r.Renditions {
		p := w.platforms[i]
		if rendition.Version == p.version {
			continue
		}
		closed := map[int64]bool{}
		for _, id := range rendition.Change.Close {
			closed[id] = true
		}
		for n := range p.history {
			if closed[p.history[n].ID] {
				p.history[n].To = rendition.Version - 1
			}
		}
		for _, row := range rendition.Change.Open {
			w.rowID++
			row.ID = w.rowID
			p.history = append(p.history, row)
			if of := w.minted[row.UID]; len(of) > 0 && !slices.ContainsFunc(of, func(s *sale) bool { return s.platform != p.id }) {
				w.tally.SentBack++
				w.example("%s is sent its own booking %v: %v", p.Name, row.Span, verdictsOf(f, r, row.UID))
			}
		}
		// What has long been over needs not be known for ever.
		p.history = slices.DeleteFunc(p.history, func(r carried.Row) bool { return r.To != 0 && r.Span.End < int64(span.DateOf(w.now))-60 })
		p.version = rendition.Version
		w.tally.Versions++
	}
}

// compare holds a judgement against the truth.
func (w *world) compare(f judge.Facts, r judge.Result, known map[int64]shown) {
	together := map[[2]int64]judge.Kind{}
	for _, c := range r.Conflicts {
		if c.State != judge.Open && c.State != judge.Acknowledged {
			continue
		}
		for _, a := range c.Bookings {
			for _, b := range c.Bookings {
				together[[2]int64{a, b}] = judge.Kind(c.Kind)
			}
		}
		w.alarm(c, known)
	}
	for i, a := range f.Bookings {
		if v := r.Verdicts[i]; v.Kind == judge.Unclear && !w.asked[a.Minted] {
			w.asked[a.Minted] = true
			w.tally.Unclear++
		}
		if !known[a.ID].real {
			continue
		}
		for _, b := range f.Bookings[i+1:] {
			k, l := known[a.ID], known[b.ID]
			if !l.real || k.on == l.on || !a.Span.Overlaps(b.Span) || a.Span.End <= int64(span.DateOf(w.now)) || b.Span.End <= int64(span.DateOf(w.now)) {
				continue
			}
			pair := [2]int{k.of[0].id, l.of[0].id}
			if w.judged[pair] {
				continue
			}
			w.judged[pair] = true
			w.tally.Clashes++
			switch together[[2]int64{a.ID, b.ID}] {
			case "double_booking":
				w.tally.Found++
			case "unclear":
				w.tally.Asked++
			default:
				w.tally.Missed++
				w.example("missed: %s %v (%s) and %s %v (%s): %v", k.title, a.Span, w.platforms[k.on].Name, l.title, b.Span, w.platforms[l.on].Name, verdicts(f, r, a.ID, b.ID))
			}
		}
	}
	for _, k := range known {
		if !k.real {
			w.tally.Reflections++
		}
	}
}

func verdictsOf(f judge.Facts, r judge.Result, minted string) (all []string) {
	for i, b := range f.Bookings {
		if b.Minted == minted {
			all = append(all, fmt.Sprintf("on %d: %s %+v stand %s to %s", b.Platform, r.Verdicts[i].Kind, r.Verdicts[i].Evidence, b.Stand.NotBefore.Format("2 Jan 15:04"), b.Stand.SeenBy.Format("2 Jan 15:04")))
		}
	}
	return all
}

func verdicts(f judge.Facts, r judge.Result, ids ...int64) (all []string) {
	for i, b := range f.Bookings {
		if slices.Contains(ids, b.ID) {
			all = append(all, fmt.Sprintf("%s %s %s", r.Verdicts[i].Kind, r.Verdicts[i].Evidence.Kind, r.Verdicts[i].Evidence.Against))
		}
	}
	return all
}

// alarm counts a double booking that no two sales are in.
func (w *world) alarm(c judge.Conflict, known map[int64]shown) {
	if c.Kind != "double_booking" {
		return
	}
	var real []shown
	for _, id := range c.Bookings {
		if k := known[id]; k.real {
			real = append(real, k)
		}
	}
	for i, k := range real {
		for _, l := range real[i+1:] {
			if k.of[0].span.Overlaps(l.of[0].span) {
				return
			}
		}
	}
	names := make([]string, len(c.Bookings))
	for i, id := range c.Bookings {
		k := known[id]
		names[i] = fmt.Sprintf("%s (%s, real %v)", k.title, w.platforms[k.on].Name, k.real)
	}
	slices.Sort(names)
	if key := strings.Join(names, " and ") + fmt.Sprint(c.Span); !w.alarms[key] {
		w.alarms[key] = true
		w.tally.False++
		w.example("false: %s, %v", key, c.Span)
	}
}
