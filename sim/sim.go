// Package sim plays platforms, guests and Wharf on a simulated clock, without any I/O, and
// knows the truth: which bookings are sales and which are reflections.
//
// In: a Setting (how many platforms of what habits, how busy, how often they are read and come
// for our publications) and a seed. Out: a Tally of what core/reading and core/judge made of
// it. The same seed gives the same Tally.
package sim

import (
	"cmp"
	"context"
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"time"

	"wharf/core/carried"
	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// UIDs says what a platform writes as the UIDs of what it imports.
type UIDs string

const (
	Ours UIDs = "ours" // it keeps those that it was sent
	Own  UIDs = "own"  // it writes its own, which stay
	New  UIDs = "new"  // it writes new ones at every download, also for its sales
)

// Habit is how a platform behaves.
type Habit struct {
	Name     string
	UIDs     UIDs
	Block    string        // title of blocks; "" writes them as sales are
	Reflects bool          // its feed shows what it imported
	Joins    bool          // blocks end to end are one
	Applies  time.Duration // how long after a pickup it shows what it got
	Timed    bool          // sales have check-in and check-out times in another property than blocks
}

// Setting is what is played.
type Setting struct {
	Habits   []Habit
	Days     int           // how long
	Sales    float64       // that guests try to make a day, on all platforms together
	Cancels  float64       // the share of sales that is cancelled
	Resale   float64       // the share of cancelled ones that is sold again at once elsewhere, with equal dates
	Race     float64       // the share of sales that are tried on another platform too, soon after
	ReadEach time.Duration // between readings
	PickEach time.Duration // between pickups
	Fails    float64       // the share of readings and pickups that fail
}

// Tally is what came of it.
type Tally struct {
	Sales, Cancelled        int
	Clashes                 int // real double bookings: two sales that both stood and were read
	Found, Asked, Missed    int // reported at once; as unclear; not at all
	False                   int // reported with no sale to clash
	Unclear                 int // bookings that a person was asked about
	SentBack                int // own bookings that a platform was sent
	Ghosts                  int // blocks of cancelled sales that are left at the end
	Judgements, Reflections int
	Versions                int      // of all publications
	Examples                []string // of what went wrong
}

// Add adds up two tallies.
func (t *Tally) Add(o Tally) {
	t.Sales += o.Sales
	t.Cancelled += o.Cancelled
	t.Clashes += o.Clashes
	t.Found += o.Found
	t.Asked += o.Asked
	t.Missed += o.Missed
	t.False += o.False
	t.Unclear += o.Unclear
	t.SentBack += o.SentBack
	t.Ghosts += o.Ghosts
	t.Judgements += o.Judgements
	t.Versions += o.Versions
	t.Reflections += o.Reflections
	t.Examples = append(t.Examples, o.Examples...)
}

// sale is the truth about a booking.
type sale struct {
	id        int
	platform  int
	span      span.Span
	title     string
	made      time.Time
	cancelled time.Time
}

func (s *sale) stands() bool { return s.cancelled.IsZero() }

// block is what a platform imported; of says which sale it goes back to.
type block struct {
	uid  string
	span span.Span
	of   []*sale
}

// platform is one platform in play.
type platform struct {
	Habit
	id      int
	sales   []*sale
	blocks  []block
	pending []pending // downloads that are not applied yet
	changed bool      // since it was read
	reads   int
	names   map[string]string // its own UIDs of what it imported
	// What Wharf has of it.
	feed     reading.Feed
	gone     []reading.Entry
	bookings []reading.Booking
	truth    map[int64][]*sale // by entry
	history  []carried.Row
	pickups  []carried.Pickup
	version  int64
	window   span.Span
}

type pending struct {
	at     time.Time
	blocks []block
}

// world is the whole of it.
type world struct {
	Setting
	rnd       *rand.Rand
	now       time.Time
	platforms []*platform
	sales     []*sale
	ids       int64
	rowID     int64
	minted    map[string][]*sale // what an item of ours goes back to
	conflicts []judge.Conflict
	pendingAt time.Time
	judged    map[[2]int]bool
	alarms    map[string]bool
	asked     map[string]bool
	tally     Tally
}

var start = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)

// Run plays a setting.
func Run(s Setting, seed int64) Tally {
	w := &world{Setting: s, rnd: rand.New(rand.NewSource(seed)), now: start, minted: map[string][]*sale{}, judged: map[[2]int]bool{}, alarms: map[string]bool{}, asked: map[string]bool{}}
	for i, h := range s.Habits {
		w.platforms = append(w.platforms, &platform{Habit: h, id: i, names: map[string]string{}, truth: map[int64][]*sale{}, changed: true})
	}
	w.play()
	for _, p := range w.platforms {
		for _, b := range p.blocks {
			if !slices.ContainsFunc(b.of, (*sale).stands) && b.span.End > int64(span.DateOf(w.now)) {
				w.tally.Ghosts++
				w.example("a ghost of %v is left on %s", b.span, p.Name)
			}
		}
	}
	return w.tally
}

