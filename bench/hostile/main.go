// Command hostile measures what feeds cost that are made to cost as much as can be, each read by a
// `wharf serve` of its own, beside an ordinary feed of the same size; and how soon a change in an ordinary
// feed reaches its publication while ten of them are read.
package main

import (
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"wharf/api/client"
	"wharf/bench/rig"
	"wharf/internal/hostile"
)

var (
	size    = flag.Int("size", 2<<20, "bytes of each feed")
	changes = flag.Int("changes", 100, "changes of the ordinary feed")
	only    = flag.String("only", "", "one kind of feed")
)

func main() {
	flag.Parse()
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "hostile: "+err.Error())
		os.Exit(1)
	}
}

const ordinary = "ordinary"

func run(ctx context.Context) error {
	s := hostile.New(time.Now().UTC())
	defer s.Close()
	documents := s.Costly(*size)
	feeds := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.WriteString(w, documents[r.URL.Query().Get("kind")]) // the reader went away
	}))
	defer feeds.Close()
	kinds := slices.SortedFunc(maps.Keys(documents), func(a, b string) int {
		return cmp.Or(cmp.Compare(strconv.FormatBool(b == ordinary), strconv.FormatBool(a == ordinary)), cmp.Compare(a, b))
	})
	fmt.Printf("One reading of each feed by a process of its own, with its calendar and publication.\n\n%-26s %8s %9s %9s %8s %8s  %s\n", "", "size", "CPU", "memory", "CPU", "memory", "what came of it")
	var usual cost
	for _, kind := range kinds {
		if *only != "" && kind != *only && kind != ordinary {
			continue
		}
		c, err := read(ctx, link(feeds.URL, kind))
		if err != nil {
			return fmt.Errorf("%s: %w", kind, err)
		}
		if kind == ordinary {
			usual = c
		}
		fmt.Printf("%-26s %6.1fMB %7.2f s %6.0f MB %8.2f %8.2f  %s\n", kind, float64(len(documents[kind]))/(1<<20), c.cpu.Seconds(), float64(c.peak)/(1<<20),
			c.cpu.Seconds()/usual.cpu.Seconds(), float64(c.peak)/float64(usual.peak), c.outcome)
	}
	if err := together(ctx); err != nil {
		return err
	}
	return meanwhile(ctx, feeds.URL, kinds)
}

// together measures how much memory twenty feeds of 16 MB take that are read at the same time.
func together(ctx context.Context) error {
	const feeds, megabytes = 20, 16
	var text strings.Builder
	for i := 0; text.Len() < megabytes<<20; i++ {
		text.WriteString(hostile.Event(fmt.Sprint("t", i), "DTSTART;VALUE=DATE:"+time.Now().UTC().AddDate(0, 0, i%700).Format("20060102"), "DESCRIPTION:"+strings.Repeat("a long description ", 300)))
	}
	document := hostile.Calendar(text.String())
	var full atomic.Bool
	front := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		if full.Load() {
			_, _ = io.WriteString(w, document) // the reader went away
		} else {
			_, _ = io.WriteString(w, hostile.Calendar())
		}
	}))
	defer front.Close()
	r, err := rig.Start(ctx, "WHARF_HOST_CONNECTIONS=0", "WHARF_HOST_RATE=0", "WHARF_FETCH_TIMEOUT=100s", "WHARF_LEASE=300s")
	if err != nil {
		return err
	}
	defer r.Stop()
	var ids []int64
	for i := range feeds {
		id, _, err := subscribe(ctx, r, fmt.Sprint("Large ", i), front.URL+fmt.Sprint("/", i))
		if err != nil {
			return err
		}
		ids = append(ids, id)
	}
	full.Store(true)
	if err := rig.ForgetPeak(r.PID); err != nil {
		return err
	}
	var all sync.WaitGroup
	failures := make([]error, feeds)
	for i, id := range ids {
		all.Go(func() { _, failures[i] = client.Decode[client.Reading](r.API.CreateReading(ctx, id)) })
	}
	all.Wait()
	peak, err := rig.Peak(r.PID)
	fmt.Printf("\n%d feeds of %d MB read at the same time take %d MB at most.\n", feeds, megabytes, peak>>20)
	return errors.Join(append(failures, err)...)
}

func link(base, kind string) string { return base + "/?kind=" + strings.ReplaceAll(kind, " ", "+") }

// cost is what a reading took of the service.
type cost struct {
	cpu     time.Duration
	peak    int64
	outcome string
}

// read subscribes to an empty feed, and measures the reading in which it becomes what it is.
func read(ctx context.Context, link string) (c cost, err error) {
	r, err := rig.Start(ctx)
	if err != nil {
		return c, err
	}
	defer r.Stop()
	var full atomic.Bool
	front := served(link, full.Load)
	defer front.Close()
	feed, _, err := subscribe(ctx, r, "Hall", front.URL)
	if err != nil {
		return c, err
	}
	full.Store(true)
	before, err := rig.CPU(r.PID)
	if err = errors.Join(err, rig.ForgetPeak(r.PID)); err != nil {
		return c, err
	}
	reading, err := client.Decode[client.Reading](r.API.CreateReading(ctx, feed))
	if err != nil {
		return c, err
	}
	after, err := rig.CPU(r.PID)
	if err != nil {
		return c, err
	}
	c.cpu, c.outcome = after-before, fmt.Sprintf("%d entries", reading.Entries)
	if reading.Outcome == client.Failed {
		c.outcome = *reading.Message
	}
	c.peak, err = rig.Peak(r.PID)
	return c, err
}

