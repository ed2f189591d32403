package main

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"os"
	"strconv"
	"sync/atomic"
	"time"

	"wharf/core/span"
	"wharf/demo/crowd"
	"wharf/internal/clock"
)

// crowdPort is that of the many platforms beside the service's.
const crowdPort = 20

// crowd serves very many feeds, each platform at an address of its own (127.0.1.1 and on), and loads them; only
// where that is asked for.
func (l *loader) crowd(ctx context.Context, port int) (stop func(), err error) {
	if os.Getenv("WHARF_DEMO_LARGE") == "" {
		return func() {}, nil
	}
	c := crowd.Crowd{Size: crowd.Large, Today: span.DateOf(clock.Now())}
	server := &http.Server{Handler: c.Handler(), ReadHeaderTimeout: 10 * time.Second}
	address := func(platform int) string {
		return net.JoinHostPort(fmt.Sprintf("127.0.1.%d", platform+1), strconv.Itoa(port))
	}
	for platform := range c.Platforms {
		listener, err := (&net.ListenConfig{}).Listen(ctx, "tcp", address(platform))
		if err != nil {
			_ = server.Close()
			return nil, fmt.Errorf("the address %s, which a platform is to have, cannot be listened on (%w): set WHARF_DEMO_PORT to another number", address(platform), err)
		}
		go func() { _ = server.Serve(listener) }() // until it is closed
	}
	began, done := time.Now(), atomic.Int64{}
	err = c.Load(ctx, l.api, func(platform int) string { return "http://" + address(platform) }, func() {
		if n := done.Add(1); n%50 == 0 {
			fmt.Fprintf(os.Stderr, "%d of %d calendars, each on %d of %d platforms, after %d s\n", n, c.Calendars, c.On, c.Platforms, int(time.Since(began).Seconds()))
		}
	})
	if err != nil {
		_ = server.Close()
		return nil, err
	}
	return func() { _ = server.Close() }, nil
}
