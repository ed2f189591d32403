package main

import (
	"fmt"
	"net/http"
	"path/filepath"
	"time"

	"wharf/core/span"
	"wharf/core/zone"
	"wharf/standin"
)

// The sample scenario: the ketch Merrow of the Skerrywick Harbour Trust, let by the day
// on three pretend platforms. Days are counted from the day on which the demo is loaded.
const (
	zoneName     = "America/Halifax"
	calendarName = "Ketch Merrow"
)

// sale is a booking of the scenario: from the day First up to, not including, Last.
type sale struct {
	guest       string
	first, last int
}

// platform is a pretend platform of the scenario.
type platform struct {
	name, feed, publication, color, secret string
	style                                  standin.Style
	sales                                  []sale
}

// scenario has exactly one real double booking: the Lindqvist party and the Harbour
// School both have the eleventh day. The Osei family leaves on the day on which the
// Fenn party arrives, which is none.
var scenario = []platform{
	{
		name: "Merrow Charter Desk", feed: "Ketch, Merrow Charter Desk", publication: "Ketch, for Merrow Charter Desk", color: "teal",
		secret: "merrow-2f6c91d04b", style: standin.Style{Sale: "%s", Block: "Blocked"},
		sales: []sale{{"Isa Thorne", -9, -7}, {"Osei family", 2, 5}, {"Lindqvist party", 10, 12}, {"R. Calloway", 24, 25}, {"Dunmore wedding", 40, 43}},
	},
	{
		name: "Strand & Tern Charters", feed: "Ketch, Strand & Tern", publication: "Ketch, for Strand & Tern", color: "rust",
		secret: "strand-8a17e3c55f", style: standin.Style{Timed: true, Zone: zoneName, Sale: "Charter: %s", Block: "Not bookable"},
		sales: []sale{{"Fenn party", 5, 7}, {"Harbour School", 11, 14}, {"P. Okafor", 19, 20}, {"Quay Singers", 33, 35}},
	},
	{
		name: "Kittiwake Berths", feed: "Ketch, Kittiwake Berths", publication: "Ketch, for Kittiwake Berths", color: "indigo",
		secret: "kittiwake-c40b7e912d", style: standin.Style{Sale: "Reserved (%s)", Block: "Closed"},
		sales: []sale{{"A. Moreau", -3, -1}, {"J. Brightwater", 0, 2}, {"Sandhu crew", 16, 18}, {"E. Vance", 28, 31}},
	},
}

// newPlatforms makes the pretend platforms, with the scenario's sales on those that have
// kept nothing yet.
func newPlatforms(dir string, now func() time.Time) ([]*standin.Platform, error) {
	loc, err := zone.Load(zoneName)
	if err != nil {
		return nil, err
	}
	today := span.DateOf(now().In(loc))
	var all []*standin.Platform
	for _, p := range scenario {
		s := &standin.Platform{Name: p.name, Secret: p.secret, Style: p.style, File: filepath.Join(dir, p.secret+".json"), Now: now,
			Client: &http.Client{Timeout: 20 * time.Second}}
		if err := s.Load(); err != nil {
			return nil, fmt.Errorf("what %s has kept cannot be read (%w): run `make clean` and begin anew", p.name, err)
		}
		if len(s.Bookings()) == 0 {
			for _, sale := range p.sales {
				if _, err := s.Book(sale.guest, (today + span.Date(sale.first)).String(), (today + span.Date(sale.last)).String()); err != nil {
					return nil, err
				}
			}
		}
		all = append(all, s)
	}
	return all, nil
}
