// Package service wires the application's rooms together and runs them.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"

	"wharf/core/echo"
	"wharf/core/ical"
	"wharf/core/reading"
	"wharf/service/account"
	"wharf/service/combine"
	"wharf/service/desk"
	"wharf/service/events"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/secret"
	"wharf/service/server"
	"wharf/service/shelf"
	"wharf/service/store"
	"wharf/web"
)

// Config is every setting of the service; cmd/wharf documents them with their defaults.
type Config struct {
	Listen       string // host:port
	PublicURL    string // as recipients reach it; default http:// and Listen
	AllowedHosts []string
	Database     string // user:password@tcp(host:port)/name
	KeyFile      string
	AllowPrivate []string // ranges and ports of the inner network that may be read
	DefaultEvery time.Duration
	LeastEvery   time.Duration
	FetchTimeout time.Duration
	MaxFeedBytes int64
	Polite       fetch.Polite
	Lease        time.Duration
	Workers      int
	MaxBookings  int
	KeepGone     time.Duration // how long an entry is known that its feed no longer shows
	WholeEvery   time.Duration // after which a feed is read whole, though it says that it has not changed
	Limits       ical.Limits   // of a feed's document
	Memory       int64         // bytes that all readings that are going on take together
	Guard        reading.Guard // how much of it stands until somebody looks
	Echoes       echo.Rules    // by which reflections are judged
	StopTimeout  time.Duration
	OverdueAfter time.Duration // for which no recipient is overdue
	QueryTimeout time.Duration // of one statement of the database
	// RequestTimeout bounds how long a request of the API is worked on, and Lease beyond that
	// one that reads a feed.
	RequestTimeout time.Duration
	ShelfBytes     int64    // memory for publications
	MaxStreams     int      // open pages at once
	TrustedProxies []string // addresses and ranges
	Readers        server.Readers

	Now   func() time.Time
	Log   *slog.Logger
	Print func(line string) // for the one-time setup link
}

// Run serves until ctx ends, then finishes what is going on.
func Run(ctx context.Context, c Config) error {
	if c.Lease <= c.FetchTimeout {
		return fmt.Errorf("--lease %s is not longer than --fetch-timeout %s: a reading could be done twice at once", c.Lease, c.FetchTimeout)
	}
	public, err := publicURL(c)
	if err != nil {
		return err
	}
	proxies, err := server.ParseProxies(c.TrustedProxies)
	if err != nil {
		return fmt.Errorf("--trusted-proxy: %w", err)
	}
	listener, err := net.Listen("tcp", c.Listen)
	if err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return fmt.Errorf("the address %s is in use by another program: stop that, or choose another one with --listen", c.Listen)
		}
		return fmt.Errorf("the address %s cannot be listened on (%w): choose another one with --listen", c.Listen, err)
	}
	defer listener.Close()
	s, err := store.Open(ctx, c.Database, c.QueryTimeout)
	if err != nil {
		return err
	}
	defer s.Close()
	box, err := secret.LoadBox(c.KeyFile)
	if err != nil {
		return err
	}
	if err := box.Check(ctx, s, store.SettingKeyCheck); err != nil {
		return err
	}
	refresher, registry, err := refresherOf(c, s, box)
	if err != nil {
		return err
	}
	hub, held := events.New(s, c.Log), shelf.New(s, c.Log, c.Now, c.ShelfBytes)
	refresher.Combiner.Rendered = func(publications []int64) {
		held.Stale(publications...)
		hub.Poke()
	}
	changes := &desk.Desk{Store: s, Refresher: refresher, Combiner: refresher.Combiner, Box: box, Now: c.Now, Revoked: held.Stale,
		DefaultEvery: c.DefaultEvery, LeastEvery: c.LeastEvery}
	accounts := account.New(s, c.Now, isLoopback(listener.Addr()))
	handler, err := server.New(server.Config{
		Store: s, Accounts: accounts, Refresher: refresher, Desk: changes, Shelf: held, Hub: hub, Console: web.Files(),
		Log: c.Log, Now: c.Now, Registry: registry, PublicURL: public, AllowedHosts: c.AllowedHosts,
		MaxStreams: c.MaxStreams, MaxFeedBytes: c.MaxFeedBytes, RequestTimeout: c.RequestTimeout, ReadingTimeout: c.Lease, QueryTimeout: c.QueryTimeout, OverdueAfter: c.OverdueAfter,
		Proxies: proxies, Readers: c.Readers,
	})
	if err != nil {
		return err
	}
	if err := printSetupLink(ctx, c, accounts, public); err != nil {
		return err
	}
	return serve(ctx, c, listener, handler, background{refresher, hub, held})
}

