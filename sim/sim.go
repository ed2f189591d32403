// Package sim plays platforms, guests and Wharf on a simulated clock, without any I/O, and
// knows the truth: which bookings are sales and which are reflections.
//
// In: a Setting (platforms of what habits, how they are linked, how busy, how often they are
// read and come for our publications) and a seed. Out: a Tally of what core/reading and
// core/judge made of it, beside the truth. The same seed gives the same Tally.
package sim

import (
	"cmp"
	"fmt"
	"math/rand"
	"slices"
	"time"

	"wharf/core/judge"
	"wharf/core/span"
)

// Setting is what is played.
type Setting struct {
	Habits   []Habit
	Drawn    bool // every platform has its habits from the seed
	Options  bool // every publication shows what the seed says, joined or not
	Links    []Link
	OneWay   []int // platforms that get no publication
	Days     int   // how long
	Before   int   // sales that each platform has when Wharf comes
	Sales    float64
	Guests   Guests
	ReadEach time.Duration // between readings
	PickEach time.Duration // between pickups
	Fails    float64       // the share of readings and pickups that fail
	Outages  float64       // the chance on each day that a platform is down for one to three days
	// Seen is told the facts of each judgement; nil: nobody.
	Seen func(judge.Facts)
}

// Link is a direct one: the platform By imports the feed of the platform Of, beside Wharf.
type Link struct {
	By, Of   int
	Declared bool // Wharf was told
	All      bool // also what that one imported
}

// Guests say what guests do, as shares of sales.
type Guests struct {
	Cancel    float64 // is cancelled later
	Resale    float64 // of the cancelled: two others want the same nights once they are free again
	Equal     float64 // another guest wants the same nights elsewhere, minutes later
	Partial   float64 // another guest wants some of them elsewhere, before anybody knows
	Contained float64 // another guest wants nights within them, or around them
	Call      float64 // calls the coordinator, who enters a hold, instead of going to a platform
	Expire    float64 // of those holds: end by themselves
}

// world is the whole of it.
type world struct {
	Setting
	seed      int64
	rnd       *rand.Rand
	now       time.Time
	queue     []event
	platforms []*platform
	desk      *platform // where guests call
	holds     []hold
	sales     []*sale
	ids       int64
	rowID     int64
	minted    map[string][]*sale // what an item of ours goes back to
	counting  []known            // what the last judgement let count
	conflicts []judge.Conflict
	pendingAt time.Time
	judged    map[[2]int]bool
	alarms    map[string]bool
	asked     map[string]bool
	exampled  map[string]bool
	tally     Tally
}

var start = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)

// Run plays a setting.
func Run(s Setting, seed int64) Tally {
	s.Links = slices.Clone(s.Links)
	w := &world{Setting: s, seed: seed, rnd: rand.New(rand.NewSource(seed)), now: start, minted: map[string][]*sale{}, judged: map[[2]int]bool{}, alarms: map[string]bool{}, asked: map[string]bool{}, exampled: map[string]bool{},
		tally: Tally{Kinds: map[string]*Counts{}}}
	for i, h := range s.Habits {
		if s.Drawn {
			h = w.drawHabit()
		}
		p := newPlatform(i, h)
		if s.Options {
			p.wharf.rules = w.drawOptions()
		}
		w.platforms = append(w.platforms, p)
	}
	w.desk = newPlatform(len(w.platforms), Habit{Name: byHand})
	for range s.Before {
		for _, p := range w.platforms {
			w.now = start.Add(-time.Duration(w.rnd.Int63n(int64(60 * 24 * time.Hour))))
			w.linkedBefore()
			s := w.nights()
			for s.Start < int64(span.DateOf(start)) {
				s = w.nights()
			}
			w.sell(p, s, "")
		}
	}
	w.play()
	for _, p := range w.platforms {
		for _, b := range p.blocks() {
			if !slices.ContainsFunc(b.of, (*sale).holds) && b.span.End > w.today() {
				w.count(func(c *Counts) { c.Ghosts++ }, p)
				w.example("ghost", "a ghost of %v is left on %s", b.span, p)
			}
		}
	}
	return w.tally
}

