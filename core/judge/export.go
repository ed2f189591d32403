package judge

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/carried"
	"wharf/core/echo"
	"wharf/core/span"
)

// exporter writes facts as a case.
type exporter struct {
	facts     Facts
	platforms map[int64]string
	titles    map[string]string // in place of those that are left out; nil: they stay
	names     map[string]string // by UID under which something is published
	strangers int               // UIDs of ours of which nothing more is known
}

// CaseOf is the case of facts, with what came out of them. platforms are the names of the platforms
// by ID. Without titles those are put in other words, the same for the same.
func CaseOf(f Facts, r Result, about string, platforms map[int64]string, titles bool) Case {
	x := &exporter{facts: f, platforms: platforms, names: map[string]string{}}
	if !titles {
		x.titles = map[string]string{}
	}
	for _, b := range f.Bookings {
		x.minted(b.Minted, caseName(b.ID))
	}
	c := Case{Version: CaseVersion, About: about, Now: f.Now.UTC(), Calendar: CaseCalendar{Zone: f.Calendar.Zone.String(), Grain: string(f.Calendar.Grain), Capacity: f.Calendar.Capacity},
		Rules: x.rules(), Feeds: x.feeds(), Want: map[string]CaseVerdict{}}
	for _, p := range f.Publications {
		c.Publications = append(c.Publications, x.publication(p))
	}
	for _, uid := range slices.Sorted(maps.Keys(f.Originals)) {
		start, end := x.ends(f.Originals[uid])
		c.Originals = append(c.Originals, CaseOriginal{x.nameOf(uid), start, end})
	}
	for i, b := range f.Bookings {
		v := r.Verdicts[i]
		c.Want[caseName(b.ID)] = NamedVerdict{Verdict: v}.Brief()
	}
	c.Conflicts = conflictWords(r.Conflicts, f.Calendar.Grain, caseName)
	return c
}

// caseName is the name of a booking in a case.
func caseName(id int64) string { return "b" + strconv.FormatInt(id, 10) }

// mostPieces is of how many pieces of one booking the UIDs are known in a case.
const mostPieces = 16

// minted notes the names of a booking's UIDs.
func (x *exporter) minted(uid, name string) {
	x.names[uid] = name
	for n := 1; n < mostPieces; n++ {
		x.names[carried.Piece(uid, n)] = fmt.Sprintf("%s/%d", name, n)
	}
}

// nameOf is the name of what is or was published under a UID.
func (x *exporter) nameOf(uid string) string {
	if x.names[uid] == "" {
		x.strangers++
		x.names[uid] = fmt.Sprintf("x%d", x.strangers)
	}
	return x.names[uid]
}

// uid is a UID as a case has it.
func (x *exporter) uid(uid string) string {
	if part := carried.MintedIn(uid); part != "" && strings.HasSuffix(uid, part) {
		return strings.TrimSuffix(uid, part) + "ours:" + x.nameOf(part)
	}
	return uid
}

func (x *exporter) title(title string) string {
	if x.titles == nil || title == "" {
		return title
	}
	if x.titles[title] == "" {
		x.titles[title] = fmt.Sprintf("Title %d", len(x.titles)+1)
	}
	return x.titles[title]
}

func (x *exporter) ends(s span.Span) (start, end string) {
	return s.Format(x.facts.Calendar.Grain)
}

func (x *exporter) rules() CaseRules {
	e := x.facts.Echoes
	r := CaseRules{Limit: e.Limit, SkewMinutes: int(e.Skew / time.Minute)}
	if e.Delay != 0 {
		minutes := max(0, int(e.Delay/time.Minute))
		r.DelayMinutes = &minutes
	}
	return r
}

func (x *exporter) feeds() (all []CaseFeed) {
	at, platform := map[int64]int{}, map[int64]int64{}
	for _, f := range x.facts.Feeds {
		platform[f.ID] = f.Platform
	}
	for _, f := range x.facts.Feeds {
		at[f.ID] = len(all)
		feed := CaseFeed{Platform: x.platforms[f.Platform], Read: f.Read.UTC(), Habits: x.habits(f.Said, true), Bookings: []CaseBooking{}}
		feed.Habits = append(feed.Habits, x.habits(f.Known, false)...)
		for _, of := range f.Mirrors {
			feed.Mirrors = append(feed.Mirrors, x.platforms[platform[of]])
		}
		for n, g := range f.Gone {
			b := CaseBooking{Name: fmt.Sprintf("gone%d-%d", f.ID, n), UID: x.uid(g.UID), NotBefore: g.Stand.NotBefore.UTC(), SeenBy: g.Stand.SeenBy.UTC(), Gone: g.At.UTC()}
			if known := x.names[g.Minted]; known != "" {
				b.Name = known
			} else {
				x.minted(g.Minted, b.Name)
			}
			b.Start, b.End = x.ends(g.Span)
			feed.Bookings = append(feed.Bookings, b)
		}
		all = append(all, feed)
	}
	for _, b := range x.facts.Bookings {
		n, known := at[b.Feed]
		if !known {
			n = len(all)
			at[b.Feed] = n
			all = append(all, CaseFeed{Platform: x.platforms[b.Platform], Bookings: []CaseBooking{}})
		}
		all[n].Bookings = append(all[n].Bookings, x.booking(b))
	}
	return all
}

func (x *exporter) booking(b Booking) CaseBooking {
	c := CaseBooking{Name: caseName(b.ID), UID: x.uid(b.UID), Tentative: b.Tentative, Shown: !b.Blocks, Units: b.Units, Form: b.Form, Title: x.title(b.Title), Created: b.Created.UTC(),
		Stamp: b.Revision.Stamp.UTC(), Sequence: b.Revision.Sequence, NotBefore: b.Stand.NotBefore.UTC(), SeenBy: b.Stand.SeenBy.UTC(), Answer: b.Answer, Closure: b.Closure, Expires: b.Expires.UTC(), Rejected: b.Rejected}
	if b.EchoElsewhere != "" {
		c.Elsewhere = x.nameOf(b.EchoElsewhere)
	}
	c.Start, c.End = x.ends(b.Span)
	return c
}

func (x *exporter) habits(s echo.Said, said bool) (all []CaseHabit) {
	for of, value := range s {
		all = append(all, CaseHabit{Habit: of.Name, Of: x.form(of), Value: value, Said: said})
	}
	slices.SortFunc(all, func(a, b CaseHabit) int {
		return slices.Compare([]string{string(a.Habit), a.Of}, []string{string(b.Habit), b.Of})
	})
	return all
}

// form is what a habit is about; a title that is part of a form is put in other words, too.
func (x *exporter) form(of echo.HabitOf) string {
	form, title, titled := echo.TitleOf(of.Of)
	if of.Name != echo.FormOf || !titled || x.titles == nil {
		return of.Of
	}
	return echo.WithTitle(form, x.title(title))
}

func (x *exporter) publication(p Publication) CasePublication {
	c := CasePublication{Platform: x.platforms[p.Platform], Reader: p.Reader, Carried: []CaseCarried{}}
	for _, r := range p.History {
		item := CaseCarried{Name: x.nameOf(r.UID), Sent: x.uid(r.Sent), Units: r.Units, Stamp: r.Stamp.UTC(), From: r.From, To: r.To}
		item.Start, item.End = x.ends(r.Span)
		c.Carried = append(c.Carried, item)
	}
	for _, k := range p.Pickups {
		c.Pickups = append(c.Pickups, CasePickup{Version: k.Version, Agent: k.Agent, First: k.First.UTC(), Last: k.Last.UTC(), Times: k.Times})
	}
	return c
}
