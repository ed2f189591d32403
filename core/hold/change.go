package hold

import (
	"slices"
	"strconv"
	"time"

	"wharf/core/rrule"
	"wharf/core/rules"
	"wharf/core/span"
)

// Scope is how much of a series a change is about.
type Scope string

// Scopes.
const (
	All  Scope = "all"
	One  Scope = "one"
	Rest Scope = "rest" // from one on
)

// Edit is what is to change; nil is left as it is.
type Edit struct {
	Title, Note, Start, End, Repeat *string
	Tentative, Closure              *bool
	Units                           *int
	Categories                      *[]string
	Class                           *rules.Class
	Expires                         *time.Time // zero: never
}

// Change is the hold after an edit of it, and where it is of the rest of a series, the hold that goes on from there,
// without a UID. of is the start of the instance at hand, as the key of an occurrence: a day, or an instant of UTC. A
// series that is moved takes what was left out of it along. The error is a *rules.FieldError.
func (h Hold) Change(c rules.Calendar, scope Scope, of string, edit Edit) (is Hold, goesOn *Hold, err error) {
	at, err := h.instance(c, scope, of)
	if err != nil {
		return h, nil, err
	}
	switch start, _ := parse(h.Start); {
	case h.Repeat == "" || scope == All || scope == Rest && at == start:
		is, err = h.edited(edit).Checked(c)
		return is, nil, err
	case scope == Rest:
		before, after := h.cut(at)
		if after, err = after.edited(edit).Checked(c); err != nil {
			return h, nil, err
		}
		return before, &after, nil
	}
	is, err = h.withInstance(at, edit)
	if err == nil {
		is, err = is.Checked(c)
	}
	return is, nil, err
}

// Cancel is the hold without one instance, or without those from one on; false where nothing would be left of it.
func (h Hold) Cancel(c rules.Calendar, scope Scope, of string) (is Hold, left bool, err error) {
	at, err := h.instance(c, scope, of)
	if err != nil {
		return h, false, err
	}
	switch start, _ := parse(h.Start); {
	case h.Repeat == "" || scope == All || scope == Rest && at == start:
		return h, false, nil
	case scope == Rest:
		is, _ = h.cut(at)
		return is, true, nil
	}
	h.Except = append(slices.Clone(h.Except), at.String())
	h.Instances = slices.DeleteFunc(slices.Clone(h.Instances), func(in Instance) bool { return in.Of == at.String() })
	is, err = h.Checked(c)
	return is, true, err
}

// instance is where the instance at hand begins by its rule.
func (h Hold) instance(c rules.Calendar, scope Scope, of string) (point, error) {
	if scope == All || h.Repeat == "" {
		return point{}, nil
	}
	if scope != One && scope != Rest {
		return point{}, wrong("scope", "scope %q is not known: use one, rest or all", scope)
	}
	if at, err := time.Parse(time.RFC3339, of); err == nil {
		loc, err := h.zone(c.Zone)
		if err != nil {
			return point{}, err
		}
		of = point{span.WallOf(at.In(loc)), false}.String()
	}
	at, err := parse(of)
	start, _ := parse(h.Start)
	if err != nil || at.dated != start.dated || slices.Contains(h.Except, at.String()) || !h.gives(at) {
		return point{}, wrong("occurrence", "%q is no start of this series", of)
	}
	return at, nil
}

// gives reports whether the rule has an instance there.
func (h Hold) gives(at point) bool { _, is := h.numberOf(at); return is }

// numberOf is how many instances the rule has before a point, and whether it has one there.
func (h Hold) numberOf(at point) (before int, is bool) {
	start, _ := parse(h.Start)
	rule, err := rrule.Parse(h.Repeat)
	if err != nil {
		return 0, false
	}
	until, ends := rule.Until()
	rule.Each(start.wall, start.wall, at.wall, start.dated, func(w span.Wall) bool {
		if w > at.wall || ends && w > until.Wall {
			return false
		}
		if is = w == at.wall; !is {
			before++
		}
		return !is
	})
	return before, is
}

