package standin

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/span"
)

// Style is how a platform writes its feed. Those of blocks are for what is sold by the day.
type Style struct {
	Timed bool   // sales by the day have times (09:00 to 18:00 in Zone) instead of dates
	Hours bool   // what is sold is sold by the hour
	Zone  string // IANA name for Timed, BlockTimes and Hours
	Sale  string // title of a sale; %s is the guest
	Block string // title of an imported block; %s is a name like a guest's (see Seed), "" for none

	UIDs           UIDs          // of imported blocks
	Hidden         bool          // the feed does not show what was imported
	Late           time.Duration // after an import until it is shown
	BlockTimes     bool          // blocks have times (noon to noon in Zone) instead of dates
	Joins          bool          // blocks that lie end to end are one
	JoinsOwn       bool          // and one with own sales
	Splits         bool          // blocks are cut into days
	LastDay        bool          // a block's last day is a day more
	Trims          bool          // the past is cut off
	KeepsCancelled bool          // what is cancelled stays, marked so
	Twice          bool          // every block is shown twice
}

// UIDs says what a platform writes as the UIDs of what it imports.
type UIDs string

const (
	Theirs UIDs = ""     // those that they came with
	Own    UIDs = "own"  // its own, which stay
	New    UIDs = "new"  // its own, new ones at every download
	None   UIDs = "none" // none at all
)

// FeedPath is where the platform's feed is found.
func (p *Platform) FeedPath() string { return "/ical/" + p.Secret + "/" + p.file() }

func (p *Platform) file() string {
	if p.Thing == "" {
		return "ketch.ics"
	}
	return strings.ReplaceAll(strings.ToLower(p.Thing), " ", "-") + ".ics"
}

// Feed writes the platform's feed: its sales, and what it imported as blocks.
func (p *Platform) Feed() []byte {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.apply()
	cal := &ical.Component{Name: "VCALENDAR"}
	cal.Add("VERSION", "2.0")
	cal.Add("PRODID", "-//"+p.Name+"//Bookings//EN")
	cal.AddText("X-WR-CALNAME", p.Name)
	stamp := p.Now().UTC().Format("20060102T150405Z") // as at many platforms: the time of the download
	sales, blocks := p.state.Bookings, p.shown()
	if p.Style.JoinsOwn {
		sales, blocks = joinOwn(sales, blocks)
	}
	for _, b := range sales {
		if e := p.sale(b, stamp); e != nil {
			cal.AddComponent(e)
		}
	}
	for _, b := range blocks {
		if e := p.block(b, stamp); e != nil {
			cal.AddComponent(e)
		}
	}
	return []byte(cal.String())
}

// today is the date on which the past ends.
func (p *Platform) today() string { return p.Now().UTC().Format(time.DateOnly) }

// sale is how a sale is written; nil for one that is past and cut off.
func (p *Platform) sale(b Booking, stamp string) *ical.Component {
	if p.Style.Trims && !p.Style.Hours {
		if b.Until <= p.today() {
			return nil
		}
		b.From = max(b.From, p.today())
	}
	e := &ical.Component{Name: "VEVENT"}
	if p.Style.UIDs != None {
		e.Add("UID", b.ID+"@"+slug(p.Name)+".example")
	}
	e.Add("DTSTAMP", stamp)
	if !strings.Contains(p.Style.Block, "%s") { // else a block could be told by that
		e.Add("CREATED", b.Made.Format("20060102T150405Z"))
	}
	p.addTimes(e, b.From, b.Until)
	e.AddText("SUMMARY", strings.ReplaceAll(p.Style.Sale, "%s", b.Guest))
	switch {
	case b.Cancelled:
		e.Add("STATUS", "CANCELLED")
	case b.Tentative:
		e.Add("STATUS", "TENTATIVE")
	}
	if b.Weeks > 0 {
		e.Add("RRULE", fmt.Sprintf("FREQ=WEEKLY;COUNT=%d", b.Weeks))
	}
	return e
}

// block is how a block is written; nil for one that is past and cut off.
func (p *Platform) block(b Block, stamp string) *ical.Component {
	if p.Style.Trims && !strings.HasSuffix(b.From, "Z") {
		if b.Until <= p.today() {
			return nil
		}
		b.From = max(b.From, p.today())
	}
	e := &ical.Component{Name: "VEVENT"}
	if uid := p.uidOf(b); uid != "" {
		e.Add("UID", uid)
	}
	e.Add("DTSTAMP", stamp)
	switch {
	case p.Style.BlockTimes && !strings.HasSuffix(b.From, "Z"):
		zone := ical.Param{Name: "TZID", Values: []string{p.Style.Zone}}
		e.Add("DTSTART", compact(b.From)+"T120000", zone)
		e.Add("DTEND", compact(b.Until)+"T120000", zone)
	default:
		addDates(e, b.From, b.Until)
	}
	title := p.Style.Block
	if strings.Contains(title, "%s") {
		title = strings.ReplaceAll(title, "%s", p.nameFor(b))
	}
	if title != "" {
		e.AddText("SUMMARY", title)
	}
	return e
}