// served serves what is at a link while it is full, and else an empty calendar.
func served(link string, full func() bool) *httptest.Server {
	return httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		if !full() {
			_, _ = io.WriteString(w, hostile.Calendar())
			return
		}
		resp, err := http.Get(link)
		if err == nil {
			_, _ = io.Copy(w, resp.Body)
			resp.Body.Close()
		}
	}))
}

// subscribe makes a calendar with a feed, and a publication of it.
func subscribe(ctx context.Context, r *rig.Rig, name, link string) (feed int64, published string, err error) {
	c, err := client.Decode[client.Calendar](r.API.CreateCalendar(ctx, client.CalendarRequest{Name: name, Zone: "UTC", Grain: client.Day}))
	if err != nil {
		return 0, "", err
	}
	f, err := client.Decode[client.Feed](r.API.CreateFeed(ctx, client.FeedRequest{Url: &link, Platform: "Platform of " + name, Name: name, Calendar: &c.Id}))
	if err != nil {
		return 0, "", err
	}
	p, err := client.Decode[client.Publication](r.API.CreatePublication(ctx, client.PublicationRequest{Name: name, Calendar: c.Id, Platform: "Recipient of " + name}))
	return f.Id, p.Url, err
}

// meanwhile measures how soon a change of an ordinary feed that is read reaches its publication, alone and
// while ten of the others are read again and again.
func meanwhile(ctx context.Context, base string, kinds []string) error {
	r, err := rig.Start(ctx)
	if err != nil {
		return err
	}
	defer r.Stop()
	var change atomic.Int64
	s := hostile.New(time.Now().UTC())
	defer s.Close()
	changing := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		at := time.Now().UTC().AddDate(0, 0, 100+int(change.Load())).Format("20060102")
		_, _ = io.WriteString(w, strings.Replace(s.Good(), "END:VCALENDAR", hostile.Event("new", "DTSTART;VALUE=DATE:"+at, "SUMMARY:New")+"END:VCALENDAR", 1))
	}))
	defer changing.Close()
	feed, published, err := subscribe(ctx, r, "Ordinary", changing.URL)
	if err != nil {
		return err
	}
	took := func() ([]time.Duration, error) { return changesOf(ctx, r, feed, published, &change) }
	alone, err := took()
	if err != nil {
		return err
	}
	ten := slices.DeleteFunc(slices.Clone(kinds), func(kind string) bool { return kind == ordinary })
	ten = ten[:min(10, len(ten))]
	stop, end := context.WithCancel(ctx)
	defer end()
	var rounds atomic.Int64
	var all sync.WaitGroup
	for _, kind := range ten {
		all.Go(func() { readAgain(stop, r, kind, link(base, kind), &rounds) })
	}
	if err := rig.WaitFor(ctx, 2*time.Minute, func() (bool, error) { return rounds.Load() > 0, nil }); err != nil {
		return err
	}
	was := rounds.Load()
	beside, err := took()
	during := rounds.Load() - was
	end()
	all.Wait()
	if err != nil {
		return err
	}
	fmt.Printf("\nA change of an ordinary feed that is read is in its publication after:\n")
	for name, times := range map[string][]time.Duration{"with nothing beside it": alone, fmt.Sprintf("beside ten of these feeds (%d readings of them)", during): beside} {
		fmt.Printf("%-60s %8s in the middle, %8s for 95 of 100\n", name, times[len(times)/2].Round(time.Millisecond), times[len(times)*95/100].Round(time.Millisecond))
	}
	return nil
}

// readAgain has a feed read again and again, that is empty and what it is by turns.
func readAgain(ctx context.Context, r *rig.Rig, kind, link string, rounds *atomic.Int64) {
	var turn atomic.Int64
	front := served(link, func() bool { return turn.Add(1)%2 == 0 })
	defer front.Close()
	id, _, err := subscribe(ctx, r, kind, front.URL)
	for err == nil && ctx.Err() == nil {
		if _, err = client.Decode[client.Reading](r.API.CreateReading(ctx, id)); err == nil {
			rounds.Add(1)
		}
	}
	if err != nil && ctx.Err() == nil {
		fmt.Fprintf(os.Stderr, "%s is read no more: %v\n", kind, err)
	}
}

// changesOf measures how long it takes for each change of a feed that is read to reach its publication.
func changesOf(ctx context.Context, r *rig.Rig, feed int64, published string, change *atomic.Int64) (all []time.Duration, err error) {
	for range *changes {
		at := time.Now().UTC().AddDate(0, 0, 100+int(change.Add(1))).Format("20060102")
		began := time.Now()
		if _, err := client.Decode[client.Reading](r.API.CreateReading(ctx, feed)); err != nil {
			return nil, err
		}
		err := rig.WaitFor(ctx, time.Minute, func() (bool, error) {
			resp, err := http.Get(published)
			if err != nil {
				return false, err
			}
			defer resp.Body.Close()
			body, err := io.ReadAll(resp.Body)
			return strings.Contains(string(body), "DTSTART;VALUE=DATE:"+at), err
		})
		if err != nil {
			return nil, err
		}
		all = append(all, time.Since(began))
	}
	slices.Sort(all)
	return all, nil
}
