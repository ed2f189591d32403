package combine

import (
	"context"
	"errors"
	"slices"

	"wharf/core/carried"
	"wharf/core/conflict"
	"wharf/core/judge"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/service/store"
)

// EffectKind is what kind of thing a change would lead to.
type EffectKind string

const (
	Opens     EffectKind = "opens"     // a conflict
	Clears    EffectKind = "clears"    // a conflict
	Becomes   EffectKind = "becomes"   // a conflict of another kind
	Grows     EffectKind = "grows"     // a conflict, by a booking
	Publishes EffectKind = "publishes" // in a publication
	Withdraws EffectKind = "withdraws" // from a publication
)

// Effect is one thing that a change would lead to.
type Effect struct {
	Kind        EffectKind
	Calendar    store.Calendar
	Conflict    int64         // 0: it would be a new one
	Is          conflict.Kind // of the conflict, as it would be then
	Span        span.Span
	Bookings    []int64 // that clash; those that the change itself would make are not there any more
	Publication int64
	Platform    int64 // the recipient's
}

// errTried ends the transaction of a trial, so that nothing of it stays.
var errTried = errors.New("tried")

// Try makes a change in a transaction, judges the calendars before and after it, and takes it
// back: it says what the change would lead to.
func (c *Combiner) Try(ctx context.Context, calendars []int64, change func(*store.Tx) error) (effects []Effect, err error) {
	err = c.Store.Tx(ctx, func(tx *store.Tx) error {
		effects = nil
		before := make([]concluded, len(calendars))
		for i, id := range calendars {
			if before[i], err = c.conclude(ctx, tx, id); err != nil {
				return err
			}
		}
		if err := change(tx); err != nil {
			return err
		}
		for i, id := range calendars {
			after, err := c.conclude(ctx, tx, id)
			if err != nil {
				return err
			}
			effects = append(effects, before[i].to(after)...)
		}
		return errTried
	})
	if errors.Is(err, errTried) {
		err = nil
	}
	return effects, err
}

// Case is a calendar as a case: what its verdicts rest on. Nothing is written.
func (c *Combiner) Case(ctx context.Context, calendar int64, about string, titles bool) (found judge.Case, err error) {
	platforms, err := c.Store.AllPlatforms(ctx)
	if err != nil {
		return found, err
	}
	names := map[int64]string{}
	for _, p := range platforms {
		names[p.ID] = p.Name
	}
	err = c.Store.Tx(ctx, func(tx *store.Tx) error {
		is, err := c.conclude(ctx, tx, calendar)
		if err != nil {
			return err
		}
		found = judge.CaseOf(is.facts, is.result, about, names, titles)
		return errTried
	})
	if errors.Is(err, errTried) {
		err = nil
	}
	return found, err
}

// concluded is a calendar with its facts and what they lead to.
type concluded struct {
	calendar store.Calendar
	facts    judge.Facts
	result   judge.Result
}

func (c *Combiner) conclude(ctx context.Context, tx *store.Tx, id int64) (is concluded, err error) {
	if is.calendar, err = tx.LockCalendar(id); err != nil {
		return is, err
	}
	if is.facts, _, err = c.facts(ctx, tx, is.calendar); err != nil {
		return is, err
	}
	is.result, err = judge.Judge(ctx, is.facts)
	return is, err
}

// to is what differs between two conclusions on one calendar.
func (is concluded) to(then concluded) (effects []Effect) {
	for i, k := range then.result.Conflicts {
		was, unsettled, had := conflict.Kind(""), false, k.Bookings
		if i < len(is.facts.Conflicts) {
			was, unsettled, had = is.result.Conflicts[i].Kind, shown(is.result.Conflicts[i]), is.result.Conflicts[i].Bookings
		} else if n := slices.IndexFunc(is.result.Conflicts[len(is.facts.Conflicts):], func(o judge.Conflict) bool { return sameIDs(o.Bookings, k.Bookings) }); n >= 0 {
			was, unsettled = is.result.Conflicts[len(is.facts.Conflicts)+n].Kind, true
		}
		e := Effect{Calendar: then.calendar, Conflict: k.ID, Is: k.Kind, Span: k.Span, Bookings: k.Bookings}
		switch {
		case shown(k) && !unsettled:
			e.Kind = Opens
		case !shown(k) && unsettled:
			e.Kind = Clears
		case shown(k) && was != k.Kind:
			e.Kind = Becomes
		case shown(k) && slices.ContainsFunc(k.Bookings, func(id int64) bool { return !slices.Contains(had, id) }):
			e.Kind = Grows
		default:
			continue
		}
		effects = append(effects, e)
	}
	for i, r := range then.result.Renditions {
		p := then.facts.Publications[i]
		before, after := spansIn(p.History, is.result.Renditions[i].Change, is.facts.Calendar), spansIn(p.History, r.Change, then.facts.Calendar)
		add := func(kind EffectKind, these, those []span.Span) {
			for _, s := range these {
				if !slices.Contains(those, s) {
					effects = append(effects, Effect{Kind: kind, Calendar: then.calendar, Span: s, Publication: p.ID, Platform: p.Platform})
				}
			}
		}
		add(Publishes, after, before)
		add(Withdraws, before, after)
	}
	return effects
}

func shown(k judge.Conflict) bool { return slices.Contains(judge.Unsettled, k.State) }

// spansIn are those that a publication shows after a change.
func spansIn(history []carried.Row, change carried.Change, k rules.Calendar) (all []span.Span) {
	for _, r := range carried.Apply(history, change) {
		all = append(all, r.On(k.Grain, k.Zone))
	}
	return all
}
