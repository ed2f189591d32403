package publish

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"wharf/core/carried"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// Offer is a booking that may go out, with what may be shown of it.
type Offer struct {
	UID        string      // under which it is published
	Spans      []span.Span // what counts of it
	Whole      bool        // that is all of it
	Units      int
	Tentative  bool
	Blocks     bool // it takes units; else it is only shown
	Own        bool // the recipient's own: it never goes out, and counts in how full it is
	Feed       int64
	Title      string
	Categories []string
	// Discreet: nobody is to see its title, since it is private or waits for somebody to look at it.
	Discreet bool
	Alarms   []int // so many minutes before it
	// Source is the entry that it is of, and Occurrence the key of which instance of that it is; nil where that is not at hand.
	Source     *Source
	Occurrence string
}

// units are those that an item of it takes.
func (o Offer) units() int {
	if !o.Blocks {
		return 0
	}
	return o.Units
}

// alarms are those that people laid down, in order.
func (o Offer) alarms() []int { return slices.Compact(slices.Sorted(slices.Values(o.Alarms))) }

// Item is what a publication carries, with what it shows of it.
type Item struct {
	carried.Item
	Shown
	Least int // its SEQUENCE is at least this
}

// Shown is what an event shows beside its time.
type Shown struct {
	Title  string
	Alarms []int // so many minutes before it
	// Series are the components of its entry where everything is shown of it, and Zones the VTIMEZONEs that these refer to,
	// as they are written.
	Series, Zones string
	Part          bool // another item of the same entry has them
}

// Items are what a publication carries of the offers, in no order. What is carried is the same whatever the order of the
// offers. laid is the stretch in which they are all of their sources; it counts where everything is shown.
func Items(r rules.Publication, capacity int, window span.Span, laid recur.Window, offers []Offer) []Item {
	var taking, all []Offer
	for _, o := range offers {
		switch {
		case o.Tentative && r.Tentative == rules.Ignored:
			continue
		case r.Tentative == rules.AsFirm:
			o.Tentative = false
		}
		if o.Own {
			taking = append(taking, o)
			continue
		}
		if !r.TakesFrom(o.Feed) || !r.TakesAny(o.Categories) {
			continue
		}
		if o.Blocks {
			taking = append(taking, o)
		} else if r.Shown {
			all = append(all, o)
		}
	}
	if r.Detail == rules.Everything {
		own := func(o Offer) bool { return o.Own }
		items, rest := everything(r, window, laid, slices.DeleteFunc(append(all, taking...), own))
		return inWindow(append(items, each(r, rest)...), window)
	}
	items := each(r, all)
	if r.Occupancy == rules.WhereFull {
		items = append(items, full(r, capacity, taking)...)
	} else {
		taking = slices.DeleteFunc(taking, func(o Offer) bool { return o.Own })
		items = append(items, each(r, taking)...)
	}
	if r.Joined {
		items = joined(r, items)
	}
	return inWindow(items, window)
}

func inWindow(items []Item, window span.Span) []Item {
	return slices.DeleteFunc(items, func(i Item) bool { return !i.Span.Overlaps(window) })
}

// Of are items of one of several calendars that a publication shows: each title says which, and what is on two calendars is two.
func Of(calendar string, id int64, items []Item) []Item {
	there := func(uid string) string { return digest(fmt.Sprint(uid, "\x00", id)) + "@wharf" }
	for n := range items {
		i := &items[n]
		i.UID = there(i.UID)
		i.Title = calendar + ": " + i.Title
		if i.Sent == "" && i.Series == "" && !i.Part {
			i.Content = digest(i.Content + "\x00" + i.Title)
			continue
		}
		if i.Sent != "" {
			i.Sent = there(i.Sent)
		}
		i.Content = digest(i.Content + "\x00" + calendar)
		i.Series = retold(i.Series, i.SentUID(), calendar+": ")
	}
	return items
}

// digest is a short one of a text.
func digest(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:16])
}

