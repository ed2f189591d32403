package reading

import (
	"crypto/sha256"
	"encoding/hex"

	"wharf/core/carried"
	"wharf/core/recur"
)

// Identity is what an entry is known by from one reading to the next.
type Identity struct {
	UID    string
	Place  string // time and title as written
	Digest string // all of it but UID and DTSTAMP
}

// MaxUID is the most bytes of a UID that is recorded as it is; a longer one is recorded as
// its hash, which tells entries apart just as well.
const MaxUID = 2000

// IdentityOf reads the identity of an entry.
func IdentityOf(e recur.Entry) Identity {
	id := Identity{e.UID, e.Place(), e.Digest()}
	if len(id.UID) > MaxUID {
		sum := sha256.Sum256([]byte(id.UID))
		id.UID = hex.EncodeToString(sum[:])
	}
	return id
}

// Pair says that entry New of this reading is entry Old of the one before.
type Pair struct{ Old, New int }

// Match pairs the entries of two readings one to one: by UID; what is left on both
// sides by everything but the UID, then by span and title, counted, so that three
// alike match three alike. One with a UID that we minted is never one with a UID that we
// did not: a block gone and a sale in its place are two different things. What is in no
// pair was added or removed.
func Match(before, after []Identity) []Pair {
	m := matcher{before: before, after: after, taken: make([]bool, len(before)), matched: make([]bool, len(after))}
	m.by(func(id Identity) string { return named(id, id.Digest) })
	m.by(func(id Identity) string { return named(id, id.Place) })
	m.by(func(id Identity) string { return named(id, "") })
	m.by(func(id Identity) string { return alike(id, id.Digest) })
	m.by(func(id Identity) string { return alike(id, id.Place) })
	return m.pairs
}

// matchGone pairs entries that are gone with those of a reading: by UID, else where nothing
// but the UID differs, ours and theirs apart.
func matchGone(before, after []Identity) []Pair {
	m := matcher{before: before, after: after, taken: make([]bool, len(before)), matched: make([]bool, len(after))}
	m.by(func(id Identity) string { return named(id, id.Digest) })
	m.by(func(id Identity) string { return named(id, "") })
	m.by(func(id Identity) string { return alike(id, id.Digest) })
	return m.pairs
}

// named is a key of entries with that UID; "" for one without.
func named(id Identity, key string) string {
	if id.UID == "" {
		return ""
	}
	return id.UID + "\x00" + key
}

// alike is a key of entries with UIDs of ours, or of theirs.
func alike(id Identity, key string) string {
	if carried.LooksMinted(id.UID) {
		return "ours\x00" + key
	}
	return "theirs\x00" + key
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
