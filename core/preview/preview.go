// Package preview says what is in a feed before it counts, so that a person can hold it against the
// platform's own page.
//
// In: a document as it was read, and now in the zone of whoever looks. Out: a Preview. Nothing is
// decided by it: what it proposes, a person takes or leaves.
package preview

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/ical"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// Preview is what is in a feed.
type Preview struct {
	// Name is what the feed calls itself; often a long string.
	Name    string
	Entries int
	// Of the entries: those that repeat, that are tentative, called off, or said to be free; and those
	// with a time and neither end nor duration.
	Recurring, Tentative, Cancelled, Free, Endless int
	// First and Last are the first and the last date on which it has anything, in the window of what is
	// laid out; zero for none.
	First, Last span.Date
	// Zones are those that it names, in order.
	Zones []string
	// Next are the coming bookings, five at most, in order.
	Next []Booking
	// Grain is the one that fits what is in it; "" where nothing tells.
	Grain span.Grain
	// Refresh is how often the publisher says that it is to be read; 0: it says nothing.
	Refresh time.Duration
	// Remarks are what cannot be read as it was meant.
	Remarks []string
}

// Booking is one of the next.
type Booking struct {
	Title      string
	AllDay     bool
	Start, End time.Time // in the zone; of one that is all day long, the midnights
	Nights     int       // midnights that it spans
	Tentative  bool
}

const (
	mostNext = 5
	// mostOccurrences is how many are looked at of all entries together.
	mostOccurrences = 50_000
)

// Of looks at a document. The error is reading.ErrTooOften when its entries come round far too often, or
// that of the context.
func Of(ctx context.Context, doc *recur.Document, now time.Time) (p Preview, err error) {
	p = Preview{Name: reading.Clip(strings.TrimSpace(doc.Name), 200), Entries: len(doc.Entries), Zones: doc.ZoneNames(), Refresh: doc.Refresh}
	from, to := rules.MaterialisedWindow(now, now.Location())
	x := doc.In(recur.Window{From: from, To: to, Zone: now.Location(), KeepSingle: true, Limit: mostOccurrences})
	var coming []recur.Occurrence
	left := mostOccurrences
	var found []ical.Diagnostic
	for _, e := range doc.Entries {
		if ctx.Err() != nil {
			return p, ctx.Err()
		}
		occurrences, told := x.Expand(e)
		if left -= len(occurrences); left < 0 {
			return p, reading.ErrTooOften
		}
		found = append(found, told...)
		p.count(occurrences)
		for _, o := range occurrences {
			p.reach(o, now.Location())
			if o.End >= now.Unix() && o.Status != recur.Cancelled && !o.Transparent {
				coming = append(coming, o)
			}
		}
	}
	slices.SortStableFunc(coming, func(a, b recur.Occurrence) int { return cmp.Compare(a.Start, b.Start) })
	for _, o := range coming[:min(len(coming), mostNext)] {
		p.Next = append(p.Next, bookingOf(o, now.Location()))
	}
	p.Grain = grainOf(coming, now.Location())
	p.Remarks = reading.RemarksOn(slices.Concat(doc.Diagnostics, found))
	return p, nil
}

// count counts an entry by its occurrences.
func (p *Preview) count(occurrences []recur.Occurrence) {
	var series, tentative, cancelled, free, endless bool
	for _, o := range occurrences {
		series = series || o.Series
		tentative = tentative || o.Status == recur.Tentative
		free = free || o.Transparent
		endless = endless || o.Endless
	}
	cancelled = len(occurrences) > 0 && !slices.ContainsFunc(occurrences, func(o recur.Occurrence) bool { return o.Status != recur.Cancelled })
	for is, n := range map[*int]bool{&p.Recurring: series, &p.Tentative: tentative, &p.Cancelled: cancelled, &p.Free: free, &p.Endless: endless} {
		if n {
			*is++
		}
	}
}

// reach widens from when to when there is anything.
func (p *Preview) reach(o recur.Occurrence, loc *time.Location) {
	first, last := datesOf(o, loc)
	if p.First == 0 || first < p.First {
		p.First = first
	}
	p.Last = max(p.Last, last)
}

// datesOf are the first and the last date of an occurrence.
func datesOf(o recur.Occurrence, loc *time.Location) (first, last span.Date) {
	if o.AllDay {
		return o.First, o.Last - 1
	}
	first = span.DateOf(time.Unix(o.Start, 0).In(loc))
	return first, max(first, span.DateOf(time.Unix(max(o.Start, o.End-1), 0).In(loc)))
}

func bookingOf(o recur.Occurrence, loc *time.Location) Booking {
	b := Booking{Title: reading.Clip(o.Summary, 200), AllDay: o.AllDay, Start: time.Unix(o.Start, 0).In(loc), End: time.Unix(o.End, 0).In(loc), Tentative: o.Status == recur.Tentative}
	b.Nights = nightsOf(o, loc)
	return b
}

// nightsOf is how many midnights an occurrence spans: those of an all-day one are its days.
func nightsOf(o recur.Occurrence, loc *time.Location) int {
	if o.AllDay {
		return int(o.Last - o.First)
	}
	return int(span.DateOf(time.Unix(o.End, 0).In(loc)) - span.DateOf(time.Unix(o.Start, 0).In(loc)))
}

// grainOf is what most bookings fit: those that begin and end at times of one day are let by time; of
// the others, those of one day each by the day; and by the night what is left.
func grainOf(all []recur.Occurrence, loc *time.Location) span.Grain {
	if len(all) == 0 {
		return ""
	}
	within, single := 0, 0
	for _, o := range all {
		switch nights := nightsOf(o, loc); {
		case !o.AllDay && nights == 0:
			within++
		case o.AllDay && nights == 1:
			single++
		}
	}
	switch {
	case 2*within > len(all):
		return span.Time
	case 2*single > len(all):
		return span.Day
	}
	return span.Night
}

// Fewer says which words of a link's query ask its platform to leave something out, by their names.
func Fewer(query map[string][]string) []string {
	var all []string
	for name, values := range query {
		words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return r < 'a' || r > 'z' })
		if !slices.ContainsFunc(words, func(w string) bool { return slices.Contains(fewer, strings.TrimSuffix(w, "s")) }) {
			continue
		}
		for _, v := range values {
			if _, err := strconv.Atoi(v); err == nil || v == "" || len(v) <= mostShown && !looksSecret(v) {
				all = append(all, name+"="+v)
			} else {
				all = append(all, name)
			}
		}
	}
	slices.Sort(all)
	return all
}

// fewer are words of names by which links ask for less than all, without an s at their end.
var fewer = []string{"exclude", "include", "filter", "only", "hide", "skip", "without", "no", "statu", "type", "category", "categorie", "from", "since", "until", "start", "end", "day", "month", "past", "future", "limit", "max", "unit", "room", "tentative", "blocked"}

// mostShown is how long a value may be to be shown.
const mostShown = 24

// looksSecret reports whether a text may be somebody's secret: letters and digits in one.
func looksSecret(text string) bool {
	return len(text) >= 8 && strings.ContainsAny(text, "0123456789") && strings.ContainsFunc(text, func(r rune) bool { return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' }) && !strings.ContainsAny(text, "-,. ")
}