// linkedBefore lets platforms that are linked directly know of each other's sales before Wharf comes.
func (w *world) linkedBefore() {
	for _, l := range w.Links {
		var blocks []block
		for _, s := range w.platforms[l.Of].sales {
			blocks = append(blocks, block{uid: w.saleAs(w.platforms[l.Of], s).uid, span: s.span, of: []*sale{s}, since: s.made})
		}
		w.platforms[l.By].imported[l.Of] = blocks
	}
}

func (w *world) today() int64 { return int64(span.DateOf(w.now)) }

// event is something that is due.
type event struct {
	at time.Time
	do func()
}

func (w *world) push(at time.Time, do func()) {
	i, _ := slices.BinarySearchFunc(w.queue, at, func(e event, at time.Time) int { return cmp.Or(e.at.Compare(at), -1) })
	w.queue = slices.Insert(w.queue, i, event{at, do})
}

// every does something again and again, at distances that are not quite the same.
func (w *world) every(first, gap time.Duration, do func()) {
	var tick func()
	tick = func() {
		do()
		w.push(w.now.Add(gap+time.Duration(w.rnd.Int63n(int64(gap/5)+1))), tick)
	}
	w.push(start.Add(first+time.Duration(w.rnd.Int63n(int64(gap)))), tick)
}

const (
	// rounds is how often everything is read and picked up after the last sale, without a failure, until a
	// block of what was cancelled must be gone.
	rounds = 2
	// slowest is the longest that a platform takes to apply what it downloaded.
	slowest = 90 * time.Minute
)

// end is when the last guest has come or gone: then it settles.
func (w *world) end() time.Time { return start.AddDate(0, 0, w.Days) }

// play runs what is due, in order of time, and lets it settle in the end.
func (w *world) play() {
	end := w.end()
	w.now = start
	for _, p := range w.platforms {
		w.push(start.Add(time.Duration(p.id)*time.Minute), func() { w.read(p) }) // it is read as soon as it is subscribed to
		w.every(0, w.ReadEach, func() { w.read(p) })
		if !slices.Contains(w.OneWay, p.id) {
			w.every(time.Hour, w.PickEach, func() { w.pickup(p) })
		}
		w.every(0, 24*time.Hour, func() { w.maybeDown(p, end) })
	}
	for _, l := range w.Links {
		w.every(0, w.PickEach, func() { w.importDirectly(w.platforms[l.By], w.platforms[l.Of], l.All) })
	}
	var guest func()
	guest = func() {
		if w.now.Before(end) {
			w.guest()
			w.push(w.now.Add(time.Duration(w.rnd.ExpFloat64()/w.Sales*24*float64(time.Hour))), guest)
		}
	}
	w.push(start.Add(30*time.Minute), guest)
	settle := end.Add(rounds * (6*(w.PickEach+w.ReadEach)/5 + slowest))
	for len(w.queue) > 0 && w.queue[0].at.Before(settle) {
		e := w.queue[0]
		w.queue = w.queue[1:]
		w.now = e.at
		e.do()
	}
}

// maybeDown takes a platform off for some days: it is neither read nor does it come.
func (w *world) maybeDown(p *platform, end time.Time) {
	if w.rnd.Float64() < w.Outages {
		p.downUntil = w.now.Add(24*time.Hour + time.Duration(w.rnd.Int63n(int64(48*time.Hour))))
		if p.downUntil.After(end) {
			p.downUntil = end
		}
	}
}

// fails reports whether what a platform is asked, or asks, comes to nothing.
func (w *world) fails(p *platform) bool {
	return w.now.Before(p.downUntil) || w.rnd.Float64() < w.Fails && w.now.Before(w.end())
}

// example keeps the first of what went wrong in each way.
func (w *world) example(way, format string, args ...any) {
	if !w.exampled[way] {
		w.exampled[way] = true
		w.tally.Examples = append(w.tally.Examples, fmt.Sprintf("%s (seed %d): ", way, w.seed)+w.now.Format("2 Jan 15:04 ")+fmt.Sprintf(format, args...))
	}
}
