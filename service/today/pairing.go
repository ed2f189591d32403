package today

import (
	"context"

	"wharf/core/publish"
	"wharf/core/span"
	"wharf/service/store"
)

// Pairing is a feed that shows what only one publication carried, though it is of another platform than that is for: the two
// may be one.
type Pairing struct {
	Feed        int64
	Calendar    int64
	Platform    int64 // of the feed
	Publication store.Publication
	Shared      int
}

// mostPaired is on how many calendars pairings are looked for.
const mostPaired = 20

// readPairings looks for them where a calendar misses a direction both ways: a platform that is read and gets nothing, and one that
// is given it and not read.
func (p *Page) readPairings(ctx context.Context, db *store.Store) error {
	in, looked := map[int64]bool{}, map[int64]bool{}
	for _, m := range p.Missing {
		in[m.Calendar] = in[m.Calendar] || m.Way == In
	}
	for _, m := range p.Missing {
		if m.Way != Out || !in[m.Calendar] || len(looked) >= mostPaired && !looked[m.Calendar] {
			continue
		}
		looked[m.Calendar] = true
		found, err := pairingOf(ctx, db, m)
		if err != nil {
			return err
		}
		if found != nil {
			p.Pairings = append(p.Pairings, *found)
		}
	}
	return nil
}

// pairingOf is the publication that the feeds of a platform show; nil for none.
func pairingOf(ctx context.Context, db *store.Store, m Direction) (*Pairing, error) {
	publications, err := db.PublishedOn(ctx, m.Calendar)
	if err != nil {
		return nil, err
	}
	ids := make([]int64, len(publications))
	for i, p := range publications {
		ids[i] = p.ID
	}
	carried, err := db.CarriedBy(ctx, ids)
	if err != nil {
		return nil, err
	}
	all := make([]publish.Fed, len(publications))
	for i, id := range ids {
		all[i] = publish.Fed{UIDs: map[string]bool{}, Spans: map[span.Span]bool{}}
		for _, r := range carried[id] {
			all[i].UIDs[r.SentUID()], all[i].Spans[r.Span] = true, true
		}
	}
	shown, err := db.ShownBy(ctx, m.Calendar, m.Platform)
	if err != nil || len(shown) == 0 {
		return nil, err
	}
	var uids []string
	var spans []span.Span
	for _, b := range shown {
		uids, spans = append(uids, b.UID), append(spans, b.Span())
	}
	of, n := publish.Paired(uids, spans, all)
	if of < 0 {
		return nil, nil
	}
	return &Pairing{Feed: shown[0].FeedID, Calendar: m.Calendar, Platform: m.Platform, Publication: publications[of], Shared: n}, nil
}
