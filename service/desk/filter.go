package desk

import (
	"context"
	"slices"
	"strings"

	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/service/document"
	"wharf/service/refresh"
	"wharf/service/store"
)

// Sorted is an entry of a feed, with the calendars on which it counts.
type Sorted struct {
	Title, Where string
	Takes        bool    // the filter that is tried does
	Units        int     // that it takes then
	Also         []int64 // calendars on which it counts otherwise
}

// Sorting is what a filter does to the entries of a feed.
type Sorting struct {
	Taken, Left int
	Lost        int // that count nowhere then
	Entries     []Sorted
}

// mostSorted is how many entries are shown, those that count nowhere first.
const mostSorted = 100

// TryFilter shows which entries of a feed's last good reading a link to a calendar would take with another
// filter, how many units each by another rule (nil: as they are), and where the others count. Nothing is
// changed. The error is a *rules.FieldError for what is no filter, or no rule.
func (d *Desk) TryFilter(ctx context.Context, calendar, feed int64, filter, counting *string) (s Sorting, err error) {
	rows, err := d.Store.LinksOf(ctx, feed)
	if err != nil {
		return s, err
	}
	f, err := d.Store.Feed(ctx, feed)
	if err != nil {
		return s, err
	}
	given, err := rules.NewGiven(strings.Split(f.Categories, "\n"), f.Class)
	if err != nil {
		return s, err
	}
	links := map[int64]rules.Link{}
	for _, l := range rows {
		if l.CalendarID == calendar && filter != nil {
			l.Filter = *filter
		}
		if l.CalendarID == calendar && counting != nil {
			l.Counting = *counting
		}
		link, err := rules.NewLink(refresh.LinkText(l))
		if err != nil {
			return s, err
		}
		link.Given = given
		links[l.CalendarID] = link
	}
	if _, counts := links[calendar]; !counts {
		return s, store.ErrNotFound
	}
	var doc *recur.Document
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		doc, err = document.Last(ctx, tx, feed)
		return err
	})
	if err != nil || doc == nil {
		return s, err
	}
	for _, e := range doc.Entries {
		s.add(sorted(e, links, calendar))
	}
	slices.SortStableFunc(s.Entries, func(a, b Sorted) int { return rank(a) - rank(b) })
	s.Entries = s.Entries[:min(len(s.Entries), mostSorted)]
	return s, nil
}

// sorted says of an entry on which of the calendars it counts.
func sorted(e recur.Entry, links map[int64]rules.Link, calendar int64) Sorted {
	one := Sorted{Title: e.Title(), Takes: links[calendar].Takes(e)}
	if places := e.Texts("LOCATION"); len(places) > 0 {
		one.Where = places[0]
	}
	if one.Takes {
		one.Units = links[calendar].UnitsOf(e, e.Title())
	}
	for id, l := range links {
		if id != calendar && l.Takes(e) {
			one.Also = append(one.Also, id)
		}
	}
	slices.Sort(one.Also)
	return one
}

// add counts an entry.
func (s *Sorting) add(one Sorted) {
	switch {
	case one.Takes:
		s.Taken++
	case len(one.Also) == 0:
		s.Lost++
		s.Left++
	default:
		s.Left++
	}
	s.Entries = append(s.Entries, one)
}

// rank puts what counts nowhere first, then what is taken.
func rank(s Sorted) int {
	switch {
	case !s.Takes && len(s.Also) == 0:
		return 0
	case s.Takes:
		return 1
	}
	return 2
}
