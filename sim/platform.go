package sim

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/echo"
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
	Applies  time.Duration // how long after a pickup it shows what it got, at most
	Joins    bool          // blocks end to end are one
	JoinsOwn bool          // also with own sales
	Splits   int           // blocks are cut into pieces of so many nights; 0: not
	Wide     bool          // a block's last day is a night more
	Hours    [2]int        // sales have check-in and check-out hours
	BlockAt  [2]int        // blocks have hours, too
	Extra    string        // a property that sales have and blocks have not
	Created  bool          // sales say when they were made
	Cuts     bool          // the past is cut off
	Cancels  bool          // what is cancelled stays, marked so
	Hides    bool          // a block over an own sale is not shown
	Twice    bool          // every block is shown twice
	Horizon  int           // days that its feed shows; 0: all
}

// sale is the truth about a booking.
type sale struct {
	id        int
	platform  int
	span      span.Span
	title     string
	made      time.Time
	cancelled time.Time
	how       string // why the guest came: "" for by himself
}

func (s *sale) stands() bool { return s.cancelled.IsZero() }

// holds reports whether a sale takes its nights: also one that was called off after it had begun, since what a
// feed drops then is kept to its end.
func (s *sale) holds() bool {
	return s.stands() || int64(span.DateOf(s.cancelled)) >= s.span.Start
}

// block is what a platform imported; of says which sales it goes back to.
type block struct {
	uid   string
	span  span.Span
	of    []*sale
	since time.Time // when it was there first
}

// platform is one platform in play.
type platform struct {
	Habit
	id        int
	sales     []*sale
	imported  map[int][]block // by source: wharf, or a platform
	pending   []pending       // downloads that are not applied yet
	changed   bool            // since it was read
	reads     int
	day       int64
	downUntil time.Time
	names     map[string]string // its own UIDs of what it imported
	wharf     wharfs
}

// wharf is the source of what comes from Wharf.
const wharf = -1

type pending struct {
	at     time.Time
	source int
	blocks []block
}

// String tells which one it is, and of one with habits from the seed what those are.
func (p *platform) String() string {
	h := p.Habit
	text := fmt.Sprintf("%s (%d)", h.Name, p.id)
	if h.Name == drawn {
		h.Name, h.Extra = "", strings.TrimSpace(h.Extra)
		text += fmt.Sprintf(" %+v", h)
	}
	return text
}

func newPlatform(id int, h Habit) *platform {
	return &platform{Habit: h, id: id, imported: map[int][]block{}, names: map[string]string{}, changed: true, wharf: wharfs{truth: map[int64]truth{}, habits: echo.Said{}, minted: map[int64]string{}, back: map[int64]bool{}}}
}

// blocks are what it imported, of all sources.
func (p *platform) blocks() (all []block) {
	for _, source := range sorted(p.imported) {
		all = append(all, p.imported[source]...)
	}
	slices.SortStableFunc(all, func(a, b block) int { return a.span.Compare(b.span) })
	return all
}

// takes lets a platform have a download; it shows it after a while.
func (w *world) takes(p *platform, source int, blocks []block) {
	late := time.Duration(0)
	if p.Applies > 0 {
		late = p.Applies/2 + time.Duration(w.rnd.Int63n(int64(p.Applies/2)+1))
	}
	p.pending = append(p.pending, pending{w.now.Add(late), source, blocks})
	w.apply(p)
}

// apply lets a platform show what it downloaded.
func (w *world) apply(p *platform) {
	for len(p.pending) > 0 && !p.pending[0].at.After(w.now) {
		next := p.pending[0]
		type sent struct {
			uid  string
			span span.Span
		}
		had := map[sent]time.Time{}
		for _, b := range p.imported[next.source] {
			had[sent{b.uid, b.span}] = b.since
		}
		for i, b := range next.blocks {
			if next.blocks[i].since = had[sent{b.uid, b.span}]; next.blocks[i].since.IsZero() {
				next.blocks[i].since = next.at
			}
		}
		same := slices.EqualFunc(p.imported[next.source], next.blocks, func(a, b block) bool { return a.uid == b.uid && a.span == b.span })
		p.imported[next.source], p.changed = next.blocks, p.changed || !same
		p.pending = p.pending[1:]
	}
	if day := w.today(); p.Cuts && p.day != day {
		p.day, p.changed = day, true
	}
}

// importDirectly lets a platform import the feed of another one: its sales, or all of it.
func (w *world) importDirectly(p, of *platform, all bool) {
	if w.fails(p) || w.fails(of) {
		return
	}
	w.apply(p)
	w.apply(of)
	var blocks []block
	for _, l := range w.lines(of) {
		if !l.cancelled && (all || len(l.own) > 0) {
			blocks = append(blocks, block{uid: l.uid, span: l.span, of: l.sales()})
		}
	}
	w.takes(p, of.id, blocks)
}

// line is an entry of a feed with its truth.
type line struct {
	uid, title string
	span       span.Span
	hours      [2]int
	extra      string
	own        []*sale // sales of the platform's own that it shows
	of         []*sale // sales that it reflects
	cancelled  bool
	since      time.Time // of a reflection: since when all of it was there
}

// sales are all that it shows or reflects.
func (l line) sales() []*sale { return union(l.own, l.of) }

// union are the sales of both, each once.
func union(a, b []*sale) []*sale {
	all := slices.Concat(a, b)
	slices.SortFunc(all, func(a, b *sale) int { return a.id - b.id })
	return slices.Compact(all)
}