func (w *world) example(format string, args ...any) {
	if len(w.tally.Examples) < 5 {
		w.tally.Examples = append(w.tally.Examples, w.now.Format("2 Jan 15:04 ")+fmt.Sprintf(format, args...))
	}
}

// event is something that is due.
type event struct {
	at time.Time
	do func()
}

// play runs what is due, in order of time, and lets it settle in the end.
func (w *world) play() {
	var queue []event
	end := start.AddDate(0, 0, w.Days)
	push := func(at time.Time, do func()) {
		i, _ := slices.BinarySearchFunc(queue, at, func(e event, at time.Time) int { return cmp.Or(e.at.Compare(at), -1) })
		queue = slices.Insert(queue, i, event{at, do})
	}
	again := func(every time.Duration, do func()) func() {
		var tick func()
		tick = func() {
			do()
			push(w.now.Add(every+time.Duration(w.rnd.Int63n(int64(every/5)+1))), tick)
		}
		return tick
	}
	for _, p := range w.platforms {
		push(start.Add(time.Duration(w.rnd.Int63n(int64(w.ReadEach)))), again(w.ReadEach, func() { w.read(p) }))
		push(start.Add(time.Hour+time.Duration(w.rnd.Int63n(int64(w.PickEach)))), again(w.PickEach, func() { w.pickup(p) }))
	}
	var guest func()
	guest = func() {
		if w.now.Before(end) {
			w.guest(push)
			push(w.now.Add(time.Duration(w.rnd.ExpFloat64()/w.Sales*24*float64(time.Hour))), guest)
		}
	}
	push(start.Add(30*time.Minute), guest)
	settle := end.Add(6*w.PickEach + 6*w.ReadEach + 12*time.Hour)
	for len(queue) > 0 && queue[0].at.Before(settle) {
		e := queue[0]
		queue = queue[1:]
		w.now = e.at
		e.do()
	}
}

// guest tries to book on a platform, perhaps on another one too.
func (w *world) guest(push func(time.Time, func())) {
	first := int64(span.DateOf(w.now)) + 3 + int64(w.rnd.Intn(120))
	s := span.Span{Start: first, End: first + 1 + int64(w.rnd.Intn(5))}
	p := w.platforms[w.rnd.Intn(len(w.platforms))]
	made := w.sell(p, s)
	if made == nil {
		return
	}
	if w.rnd.Float64() < w.Race { // another guest wants the same time, or nearly, before anybody knows
		other := w.platforms[w.rnd.Intn(len(w.platforms))]
		t := s
		switch w.rnd.Intn(4) {
		case 0:
			t.Start, t.End = t.Start+1, t.End+2
		case 1:
			t = span.Span{Start: s.Start, End: s.Start + max(1, s.Len()-1)}
		case 2:
			t.End += 2
		}
		push(w.now.Add(time.Duration(w.rnd.Int63n(int64(w.PickEach)))), func() { w.sell(other, t) })
	}
	if w.rnd.Float64() < w.Cancels {
		push(w.now.Add(time.Duration(w.rnd.Int63n(int64(20*24*time.Hour)))), func() {
			made.cancelled = w.now
			p.changed = true
			w.tally.Cancelled++
			if w.rnd.Float64() < w.Resale {
				other := w.platforms[w.rnd.Intn(len(w.platforms))]
				push(w.now.Add(time.Duration(w.rnd.Int63n(int64(3*w.PickEach)))), func() { w.sell(other, s) })
			}
		})
	}
}

// sell makes a sale, unless the platform knows that the time is taken.
func (w *world) sell(p *platform, s span.Span) *sale {
	w.apply(p)
	for _, o := range p.sales {
		if o.stands() && o.span.Overlaps(s) {
			return nil
		}
	}
	for _, b := range p.blocks {
		if b.span.Overlaps(s) {
			return nil
		}
	}
	first := []string{"Ann", "Bo", "Cy", "Dee", "Eli", "Fay"}[w.rnd.Intn(6)]
	made := &sale{id: len(w.sales), platform: p.id, span: s, title: first + " " + string(rune('A'+w.rnd.Intn(26))) + "arker", made: w.now}
	w.sales = append(w.sales, made)
	p.sales = append(p.sales, made)
	p.changed = true
	w.tally.Sales++
	return made
}

// pickup downloads the publication for a platform.
func (w *world) pickup(p *platform) {
	w.apply(p)
	if p.version == 0 || w.rnd.Float64() < w.Fails {
		return
	}
	if n := len(p.pickups); n > 0 && p.pickups[n-1].Version == p.version {
		p.pickups[n-1].Last = w.now
		p.pickups[n-1].Times++
		return // it has that
	}
	p.pickups = append(p.pickups, carried.Pickup{Version: p.version, Agent: p.Name, First: w.now, Last: w.now, Times: 1})
	var blocks []block
	for _, r := range carried.Apply(p.history, carried.Change{}) {
		blocks = append(blocks, block{r.UID, r.Span, w.minted[r.UID]})
	}
	p.pending = append(p.pending, pending{w.now.Add(p.Applies), blocks})
	w.apply(p)
}

