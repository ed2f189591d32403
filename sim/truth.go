package sim

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/conflict"
	"wharf/core/echo"
	"wharf/core/judge"
	"wharf/core/span"
)

// Counts are what was counted, of everything or of one kind of platform.
type Counts struct {
	Sales      int
	Clashes    int // real double bookings: two sales that both stood and were read
	Found      int // reported by the first judgement that could know
	Asked      int // reported by it as unclear
	Missed     int // not reported by it
	Hidden     int // the same where no feed would differ without the sale
	False      int // reported with no sale to clash
	Unclear    int // bookings that a person was asked about, though the facts tell
	CannotTell int // the same where they do not: there is a twin
	SentBack   int // own bookings that a platform was sent
	Ghosts     int // blocks of cancelled sales that are left at the end
}

// Add adds up two counts.
func (c *Counts) Add(o Counts) {
	c.Sales += o.Sales
	c.Clashes += o.Clashes
	c.Found += o.Found
	c.Asked += o.Asked
	c.Missed += o.Missed
	c.Hidden += o.Hidden
	c.False += o.False
	c.Unclear += o.Unclear
	c.CannotTell += o.CannotTell
	c.SentBack += o.SentBack
	c.Ghosts += o.Ghosts
}

// Tally is what came of it.
type Tally struct {
	Counts
	Kinds                map[string]*Counts // by kind of platform: a clash is one of both
	Hows                 map[string]int     // of clashes: how they came about
	Cancelled            int
	Judgements, Versions int
	Detection            []time.Duration // from the later of two sales to the report
	Twins                []string        // for some that cannot be told
	Examples             []string        // of what went wrong
}

// Add adds up two tallies.
func (t *Tally) Add(o Tally) {
	t.Counts.Add(o.Counts)
	if t.Kinds == nil {
		t.Kinds, t.Hows = map[string]*Counts{}, map[string]int{}
	}
	for kind, c := range o.Kinds {
		if t.Kinds[kind] == nil {
			t.Kinds[kind] = &Counts{}
		}
		t.Kinds[kind].Add(*c)
	}
	for how, n := range o.Hows {
		t.Hows[how] += n
	}
	t.Cancelled += o.Cancelled
	t.Judgements += o.Judgements
	t.Versions += o.Versions
	t.Detection = append(t.Detection, o.Detection...)
	t.Twins = append(t.Twins, o.Twins...)
	t.Examples = append(t.Examples, o.Examples...)
}

// count counts something that was on some platforms, once for everything and once for each
// kind of them.
func (w *world) count(what func(*Counts), on ...*platform) {
	what(&w.tally.Counts)
	kinds := map[string]bool{}
	for _, p := range on {
		kinds[p.Habit.Name] = true
	}
	for kind := range kinds {
		if w.tally.Kinds[kind] == nil {
			w.tally.Kinds[kind] = &Counts{}
		}
		what(w.tally.Kinds[kind])
	}
}

// compare holds a judgement against the truth.
func (w *world) compare(all []known, r judge.Result) {
	reported := map[[2]int64]conflict.Kind{}
	byID := map[int64]known{}
	for _, k := range all {
		byID[k.fact.ID] = k
	}
	for _, c := range r.Conflicts {
		if c.State != judge.Open && c.State != judge.Acknowledged {
			continue
		}
		for _, a := range c.Bookings {
			for _, b := range c.Bookings {
				reported[[2]int64{a, b}] = c.Kind
			}
		}
		w.alarm(c, byID, all)
	}
	for _, k := range all {
		question := k.minted
		if e := k.verdict.Evidence; e.Kind == echo.Paired && k.fact.Stand.NotBefore.IsZero() { // one for all that two platforms share when Wharf comes
			question = fmt.Sprint("pairs of ", min(k.fact.Platform, e.Platform), " and ", max(k.fact.Platform, e.Platform))
		}
		if k.verdict.Kind == judge.Unclear && k.verdict.Evidence.Live && k.fact.Span.End > w.today() && !w.asked[question] {
			w.asked[question] = true
			w.askedAbout(k)
		}
	}
	slices.SortFunc(all, func(a, b known) int {
		return cmp.Or(a.fact.Span.Compare(b.fact.Span), cmp.Compare(a.fact.ID, b.fact.ID))
	})
	for i, a := range all {
		for _, b := range all[i+1:] {
			if b.fact.Span.Start >= a.fact.Span.End {
				break
			}
			w.comparePair(a, b, reported[[2]int64{a.standsFor(), b.standsFor()}])
		}
	}
}

// standsFor is the booking that is reported in its place.
func (k known) standsFor() int64 {
	if k.verdict.Kind == judge.OneWith {
		return k.verdict.With
	}
	return k.fact.ID
}