// lines are what a platform's feed shows.
func (w *world) lines(p *platform) []line {
	var all []line
	for _, s := range p.sales {
		if s.stands() || p.Cancels && s.span.End > w.today() {
			all = append(all, w.saleAs(p, s))
		}
	}
	if p.Reflects {
		all = append(all, w.reflections(p, all)...)
	}
	if p.JoinsOwn {
		all = joinedWithOwn(all)
	}
	if p.Cuts {
		all = slices.DeleteFunc(all, func(l line) bool { return l.span.End <= w.today() })
		for i := range all {
			all[i].span.Start = max(all[i].span.Start, w.today())
		}
	}
	if p.Horizon > 0 {
		all = slices.DeleteFunc(all, func(l line) bool { return l.span.Start > w.today()+int64(p.Horizon) })
	}
	if p.UIDs == New {
		for i := range all {
			all[i].uid = fmt.Sprintf("n%d-%d@p%d.example", p.reads, i, p.id)
		}
	}
	return all
}

// saleAs is how a platform writes a sale.
func (w *world) saleAs(p *platform, s *sale) line {
	l := line{uid: p.uidOf(fmt.Sprintf("sale %d", s.id)), title: s.title, span: s.span, hours: p.Hours, extra: p.Extra, own: []*sale{s}, cancelled: !s.stands()}
	if p.Created {
		l.extra += "CREATED:" + s.made.Format("20060102T150405Z") + "\r\n"
	}
	return l
}

// uidOf is a UID of the platform's own, the same each time.
func (p *platform) uidOf(what string) string {
	if p.names[what] == "" {
		p.names[what] = fmt.Sprintf("e%d@p%d.example", 1000+len(p.names), p.id)
	}
	return p.names[what]
}

// reflections are how a platform writes what it imported.
func (w *world) reflections(p *platform, own []line) (all []line) {
	for _, b := range p.blocks() {
		if p.Hides && slices.ContainsFunc(own, func(l line) bool { return !l.cancelled && l.span.Overlaps(b.span) }) {
			continue
		}
		if n := len(all); p.Joins && n > 0 && all[n-1].span.End >= b.span.Start {
			last := &all[n-1]
			last.span.End = max(last.span.End, b.span.End)
			last.of = union(last.of, b.of)
			if b.since.After(last.since) {
				last.since = b.since
			}
			continue
		}
		l := line{uid: b.uid, title: p.Block, span: b.span, hours: p.BlockAt, of: b.of, since: b.since}
		if p.UIDs != Ours {
			l.uid = p.uidOf(b.uid)
		}
		if l.title == "" {
			l.title, l.hours, l.extra = guestName(int(b.span.Start%6), int(b.span.Start%26)), p.Hours, p.Extra
		}
		all = append(all, l)
	}
	if p.Wide {
		for i := range all {
			all[i].span.End++
		}
	}
	if p.Splits > 0 {
		all = split(all, int64(p.Splits))
	}
	if p.Twice {
		for _, l := range slices.Clone(all) {
			l.uid = "again-" + l.uid
			all = append(all, l)
		}
	}
	return all
}

// split cuts entries into pieces of so many nights.
func split(all []line, nights int64) (pieces []line) {
	for _, l := range all {
		for at := l.span.Start; at < l.span.End; at += nights {
			piece := l
			piece.span = span.Span{Start: at, End: min(at+nights, l.span.End)}
			if at > l.span.Start {
				piece.uid = fmt.Sprintf("%d-%s", at-l.span.Start, l.uid)
			}
			pieces = append(pieces, piece)
		}
	}
	return pieces
}

// joinedWithOwn joins blocks with own sales that they touch, into entries like blocks.
func joinedWithOwn(all []line) (joined []line) {
	slices.SortStableFunc(all, func(a, b line) int { return a.span.Compare(b.span) })
	for _, l := range all {
		n := len(joined)
		if n == 0 || l.cancelled || joined[n-1].cancelled || joined[n-1].span.End < l.span.Start || len(joined[n-1].own) > 0 && len(l.own) > 0 {
			joined = append(joined, l)
			continue
		}
		block, last := l, &joined[n-1]
		if len(l.own) > 0 {
			block = *last
		}
		block.span = span.Span{Start: last.span.Start, End: max(last.span.End, l.span.End)}
		block.own, block.of = union(last.own, l.own), union(last.of, l.of)
		*last = block
	}
	return joined
}

// guestName is a name that a guest can have.
func guestName(first, last int) string {
	return []string{"Ann", "Bob", "Cyd", "Dee", "Eli", "Fay"}[first] + " " + string(rune('A'+last)) + "arker"
}

// text is a feed as it is downloaded.
func text(lines []line) string {
	var t strings.Builder
	t.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n")
	for _, l := range lines {
		t.WriteString(l.text())
	}
	t.WriteString("END:VCALENDAR\r\n")
	return t.String()
}

func (l line) text() string {
	at := func(name string, day int64, hour int) string {
		date := strings.ReplaceAll(span.Date(day).String(), "-", "")
		if l.hours == [2]int{} {
			return fmt.Sprintf("%s;VALUE=DATE:%s\r\n", name, date)
		}
		return fmt.Sprintf("%s:%sT%02d0000Z\r\n", name, date, hour)
	}
	status := ""
	if l.cancelled {
		status = "STATUS:CANCELLED\r\n"
	}
	return "BEGIN:VEVENT\r\nUID:" + l.uid + "\r\nSUMMARY:" + l.title + "\r\n" + at("DTSTART", l.span.Start, l.hours[0]) + at("DTEND", l.span.End, l.hours[1]) + status + l.extra + "END:VEVENT\r\n"
}
