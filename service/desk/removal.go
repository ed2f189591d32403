package desk

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"

	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/combine"
	"wharf/service/secret"
	"wharf/service/store"
)

// LossKind says what kind of thing a removal would lose.
type LossKind string

const (
	// CountsNoMore: bookings to come would count no more on a calendar.
	CountsNoMore LossKind = "counts_no_more"
	// SoldAgain: one who imports a calendar could sell again what it is sent as taken.
	SoldAgain LossKind = "sold_again"
	// ConflictsUnseen: conflicts of a calendar would no longer be shown.
	ConflictsUnseen LossKind = "conflicts_unseen"
	// Unwatched: bookings to come would be watched by nobody.
	Unwatched LossKind = "unwatched"
	// LinksGone: the links of a calendar would be gone, and what recipients block by them.
	LinksGone LossKind = "links_gone"
	// RecordLost: the record of conflicts would be lost.
	RecordLost LossKind = "record_lost"
	// BlocksLost: a recipient would lose what it blocks by a link.
	BlocksLost LossKind = "blocks_lost"
)

// Loss is one thing that a removal would lose.
type Loss struct {
	Kind       LossKind
	Calendar   string      `json:",omitempty"` // its name
	Grain      span.Grain  `json:",omitempty"`
	Bookings   int64       `json:",omitempty"`
	Points     int64       `json:",omitempty"` // that the bookings take: days or nights, or seconds
	Conflicts  int64       `json:",omitempty"`
	Recipients []string    `json:",omitempty"` // platforms
	Spans      []span.Span `json:",omitempty"` // the first of those that would be open, on the calendar's axis
	More       int         `json:",omitempty"` // of them
}

// mostSpans is how many of the spans that would be open are named.
const mostSpans = 6

// WouldLoseError refuses a removal until the person has seen what it would lose: it goes
// through when Confirm is given with it, as long as that is still what would be lost.
type WouldLoseError struct {
	Losses  []Loss
	Confirm string
}

func (e *WouldLoseError) Error() string { return fmt.Sprintf("%d things would be lost", len(e.Losses)) }

// confirmed is the error of a removal that was not confirmed with these very losses, so that
// one who saw others is told again.
func confirmed(confirm string, losses []Loss) error {
	if len(losses) == 0 {
		return nil
	}
	text, err := json.Marshal(losses)
	if err != nil {
		return err
	}
	sum := sha256.Sum256(text)
	key := hex.EncodeToString(sum[:8])
	if confirm == key {
		return nil
	}
	return &WouldLoseError{losses, key}
}

// ahead is what a feed (0: all of them) has to come on a calendar.
func (d *Desk) ahead(ctx context.Context, calendar store.Calendar, feed int64, kind LossKind) (Loss, error) {
	loc, err := zone.Load(calendar.Zone)
	if err != nil {
		return Loss{}, err
	}
	grain := span.Grain(calendar.Grain)
	a, err := d.Store.AheadOf(ctx, calendar.ID, feed, span.Point(d.Now(), grain, loc))
	return Loss{Kind: kind, Calendar: calendar.Name, Grain: grain, Bookings: int64(a.Bookings), Points: a.Points}, err
}

// recipientsOf names the platforms that import a calendar.
func (d *Desk) recipientsOf(ctx context.Context, calendar int64) ([]string, error) {
	all, err := d.Store.Publications(ctx)
	if err != nil {
		return nil, err
	}
	platforms, err := d.Store.AllPlatforms(ctx)
	if err != nil {
		return nil, err
	}
	names := map[int64]string{}
	for _, p := range platforms {
		names[p.ID] = p.Name
	}
	var recipients []string
	for _, p := range all {
		if p.CalendarID == calendar {
			recipients = append(recipients, names[p.PlatformID])
		}
	}
	return recipients, nil
}

