package booking

import (
	"slices"

	"wharf/core/recur"
	"wharf/core/span"
)

// Origin is what decides whether bookings of several feeds are one.
type Origin struct {
	Feed     int64
	UID, Key string
	Span     span.Span
	Revision recur.Revision
}

// mostAlike is how many bookings of one UID and RECURRENCE-ID are compared with each other.
// Where there are more, the UID names none of them, and only exact copies are one.
const mostAlike = 64

// Unify returns, for each origin, the index of the one whose details stand for the
// booking: its own index, unless another feed has the same UID and RECURRENCE-ID with
// the same span, or with an overlapping one and another revision; then the later revision
// stands. Spans that differ without an order between the revisions stay two bookings.
// It takes as many steps as there are origins, for each feed.
func Unify(origins []Origin) []int {
	u := unifier{origins: origins, stands: make([]int, len(origins)), named: map[name][]int{}, copies: map[place][]int{}}
	for i, o := range origins {
		u.stands[i] = i
		if o.UID != "" {
			u.place(i)
		}
	}
	for i := range u.stands {
		u.stands[i] = u.stand(i)
	}
	return u.stands
}

type name struct{ uid, key string }

type place struct {
	name
	span span.Span
}

// unifier is the state of one Unify.
type unifier struct {
	origins []Origin
	stands  []int
	named   map[name][]int  // those that stand for bookings, the first so many
	copies  map[place][]int // the same by their span, one of each feed
}

// place finds what the origin is one with among those before it.
func (u *unifier) place(i int) {
	o := u.origins[i]
	at := place{name{o.UID, o.Key}, o.Span}
	for _, l := range u.copies[at] {
		if l = u.stand(l); u.origins[l].Feed != o.Feed {
			u.join(i, l)
			return
		}
	}
	for _, l := range u.named[at.name] {
		other := u.origins[l]
		if u.stands[l] == l && other.Feed != o.Feed && other.Span.Overlaps(o.Span) && o.Revision.Compare(other.Revision) != 0 {
			u.join(i, l)
			return
		}
	}
	u.lead(i)
}

// stand is what stands for an origin by now.
func (u *unifier) stand(l int) int {
	for u.stands[l] != l {
		l = u.stands[l]
	}
	return l
}

// join makes two one: the later revision stands for both.
func (u *unifier) join(i, l int) {
	if u.origins[i].Revision.Compare(u.origins[l].Revision) <= 0 {
		u.stands[i] = l
		return
	}
	u.stands[l] = i
	u.lead(i)
}

// lead makes the origin one that later ones may be one with.
func (u *unifier) lead(i int) {
	o := u.origins[i]
	at := place{name{o.UID, o.Key}, o.Span}
	if len(u.named[at.name]) < mostAlike {
		u.named[at.name] = append(u.named[at.name], i)
	}
	if !slices.ContainsFunc(u.copies[at], func(l int) bool { return u.origins[l].Feed == o.Feed }) {
		u.copies[at] = append(u.copies[at], i)
	}
}
