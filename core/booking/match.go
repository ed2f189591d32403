package booking

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"

	"wharf/core/recur"
	"wharf/core/span"
)

// Identity is what an entry is known by from one reading to the next.
type Identity struct {
	UID    string
	Place  string // time and title as written
	Digest string // all of it but UID and DTSTAMP
}

// maxUID is the most bytes of a UID that is kept as it is; a longer one is kept as its
// hash, which tells entries apart just as well.
const maxUID = 2000

// IdentityOf reads the identity of an entry.
func IdentityOf(e recur.Entry) Identity {
	id := Identity{e.UID, e.Place(), e.Digest()}
	if len(id.UID) > maxUID {
		sum := sha256.Sum256([]byte(id.UID))
		id.UID = hex.EncodeToString(sum[:])
	}
	return id
}

// Pair says that entry New of this reading is entry Old of the one before.
type Pair struct{ Old, New int }

// Match pairs the entries of two readings one to one: by UID; what is left on both
// sides by everything but the UID, then by span and title, counted, so that three
// alike match three alike. What is in no pair was added or removed.
func Match(before, after []Identity) []Pair {
	m := matcher{before: before, after: after, taken: make([]bool, len(before)), matched: make([]bool, len(after))}
	named := func(id Identity, key string) string {
		if id.UID == "" {
			return ""
		}
		return id.UID + "\x00" + key
	}
	m.by(func(id Identity) string { return named(id, id.Digest) })
	m.by(func(id Identity) string { return named(id, id.Place) })
	m.by(func(id Identity) string { return named(id, "") })
	m.by(func(id Identity) string { return id.Digest })
	m.by(func(id Identity) string { return id.Place })
	return m.pairs
}

type matcher struct {
	before, after  []Identity
	taken, matched []bool
	pairs          []Pair
}

// by pairs what is still alone and has the same key; "" is no key.
func (m *matcher) by(key func(Identity) string) {
	free := map[string][]int{}
	for i, id := range m.before {
		if k := key(id); !m.taken[i] && k != "" {
			free[k] = append(free[k], i)
		}
	}
	for j, id := range m.after {
		k := key(id)
		if m.matched[j] || k == "" || len(free[k]) == 0 {
			continue
		}
		i := free[k][0]
		free[k] = free[k][1:]
		m.taken[i], m.matched[j] = true, true
		m.pairs = append(m.pairs, Pair{i, j})
	}
}

// Origin is what decides whether bookings of several feeds are one.
type Origin struct {
	Feed     int64
	UID, Key string
	Span     span.Span
	Revision recur.Revision
}

// Unify returns, for each origin, the index of the one whose details stand for the
// booking: its own index, unless another feed has the same UID and RECURRENCE-ID with
// an overlapping span and a later revision (or an equal one with the same span).
// Spans that differ without an order between the revisions stay two bookings.
func Unify(origins []Origin) []int {
	type key struct{ uid, key string }
	stands := make([]int, len(origins))
	leaders := map[key][]int{}
	for i, o := range origins {
		stands[i] = i
		if o.UID == "" {
			continue
		}
		k := key{o.UID, o.Key}
		for n, l := range leaders[k] {
			other := origins[l]
			order := o.Revision.Compare(other.Revision)
			if other.Feed == o.Feed || !other.Span.Overlaps(o.Span) || order == 0 && other.Span != o.Span {
				continue
			}
			if order <= 0 {
				stands[i] = l
			} else {
				stands[l] = i
				leaders[k][n] = i
			}
			break
		}
		if stands[i] == i && !slices.Contains(leaders[k], i) {
			leaders[k] = append(leaders[k], i)
		}
	}
	for i := range stands {
		for stands[i] != stands[stands[i]] {
			stands[i] = stands[stands[i]]
		}
	}
	return stands
}
