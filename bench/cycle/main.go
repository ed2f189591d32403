// Command cycle measures a refresh cycle of the real `wharf serve`: feeds that say nothing
// new, and feeds that have changed, all due at once and served from many loopback
// addresses.
package main

import (
	"context"
	"database/sql"
	"errors"
	"flag"
	"fmt"
	"net"
	"net/http"
	"os"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	_ "github.com/go-sql-driver/mysql"

	"wharf/api/client"
	"wharf/bench/rig"
)

var (
	changed   = flag.Int("changed", 1000, "feeds that have changed")
	unchanged = flag.Int("unchanged", 10000, "feeds that say nothing new")
	events    = flag.Int("events", 60, "events of each feed")
	addresses = flag.Int("addresses", 100, "loopback addresses that they are served from")
)

// perCalendar is how many of the changed feeds count on one calendar.
const perCalendar = 4

func main() {
	flag.Parse()
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "cycle: "+err.Error())
		os.Exit(1)
	}
}

// platform serves every feed: the changed ones by number below *changed. The first tenth
// of the events of these move when the round is raised. Of the others each second one
// knows ETags.
type platform struct{ round atomic.Int64 }

func (p *platform) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	n, err := strconv.Atoi(strings.TrimSuffix(strings.TrimPrefix(r.URL.Path, "/"), ".ics"))
	if err != nil {
		http.NotFound(w, r)
		return
	}
	round := p.round.Load()
	if n >= *changed && n%2 == 0 {
		w.Header().Set("ETag", `"same"`)
		if r.Header.Get("If-None-Match") == `"same"` {
			w.WriteHeader(http.StatusNotModified)
			return
		}
	}
	var b strings.Builder
	b.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Bench//EN\r\n")
	first := time.Now().UTC().AddDate(0, 0, 7)
	for i := range *events {
		shift := 0
		if n < *changed && i < *events/10 {
			shift = int(round)
		}
		day := first.AddDate(0, 0, 3*i+shift%2)
		// The stamp is that of the download, as on many platforms.
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nUID:%d-%d@bench.example\r\nDTSTAMP:%s\r\nDTSTART;VALUE=DATE:%s\r\nDTEND;VALUE=DATE:%s\r\nSUMMARY:Guest %d\r\nEND:VEVENT\r\n",
			n, i, time.Now().UTC().Format("20060102T150405Z"), day.Format("20060102"), day.AddDate(0, 0, 2).Format("20060102"), i)
	}
	b.WriteString("END:VCALENDAR\r\n")
	_, _ = w.Write([]byte(b.String())) // the reader went away
}

func run(ctx context.Context) error {
	p := &platform{}
	port, stop, err := serve(p)
	if err != nil {
		return err
	}
	defer stop()
	r, err := rig.Start(ctx)
	if err != nil {
		return err
	}
	defer r.Stop()
	db, err := sql.Open("mysql", r.DSN+"?parseTime=true")
	if err != nil {
		return err
	}
	defer db.Close()
	began := time.Now()
	if err := subscribe(ctx, r, port); err != nil {
		return err
	}
	fmt.Printf("A refresh cycle of wharf serve, one process, %d feeds of %d events from %d addresses. %s, %d processors.\n", *changed+*unchanged, *events, *addresses, runtime.Version(), runtime.NumCPU())
	fmt.Printf("Subscribing to them took %s.\n\n", time.Since(began).Round(time.Second))
	fmt.Printf("%-24s %8s %10s %12s %14s %16s %14s %12s\n", "", "feeds/s", "CPU/feed", "and database", "queries/feed", "row writes/feed", "combinations", "peak memory")
	p.round.Add(1)
	if err := phase(ctx, r, db, "unchanged", "id > "+strconv.Itoa(*changed), *unchanged); err != nil {
		return err
	}
	return phase(ctx, r, db, "changed, a tenth moved", "id <= "+strconv.Itoa(*changed), *changed)
}

// serve serves the platform from many addresses.
func serve(p *platform) (port int, stop func(), err error) {
	var servers []*http.Server
	stop = func() {
		for _, s := range servers {
			_ = s.Close()
		}
	}
	for i := range *addresses {
		l, err := net.Listen("tcp", fmt.Sprintf("127.0.1.%d:%d", i+1, port))
		if err != nil {
			stop()
			return 0, nil, err
		}
		port = l.Addr().(*net.TCPAddr).Port
		s := &http.Server{Handler: p, ReadHeaderTimeout: time.Minute}
		servers = append(servers, s)
		go func() { _ = s.Serve(l) }() // until stop
	}
	return port, stop, nil
}