// each makes an item of every stretch of the offers.
func each(r rules.Publication, offers []Offer) (items []Item) {
	for _, o := range offers {
		for n, s := range o.Spans {
			item := carried.Item{Name: carried.Name{UID: carried.Piece(o.UID, n)}, Span: s, Units: o.units(), Tentative: o.Tentative}
			items = append(items, titled(r, item, o))
		}
	}
	return items
}

// titled is an item with what it may show. What is shown beside times under one title is part of what it is.
func titled(r rules.Publication, item carried.Item, o Offer) Item {
	shown, content := Shown{Title: r.Title}, ""
	if (r.Detail == rules.Titles || r.Detail == rules.Everything) && !o.Discreet && o.Title != "" {
		shown.Title, content = o.Title, o.Title
	}
	if r.Alarm == rules.KeptAlarms && len(o.Alarms) > 0 {
		shown.Alarms = o.alarms()
		content = fmt.Sprint(content, "\x00", shown.Alarms)
	}
	if content != "" {
		item.Content = digest(content)
	}
	return Item{Item: item, Shown: shown}
}

// taken is one stretch of an offer.
type taken struct {
	*Offer
	span span.Span
}

// full are the stretches in which no unit is left, but for those in which the recipient's own bookings alone are the reason.
// Each has the UID of the earliest booking in it that is not its own. It takes n log n steps.
func full(r rules.Publication, capacity int, offers []Offer) (items []Item) {
	var all []taken
	var points []int64
	for i := range offers {
		for _, s := range offers[i].Spans {
			all = append(all, taken{&offers[i], s})
			points = append(points, s.Start, s.End)
		}
	}
	slices.SortFunc(all, func(a, b taken) int { return cmp.Or(a.span.Compare(b.span), strings.Compare(a.UID, b.UID)) })
	ends := slices.SortedFunc(slices.Values(all), func(a, b taken) int { return cmp.Compare(a.span.End, b.span.End) })
	slices.Sort(points)
	points = slices.Compact(points)
	var own, firm, units, started, ended, first int
	count := func(t taken, sign int) {
		units += sign * t.Units
		if t.Own {
			own += sign * t.Units
		}
		if !t.Tentative {
			firm += sign * t.Units
		}
	}
	used := map[string]int{}
	for n, at := range points[:max(0, len(points)-1)] {
		for ; started < len(all) && all[started].span.Start == at; started++ {
			count(all[started], 1)
		}
		for ; ended < len(ends) && ends[ended].span.End == at; ended++ {
			count(ends[ended], -1)
		}
		if units < capacity || own >= capacity {
			continue
		}
		next, tentative := points[n+1], firm < capacity
		if last := len(items) - 1; last >= 0 && items[last].Span.End == at && items[last].Tentative == tentative {
			items[last].Span.End = next
			continue
		}
		for all[first].Own || all[first].span.End <= at {
			first++
		}
		uid := all[first].UID
		items = append(items, Item{Item: carried.Item{Name: carried.Name{UID: carried.Piece(uid, used[uid])}, Span: span.Span{Start: at, End: next}, Units: capacity, Tentative: tentative}, Shown: Shown{Title: r.Title}})
		used[uid]++
	}
	return items
}

// joined makes one of what adjoins or overlaps, where both are as sure and take something; it has the UID of the earliest,
// and the title of times.
func joined(r rules.Publication, items []Item) (all []Item) {
	slices.SortFunc(items, func(a, b Item) int { return cmp.Or(a.Span.Compare(b.Span), strings.Compare(a.UID, b.UID)) })
	last := map[[2]bool]int{} // by whether it takes something and is tentative: the last of all
	for _, i := range items {
		kind := [2]bool{i.Units > 0, i.Tentative}
		n, had := last[kind]
		if i.Units == 0 || !had || all[n].Span.End < i.Span.Start {
			last[kind] = len(all)
			all = append(all, i)
			continue
		}
		one := &all[n]
		one.Span.End, one.Units = max(one.Span.End, i.Span.End), max(one.Units, i.Units)
		one.Shown, one.Content = Shown{Title: r.Title}, ""
	}
	return all
}