// comparePair looks at two entries that overlap: whether there are two sales in them that do,
// and that was reported.
func (w *world) comparePair(a, b known, as conflict.Kind) {
	if a.on == b.on {
		return
	}
	for _, s := range a.line.own {
		for _, t := range b.line.own {
			pair := [2]int{min(s.id, t.id), max(s.id, t.id)}
			if w.judged[pair] || !s.span.Overlaps(t.span) || min(s.span.End, t.span.End) <= w.today() || a.line.cancelled || b.line.cancelled {
				continue
			}
			w.judged[pair] = true
			w.clash(s, t, a, b, as)
		}
	}
}

func (w *world) clash(s, t *sale, a, b known, as conflict.Kind) {
	if s.made.After(t.made) {
		s, t = t, s
	}
	how := t.how
	switch {
	case how == "resale":
	case s.span == t.span:
		how = "equal"
	case s.span.Contains(t.span), t.span.Contains(s.span):
		how = "contained"
	default:
		how = "partial"
	}
	if w.tally.Hows == nil {
		w.tally.Hows = map[string]int{}
	}
	w.tally.Hows[how]++
	if t.made.Sub(s.made) <= w.PickEach+w.ReadEach {
		w.tally.Hows["in the race window"]++
	}
	hidden := as == "" && (w.hidden(s) || w.hidden(t))
	w.count(func(c *Counts) {
		c.Clashes++
		switch as {
		case conflict.DoubleBooking:
			c.Found++
		case conflict.Unclear:
			c.Asked++
		default:
			if hidden {
				c.Hidden++
			} else {
				c.Missed++
			}
		}
	}, a.on, b.on)
	if hidden {
		return
	}
	if as == "" {
		w.example("missed", "%v on %s and %v on %s: %v", s.span, w.of(s), t.span, w.of(t), said([]known{a, b}, nil))
	} else {
		w.tally.Detection = append(w.tally.Detection, w.now.Sub(t.made))
	}
}

// hidden reports whether the feed of a sale's platform would be the same without the sale.
func (w *world) hidden(s *sale) bool {
	p := w.of(s)
	with, all := text(w.lines(p)), p.sales
	defer func() { p.sales = all }()
	p.sales = slices.DeleteFunc(slices.Clone(all), func(o *sale) bool { return o == s })
	return p.JoinsOwn && text(w.lines(p)) == with
}

// sameAsStanding reports whether the feed of a platform would be the same if a sale within a span that was
// cancelled stood: a block of the same dates has taken its place, and hides that it is gone. Of what is past by now
// nothing is on record: the sale may have been of the nights since.
func (w *world) sameAsStanding(p *platform, within span.Span) bool {
	if !p.JoinsOwn {
		return false
	}
	is := text(w.lines(p))
	for _, s := range p.sales {
		if s.stands() || !s.span.Overlaps(within) {
			continue
		}
		was := *s
		s.cancelled = time.Time{}
		same := text(w.lines(p)) == is
		if !same && within.Start <= w.today() {
			s.span.Start = max(s.span.Start, within.Start)
			same = text(w.lines(p)) == is
		}
		*s = was
		if same {
			return true
		}
	}
	return false
}

// like reports whether a platform shows two entries of the same dates that are written alike.
func (k known) like(o known) bool {
	return k.on == o.on && k.fact.ID != o.fact.ID && k.fact.Span == o.fact.Span && k.fact.Form == o.fact.Form
}

// alarm counts a double booking in which no two sales clash.
func (w *world) alarm(c judge.Conflict, byID map[int64]known, all []known) {
	if c.Kind != conflict.DoubleBooking {
		return
	}
	var sales []*sale
	var on []*platform
	var names []string
	see := func(k known) {
		sales = append(sales, k.line.own...)
		for _, s := range k.line.of { // a reflection may be read before its original
			if s.stands() {
				sales = append(sales, s)
			}
		}
	}
	for _, id := range c.Bookings {
		k := byID[id]
		see(k)
		on = append(on, k.on)
		names = append(names, fmt.Sprintf("%s on %s", k.line.title, k.on))
	}
	for _, k := range all { // those for which another one stands, and those that are like one of these: which of two is meant nobody can tell
		if k.verdict.Kind == judge.OneWith && slices.Contains(c.Bookings, k.verdict.With) || slices.ContainsFunc(c.Bookings, func(id int64) bool { return byID[id].like(k) }) {
			see(k)
		}
	}
	for i, s := range sales {
		for _, t := range sales[i+1:] {
			if s != t && s.span.Overlaps(t.span) {
				return
			}
		}
	}
	for _, id := range c.Bookings {
		if w.sameAsStanding(byID[id].on, c.Span) {
			w.count(func(c *Counts) { c.CannotTell++ }, byID[id].on)
			return
		}
	}
	slices.Sort(names)
	if key := strings.Join(names, " and ") + fmt.Sprint(c.Span); !w.alarms[key] {
		w.alarms[key] = true
		w.count(func(c *Counts) { c.False++ }, on...)
		var in []known
		for _, id := range c.Bookings {
			in = append(in, byID[id])
		}
		w.example("false", "%v", said(in, nil))
	}
}

