package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"wharf/core/hold"
	"wharf/core/judge"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/service/document"
	"wharf/service/store"
)

// Adoption says which bookings of a feed are copied as holds: those that are on the calendar, not over, and fit all of what
// is said.
type Adoption struct {
	Calendar int64
	Bookings []int64   // these; none: all
	Words    string    // that are in their titles
	Category string    // that they have
	Within   span.Span // that they overlap, on the calendar's axis; zero: anywhere
	Undo     bool      // instead: the copies are cancelled
}

// Adopt copies entries of a feed as holds, which keep its UIDs, so that original and copy are one booking; a trial copies none.
// With Undo what was copied is cancelled.
func (d *Desk) Adopt(ctx context.Context, account string, feed int64, which Adoption, trial bool) (done HoldImport, err error) {
	if _, err := d.Store.Feed(ctx, feed); err != nil {
		return done, err
	}
	act := func(tx *store.Tx) error {
		calendar, err := tx.LockCalendar(which.Calendar)
		if err != nil {
			return fieldErrorf("calendar", err, "there is no calendar %d", which.Calendar)
		}
		if which.Undo {
			done, err = d.giveUp(ctx, tx, account, feed, which.Calendar)
			return err
		}
		done, err = d.adopt(ctx, tx, account, feed, calendar, which)
		return err
	}
	if trial {
		effects, err := d.Combiner.Try(ctx, []int64{which.Calendar}, act)
		done.Effects = effects
		return done, err
	}
	if err := d.Store.Tx(ctx, act); err != nil {
		return done, err
	}
	d.Combiner.Calendars(ctx, which.Calendar)
	return done, nil
}

func (d *Desk) adopt(ctx context.Context, tx *store.Tx, account string, feed int64, calendar store.Calendar, which Adoption) (done HoldImport, err error) {
	k, err := rules.NewCalendar(calendar.Zone, calendar.Grain, calendar.Capacity)
	if err != nil {
		return done, err
	}
	rows, err := tx.BookingsOf(calendar.ID, feed)
	if err != nil {
		return done, err
	}
	there, err := tx.AdoptedFrom(feed)
	if err != nil {
		return done, err
	}
	chosen := which.chosen(rows, calendar, span.Point(d.Now(), k.Grain, k.Zone))
	for _, h := range there { // they are copied already
		if h.CalendarID == calendar.ID {
			delete(chosen, h.UID)
		}
	}
	doc, err := document.Last(ctx, tx, feed)
	if err != nil {
		return done, err
	}
	var holds []hold.Hold
	if doc != nil {
		holds, done.Left = copies(doc, chosen, k, d)
	}
	if done.Entered = len(holds); len(holds) == 0 {
		return done, refused("bookings", "there is nothing to copy: no booking to come is like that, or all are copied already")
	}
	_, err = d.addHolds(ctx, tx, account, calendar, feed, holds)
	return done, err
}

// chosen are the bookings that are to be copied, by UID; of a series, one of them.
func (a Adoption) chosen(rows []store.Booking, calendar store.Calendar, now int64) map[string]store.Booking {
	all := map[string]store.Booking{}
	for _, b := range rows {
		switch {
		case b.RemovedAt != nil || b.UID == "" || b.EndPoint <= now || b.Verdict == judge.Echo || b.Verdict == judge.OneWith:
		case len(a.Bookings) > 0 && !slices.Contains(a.Bookings, b.ID):
		case a.Within != span.Span{} && !a.Within.Overlaps(b.Span()):
		case a.Category != "" && !slices.ContainsFunc(strings.Split(b.Categories, "\n"), func(c string) bool { return strings.EqualFold(c, a.Category) }):
		case !HasWords(b.Title, a.Words):
		default:
			all[b.UID] = b
		}
	}
	return all
}

// HasWords reports whether each of some words is in a text, in capitals or not.
func HasWords(text, words string) bool {
	text = strings.ToLower(text)
	for word := range strings.FieldsSeq(strings.ToLower(words)) {
		if !strings.Contains(text, word) {
			return false
		}
	}
	return true
}

// copies are holds of the entries that were chosen, counted as their bookings are.
func copies(doc *recur.Document, chosen map[string]store.Booking, k rules.Calendar, d *Desk) (holds []hold.Hold, left []string) {
	some := *doc
	for _, e := range doc.Entries {
		b, wanted := chosen[e.UID]
		if !wanted {
			continue
		}
		some.Entries = []recur.Entry{e}
		made, why := hold.FromDocument(&some, k, d.Now())
		left = append(left, why...)
		if len(made) > 1 || len(made) == 1 && (made[0].Repeat == "") != (b.Occurrence == "") {
			left = append(left, fmt.Sprintf("%q has no rule that can be kept: enter it by hand.", e.Title()))
			continue
		}
		for _, h := range made {
			h.Units, h.Tentative = b.Units, b.Tentative
			holds = append(holds, h)
		}
	}
	return holds, left
}

// giveUp cancels what was copied from a feed.
func (d *Desk) giveUp(ctx context.Context, tx *store.Tx, account string, feed, calendar int64) (done HoldImport, err error) {
	there, err := tx.AdoptedFrom(feed)
	if err != nil {
		return done, err
	}
	for _, h := range there {
		if h.CalendarID != calendar {
			continue
		}
		if err := d.editHold(ctx, tx, By{account, h.Revision}, h.ID, HoldEdit{Cancel: true}); err != nil {
			return done, err
		}
		done.Entered++
	}
	if done.Entered == 0 {
		return done, refused("bookings", "nothing of this feed is copied on this calendar")
	}
	return done, nil
}

// KeepAsHolds copies all that a feed has to come, on every calendar on which it blocks, and then removes the feed: so nothing
// is open in between.
func (d *Desk) KeepAsHolds(ctx context.Context, account string, feed int64) error {
	links, err := d.Store.LinksOf(ctx, feed)
	if err != nil {
		return err
	}
	for _, l := range links {
		if l.Role != string(rules.Blocks) {
			continue
		}
		var nothing *rules.FieldError
		if _, err := d.Adopt(ctx, account, feed, Adoption{Calendar: l.CalendarID}, false); err != nil && !errors.As(err, &nothing) {
			return err
		}
	}
	return d.takeOut(ctx, feed)
}