// subscribe adds every feed; the changed ones have the smallest ids, and count on
// calendars that are published.
func subscribe(ctx context.Context, r *rig.Rig, port int) error {
	var calendars []int64
	for i := range (*changed + perCalendar - 1) / perCalendar {
		name, capacity, each := fmt.Sprint("Calendar ", i), perCalendar, client.EachBooking
		c, err := client.Decode[client.Calendar](r.API.CreateCalendar(ctx, client.CalendarRequest{Name: name, Zone: "America/Halifax", Grain: client.Day, Capacity: &capacity}))
		if err != nil {
			return err
		}
		if _, err := client.Decode[client.Publication](r.API.CreatePublication(ctx, client.PublicationRequest{Name: name, Calendar: c.Id, Platform: "Office", Content: &client.PublicationContentEdit{Occupancy: &each}})); err != nil {
			return err
		}
		calendars = append(calendars, c.Id)
	}
	add := func(i int) error {
		every := 604800
		link := fmt.Sprintf("http://127.0.1.%d:%d/%d.ics", i%*addresses+1, port, i)
		request := client.FeedRequest{Url: &link, Platform: fmt.Sprint("Platform ", i%20), Name: fmt.Sprint("Feed ", i), Every: &every}
		if i < *changed {
			request.Calendar = &calendars[i/perCalendar]
		}
		_, err := client.Decode[client.Feed](r.API.CreateFeed(ctx, request))
		return err
	}
	if err := inParallel(*changed, 0, add); err != nil {
		return err
	}
	return inParallel(*unchanged, *changed, add)
}

func inParallel(n, from int, f func(i int) error) error {
	const workers = 8
	var all sync.WaitGroup
	failures := make([]error, workers)
	for w := range workers {
		all.Go(func() {
			for i := from + w; i < from+n && failures[w] == nil; i += workers {
				failures[w] = f(i)
			}
		})
	}
	all.Wait()
	return errors.Join(failures...)
}

// counters are what the database has done so far.
type counters struct{ queries, updates, inserts, deletes, combined int64 }

func read(db *sql.DB) (c counters, err error) {
	rows, err := db.Query("SHOW GLOBAL STATUS WHERE Variable_name IN ('Questions', 'Handler_update', 'Handler_write', 'Handler_delete')")
	if err != nil {
		return c, err
	}
	defer rows.Close()
	into := map[string]*int64{"Questions": &c.queries, "Handler_update": &c.updates, "Handler_write": &c.inserts, "Handler_delete": &c.deletes}
	for rows.Next() {
		var name string
		var value int64
		if err := rows.Scan(&name, &value); err != nil {
			return c, err
		}
		*into[name] = value
	}
	if err := rows.Err(); err != nil {
		return c, err
	}
	return c, db.QueryRow("SELECT COALESCE(SUM(version), 0) FROM calendars").Scan(&c.combined)
}

// phase makes some feeds due and waits until they are read and all is combined.
func phase(ctx context.Context, r *rig.Rig, db *sql.DB, name, which string, n int) error {
	if n == 0 {
		return nil
	}
	done := func(query string) func() (bool, error) {
		return func() (bool, error) {
			var left int
			err := db.QueryRow(query).Scan(&left)
			return left == 0, err
		}
	}
	if err := rig.ForgetPeak(r.PID); err != nil {
		return err
	}
	if _, err := db.Exec("UPDATE feeds SET due_at = UTC_TIMESTAMP(6) WHERE " + which); err != nil {
		return err
	}
	before, err := read(db)
	if err != nil {
		return err
	}
	cpu, err := rig.CPU(r.PID)
	if err != nil {
		return err
	}
	server, err := rig.ServerCPU(db)
	if err != nil {
		return err
	}
	began := time.Now()
	asked := int64(0)
	counting := func(f func() (bool, error)) func() (bool, error) {
		return func() (bool, error) { asked++; return f() }
	}
	err = rig.WaitFor(ctx, 10*time.Minute, counting(done("SELECT COUNT(*) FROM feeds WHERE due_at <= UTC_TIMESTAMP(6)")))
	err = errors.Join(err, rig.WaitFor(ctx, 10*time.Minute, counting(done("SELECT COUNT(*) FROM dirty"))))
	took := time.Since(began)
	cpuAfter, failed := rig.CPU(r.PID)
	serverAfter, failedThere := rig.ServerCPU(db)
	after, failedToo := read(db)
	peak, failedThen := rig.Peak(r.PID)
	if err := errors.Join(err, failed, failedThere, failedToo, failedThen); err != nil {
		return err
	}
	per := func(x int64) float64 { return float64(x) / float64(n) }
	writes := after.updates - before.updates + after.inserts - before.inserts + after.deletes - before.deletes
	each := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 / float64(n) }
	fmt.Printf("%-24s %8.0f %7.2f ms %9.2f ms %14.1f %16.1f %14d %9.0f MB\n", name, float64(n)/took.Seconds(), each(cpuAfter-cpu), each(serverAfter-server),
		per(after.queries-before.queries-asked), per(writes), after.combined-before.combined, float64(peak)/(1<<20))
	return nil
}