// lossOfLink is what a calendar would lose without a feed.
func (d *Desk) lossOfLink(ctx context.Context, calendar, feed int64) ([]Loss, error) {
	row, err := d.Store.Calendar(ctx, calendar)
	if err != nil {
		return nil, err
	}
	ahead, err := d.ahead(ctx, row, feed, CountsNoMore)
	if err != nil || ahead.Bookings == 0 {
		return nil, err
	}
	losses := []Loss{ahead}
	opened, err := d.openedBy(ctx, row, feed)
	if err != nil {
		return nil, err
	}
	losses = append(losses, opened...)
	conflicts, err := d.Store.ConflictsWithFeed(ctx, calendar, feed)
	if conflicts > 0 {
		losses = append(losses, Loss{Kind: ConflictsUnseen, Calendar: row.Name, Conflicts: conflicts})
	}
	return losses, err
}

// openedBy is what each recipient of a calendar would be told is free there without a feed.
func (d *Desk) openedBy(ctx context.Context, calendar store.Calendar, feed int64) (losses []Loss, err error) {
	effects, err := d.Combiner.Try(ctx, []int64{calendar.ID}, func(tx *store.Tx) error { return tx.RemoveLink(calendar.ID, feed, d.Now()) })
	if err != nil {
		return nil, err
	}
	platforms, err := d.Store.AllPlatforms(ctx)
	if err != nil {
		return nil, err
	}
	for _, p := range platforms {
		one := Loss{Kind: SoldAgain, Calendar: calendar.Name, Grain: span.Grain(calendar.Grain), Recipients: []string{p.Name}}
		for _, e := range effects {
			switch {
			case e.Kind != combine.Withdraws || e.Platform != p.ID:
			case len(one.Spans) < mostSpans:
				one.Spans = append(one.Spans, e.Span)
			default:
				one.More++
			}
		}
		if len(one.Spans) > 0 {
			losses = append(losses, one)
		}
	}
	return losses, nil
}

// RemoveLink takes a feed off a calendar.
func (d *Desk) RemoveLink(ctx context.Context, calendar, feed int64, confirm string) error {
	losses, err := d.lossOfLink(ctx, calendar, feed)
	if err == nil {
		err = confirmed(confirm, losses)
	}
	if err != nil {
		return err
	}
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		if _, err := tx.LockFeed(feed); err != nil {
			return err
		}
		if _, err := tx.LockLink(calendar, feed); err != nil {
			return err
		}
		return errors.Join(tx.RemoveLink(calendar, feed, d.Now()), tx.Changed(store.TopicCalendar, calendar))
	})
	if err != nil {
		return err
	}
	d.Combiner.Calendars(ctx, calendar)
	return nil
}

// RemoveFeed removes a feed; its bookings leave every calendar.
func (d *Desk) RemoveFeed(ctx context.Context, id int64, confirm string) error {
	if _, err := d.Store.Feed(ctx, id); err != nil {
		return err
	}
	links, err := d.Store.LinksOf(ctx, id)
	if err != nil {
		return err
	}
	var losses []Loss
	for _, l := range links {
		more, err := d.lossOfLink(ctx, l.CalendarID, id)
		if err != nil {
			return err
		}
		losses = append(losses, more...)
	}
	if err := confirmed(confirm, losses); err != nil {
		return err
	}
	return d.takeOut(ctx, id)
}

// takeOut removes a feed. What was copied from it stands by itself.
func (d *Desk) takeOut(ctx context.Context, id int64) error {
	var links []store.Link
	err := d.Store.Tx(ctx, func(tx *store.Tx) error {
		row, err := tx.LockFeed(id)
		if err != nil {
			return err
		}
		if _, err := tx.BreakClaim(row); err != nil {
			return err
		}
		if links, err = tx.LinksOfFeed(id); err != nil {
			return err
		}
		return errors.Join(tx.ForgetOriginals(id), tx.RemoveFeed(id, d.Now()), tx.Changed(store.TopicFeed, id))
	})
	if err != nil {
		return err
	}
	d.Combiner.Calendars(ctx, calendarsOf(links)...)
	return nil
}

