// Package events is what changed, from any process to every open page.
//
// Whoever changes something writes to the change table in the same transaction. Each
// process looks there at least once a second and hands what is new to its subscribers,
// as a topic and a number; what it is now, they ask for themselves. Numbers are given
// in the order of INSERTs and not of commits, so a look always covers those of the last
// seconds again. After the database was away, everything counts as changed.
package events

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"time"

	"wharf/service/store"
)

// TopicAll stands for everything.
const TopicAll = "all"

// Event says that something changed.
type Event struct {
	Topic string `json:"topic"`
	ID    int64  `json:"id"`
}

// Hub looks for changes and tells its subscribers.
type Hub struct {
	Store *store.Store
	Log   *slog.Logger

	mu          sync.Mutex
	subscribers map[*Subscription]bool
	closed      bool
	recent      []told
	round       int
	poke        chan struct{}

	// Of the loop alone:
	floor   int64 // changes up to this number are done with
	seen    map[int64]bool
	touched map[int64]time.Time
	away    bool
}

// New returns a hub without subscribers.
func New(s *store.Store, log *slog.Logger) *Hub {
	return &Hub{Store: s, Log: log, subscribers: map[*Subscription]bool{}, poke: make(chan struct{}, 1), seen: map[int64]bool{}}
}

// most is how many events one subscriber may leave lying before they become TopicAll, and
// how many feeds are told one by one.
const most = 500

// kept is for how many ticks events are kept for those who subscribe after them: a page asks for what it shows,
// and then to be told of changes.
const kept = 20

// told is an event that was told in a round.
type told struct {
	Event
	ofFeeds bool
	round   int
}

// Subscription gathers events until they are taken.
type Subscription struct {
	// Ready holds a token when there are events, and is closed when the hub ends.
	Ready   chan struct{}
	feeds   bool
	pending map[Event]bool
	hub     *Hub
}

// Subscribe returns a subscription to what changes from now on, and what has changed in the last ticks;
// feeds says whether to the readings of feeds too.
func (h *Hub) Subscribe(feeds bool) *Subscription {
	s := &Subscription{Ready: make(chan struct{}, 1), feeds: feeds, pending: map[Event]bool{}, hub: h}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.closed {
		close(s.Ready)
		return s
	}
	h.subscribers[s] = true
	for _, e := range h.recent {
		if feeds || !e.ofFeeds {
			s.pending[e.Event] = true
		}
	}
	s.ready()
	return s
}

// Take returns what was gathered.
func (s *Subscription) Take() []Event {
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	all := make([]Event, 0, len(s.pending))
	for e := range s.pending {
		all = append(all, e)
	}
	s.pending = map[Event]bool{}
	return all
}

// Close ends the subscription.
func (s *Subscription) Close() {
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	delete(s.hub.subscribers, s)
}

// Pages is how many subscribe to the readings of feeds too, as open pages do.
func (h *Hub) Pages() (n int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for s := range h.subscribers {
		if s.feeds {
			n++
		}
	}
	return n
}

// Poke makes the hub look at once: this process has changed something.
func (h *Hub) Poke() {
	select {
	case h.poke <- struct{}{}:
	default: // it is about to look anyway
	}
}

// Run looks at every tick and poke until ctx ends; then every subscription ends.
func (h *Hub) Run(ctx context.Context, tick <-chan time.Time) {
	defer h.end()
	h.away = true // what was before is everything to come
	for rounds := 0; ; rounds++ {
		if rounds%600 == 599 {
			if err := h.Store.ForgetChanges(ctx); err != nil && ctx.Err() == nil {
				h.Log.Warn("old changes cannot be removed; it is tried again", "error", err)
			}
		}
		if err := h.look(ctx); err != nil && ctx.Err() == nil {
			if !h.away {
				h.Log.Error("changes cannot be looked for; it is tried again", "error", err)
			}
			h.away = true
		}
		select {
		case <-ctx.Done():
			return
		case <-tick:
			h.forget()
		case <-h.poke:
		}
	}
}

// forget begins a round, and forgets what was told long before.
func (h *Hub) forget() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.round++
	h.recent = slices.DeleteFunc(h.recent, func(e told) bool { return e.round < h.round-kept })
}

// ready tells a subscriber that there is something to take, if there is. The hub is locked.
func (s *Subscription) ready() {
	if len(s.pending) > most {
		s.pending = map[Event]bool{{Topic: TopicAll}: true}
	}
	if len(s.pending) == 0 {
		return
	}
	select {
	case s.Ready <- struct{}{}:
	default: // it has a token already
	}
}

func (h *Hub) end() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.closed = true
	for s := range h.subscribers {
		close(s.Ready)
	}
	h.subscribers = map[*Subscription]bool{}
}

// look finds what is new and tells it.
func (h *Hub) look(ctx context.Context) error {
	if h.away {
		last, err := h.Store.LastChange(ctx)
		if err != nil {
			return err
		}
		h.floor, h.seen, h.touched, h.away = last, map[int64]bool{}, nil, false
		h.tell([]Event{{Topic: TopicAll}}, false)
		return nil
	}
	changes, err := h.Store.ChangesAfter(ctx, h.floor)
	if err != nil {
		return err
	}
	var fresh []Event
	for _, c := range changes {
		if !h.seen[c.ID] {
			fresh = append(fresh, Event{c.Topic, c.Subject})
		}
		h.seen[c.ID] = true
		if c.Settled {
			h.floor = c.ID
			delete(h.seen, c.ID)
		}
	}
	h.tell(fresh, false)
	return h.lookAtFeeds(ctx)
}

// lookAtFeeds finds the feeds that were read, if anybody wants to know.
func (h *Hub) lookAtFeeds(ctx context.Context) error {
	h.mu.Lock()
	wanted := false
	for s := range h.subscribers {
		wanted = wanted || s.feeds
	}
	h.mu.Unlock()
	if !wanted {
		h.touched = nil
		return nil
	}
	rows, err := h.Store.FeedsTouched(ctx, most)
	if err != nil {
		return err
	}
	now := make(map[int64]time.Time, len(rows))
	var fresh []Event
	for _, r := range rows {
		now[r.ID] = r.TouchedAt
		if !r.TouchedAt.Equal(h.touched[r.ID]) {
			fresh = append(fresh, Event{store.TopicFeed, r.ID})
		}
	}
	h.touched = now
	if len(rows) == most && len(fresh) > 0 {
		fresh = []Event{{store.TopicFeed, 0}} // so many that which ones does not matter
	}
	h.tell(fresh, true)
	return nil
}

func (h *Hub) tell(events []Event, ofFeeds bool) {
	if len(events) == 0 {
		return
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	for s := range h.subscribers {
		if ofFeeds && !s.feeds {
			continue
		}
		for _, e := range events {
			s.pending[e] = true
		}
		s.ready()
	}
	for _, e := range events {
		h.recent = append(h.recent, told{e, ofFeeds, h.round})
	}
	if len(h.recent) > most {
		h.recent = []told{{Event{Topic: TopicAll}, false, h.round}}
	}
}
