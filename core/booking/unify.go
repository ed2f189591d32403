package booking

import (
	"slices"

	"wharf/core/recur"
	"wharf/core/span"
)

// Origin is what decides whether bookings of several feeds are one.
type Origin struct {
	Feed     int64
	Platform int64 // 0: nobody's
	UID, Key string
	Span     span.Span
	Revision recur.Revision
}

// mostAlike is how many bookings of one UID and RECURRENCE-ID are compared with each other.
// Where there are more, the UID names none of them, and only exact copies are one.
const mostAlike = 64

// One says what an origin is one with.
type One struct {
	// Stands is the index of the origin whose details stand for the booking: its own, unless
	// another feed has the same UID and RECURRENCE-ID with an overlapping span.
	Stands int
	// Blocks is what the booking takes, for the origin that stands for it: where origins of
	// several platforms differ, or no revision is the later one, all that any of them says, since
	// anybody can send anybody's UID. Differ is set then.
	Blocks span.Span
	Differ bool
}

// Unify finds which origins are one booking; the latest revision stands for it (RFC 5546
// section 2.1.5). Equal UIDs with disjoint spans, or in one feed, are different bookings.
// It takes as many steps as there are origins, for each feed.
func Unify(origins []Origin) []One {
	u := unifier{origins: origins, stands: make([]int, len(origins)), named: map[name][]int{}, copies: map[place][]int{}, blocks: make([]span.Span, len(origins)), differ: make([]bool, len(origins))}
	for i, o := range origins {
		u.stands[i], u.blocks[i] = i, o.Span
		if o.UID != "" {
			u.place(i)
		}
	}
	all := make([]One, len(origins))
	for i := range all {
		n := u.stand(i)
		all[i] = One{n, u.blocks[n], u.differ[n]}
	}
	return all
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
	blocks  []span.Span     // what those that stand for bookings take
	differ  []bool
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
		if u.stands[l] == l && other.Feed != o.Feed && u.blocks[l].Overlaps(o.Span) {
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
	o, other := u.origins[i], u.origins[l]
	order := o.Revision.Compare(other.Revision)
	stays, goes := l, i
	if order > 0 {
		stays, goes = i, l
	}
	u.stands[goes] = stays
	if u.blocks[i] != u.blocks[l] && (order == 0 || o.Platform != other.Platform || u.differ[i] || u.differ[l]) {
		u.blocks[stays] = span.Span{Start: min(u.blocks[i].Start, u.blocks[l].Start), End: max(u.blocks[i].End, u.blocks[l].End)}
		u.differ[stays] = true
	}
	if stays == i {
		u.lead(i)
	}
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