// askedAbout counts a booking that is unclear: can it be told?
func (w *world) askedAbout(k known) {
	twin := w.twin(k)
	if twin == "" {
		w.count(func(c *Counts) { c.Unclear++ }, k.on)
		w.example("unclear without a twin", "%v", said([]known{k}, nil))
		return
	}
	w.count(func(c *Counts) { c.CannotTell++ }, k.on)
	if len(w.tally.Twins) == 0 {
		w.tally.Twins = append(w.tally.Twins, twin)
	}
}

// twin is a history with the same recorded facts and the other truth about an entry, told in
// a sentence; "" if there is none with the habits of its platform. Its feed must have the same
// bytes in both, and the platform must have been free to do the one as the other between the
// last reading without the entry and the first with it.
func (w *world) twin(k known) string {
	p, l := k.on, k.line
	notBefore, seen := k.fact.Stand.NotBefore, k.fact.Stand.SeenBy
	// What was too far off to be shown may have come about at any time.
	tooFar := p.Horizon > 0 && l.span.Start > int64(span.DateOf(notBefore))+int64(p.Horizon)
	between := func(at time.Time) bool { return (at.After(notBefore) || tooFar) && !at.After(seen) }
	switch {
	case k.reflection():
		// The platform sold the nights just before it knew that they were taken, and hides the block.
		sold := w.saleAs(p, &sale{id: -1, span: l.span, title: l.title, made: l.since.Add(-time.Second)})
		sold.uid = l.uid
		if p.JoinsOwn && between(l.since) { // a sale of some of them would be hidden in it
			return fmt.Sprintf("%s: %s shows %v since %s, as a reflection of %s; had it sold one of these nights just before, that would be hidden in it", w.now.Format("2 Jan 15:04"), p, l.span, l.since.Format("2 Jan 15:04:05"), namesOf(w, l.of))
		}
		if !couldBeGuest(l.title) || sold.text() != l.text() || !between(l.since) || !p.Hides {
			return ""
		}
		return fmt.Sprintf("%s: %s shows %v since %s, as a reflection of %s; had it sold them at %s, its feed would have the same bytes", w.now.Format("2 Jan 15:04"), p, l.span, l.since.Format("2 Jan 15:04:05"),
			namesOf(w, l.of), l.since.Add(-time.Second).Format("2 Jan 15:04:05"))
	case len(l.of) > 0 && p.JoinsOwn:
		// The sale may have been a night longer, over the first of the block beside it.
		for _, b := range p.blocks() {
			if l.span.Contains(b.span) && between(b.since) {
				return fmt.Sprintf("%s: %s joins its own sale with the block %v in %v; had the sale taken a night of it, before %s, its feed would have the same bytes", w.now.Format("2 Jan 15:04"), p, b.span, l.span,
					b.since.Format("2 Jan 15:04:05"))
			}
		}
	case len(l.own) == 1 && len(l.of) == 0:
		// The platform did not sell them, and shows the block that it hides.
		for _, b := range p.blocks() {
			if b.span != l.span || !between(b.since) || !p.Hides {
				continue
			}
			for _, shown := range w.reflections(p, nil) {
				if shown.span == l.span && couldBeGuest(shown.title) {
					shown.uid, shown.title = l.uid, l.title
					if shown.text() == l.text() {
						return fmt.Sprintf("%s: %s sold %v at %s; had it shown the block that it got at %s, its feed would have the same bytes", w.now.Format("2 Jan 15:04"), p, l.span,
							l.own[0].made.Format("2 Jan 15:04:05"), b.since.Format("2 Jan 15:04:05"))
					}
				}
			}
		}
	}
	return ""
}

// couldBeGuest reports whether a title can be the name of a guest.
func couldBeGuest(title string) bool {
	for first := range 6 {
		for last := range 26 {
			if title == guestName(first, last) {
				return true
			}
		}
	}
	return false
}

func namesOf(w *world, of []*sale) string {
	var all []string
	for _, s := range of {
		all = append(all, fmt.Sprintf("the sale of %s on %s", s.title, w.of(s)))
	}
	return strings.Join(all, " and ")
}

// said is what was said of bookings, for an example.
func said(all []known, which func(known) bool) (texts []string) {
	for _, k := range all {
		if which != nil && !which(k) {
			continue
		}
		e := k.verdict.Evidence
		truth := "a reflection"
		if !k.reflection() {
			truth = "a sale"
		}
		brief := echo.Evidence{Kind: e.Kind, Against: e.Against, Way: e.Way, Span: e.Span, Chance: e.Chance, Live: e.Live}
		texts = append(texts, fmt.Sprintf("%s (%s) %v on %s, in truth %s, is %s %+v; stand %s to %s", k.line.title, k.fact.UID, k.fact.Span, k.on, truth, k.verdict.Kind, brief,
			k.fact.Stand.NotBefore.Format("2 Jan 15:04"), k.fact.Stand.SeenBy.Format("2 Jan 15:04")))
	}
	return texts
}