// apply lets a platform show what it downloaded.
func (w *world) apply(p *platform) {
	for len(p.pending) > 0 && !p.pending[0].at.After(w.now) {
		p.blocks, p.changed = p.pending[0].blocks, true
		p.pending = p.pending[1:]
	}
}

// line is an entry of a feed with its truth.
type line struct {
	uid, title string
	span       span.Span
	extra      string
	of         []*sale
	real       bool
}

// lines are what a platform's feed shows.
func (w *world) lines(p *platform) []line {
	var all []line
	for _, s := range p.sales {
		if s.stands() {
			l := line{uid: fmt.Sprintf("s%d@%s.example", s.id, p.Name), title: s.title, span: s.span, of: []*sale{s}, real: true}
			if p.Timed {
				l.extra = "LOCATION:Pier\r\n"
			}
			all = append(all, l)
		}
	}
	if p.Reflects {
		blocks := slices.SortedFunc(slices.Values(p.blocks), func(a, b block) int { return a.span.Compare(b.span) })
		for _, b := range blocks {
			if n := len(all); p.Joins && n > 0 && !all[n-1].real && all[n-1].span.End >= b.span.Start {
				last := &all[n-1]
				last.span.End = max(last.span.End, b.span.End)
				last.of = append(last.of, b.of...)
				continue
			}
			l := line{uid: b.uid, title: p.Block, span: b.span, of: b.of}
			if p.UIDs == Own {
				if p.names[b.uid] == "" {
					p.names[b.uid] = fmt.Sprintf("b%d@%s.example", len(p.names), p.Name)
				}
				l.uid = p.names[b.uid]
			}
			if l.title == "" {
				l.title = "Gus " + string(rune('A'+b.span.Start%26)) + "arker"
			}
			all = append(all, l)
		}
	}
	if p.UIDs == New {
		for i := range all {
			all[i].uid = fmt.Sprintf("n%d-%d@%s.example", p.reads, i, p.Name)
		}
	}
	return all
}

// calendar and link are those of everything.
var (
	calendar = rules.Calendar{Zone: time.UTC, Grain: span.Day, Capacity: 1}
	link     = rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: 1}
)

// read reads a platform's feed, as the service does.
func (w *world) read(p *platform) {
	w.apply(p)
	if w.rnd.Float64() < w.Fails {
		return
	}
	requested := w.now
	if !p.changed && p.UIDs != New {
		p.feed.Since = requested
		w.judgeIfPending()
		return
	}
	p.changed = false
	p.reads++
	lines := w.lines(p)
	var text strings.Builder
	text.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n")
	for _, l := range lines {
		day := func(p int64) string { return strings.ReplaceAll(span.Date(p).String(), "-", "") }
		fmt.Fprintf(&text, "BEGIN:VEVENT\r\nUID:%s\r\nSUMMARY:%s\r\nDTSTART;VALUE=DATE:%s\r\nDTEND;VALUE=DATE:%s\r\n%sEND:VEVENT\r\n", l.uid, l.title, day(l.span.Start), day(l.span.End), l.extra)
	}
	text.WriteString("END:VCALENDAR\r\n")
	doc, err := recur.Read(ical.NewReader(strings.NewReader(text.String())))
	if err != nil {
		panic(err)
	}
	times := reading.Times{Requested: requested, Finished: requested.Add(time.Second)}
	c, err := reading.Read(context.Background(), p.feed, p.gone, doc, []reading.Place{{Calendar: calendar, Link: link, Bookings: p.bookings}}, times, 100000)
	if err != nil {
		panic(err)
	}
	p.feed.Since, p.feed.Frame, p.feed.UIDs = requested, c.Frame, c.UIDs
	if c.Unchanged {
		w.judgeIfPending()
		return
	}
	w.record(p, &c, lines)
	w.judge()
}

// record keeps what a reading led to.
func (w *world) record(p *platform, c *reading.Changes, lines []line) {
	p.gone = append(p.gone, c.Removed...)
	returned := map[int64]bool{}
	for _, i := range c.Returned {
		returned[c.Entries[i].ID] = true
	}
	p.gone = slices.DeleteFunc(p.gone, func(e reading.Entry) bool { return returned[e.ID] })
	p.feed.Entries = nil
	for i := range c.Entries {
		if c.Entries[i].ID == 0 {
			w.ids++
			c.Entries[i].ID = w.ids
		}
		p.feed.Entries = append(p.feed.Entries, c.Entries[i])
		p.truth[c.Entries[i].ID] = lines[i].truth()
	}
	at := map[int64]int{}
	for i, b := range p.bookings {
		at[b.ID] = i
	}
	for _, b := range c.Places[0].Changed {
		p.bookings[at[b.ID]] = b
	}
	for _, b := range c.Places[0].Added {
		w.ids++
		b.ID, b.Entry = w.ids, c.Entries[b.At].ID
		p.bookings = append(p.bookings, b)
	}
}

// truth marks a reflection by a nil before the sales that it goes back to.
func (l line) truth() []*sale {
	if l.real {
		return l.of
	}
	return append([]*sale{nil}, l.of...)
}