// names are those of people.
var names = []string{"Aldous", "Brandreth", "Corrigan", "Dunmore", "Escott", "Farrow", "Gathercole", "Hollis"}

// nameFor returns a name like a guest's for a block, the same each time. Names are drawn by Seed in the
// order in which blocks are first shown, so that neither the day nor a UID of the importer's decides.
func (p *Platform) nameFor(b Block) string {
	if p.state.Names == nil {
		p.state.Names = map[string]string{}
	}
	key := cmp.Or(b.UID, b.From+b.Until)
	name, known := p.state.Names[key]
	if !known {
		name = names[rand.New(rand.NewPCG(p.Seed, uint64(len(p.state.Names)))).IntN(len(names))]
		p.state.Names[key] = name
	}
	return name
}

// shown are the imported blocks as the feed shows them.
func (p *Platform) shown() []Block {
	if p.Style.Hidden {
		return nil
	}
	blocks := slices.SortedFunc(slices.Values(p.state.Blocks), func(a, b Block) int { return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.UID, b.UID)) })
	if p.Style.Joins || p.Style.JoinsOwn {
		blocks = join(blocks)
	}
	var all []Block
	for _, b := range blocks {
		if p.Style.LastDay {
			b.Until = addDays(b.Until, 1)
		}
		pieces := []Block{b}
		if p.Style.Splits {
			pieces = days(b)
		}
		for _, piece := range pieces {
			all = append(all, piece)
			if p.Style.Twice {
				piece.UID += "-2"
				all = append(all, piece)
			}
		}
	}
	return all
}

// join makes one of blocks that lie end to end or overlap.
func join(blocks []Block) (joined []Block) {
	for _, b := range blocks {
		if n := len(joined); n > 0 && joined[n-1].Until >= b.From {
			joined[n-1].Until = max(joined[n-1].Until, b.Until)
			continue
		}
		joined = append(joined, b)
	}
	return joined
}

// joinOwn joins sales with the blocks that they lie beside; what becomes of both is a block.
func joinOwn(sales []Booking, blocks []Block) (left []Booking, joined []Block) {
	all := slices.Clone(blocks)
	for _, s := range sales {
		touches := func(b Block) bool { return s.From <= b.Until && b.From <= s.Until }
		if s.Cancelled || !slices.ContainsFunc(blocks, touches) {
			left = append(left, s)
			continue
		}
		all = append(all, Block{UID: s.ID, From: s.From, Until: s.Until})
	}
	slices.SortFunc(all, func(a, b Block) int { return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.UID, b.UID)) })
	return left, join(all)
}

// days cuts a block into its days.
func days(b Block) (pieces []Block) {
	from, err := span.ParseDate(b.From)
	until, err2 := span.ParseDate(b.Until)
	if err != nil || err2 != nil {
		return []Block{b}
	}
	for d := from; d < until; d++ {
		piece := Block{UID: b.UID, From: d.String(), Until: (d + 1).String()}
		if d > from {
			piece.UID = fmt.Sprintf("%s-%d", b.UID, d-from+1)
		}
		pieces = append(pieces, piece)
	}
	return pieces
}

// addDays is a date so many days later; what is no date stays.
func addDays(date string, n int) string {
	d, err := span.ParseDate(date)
	if err != nil {
		return date
	}
	return (d + span.Date(n)).String()
}

// uidOf is the UID that the feed gives a block; "" for none.
func (p *Platform) uidOf(b Block) string {
	switch p.Style.UIDs {
	case Own:
		sum := sha256.Sum256([]byte(p.Name + b.UID))
		return hex.EncodeToString(sum[:8]) + "@" + slug(p.Name) + ".example"
	case New:
		p.downloads++
		return fmt.Sprintf("%d-%d@%s.example", p.Now().UnixNano(), p.downloads, slug(p.Name))
	case None:
		return ""
	}
	return b.UID
}

func (p *Platform) addTimes(e *ical.Component, first, last string) {
	zone := ical.Param{Name: "TZID", Values: []string{p.Style.Zone}}
	switch {
	case p.Style.Hours:
		e.Add("DTSTART", compact(first)+"00", zone)
		e.Add("DTEND", compact(last)+"00", zone)
		return
	case !p.Style.Timed:
		addDates(e, first, last)
		return
	}
	final, _ := span.ParseDate(last) // Add has checked it
	e.Add("DTSTART", compact(first)+"T090000", zone)
	e.Add("DTEND", compact((final-1).String())+"T180000", zone)
}

// addDates writes dates, or the times in UTC of an imported block.
func addDates(e *ical.Component, first, last string) {
	if strings.HasSuffix(first, "Z") {
		e.Add("DTSTART", first)
		e.Add("DTEND", last)
		return
	}
	date := ical.Param{Name: "VALUE", Values: []string{"DATE"}}
	e.Add("DTSTART", compact(first), date)
	e.Add("DTEND", compact(last), date)
}

func compact(date string) string { return strings.NewReplacer("-", "", ":", "").Replace(date) }

func slug(name string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' {
			return r
		}
		return -1
	}, strings.ToLower(name))
}
