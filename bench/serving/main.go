// Command serving compares what a publication costs the real `wharf serve`, pickups
// recorded, with what the same bytes cost a bare net/http handler: processor time per
// request, medians of alternating runs.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"wharf/api/client"
	"wharf/bench/rig"
)

var (
	runs     = flag.Int("runs", 31, "alternating runs of each case")
	requests = flag.Int("requests", 1000, "requests of a run; a tenth for the large ones")
	bareDir  = flag.String("bare", "", "(of the bare server) directory with what it serves")
	bareAt   = flag.String("at", "", "(of the bare server) address to listen on")
)

// sizes are the publications, by the number of their events.
var sizes = []struct {
	name   string
	events int
	few    int // what the number of requests is divided by
}{{"12 KB", 56, 1}, {"1 MB", 4700, 10}}

func main() {
	flag.Parse()
	var err error
	if *bareDir != "" {
		err = bare()
	} else {
		err = compare(context.Background())
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "serving: "+err.Error())
		os.Exit(1)
	}
}

// bare is the handler that Wharf is compared with: the same bytes and headers, nothing else.
func bare() error {
	mux := http.NewServeMux()
	for i := range sizes {
		plain, err := os.ReadFile(filepath.Join(*bareDir, fmt.Sprint(i)))
		if err != nil {
			return err
		}
		zipped, err := os.ReadFile(filepath.Join(*bareDir, fmt.Sprint(i)+".gz"))
		if err != nil {
			return err
		}
		mux.HandleFunc(fmt.Sprintf("GET /%d", i), func(w http.ResponseWriter, r *http.Request) {
			h, body := w.Header(), plain
			h.Set("ETag", `"etag-of-it"`)
			h.Set("Cache-Control", "private, no-cache")
			if r.Header.Get("If-None-Match") == `"etag-of-it"` {
				w.WriteHeader(http.StatusNotModified)
				return
			}
			if r.Header.Get("Accept-Encoding") == "gzip" {
				h.Set("Content-Encoding", "gzip")
				body = zipped
			}
			h.Set("Content-Type", "text/calendar; charset=utf-8")
			h.Set("Content-Length", fmt.Sprint(len(body)))
			_, _ = w.Write(body) // the reader went away
		})
	}
	return http.ListenAndServe(*bareAt, mux)
}

// target is a URL of one of the two servers.
type target struct {
	pid  int
	url  string
	etag string
}

func compare(ctx context.Context) error {
	r, err := rig.Start(ctx)
	if err != nil {
		return err
	}
	defer r.Stop()
	publications, err := publish(ctx, r)
	if err != nil {
		return err
	}
	for i, p := range publications {
		for suffix, coding := range map[string]string{"": "identity", ".gz": "gzip"} {
			body, _, err := get(p.Url, coding)
			if err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(r.Dir, fmt.Sprint(i)+suffix), body, 0o600); err != nil {
				return err
			}
		}
	}
	address, other, err := startBare(ctx, r.Dir)
	if err != nil {
		return err
	}
	defer func() { _ = other.Process.Kill(); _ = other.Wait() }()
	sent := 2 * len(publications) // what was fetched above
	fmt.Printf("Processor time per request: wharf serve, pickups recorded, and a bare net/http handler with the same bytes.\n%s, %d runs of each by turns.\n\n", runtime.Version(), *runs)
	fmt.Printf("%-10s %-8s %6s  %12s %12s  %s\n", "size", "coding", "status", "wharf", "bare", "ratio: median (least to most)")
	for i, p := range publications {
		for _, coding := range []string{"identity", "gzip"} {
			body, etag, err := get(p.Url, coding)
			if err != nil {
				return err
			}
			sent++
			for _, status := range []int{200, 304} {
				wharf, plain := target{r.PID, p.Url, ""}, target{other.Process.Pid, fmt.Sprintf("http://%s/%d", address, i), ""}
				n := *requests / sizes[i].few
				if status == 304 {
					wharf.etag, plain.etag, n = etag, `"etag-of-it"`, *requests
				}
				if err := row(fmt.Sprintf("%.1f kB", float64(len(body))/1000), coding, status, wharf, plain, n); err != nil {
					return err
				}
				sent += (*runs + 1) * n
			}
		}
	}
	return checkPickups(ctx, r, int64(sent))
}

// startBare runs the bare handler as a process of its own.
func startBare(ctx context.Context, dir string) (address string, cmd *exec.Cmd, err error) {
	if address, err = rig.FreeAddress(); err != nil {
		return "", nil, err
	}
	self, err := os.Executable()
	if err != nil {
		return "", nil, err
	}
	cmd = exec.CommandContext(ctx, self, "-bare", dir, "-at", address)
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	if err := cmd.Start(); err != nil {
		return "", nil, err
	}
	return address, cmd, rig.WaitFor(ctx, 10*time.Second, func() (bool, error) {
		resp, err := http.Get("http://" + address + "/0")
		if err != nil {
			return false, nil // not yet
		}
		return true, resp.Body.Close()
	})
}

