package reading

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"

	"wharf/core/carried"
)

// Unsettled are new UIDs that most entries of a feed have, and that are not recorded yet:
// some platforms write new ones at every download. They are recorded once two readings show
// the same ones, so that a feed whose UIDs change each time writes nothing; until then an
// entry has the UID that it was recorded with, which is no part of what it shows. The zero
// Unsettled is none.
type Unsettled struct {
	Digest   string // of all the UIDs
	Interval        // in which they came to be there
}

// settle looks at the UIDs of entries that are there already. Where few are new, each is a
// change of its entry, and what it shows is another thing (anew); where most are, they are
// recorded once they are settled, and nothing else changes.
func (c *Changes) settle(f Feed, pairs []Pair, after []Identity) {
	var renamed []int
	theirs := 0
	for _, pair := range pairs {
		is := after[pair.New].UID
		differs := f.Entries[pair.Old].UID != is
		switch {
		case !carried.LooksMinted(is):
			theirs++
			if differs {
				renamed = append(renamed, pair.New)
			}
		case differs: // we sent two things
			c.anew[pair.New] = true
		}
	}
	if !mostOf(len(renamed), theirs) {
		for _, i := range renamed {
			c.anew[i] = true
		}
		return
	}
	c.UIDs = Unsettled{digestOf(after), c.reading}
	if f.UIDs.Digest != c.UIDs.Digest {
		return
	}
	c.UIDs = Unsettled{}
	c.settledIn = f.UIDs.Interval
	for _, i := range renamed {
		if c.Entries[i].Digest == after[i].Digest { // else it has changed, and its UID with it
			c.was[i] = c.Entries[i]
			c.Entries[i].UID = after[i].UID
			c.Settled = append(c.Settled, i)
		}
	}
}

// digestOf is the same for the same UIDs in any order.
func digestOf(ids []Identity) string {
	uids := make([]string, len(ids))
	for i, id := range ids {
		uids[i] = id.UID
	}
	slices.Sort(uids)
	sum := sha256.Sum256([]byte(strings.Join(uids, "\x00")))
	return hex.EncodeToString(sum[:16])
}
