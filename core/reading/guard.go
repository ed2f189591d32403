package reading

import (
	"fmt"
	"slices"
	"time"

	"wharf/core/span"
)

// Guard is what is laid down for holding back what readings would free on a calendar. Of what a feed
// no longer shows, more than Share of what it has to come there, counted over a day, stands until a
// person lets it go, or further scheduled readings agree; of a Few, any further readings.
type Guard struct {
	Share float64
	// Agree is how many further scheduled readings must agree, and Over over how long; where at most Few
	// bookings would go, they need not be apart. A feed that is suddenly empty of more waits for a person.
	Agree, Few int
	Over       time.Duration
	// Freed is what readings freed within a day without being held back.
	Freed []Freed
}

// Freed is what a reading freed: units times the days, nights or seconds that they were taken.
type Freed struct {
	At     time.Time
	Amount int64
}

// Held says that a booking stands though its feed does not show it.
type Held struct {
	Why   Why // "": its feed shows it
	Since time.Time
	// Agreed is how many scheduled readings after the first did not show it either.
	Agreed int
}

// Why is the reason for which a booking is held.
type Why string

const (
	// Lost: too much would go at once.
	Lost Why = "lost"
	// Beyond: the feed ends before it, as one does that shows fewer months than it did.
	Beyond Why = "beyond"
	// Kept: a person said that it stands.
	Kept Why = "kept"
)

// memory is for how long what was freed counts against more.
const memory = 24 * time.Hour

// loss is a booking of which a reading would free something.
type loss struct {
	booking Booking     // as it is recorded
	next    *Booking    // what becomes of it, if it is shown still
	rest    []span.Span // what would be free, from now on
	held    Held
}

func (l loss) amount() (n int64) {
	for _, s := range l.rest {
		n += s.Len()
	}
	return n * int64(l.booking.Units)
}

// guarding decides on what one reading would free on a calendar.
type guarding struct {
	guard  Guard
	ticks  bool // it is a scheduled reading
	at     time.Time
	now    int64 // on the calendar's axis
	one    bool  // there is one unit
	taken  []span.Span
	until  int64 // where what the feed shows ends
	coming int64 // what it had to come
	losses []loss
}

// newGuarding weighs what is recorded against what the feed shows now; nil where nothing is held back,
// or nothing was read.
func newGuarding(l laying, wanted map[slot]Booking, now int64) *guarding {
	if l.place.Guard == nil || l.changes == nil && !l.again {
		return nil
	}
	g := &guarding{guard: *l.place.Guard, ticks: l.scheduled, at: l.now, now: now, one: l.place.Calendar.Capacity == 1}
	for _, w := range wanted {
		if w.Blocks && w.Span.End > now {
			g.taken = append(g.taken, w.Span)
			g.until = max(g.until, w.Span.End)
		}
	}
	slices.SortFunc(g.taken, span.Span.Compare)
	g.taken = span.Union(g.taken)
	for _, b := range l.place.Bookings {
		if b.Removed.IsZero() && b.Blocks && !b.Idle {
			g.coming += span.Span{Start: max(now, b.Span.Start), End: b.Span.End}.Len() * int64(b.Units)
		}
	}
	return g
}

// free is what would be free of a booking: where there is one unit, what nothing else takes; of several,
// what it does not take itself any more.
func (g *guarding) free(b Booking, next *Booking) []span.Span {
	rest := span.Without([]span.Span{b.Span}, span.Span{Start: b.Span.Start, End: g.now})
	if next != nil && next.Blocks {
		rest = span.Without(rest, next.Span)
	}
	if g.one && len(rest) > 0 {
		first, _ := slices.BinarySearchFunc(g.taken, rest[0].Start, func(s span.Span, at int64) int {
			if s.End <= at {
				return -1
			}
			return 1
		})
		for _, s := range g.taken[first:] {
			if s.Start >= b.Span.End {
				break
			}
			rest = span.Without(rest, s)
		}
	}
	return rest
}