// RemoveCalendar removes a calendar and revokes the links of its publications.
func (d *Desk) RemoveCalendar(ctx context.Context, id int64, confirm string) error {
	row, err := d.Store.Calendar(ctx, id)
	if err != nil {
		return err
	}
	ahead, err := d.ahead(ctx, row, 0, Unwatched)
	if err != nil {
		return err
	}
	var losses []Loss
	if ahead.Bookings > 0 {
		losses = append(losses, ahead)
	}
	recipients, err := d.recipientsOf(ctx, id)
	if err != nil {
		return err
	}
	if len(recipients) > 0 {
		losses = append(losses, Loss{Kind: LinksGone, Calendar: row.Name, Recipients: recipients})
	}
	conflicts, err := d.Store.CountConflicts(ctx)
	if err != nil {
		return err
	}
	if n := conflicts[id]; n > 0 {
		losses = append(losses, Loss{Kind: RecordLost, Calendar: row.Name, Conflicts: int64(n)})
	}
	if err := confirmed(confirm, losses); err != nil {
		return err
	}
	var publications []int64
	err = d.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		if _, err := tx.LockCalendar(id); err != nil {
			return err
		}
		publications, err = tx.RemoveCalendar(id, d.Now())
		return err
	})
	d.revoked(publications...)
	return err
}

// RemovePublication revokes the link of a publication.
func (d *Desk) RemovePublication(ctx context.Context, id int64, confirm string) error {
	return d.withoutLink(ctx, id, confirm, func(tx *store.Tx, row store.Publication) error { return tx.RemovePublication(row, d.Now()) })
}

// RenewLink makes a new link for a publication and revokes the one that it has.
func (d *Desk) RenewLink(ctx context.Context, account string, id int64, confirm string) error {
	link := secret.New()
	return d.withoutLink(ctx, id, confirm, func(tx *store.Tx, row store.Publication) error {
		e := d.editing(By{Account: account, Seen: row.Revision}, store.TopicPublication, id, 0)
		e.begin(row.Revision)
		was, now := "one", "another" // neither is written down
		set(e, "link", &was, &now)
		old := row.SecretHash
		row.SecretHash, row.SecretCipher = secret.Hash(link), d.Box.Seal(secretPlace, link)
		return errors.Join(e.save(tx, &row.Revision), tx.RenewLink(row, old, d.Now()))
	})
}

// withoutLink does something by which the present link of a publication ends, once it was confirmed what its recipient
// loses by that.
func (d *Desk) withoutLink(ctx context.Context, id int64, confirm string, do func(*store.Tx, store.Publication) error) error {
	row, err := d.Store.Publication(ctx, id)
	if err != nil {
		return err
	}
	counts, err := d.Store.CountPublications(ctx, id)
	if err != nil {
		return err
	}
	platform, err := d.Store.Platform(ctx, row.PlatformID)
	if err != nil {
		return err
	}
	var losses []Loss
	if counts[id].Pickups > 0 {
		losses = []Loss{{Kind: BlocksLost, Bookings: int64(counts[id].Items), Recipients: []string{platform.Name}}}
	}
	if err := confirmed(confirm, losses); err != nil {
		return err
	}
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		row, err := tx.LockPublication(id)
		if err != nil {
			return err
		}
		return do(tx, row)
	})
	d.revoked(id)
	return err
}

// InUseError says what a platform is in use by, by name.
type InUseError struct{ Feeds, Publications []string }

func (e *InUseError) Error() string { return "the platform is in use" }

// RemovePlatform removes a platform that nothing belongs to; else an *InUseError.
func (d *Desk) RemovePlatform(ctx context.Context, id int64) error {
	feeds, err := d.Store.Feeds(ctx)
	if err != nil {
		return err
	}
	publications, err := d.Store.Publications(ctx)
	if err != nil {
		return err
	}
	used := &InUseError{}
	for _, f := range feeds {
		if f.PlatformID == id {
			used.Feeds = append(used.Feeds, f.Name)
		}
	}
	for _, p := range publications {
		if p.PlatformID == id {
			used.Publications = append(used.Publications, p.Name)
		}
	}
	if len(used.Feeds)+len(used.Publications) > 0 {
		return used
	}
	return d.Store.Tx(ctx, func(tx *store.Tx) error {
		row, err := tx.LockPlatform(id)
		if err != nil {
			return err
		}
		now := d.Now()
		row.RemovedAt = &now
		return errors.Join(tx.SavePlatform(row), tx.Changed(store.TopicPlatform, id))
	})
}