// row measures one case by turns and prints it.
func row(size, coding string, status int, wharf, plain target, n int) error {
	var ours, theirs, ratios []float64
	for run := range *runs + 1 {
		a, err := cost(wharf, coding, status, n)
		if err != nil {
			return err
		}
		b, err := cost(plain, coding, status, n)
		if err != nil {
			return err
		}
		if run > 0 { // the first warms up
			ours, theirs, ratios = append(ours, a), append(theirs, b), append(ratios, a/b)
		}
	}
	slices.Sort(ratios)
	fmt.Printf("%-10s %-8s %6d  %9.1f µs %9.1f µs  %.2f (%.2f to %.2f)\n", size, coding, status, median(ours), median(theirs), median(ratios), ratios[0], ratios[len(ratios)-1])
	return nil
}

func median(all []float64) float64 {
	all = slices.Clone(all)
	slices.Sort(all)
	return all[len(all)/2]
}

// readers is how many connections ask at once.
const readers = 4

// cost is the processor time of the server per request, in microseconds.
func cost(t target, coding string, status, n int) (float64, error) {
	transport := &http.Transport{DisableCompression: true, MaxIdleConnsPerHost: readers}
	defer transport.CloseIdleConnections()
	c := &http.Client{Transport: transport}
	before, err := rig.CPU(t.pid)
	if err != nil {
		return 0, err
	}
	var all sync.WaitGroup
	failures := make([]error, readers)
	for i := range readers {
		all.Go(func() {
			for k := i; k < n && failures[i] == nil; k += readers {
				failures[i] = ask(c, t, coding, status)
			}
		})
	}
	all.Wait()
	after, err := rig.CPU(t.pid)
	if err := errors.Join(append(failures, err)...); err != nil {
		return 0, err
	}
	return float64((after - before).Nanoseconds()) / 1000 / float64(n), nil
}

func ask(c *http.Client, t target, coding string, status int) error {
	req, err := http.NewRequest(http.MethodGet, t.url, nil)
	if err != nil {
		return err
	}
	req.Header.Set("User-Agent", "bench")
	req.Header.Set("Accept-Encoding", coding)
	if t.etag != "" {
		req.Header.Set("If-None-Match", t.etag)
	}
	resp, err := c.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if resp.StatusCode != status {
		return fmt.Errorf("%s answered %d instead of %d", t.url, resp.StatusCode, status)
	}
	_, err = io.Copy(io.Discard, resp.Body)
	return err
}

func get(url, coding string) (body []byte, etag string, err error) {
	req, err := http.NewRequest(http.MethodGet, url, nil)
	if err != nil {
		return nil, "", err
	}
	req.Header.Set("User-Agent", "bench")
	req.Header.Set("Accept-Encoding", coding)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, "", err
	}
	defer resp.Body.Close()
	body, err = io.ReadAll(resp.Body)
	return body, resp.Header.Get("ETag"), err
}

// publish makes a publication of each size.
func publish(ctx context.Context, r *rig.Rig) ([]client.Publication, error) {
	feed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, req *http.Request) {
		var i int
		if _, err := fmt.Sscanf(req.URL.Path, "/%d.ics", &i); err != nil {
			http.NotFound(w, req)
			return
		}
		_, _ = io.WriteString(w, document(sizes[i].events)) // the reader went away
	}))
	defer feed.Close()
	var all []client.Publication
	for i, size := range sizes {
		every := 604800
		capacity, each := 100, client.EachBooking
		calendar, err := client.Decode[client.Calendar](r.API.CreateCalendar(ctx, client.CalendarRequest{Name: size.name, Zone: "America/Halifax", Grain: client.Time, Capacity: &capacity}))
		if err != nil {
			return nil, err
		}
		link := fmt.Sprintf("%s/%d.ics", feed.URL, i)
		_, err = client.Decode[client.Feed](r.API.CreateFeed(ctx, client.FeedRequest{Url: &link, Platform: "Desk", Name: size.name, Every: &every, Calendar: &calendar.Id}))
		if err != nil {
			return nil, err
		}
		p, err := client.Decode[client.Publication](r.API.CreatePublication(ctx, client.PublicationRequest{Name: size.name, Calendar: calendar.Id, Platform: "Office", Content: &client.PublicationContentEdit{Occupancy: &each}}))
		if err != nil {
			return nil, err
		}
		all = append(all, p)
	}
	return all, nil
}

// document is a feed of n bookings of two hours each, from now on.
func document(n int) string {
	var b strings.Builder
	b.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Bench//EN\r\n")
	start := time.Now().UTC().Truncate(time.Hour)
	for i := range n {
		at := start.Add(time.Duration(i) * 3 * time.Hour)
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nUID:%d@bench.example\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:%s\r\nDTEND:%s\r\nSUMMARY:Guest %d\r\nEND:VEVENT\r\n",
			i, at.Format("20060102T150405Z"), at.Add(2*time.Hour).Format("20060102T150405Z"), i)
	}
	b.WriteString("END:VCALENDAR\r\n")
	return b.String()
}

// checkPickups holds what was recorded against what was asked for.
func checkPickups(ctx context.Context, r *rig.Rig, sent int64) error {
	recorded := int64(0)
	err := rig.WaitFor(ctx, 30*time.Second, func() (bool, error) {
		all, err := client.Decode[[]client.Publication](r.API.ListPublications(ctx, nil))
		recorded = 0
		for _, p := range all {
			recorded += p.Pickups
		}
		return recorded == sent, err
	})
	if err != nil {
		return fmt.Errorf("%d requests were sent, and %d pickups recorded", sent, recorded)
	}
	fmt.Printf("\n%d requests, %d pickups recorded.\n", sent, recorded)
	return nil
}