// loses notes a booking that the feed does not show, or shows otherwise; it reports whether that frees
// anything.
func (g *guarding) loses(b Booking, next *Booking) bool {
	rest := g.free(b, next)
	if !b.Blocks || b.Idle || len(rest) == 0 {
		return false
	}
	g.losses = append(g.losses, loss{b, next, rest, b.Held})
	return true
}

// decide says of each loss whether it is held, and returns those that are, those that are let go, and
// what is to be remembered of what was freed.
func (g *guarding) decide() (held, let []loss, freed []Freed) {
	freed = slices.DeleteFunc(slices.Clone(g.guard.Freed), func(f Freed) bool { return g.at.Sub(f.At) >= memory })
	var before int64
	for _, f := range freed {
		before += f.Amount
	}
	held, open := g.beyond()
	var fresh, total int64
	for _, l := range open {
		total += l.amount()
		if l.held.Why == "" {
			fresh += l.amount()
		}
	}
	tooMuch := float64(total+before) > g.guard.Share*float64(g.coming+before)
	agreed := false
	for _, l := range open {
		switch {
		case l.held.Why == "" && tooMuch:
			l.held = Held{Why: Lost, Since: g.at}
			held = append(held, l)
		case l.held.Why == "":
			let = append(let, l)
		default:
			if g.ticks || len(open) <= g.guard.Few {
				l.held.Agreed++
			}
			if g.agree(l.held, len(open)) {
				agreed = true
				let = append(let, l)
			} else {
				held = append(held, l)
			}
		}
	}
	switch {
	case agreed:
		freed = nil // what is left is confirmed
	case fresh > 0 && !tooMuch:
		freed = append(freed, Freed{g.at, fresh})
	}
	return held, let, freed
}

// beyond takes out what lies after all that the feed shows, if it is many and was there for long, and
// what a person keeps.
func (g *guarding) beyond() (held, open []loss) {
	after := func(l loss) bool {
		return len(g.taken) > 0 && l.booking.Span.Start >= g.until && g.at.Sub(l.booking.Stand.SeenBy) >= memory
	}
	n := 0
	for _, l := range g.losses {
		if after(l) {
			n++
		}
	}
	for _, l := range g.losses {
		switch {
		case l.held.Why == Kept:
			held = append(held, l)
		case after(l) && (l.held.Why == Beyond || l.held.Why == "" && n > g.guard.Few):
			if l.held.Why == "" {
				l.held = Held{Why: Beyond, Since: g.at}
			}
			g.coming -= l.amount()
			held = append(held, l)
		default:
			if l.held.Why == Beyond {
				l.held = Held{} // the feed shows later dates by now, and not this
			}
			open = append(open, l)
		}
	}
	return held, open
}

// agree reports whether enough readings have agreed for what would go with so many in all.
func (g *guarding) agree(h Held, all int) bool {
	switch {
	case h.Agreed < g.guard.Agree:
		return false
	case all <= g.guard.Few:
		return true
	}
	return len(g.taken) > 0 && g.at.Sub(h.Since) >= g.guard.Over
}

// pieces are the bookings that stand for what is held of one that its feed shows elsewhere by now, or
// shows in part.
func (l loss) pieces(at time.Time) (all []Booking) {
	for n, s := range l.rest {
		b := l.booking
		b.ID, b.Entry, b.At, b.Held = 0, 0, -1, l.held
		b.Occurrence = fmt.Sprintf("held:%d:%d:%x", l.booking.ID, n, at.Unix())
		b.Span = s
		all = append(all, b)
	}
	return all
}

// whole reports whether the booking is held as it is.
func (l loss) whole(now int64) bool {
	return l.next == nil && len(l.rest) == 1 && l.rest[0].Start == max(now, l.booking.Span.Start) && l.rest[0].End == l.booking.Span.End
}