// refresherOf builds the readers of feeds, with their metrics.
func refresherOf(c Config, s *store.Store, box *secret.Box) (*refresh.Refresher, *prometheus.Registry, error) {
	var private []fetch.Private
	for _, text := range c.AllowPrivate {
		p, err := fetch.ParsePrivate(text)
		if err != nil {
			return nil, nil, fmt.Errorf("--allow-private: %w", err)
		}
		private = append(private, p)
	}
	readings := prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "wharf_readings_seconds", Help: "Readings of feeds by outcome."}, []string{"outcome"})
	lateness := prometheus.NewHistogram(prometheus.HistogramOpts{Name: "wharf_readings_late_seconds", Help: "From when a feed was due to when its reading began.",
		Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 30, 60, 300}})
	combined := prometheus.NewHistogram(prometheus.HistogramOpts{Name: "wharf_combine_seconds", Help: "Combinations of calendars."})
	registry := prometheus.NewRegistry()
	registry.MustRegister(readings, lateness, combined, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	fetcher := fetch.New(fetch.Settings{Timeout: c.FetchTimeout, MaxBytes: c.MaxFeedBytes, Polite: c.Polite, Allowed: private, Now: c.Now})
	combiner := &combine.Combiner{Store: s, Now: c.Now, Log: c.Log, Echoes: c.Echoes, Done: func(_ int64, took time.Duration) { combined.Observe(took.Seconds()) }}
	return &refresh.Refresher{Store: s, Box: box, Fetcher: fetcher, Combiner: combiner, MintKey: box.Derive("uid"), Now: c.Now, Log: c.Log,
		Lease: c.Lease, Workers: c.Workers, MaxBookings: c.MaxBookings, KeepGone: c.KeepGone, Guard: c.Guard, WholeEvery: c.WholeEvery, Limits: c.Limits, Memory: c.Memory, Jitter: jitter, After: time.After,
		Done: func(outcome store.Outcome, took, late time.Duration) {
			readings.WithLabelValues(string(outcome)).Observe(took.Seconds())
			if late >= 0 {
				lateness.Observe(late.Seconds())
			}
		},
	}, registry, nil
}

// jitter is a random part of a time.
func jitter(most time.Duration) time.Duration { return rand.N(max(most, 1)) }

// printSetupLink shows the way in while there is no account.
func printSetupLink(ctx context.Context, c Config, accounts *account.Accounts, public *url.URL) error {
	code, err := accounts.SetupCode(ctx)
	if err != nil || code == "" {
		return err
	}
	// After the #, so that no server, proxy or log ever sees it.
	c.Print("Open this link once to make the first account: " + public.JoinPath("setup").String() + "#" + code)
	return nil
}

// background is the work that goes on beside requests.
type background struct {
	refresher *refresh.Refresher
	hub       *events.Hub
	shelf     *shelf.Shelf
}

// How often the background work looks for something to do that nobody told it of.
const (
	refreshTick = 5 * time.Second
	changesTick = 500 * time.Millisecond
	pickupsTick = 5 * time.Second
)

// run works until ctx ends, and returns when all of it has stopped.
func (b background) run(ctx context.Context) {
	var all sync.WaitGroup
	told := b.hub.Subscribe(false) // also of feeds that other processes were given
	defer told.Close()
	all.Go(func() {
		for range told.Ready {
			if slices.ContainsFunc(told.Take(), func(e events.Event) bool { return e.Topic == store.TopicFeed || e.Topic == events.TopicAll }) {
				b.refresher.Wake()
			}
		}
	})
	every := func(d time.Duration, work func(tick <-chan time.Time)) {
		all.Go(func() {
			tick := time.NewTicker(d)
			defer tick.Stop()
			work(tick.C)
		})
	}
	every(refreshTick, func(tick <-chan time.Time) { b.refresher.Run(ctx, tick) })
	every(changesTick, func(tick <-chan time.Time) { b.hub.Run(ctx, tick) })
	every(pickupsTick, func(tick <-chan time.Time) { b.shelf.Run(ctx, b.hub, tick) })
	all.Wait()
}

// serve runs the HTTP server and the background work, and stops both gracefully.
func serve(ctx context.Context, c Config, listener net.Listener, handler http.Handler, b background) error {
	h := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: time.Minute, IdleTimeout: 2 * time.Minute, // to write: see server.Readers
		ErrorLog: slog.NewLogLogger(c.Log.Handler(), slog.LevelWarn)}
	work, stopWork := context.WithCancel(ctx)
	worked := make(chan struct{})
	go func() {
		defer close(worked)
		b.run(work)
	}()
	failed := make(chan error, 1)
	go func() { failed <- h.Serve(listener) }()
	c.Log.Info("serving", "address", listener.Addr().String())
	var err error
	select {
	case err = <-failed:
	case <-ctx.Done():
	}
	stopWork() // which ends the streams of open pages too
	grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), c.StopTimeout)
	defer cancel()
	if stopped := h.Shutdown(grace); errors.Is(stopped, context.DeadlineExceeded) {
		c.Log.Warn("some requests did not end in time; they are broken off")
		_ = h.Close() // which says nothing that is not known
	} else {
		err = errors.Join(err, stopped)
	}
	select {
	case <-worked:
	case <-grace.Done():
		// Whatever is still at it has no claim that others wait for, and commits nothing half.
		c.Log.Warn("background work did not stop in time; it is broken off")
	}
	b.flush(ctx)
	if errors.Is(err, http.ErrServerClosed) {
		err = nil
	}
	c.Log.Info("stopped")
	return err
}

// flushTimeout is what pickups have to be written in at the end, however long the rest of
// the stop took.
const flushTimeout = 5 * time.Second

// flush writes the pickups that were counted last.
func (b background) flush(ctx context.Context) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), flushTimeout)
	defer cancel()
	b.shelf.Flush(ctx)
}

func publicURL(c Config) (*url.URL, error) {
	text := c.PublicURL
	if text == "" {
		text = "http://" + c.Listen
		if host, _, err := net.SplitHostPort(c.Listen); err == nil && (host == "" || host == "0.0.0.0" || host == "::") {
			return nil, errors.New("--listen names no host, so links to this service cannot be made: say with --public-url how recipients reach it")
		}
	}
	u, err := url.Parse(text)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || strings.Trim(u.Path, "/") != "" {
		return nil, fmt.Errorf("--public-url %q is not the address of a server: write it as https://wharf.example", text)
	}
	u.Path = ""
	return u, nil
}

func isLoopback(a net.Addr) bool {
	at, err := netip.ParseAddrPort(a.String())
	return err == nil && at.Addr().IsLoopback()
}
