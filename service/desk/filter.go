package desk

import (
	"context"
	"slices"

	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/service/store"
)

// Sorted is an entry of a feed, with the calendars on which it counts.
type Sorted struct {
	Title, Where string
	Takes        bool    // the filter that is tried does
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

// TryFilter shows which entries of a feed's last good reading a filter on its link to a calendar takes,
// and where the others count. Nothing is changed. The error is a *rules.FieldError for what is no filter.
func (d *Desk) TryFilter(ctx context.Context, calendar, feed int64, text string) (s Sorting, err error) {
	filter, err := rules.ParseFilter(text)
	if err != nil {
		return s, &rules.FieldError{Field: "filter", Err: err}
	}
	links, err := d.Store.LinksOf(ctx, feed)
	if err != nil {
		return s, err
	}
	if !slices.ContainsFunc(links, func(l store.Link) bool { return l.CalendarID == calendar }) {
		return s, store.ErrNotFound
	}
	others := map[int64]rules.Filter{}
	for _, l := range links {
		if l.CalendarID != calendar {
			if others[l.CalendarID], err = rules.ParseFilter(l.Filter); err != nil {
				return s, err
			}
		}
	}
	var doc *recur.Document
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		doc, err = d.Refresher.LastDocument(ctx, tx, feed)
		return err
	})
	if err != nil || doc == nil {
		return s, err
	}
	for _, e := range doc.Entries {
		one := Sorted{Title: e.Title(), Takes: filter.Takes(e)}
		if places := e.Texts("LOCATION"); len(places) > 0 {
			one.Where = places[0]
		}
		for id, f := range others {
			if f.Takes(e) {
				one.Also = append(one.Also, id)
			}
		}
		slices.Sort(one.Also)
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
	slices.SortStableFunc(s.Entries, func(a, b Sorted) int { return rank(a) - rank(b) })
	s.Entries = s.Entries[:min(len(s.Entries), mostSorted)]
	return s, nil
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
