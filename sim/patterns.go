package sim

import (
	"time"

	"wharf/core/rules"
)

// Pattern is a setting with a name.
type Pattern struct {
	Name string
	// Tells: UIDs or forms tell sales from reflections, once there were some.
	Tells bool
	Setting
}

// Habits that platforms have.
var (
	keeps    = Habit{Name: "keeps our UIDs", UIDs: Ours, Block: "Blocked", Reflects: true}
	own      = Habit{Name: "own UIDs", UIDs: Own, Block: "Not bookable (imported)", Reflects: true, Applies: 10 * time.Minute, Created: true}
	plain    = Habit{Name: "own UIDs, nothing made", UIDs: Own, Block: "Unavailable", Reflects: true}
	fresh    = Habit{Name: "new UIDs each time", UIDs: New, Block: "Closed - not bookable", Reflects: true}
	quiet    = Habit{Name: "does not reflect", UIDs: Own, Block: "Blocked"}
	joins    = Habit{Name: "joins", UIDs: Own, Block: "Not bookable (imported)", Reflects: true, Joins: true, Created: true}
	splits   = Habit{Name: "splits", UIDs: Own, Block: "Blocked night", Reflects: true, Splits: 1, Created: true}
	wide     = Habit{Name: "a night more", UIDs: Own, Block: "Blocked until", Reflects: true, Wide: true, Created: true}
	joinsOwn = Habit{Name: "joins with own sales", UIDs: Own, Block: "Not bookable (imported)", Reflects: true, JoinsOwn: true, Created: true}
	placed   = Habit{Name: "with hours", UIDs: Own, Block: "", Reflects: true, Hours: [2]int{15, 11}, BlockAt: [2]int{12, 12}, Extra: "LOCATION:Pier\r\n", Applies: time.Hour}
	alike    = Habit{Name: "blocks like sales", UIDs: Own, Reflects: true, Hides: true}
)

// Patterns are the mixtures of platforms that are played.
func Patterns() []Pattern {
	usual := Setting{Days: 365, Before: 8, Sales: 0.6, ReadEach: 15 * time.Minute, PickEach: time.Hour, Fails: 0.02, Outages: 0.004,
		Guests: Guests{Cancel: 0.2, Resale: 0.35, Equal: 0.08, Partial: 0.08, Contained: 0.04, Call: 0.1, Expire: 0.3}}
	placed := placed
	placed.Block = "Not for sale"
	var all []Pattern
	add := func(name string, tells bool, change func(*Setting), habits ...Habit) {
		s := usual
		s.Habits = habits
		if change != nil {
			change(&s)
		}
		all = append(all, Pattern{name, tells, s})
	}
	add("one way", true, nil, quiet, quiet, quiet)
	add("two ways, our UIDs kept", true, nil, keeps, keeps)
	add("two ways and one way", true, nil, keeps, quiet, own)
	add("two ways, UIDs of their own", true, nil, own, own)
	add("two ways, nothing says when it was made", true, nil, plain, plain)
	add("mesh of five", true, nil, own, keeps, placed, plain, quiet)
	add("new UIDs at every download", true, func(s *Setting) { s.ReadEach = time.Hour }, fresh, own)
	add("joined", true, nil, joins, own)
	add("split", true, nil, splits, own)
	add("a night more", true, nil, wide, own)
	add("joined with own sales", false, nil, joinsOwn, own) // what it joins is written as its blocks are
	add("star: two import the third directly, declared", true, func(s *Setting) {
		s.OneWay, s.Links = []int{1, 2}, []Link{{By: 1, Of: 0, Declared: true, All: true}, {By: 2, Of: 0, Declared: true, All: true}}
	}, own, plain, own)
	add("ring of direct links beside Wharf", true, func(s *Setting) { s.Links = []Link{{By: 0, Of: 1}, {By: 1, Of: 2}, {By: 2, Of: 0}} }, keeps, keeps, keeps)
	add("linked directly, not declared", true, func(s *Setting) { s.OneWay, s.Links = []int{0, 1}, []Link{{By: 0, Of: 1}} }, own, quiet, own)
	add("drawn by the seed", false, func(s *Setting) { s.Drawn = true }, Habit{}, Habit{}, Habit{})
	add("publications joined or not, with titles or not", true, func(s *Setting) { s.Options = true }, own, keeps, plain)
	add("blocks like sales beside our UIDs", false, nil, alike, keeps)
	add("blocks like sales on both", false, nil, alike, alike)
	return all
}

// drawOptions makes up what a platform is sent.
func (w *world) drawOptions() rules.Publication {
	r := rules.Publication{Title: "Spoken for", Detail: []rules.Detail{rules.Times, rules.Titles, rules.Everything}[w.rnd.Intn(3)], Joined: w.rnd.Intn(2) == 0,
		Occupancy: []rules.Occupancy{rules.EachBooking, rules.WhereFull}[w.rnd.Intn(2)], Cancelled: 24 * w.rnd.Intn(2)}
	if r.Detail == rules.Everything { // it is told of each booking
		r.Joined, r.Occupancy = false, rules.EachBooking
	}
	return r
}

// drawn is the name of those whose habits are from the seed.
const drawn = "drawn"

// drawHabit makes up a platform whose habits nobody laid down: its titles, hours, ways of
// joining and cutting, its lateness.
func (w *world) drawHabit() Habit {
	r := w.rnd
	some := func(of float64) bool { return r.Float64() < of }
	words := []string{"blocked", "closed", "external", "calendar", "sync", "busy", "hold", "other", "channel", "taken", "(auto)", "-", "n/a", "import"}
	title := ""
	for n := 1 + r.Intn(3); n > 0; n-- {
		title += words[r.Intn(len(words))] + " "
	}
	h := Habit{Name: drawn, UIDs: []UIDs{Own, Own, Own, Ours}[r.Intn(4)], Block: title + "x", Reflects: some(0.8), Applies: time.Duration(r.Intn(90)) * time.Minute,
		Joins: some(0.2), Wide: some(0.1), Created: some(0.5), Cuts: some(0.4), Cancels: some(0.3), Hides: some(0.5)}
	if some(0.3) {
		h.Hours = [2]int{13 + r.Intn(5), 8 + r.Intn(4)}
	}
	if some(0.2) {
		h.BlockAt = [2]int{12 + r.Intn(8), 6 + r.Intn(6)}
	}
	if some(0.2) {
		h.Splits = 1 + r.Intn(3)
	}
	if some(0.3) {
		h.Extra = "CATEGORIES:" + words[r.Intn(5)] + "\r\n"
	}
	if some(0.2) {
		h.Horizon = 60 + r.Intn(200)
	}
	h.JoinsOwn = some(0.1)
	return h
}
