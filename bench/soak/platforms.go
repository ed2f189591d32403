package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// fault is one way in which a platform fails, given what it would say.
type fault func(p *platforms, w http.ResponseWriter, r *http.Request, good string)

// faults are those that are mixed.
var faults = []fault{
	status(http.StatusInternalServerError), status(http.StatusNotFound), status(http.StatusForbidden),
	func(_ *platforms, w http.ResponseWriter, _ *http.Request, _ string) { // busy
		w.Header().Set("Retry-After", "2")
		w.WriteHeader(http.StatusTooManyRequests)
	},
	func(_ *platforms, w http.ResponseWriter, _ *http.Request, good string) { // cut off, and says so
		w.Header().Set("Content-Length", strconv.Itoa(len(good)))
		_, _ = w.Write([]byte(good[:len(good)/2]))
	},
	func(_ *platforms, w http.ResponseWriter, _ *http.Request, good string) { // cut off in silence
		_, _ = w.Write([]byte(good[:2*len(good)/3]))
	},
	func(_ *platforms, w http.ResponseWriter, _ *http.Request, _ string) { // a page to log in on
		_, _ = w.Write([]byte("<!doctype html><html><form><input type=password></form></html>"))
	},
	func(_ *platforms, w http.ResponseWriter, _ *http.Request, _ string) {}, // nothing
	func(_ *platforms, w http.ResponseWriter, _ *http.Request, _ string) { // something else
		_, _ = w.Write([]byte("\x00\x01\x02 not a calendar"))
	},
	func(p *platforms, _ http.ResponseWriter, r *http.Request, _ string) { // never answers
		select {
		case <-r.Context().Done():
		case <-p.healed:
		}
	},
	func(_ *platforms, w http.ResponseWriter, _ *http.Request, _ string) { // hangs up
		if c, _, err := http.NewResponseController(w).Hijack(); err == nil {
			_ = c.Close()
		}
	},
	func(_ *platforms, w http.ResponseWriter, r *http.Request, _ string) { // leads in a circle
		http.Redirect(w, r, r.URL.Path, http.StatusFound)
	},
	func(_ *platforms, w http.ResponseWriter, _ *http.Request, good string) { // in another order, which is no fault
		events := strings.SplitAfter(strings.TrimSuffix(strings.TrimPrefix(good, head), tail), "END:VEVENT\r\n")
		slices.Reverse(events)
		_, _ = w.Write([]byte(head + strings.Join(events, "") + tail))
	},
}

func status(code int) fault {
	return func(_ *platforms, w http.ResponseWriter, _ *http.Request, _ string) { w.WriteHeader(code) }
}

const (
	head = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Soak//EN\r\n"
	tail = "END:VCALENDAR\r\n"
)

// sale is a booking of a platform.
type sale struct {
	uid, guest  string
	first, last time.Time
}

// counts are how often the platforms were asked.
type counts struct{ all, wrong int }

// platforms have a feed each, sell and cancel, and fail.
type platforms struct {
	mu     sync.Mutex
	random *rand.Rand
	sales  [][]sale
	gone   []int // cancelled of each
	next   int
	ill    bool
	asked  counts
	healed chan struct{} // closed when they fail no more
	once   sync.Once
}

// At first each feed has so many; of them so many are cancelled at most, fewer than the guard holds back.
const (
	atFirst  = 20
	mostGone = 5
	between  = 4 // days from the begin of one to that of the next
)

func newPlatforms(n int, seed uint64) *platforms {
	p := &platforms{random: rand.New(rand.NewPCG(seed, 0)), sales: make([][]sale, n), gone: make([]int, n), healed: make(chan struct{})}
	for i := range p.sales {
		for range atFirst {
			p.sell(i)
		}
	}
	return p
}

// sell adds a booking after all others of a feed.
func (p *platforms) sell(i int) {
	p.next++
	first := time.Now().UTC().Truncate(24*time.Hour).AddDate(0, 0, 3+between*(len(p.sales[i])+p.gone[i]))
	p.sales[i] = append(p.sales[i], sale{fmt.Sprintf("%d@soak.example", p.next), fmt.Sprint("Guest ", p.next), first, first.AddDate(0, 0, 2)})
}

// suffer has them fail, sell, cancel and move bookings for a while.
func (p *platforms) suffer(ctx context.Context, lasts time.Duration) error {
	p.mu.Lock()
	p.ill = true
	p.mu.Unlock()
	end := time.After(lasts)
	tick := time.NewTicker(100 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-end:
			return nil
		case <-tick.C:
			p.change()
		}
	}
}

// change changes a booking of some feed.
func (p *platforms) change() {
	p.mu.Lock()
	defer p.mu.Unlock()
	i := p.random.IntN(len(p.sales))
	n := p.random.IntN(len(p.sales[i]))
	switch p.random.IntN(3) {
	case 0:
		p.sell(i)
	case 1:
		p.sales[i][n].last = p.sales[i][n].first.AddDate(0, 0, 1+p.random.IntN(3))
	case 2:
		if p.gone[i] < mostGone {
			p.gone[i]++
			p.sales[i] = slices.Delete(p.sales[i], n, n+1)
		}
	}
}

// heal ends all faults, and returns how often they were asked until then.
func (p *platforms) heal() counts {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.ill = false
	p.once.Do(func() { close(p.healed) })
	return p.asked
}

// sold is what a platform has, in order.
func (p *platforms) sold(i int) []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	all := make([]string, len(p.sales[i]))
	for n, s := range p.sales[i] {
		all[n] = s.first.Format(time.DateOnly) + "/" + s.last.Format(time.DateOnly) + " " + s.guest
	}
	slices.Sort(all)
	return all
}

// answer is what a platform says, and how it fails, if it does.
func (p *platforms) answer(i int) (good string, wrong fault) {
	p.mu.Lock()
	defer p.mu.Unlock()
	var b strings.Builder
	b.WriteString(head)
	for _, s := range p.sales[i] {
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nUID:%s\r\nDTSTAMP:%s\r\nDTSTART;VALUE=DATE:%s\r\nDTEND;VALUE=DATE:%s\r\nSUMMARY:%s\r\nEND:VEVENT\r\n",
			s.uid, time.Now().UTC().Format("20060102T150405Z"), s.first.Format("20060102"), s.last.Format("20060102"), s.guest)
	}
	b.WriteString(tail)
	if !p.ill {
		return b.String(), nil
	}
	p.asked.all++
	if p.random.Float64() >= *faulty {
		return b.String(), nil
	}
	p.asked.wrong++
	return b.String(), faults[p.random.IntN(len(faults))]
}

func (p *platforms) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	i, err := strconv.Atoi(strings.TrimSuffix(strings.TrimPrefix(r.URL.Path, "/"), ".ics"))
	if err != nil || i < 0 || i >= len(p.sales) {
		http.NotFound(w, r)
		return
	}
	good, wrong := p.answer(i)
	if wrong != nil {
		wrong(p, w, r, good)
		return
	}
	_, _ = w.Write([]byte(good)) // the reader went away
}
