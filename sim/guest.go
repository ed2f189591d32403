package sim

import (
	"cmp"
	"maps"
	"slices"
	"time"

	"wharf/core/span"
)

// nights are some that a guest wants.
func (w *world) nights() span.Span {
	first := w.today() + 3 + int64(w.rnd.Intn(120))
	return span.Span{Start: first, End: first + 1 + int64(w.rnd.Intn(5))}
}

// guest tries to book on a platform; now and then another one wants the same on another
// platform, at a moment when nobody can know.
func (w *world) guest() {
	p := w.platforms[w.rnd.Intn(len(w.platforms))]
	if w.rnd.Float64() < w.Guests.Call {
		p = w.desk
	}
	s := w.nights()
	made := w.sell(p, s, "")
	if made == nil {
		return
	}
	other := w.another(p)
	g, luck := w.Guests, w.rnd.Float64()
	soon := func(most time.Duration, t span.Span, how string) {
		w.push(w.now.Add(time.Duration(w.rnd.Int63n(int64(most)))), func() { w.sell(other, t, how) })
	}
	switch {
	case luck < g.Equal:
		soon(5*time.Minute, s, "equal")
	case luck < g.Equal+g.Partial:
		t := span.Span{Start: s.Start + 1, End: s.End + 2}
		if w.rnd.Intn(2) == 0 || s.Len() == 1 {
			t = span.Span{Start: s.Start - 2, End: s.Start + 1}
		}
		soon(w.PickEach, t, "partial")
	case luck < g.Equal+g.Partial+g.Contained:
		t := span.Span{Start: s.Start - 1, End: s.End + 1}
		if s.Len() > 2 {
			t = span.Span{Start: s.Start + 1, End: s.End - 1}
		}
		soon(w.PickEach, t, "contained")
	}
	if w.rnd.Float64() < g.Cancel {
		w.push(w.now.Add(time.Duration(w.rnd.Int63n(int64(20*24*time.Hour)))), func() { w.cancel(p, made) })
	}
}

// cancel takes a sale back; perhaps two others have waited for it, on two platforms.
func (w *world) cancel(p *platform, s *sale) {
	if !w.now.Before(w.end()) || !s.stands() {
		return
	}
	s.cancelled, p.changed = w.now, true
	w.tally.Cancelled++
	if p == w.desk {
		w.judge()
	}
	if w.rnd.Float64() >= w.Guests.Resale {
		return
	}
	later := w.now.Add(time.Duration(w.rnd.Int63n(int64(4 * w.PickEach))))
	first, second := w.platforms[w.rnd.Intn(len(w.platforms))], w.platforms[w.rnd.Intn(len(w.platforms))]
	w.push(later, func() { w.sell(first, s.span, "resale") })
	w.push(later.Add(time.Duration(w.rnd.Int63n(int64(20*time.Minute)))), func() { w.sell(second, s.span, "resale") })
}

func (w *world) another(p *platform) *platform {
	return w.platforms[(p.id+1+w.rnd.Intn(max(1, len(w.platforms)-1)))%len(w.platforms)]
}

// sell makes a sale, unless the platform knows that the time is taken.
func (w *world) sell(p *platform, s span.Span, how string) *sale {
	w.apply(p)
	if !w.now.Before(w.end()) || slices.ContainsFunc(p.sales, func(o *sale) bool { return o.stands() && o.span.Overlaps(s) }) ||
		slices.ContainsFunc(p.blocks(), func(b block) bool { return b.span.Overlaps(s) }) || p == w.desk && w.seenTaken(s) {
		return nil
	}
	made := &sale{id: len(w.sales), platform: p.id, span: s, title: guestName(w.rnd.Intn(6), w.rnd.Intn(26)), made: w.now, how: how}
	w.sales = append(w.sales, made)
	p.sales = append(p.sales, made)
	p.changed = true
	w.count(func(c *Counts) { c.Sales++ }, p)
	if p == w.desk {
		w.enter(made)
	}
	return made
}

// sorted are the keys of a map in order.
func sorted[K cmp.Ordered, V any](m map[K]V) []K { return slices.Sorted(maps.Keys(m)) }