// edited is the hold with what is to change of all of it.
func (h Hold) edited(e Edit) Hold {
	was, _ := parse(h.Start)
	set(&h.Title, e.Title)
	set(&h.Note, e.Note)
	set(&h.Repeat, e.Repeat)
	set(&h.Tentative, e.Tentative)
	set(&h.Closure, e.Closure)
	set(&h.Units, e.Units)
	set(&h.Categories, e.Categories)
	set(&h.Class, e.Class)
	set(&h.Expires, e.Expires)
	h.Instances = slices.Clone(h.Instances)
	for i := range h.Instances { // each keeps what is its own
		set(&h.Instances[i].Title, e.Title)
		set(&h.Instances[i].Tentative, e.Tentative)
	}
	if e.Start == nil && e.End == nil {
		return h
	}
	set(&h.Start, e.Start)
	set(&h.End, e.End)
	now, err := parse(h.Start)
	if err != nil || now.dated != was.dated { // what differed was about other hours
		h.Except, h.Instances = nil, nil
		return h
	}
	h.Except = slices.Clone(h.Except)
	for i, text := range h.Except {
		h.Except[i] = shifted(text, was, now)
	}
	for i, in := range h.Instances {
		in.Of, in.Start, in.End = shifted(in.Of, was, now), shifted(in.Start, was, now), shifted(in.End, was, now)
		h.Instances[i] = in
	}
	return h
}

func shifted(text string, was, now point) string {
	p, err := parse(text)
	if err != nil {
		return text
	}
	return p.moved(was, now).String()
}

func set[T any](field *T, to *T) {
	if to != nil {
		*field = *to
	}
}

// cut are a series up to an instance, and from it on.
func (h Hold) cut(at point) (before, after Hold) {
	start, _ := parse(h.Start)
	end, _ := parse(h.End)
	n, _ := h.numberOf(at)
	before, after = h, h
	after.UID = ""
	after.Start, after.End = at.String(), end.moved(start, at).String()
	if count, err := strconv.Atoi(partOf(h.Repeat, "COUNT")); err == nil {
		after.Repeat = withCount(h.Repeat, count-n)
	}
	before.Repeat = withCount(h.Repeat, n)
	before.Except, after.Except, before.Instances, after.Instances = nil, nil, nil, nil
	for _, text := range h.Except {
		if p, _ := parse(text); p.wall < at.wall {
			before.Except = append(before.Except, text)
		} else {
			after.Except = append(after.Except, text)
		}
	}
	for _, in := range h.Instances {
		if p, _ := parse(in.Of); p.wall < at.wall {
			before.Instances = append(before.Instances, in)
		} else {
			after.Instances = append(after.Instances, in)
		}
	}
	return before, after
}

// withInstance is a series of which one instance is changed.
func (h Hold) withInstance(at point, e Edit) (Hold, error) {
	if e.Repeat != nil || e.Note != nil || e.Closure != nil || e.Units != nil || e.Categories != nil || e.Class != nil || e.Expires != nil {
		return h, wrong("scope", "one of a series can have other times, another title, and be firm or not; anything else is changed for all, or from one on")
	}
	start, _ := parse(h.Start)
	end, _ := parse(h.End)
	in := Instance{Of: at.String(), Start: at.String(), End: end.moved(start, at).String(), Title: h.Title, Tentative: h.Tentative}
	h.Instances = slices.Clone(h.Instances)
	n := slices.IndexFunc(h.Instances, func(o Instance) bool { return o.Of == in.Of })
	if n >= 0 {
		in = h.Instances[n]
	} else {
		n = len(h.Instances)
		h.Instances = append(h.Instances, in)
	}
	set(&in.Start, e.Start)
	set(&in.End, e.End)
	set(&in.Title, e.Title)
	set(&in.Tentative, e.Tentative)
	h.Instances[n] = in
	return h, nil
}
