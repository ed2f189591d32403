package sim

import (
	"fmt"
	"slices"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/span"
)

// byHand is the name of the coordinator's desk, where guests call: it has no feed and gets no
// publication, and knows what Wharf knows.
const byHand = "by hand"

// hold is what was entered there for a sale.
type hold struct {
	sale    *sale
	booking judge.Booking
}

// enter keeps a sale of the desk as a hold; some end by themselves, at an instant that is known
// from the start.
func (w *world) enter(s *sale) {
	w.ids++
	h := hold{s, judge.Booking{ID: w.ids, Minted: carried.Mint([]byte("sim"), "hold", fmt.Sprint(s.id)), Title: s.title,
		Booking: booking.Booking{Span: s.span, Blocks: true, Units: 1}, Stand: reading.Interval{SeenBy: w.now}, Sighting: reading.Interval{SeenBy: w.now}}}
	if w.rnd.Float64() < w.Guests.Expire {
		h.booking.Expires = w.now.Add(time.Hour + time.Duration(w.rnd.Int63n(int64(5*24*time.Hour)))).Truncate(time.Second)
		w.push(h.booking.Expires, func() { w.cancel(w.desk, s) })
	}
	w.holds = append(w.holds, h)
	w.judge()
}

// held are the holds that stand, as they are judged, with the truth.
func (w *world) held() (all []known) {
	w.holds = slices.DeleteFunc(w.holds, func(h hold) bool {
		taken := !h.sale.stands() && (h.booking.Expires.IsZero() || w.now.Before(h.booking.Expires)) // by hand, else it ends by itself
		return h.booking.Span.End <= w.today()-30 || taken
	})
	for _, h := range w.holds {
		w.minted[h.booking.Minted] = []*sale{h.sale}
		all = append(all, known{truth: truth{line{title: h.sale.title, span: h.sale.span, own: []*sale{h.sale}, cancelled: !h.sale.stands()}, w.desk}, minted: h.booking.Minted, fact: h.booking})
	}
	return all
}

// seenTaken reports whether Wharf knows of anything at a span.
func (w *world) seenTaken(s span.Span) bool {
	return slices.ContainsFunc(w.platforms, func(p *platform) bool {
		return slices.ContainsFunc(p.wharf.bookings, func(b reading.Booking) bool { return b.Removed.IsZero() && b.Span.Overlaps(s) })
	})
}

// of is where a sale was made.
func (w *world) of(s *sale) *platform {
	if s.platform == w.desk.id {
		return w.desk
	}
	return w.platforms[s.platform]
}
