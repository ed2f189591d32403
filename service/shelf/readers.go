package shelf

import (
	"sync"

	"wharf/core/carried"
)

// readers bounds as how many different readers those of one publication are recorded: of more, all
// versions of a program are one, and of more than those, all that are left.
type readers struct {
	most  int
	mu    sync.Mutex
	known map[int64]map[string]bool // by publication: names as which readers are recorded
}

// others is as what readers are recorded that are too many.
const others = "others"

// as is the name as which a reader is recorded.
func (r *readers) as(publication int64, agent string) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	names := r.known[publication]
	if names == nil {
		names = map[string]bool{}
		r.known[publication] = names
	}
	if names[agent] {
		return agent // as nearly always
	}
	kind := carried.Product(agent) + "/any"
	for n, name := range []string{agent, kind} {
		if names[name] || len(names) < r.most*(n+1) { // as many kinds again as names
			names[name] = true
			return name
		}
	}
	return others
}
