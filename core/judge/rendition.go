package judge

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"wharf/core/carried"
	"wharf/core/publish"
)

// renditionsOf is the next state of each publication. next is when something is known to change, with what is called off.
func renditionsOf(ctx context.Context, f Facts, verdicts []Verdict, next time.Time) ([]Rendition, time.Time) {
	k := newKeeper(f, verdicts)
	var all []Rendition
	for _, p := range f.Publications {
		if ctx.Err() != nil {
			break
		}
		r := Rendition{ID: p.ID, Version: p.Version}
		if !p.Revoked {
			var until time.Time
			r, until = renditionOf(f, p, k)
			if next.IsZero() || !until.IsZero() && until.Before(next) {
				next = until
			}
		}
		all = append(all, r)
	}
	return all, next
}

// itemsOf is what a publication shows of the calendar.
func itemsOf(f Facts, p Publication, k *keeper) []publish.Item {
	items := publish.Items(p.Rules, f.Calendar.Capacity, p.Window, p.Laid, k.offers(p))
	if p.Of != "" {
		items = publish.Of(p.Of, p.CalendarID, items)
	}
	return items
}

// partsOf is what the publications of other calendars show of this one, in order.
func partsOf(f Facts, verdicts []Verdict) (all [][]publish.Item) {
	if len(f.Parts) == 0 {
		return nil
	}
	k := newKeeper(f, verdicts)
	for _, p := range f.Parts {
		items := itemsOf(f, p, k)
		for i := range items {
			items[i].Grain = f.Calendar.Grain
		}
		slices.SortFunc(items, func(a, b publish.Item) int { return cmp.Or(a.Span.Compare(b.Span), strings.Compare(a.UID, b.UID)) })
		all = append(all, items)
	}
	return all
}

// renditionOf is the next state of a publication; until is when it is to be rendered though nothing has changed, zero for never.
func renditionOf(f Facts, p Publication, k *keeper) (r Rendition, until time.Time) {
	r = Rendition{ID: p.ID, Version: p.Version}
	var want []carried.Wanted
	shown := map[carried.Name]publish.Shown{}
	for _, item := range append(itemsOf(f, p, k), p.Others...) {
		if item.Grain == f.Calendar.Grain {
			item.Grain = ""
		}
		want = append(want, carried.Wanted{Item: item.Item, Least: item.Least})
		shown[item.Name] = item.Shown
	}
	r.Change = carried.Advance(p.History, want, p.Version+1, f.Now)
	keep := time.Duration(p.Rules.Cancelled) * time.Hour
	history, versions := p.History, p.Versions
	if !r.Change.Empty() {
		history, versions = carried.Through(history, r.Change, p.Version+1), append(slices.Clone(versions), carried.Version{Number: p.Version + 1, At: f.Now})
	}
	shows := func(r carried.Row) bool { return r.On(f.Calendar.Grain, f.Calendar.Zone).Overlaps(p.Window) }
	off, until := publish.CalledOff(history, versions, shows, keep, f.Now)
	if r.Change.Empty() && p.Version > 0 && !p.Renamed && slices.Equal(off, lastCalledOff(p, shows, keep)) {
		return r, until
	}
	r.Version = p.Version + 1
	r.Body = publish.Render(publish.Document{Name: p.Name, Rules: p.Rules, Grain: f.Calendar.Grain, Rows: carried.Apply(p.History, r.Change), Shown: shown, CalledOff: off})
	return r, until
}

// lastCalledOff is what the newest version shows as called off.
func lastCalledOff(p Publication, shows func(carried.Row) bool, keep time.Duration) []carried.Row {
	if len(p.Versions) == 0 {
		return nil
	}
	off, _ := publish.CalledOff(p.History, p.Versions, shows, keep, p.Versions[len(p.Versions)-1].At)
	return off
}
