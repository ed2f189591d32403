package main

import (
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"wharf/core/carried"
	"wharf/core/echo"
	"wharf/core/judge"
	"wharf/core/span"
)

// oddOnes is of how many disturbed versions of each case in words cases are looked for.
const oddOnes = 12

// oddCases are the cases in words, disturbed.
func oddCases() (all []judge.Case, err error) {
	names, err := filepath.Glob(cases + "/testdata/cases/*.json")
	if err != nil {
		return nil, err
	}
	rnd := rand.New(rand.NewSource(1))
	for _, name := range names {
		for range oddOnes {
			file, err := os.Open(name)
			if err != nil {
				return nil, err
			}
			c, err := judge.ReadCase(file)
			file.Close()
			if err != nil {
				return nil, err
			}
			f, err := c.Facts()
			if err != nil {
				return nil, err
			}
			disturb(&f, rnd)
			all = append(all, caseOf(f))
		}
	}
	return all, nil
}

// disturb adds to facts what the simulation has not: answers, several units, habits laid down, links
// declared, other readers, entries that say less. What comes of that is no truth, but must stay what it is.
func disturb(f *judge.Facts, rnd *rand.Rand) {
	one := func(of float64) bool { return rnd.Float64() < of }
	if one(0.2) {
		f.Calendar.Capacity = 2 + rnd.Intn(2)
	}
	if one(0.1) {
		f.Echoes.Delay = []time.Duration{-1, time.Minute, 24 * time.Hour}[rnd.Intn(3)]
	}
	disturbBookings(f, rnd)
	var forms []string
	for _, b := range f.Bookings {
		forms = append(forms, b.Form)
	}
	for i := range f.Feeds {
		disturbFeed(f, i, forms, rnd)
	}
	for i := range f.Publications {
		p := &f.Publications[i]
		if one(0.1) {
			p.Pickups = slices.Clone(p.Pickups)
			for k := range p.Pickups {
				if one(0.5) {
					p.Pickups[k].Agent = "Preview/1"
				}
			}
		}
	}
	if n := len(f.Publications); n > 0 && one(0.1) {
		f.Publications[rnd.Intn(n)].Platform = f.Publications[rnd.Intn(n)].Platform
	}
	if one(0.1) {
		f.Originals = map[string]span.Span{}
		for _, b := range f.Bookings {
			if carried.LooksMinted(b.UID) && one(0.5) {
				f.Originals[b.UID] = oddSpan(b.Span, rnd)
			}
		}
	}
}

func disturbBookings(f *judge.Facts, rnd *rand.Rand) {
	one := func(of float64) bool { return rnd.Float64() < of }
	for i := range f.Bookings {
		b := &f.Bookings[i]
		if one(0.04) {
			b.Answer = []echo.Answer{echo.Own, echo.Reflected}[rnd.Intn(2)]
		}
		if one(0.02) && len(f.Publications) > 0 {
			if p := f.Publications[rnd.Intn(len(f.Publications))]; len(p.History) > 0 {
				r := p.History[rnd.Intn(len(p.History))]
				b.UID, b.Span = r.UID, oddSpan(r.Span, rnd)
			}
		}
		if one(0.02) {
			b.Span = oddSpan(b.Span, rnd)
		}
		if one(0.02) {
			b.Title = f.Bookings[rnd.Intn(len(f.Bookings))].Title
		}
		if one(0.02) {
			b.Form = f.Bookings[rnd.Intn(len(f.Bookings))].Form
		}
		if one(0.02) {
			b.EchoElsewhere = f.Bookings[rnd.Intn(len(f.Bookings))].Minted
		}
		if one(0.02) {
			b.Created = b.Revision.Stamp
		}
		if one(0.02) {
			b.Stand.NotBefore = time.Time{}
		}
		if one(0.02) {
			b.UID = carried.Mint(nil, "elsewhere")
		}
	}
}

func disturbFeed(f *judge.Facts, i int, forms []string, rnd *rand.Rand) {
	feed := &f.Feeds[i]
	one := func(of float64) bool { return rnd.Float64() < of }
	bare, plain := one(0.1), one(0.05)
	for k := range f.Bookings {
		b := &f.Bookings[k]
		if b.Feed != feed.ID {
			continue
		}
		if bare {
			b.Created, b.UID = time.Time{}, ""
		}
		if plain {
			b.Form = strings.Repeat("f", rnd.Intn(3))
		}
	}
	if one(0.15) && i > 0 { // never in a circle
		feed.Mirrors = append(slices.Clone(feed.Mirrors), f.Feeds[rnd.Intn(i)].ID)
		slices.Sort(feed.Mirrors)
		feed.Mirrors = slices.Compact(feed.Mirrors)
	}
	if one(0.2) && !feed.Read.IsZero() {
		feed.Read = feed.Read.Add(-time.Duration(rnd.Intn(72)) * time.Hour)
	}
	habit := func() (echo.HabitOf, string) {
		form, way := "f", echo.Ways[rnd.Intn(len(echo.Ways))]
		if len(forms) > 0 {
			form = forms[rnd.Intn(len(forms))]
		}
		of := []echo.HabitOf{{Name: echo.Reflects}, {Name: echo.KeepsUIDs}, {Name: echo.Delays}, {Name: echo.Rate}, {Name: echo.FormOf, Of: form}, {Name: echo.WayOf, Of: string(way)}}[rnd.Intn(6)]
		values := map[echo.HabitName][]string{echo.Reflects: {echo.Yes, echo.No, echo.Off}, echo.KeepsUIDs: {echo.Yes, echo.No, echo.Off}, echo.Delays: {"0", "30", "300", echo.Off}, echo.Rate: {"0.001", "1", echo.Off},
			echo.FormOf: {echo.Sale, echo.Block, echo.Both}, echo.WayOf: {echo.Yes, echo.No}}[of.Name]
		return of, values[rnd.Intn(len(values))]
	}
	for range rnd.Intn(3) {
		if of, value := habit(); of.Of != "" || of.Name != echo.FormOf {
			if one(0.5) {
				feed.Said = with(feed.Said, of, value)
			} else if value != echo.Off {
				feed.Known = with(feed.Known, of, value)
			}
		}
	}
}

func with(s echo.Said, of echo.HabitOf, value string) echo.Said {
	all := echo.Said{of: value}
	for o, v := range s {
		if o != of {
			all[o] = v
		}
	}
	return all
}

// oddSpan is a span a day or two other than the one.
func oddSpan(s span.Span, rnd *rand.Rand) span.Span {
	odd := span.Span{Start: s.Start + int64(rnd.Intn(3)-1), End: s.End + int64(rnd.Intn(3)-1)}
	if odd.Empty() {
		return s
	}
	return odd
}
