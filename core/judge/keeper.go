package judge

import (
	"slices"
	"time"

	"wharf/core/carried"
	"wharf/core/echo"
	"wharf/core/publish"
	"wharf/core/span"
)

// keeper says what is kept from whom: its own from each recipient, and what may be a
// reflection from those that may have made it, or that have been sent what it may reflect.
// Else two blocks of one cancelled sale would keep each other alive.
type keeper struct {
	bookings []Booking
	verdicts []Verdict
	own      map[sold]bool
	shows    map[shownBy][]string // what it may reflect; "" for nothing
	read     map[int64]time.Time  // of each platform's feeds, the earliest last good reading
	gone     map[sameUID]bool     // was on a feed of the platform until lately
	delay    time.Duration
	held     map[int64]map[string]carried.Holding // by publication and UID: when it was held last
}

type sold struct{ booking, platform int64 }

type sameUID struct {
	uid      string
	platform int64
}

type shownBy struct {
	platform int64
	span     span.Span
}

func newKeeper(f Facts, verdicts []Verdict) *keeper {
	k := &keeper{bookings: f.Bookings, verdicts: verdicts, own: map[sold]bool{}, shows: map[shownBy][]string{}, read: map[int64]time.Time{}, gone: map[sameUID]bool{}, delay: f.echoRules().Delay,
		held: map[int64]map[string]carried.Holding{}}
	if k.delay == 0 {
		k.delay = echo.DefaultDelay
	}
	read, platform := map[int64]time.Time{}, map[int64]int64{}
	for _, b := range f.Bookings {
		platform[b.Feed] = b.Platform
	}
	for _, feed := range f.Feeds {
		read[feed.ID] = feed.Read
		for _, g := range feed.Gone {
			k.gone[sameUID{g.UID, platform[feed.ID]}] = g.UID != ""
		}
	}
	for i, b := range f.Bookings {
		id := b.ID
		if verdicts[i].Kind == OneWith { // its recipient's own if either origin is
			id = verdicts[i].With
		}
		k.own[sold{id, b.Platform}] = true
		if verdicts[i].Kind != Echo {
			at := shownBy{b.Platform, b.Span}
			k.shows[at] = append(k.shows[at], verdicts[i].Evidence.Item)
		}
		if at, seen := k.read[b.Platform]; !seen || read[b.Feed].Before(at) {
			k.read[b.Platform] = read[b.Feed]
		}
	}
	return k
}

// offers are the bookings that may go out to the recipient of a publication, and its own.
func (k *keeper) offers(p Publication) (all []publish.Offer) {
	for i, b := range k.bookings {
		v := k.verdicts[i]
		own := !p.Person && k.isOwn(b, p.Platform)
		// What may be a reflection on the recipient is not taken for its own: it would hang on what is sent because of it.
		if !v.Kind.counts() || own && v.Kind != Counts || !own && !p.Person && k.keeps(i, p) {
			continue
		}
		spans := v.spans(b)
		all = append(all, publish.Offer{UID: b.Minted, Spans: spans, Units: b.Units, Tentative: b.Tentative, Blocks: b.Blocks, Own: own, Feed: b.Feed,
			Title: b.Title, Categories: b.Categories, Discreet: b.Discreet, Alarms: b.Alarms, Whole: len(spans) == 1 && spans[0] == b.Span, Source: b.Source, Occurrence: b.Key})
	}
	return all
}

// isOwn reports whether a platform shows the booking, or did until lately.
func (k *keeper) isOwn(b Booking, platform int64) bool {
	return k.own[sold{b.ID, platform}] || k.gone[sameUID{b.UID, platform}]
}

// keeps reports whether a booking that is not its own is kept from the recipient of a publication.
func (k *keeper) keeps(i int, p Publication) bool {
	b, v := k.bookings[i], k.verdicts[i]
	switch {
	case v.Evidence.Kind == echo.Paired && v.Kind == Unclear:
		return v.Evidence.Platform == p.Platform || len(k.shows[shownBy{p.Platform, b.Span}]) > 0
	case v.Kind == Unclear:
		// Each recipient is the platform of its possible original, or was sent that.
		return true
	case v.Kind != Stale:
		return false
	}
	// A forgotten block it may have once its feed was read without that, after it got a version
	// without it.
	holding, sent := k.heldBy(p)[v.Evidence.Item]
	gone := !sent || !holding.To.IsZero() && k.read[p.Platform].After(holding.To.Add(k.delay))
	// What its feed shows may reflect this very booking: else it would be taken back once it is
	// reflected, and given again.
	return !gone || slices.ContainsFunc(k.shows[shownBy{p.Platform, b.Span}], func(item string) bool { return item != b.Minted })
}

// heldBy is everything that a publication ever carried, by UID, with when its recipient held
// it last.
func (k *keeper) heldBy(p Publication) map[string]carried.Holding {
	if held, known := k.held[p.ID]; known {
		return held
	}
	held := map[string]carried.Holding{}
	own, _ := carried.OfRecipient(p.Pickups, p.Reader)
	for i, h := range carried.Holdings(p.History, own) {
		held[p.History[i].UID] = h
	}
	k.held[p.ID] = held
	return held
}
