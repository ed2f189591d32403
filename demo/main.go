// Command demo runs all of Wharf on this machine, on loopback, with the sample scenario:
// MariaDB with a data directory of its own, the pretend platforms, and the service, into
// which it loads the scenario through the public API. Ctrl-C stops all of it; the next run
// finds its data.
package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"

	"wharf/api/client"
	"wharf/internal/clock"
	"wharf/internal/localdb"
	"wharf/service/account"
	"wharf/standin"
)

// The demo reads and imports often, so that changes can be watched.
const (
	refreshSeconds = 20
	importEvery    = 15 * time.Second
)

func main() {
	runtime.LockOSThread() // children are told of our death by the thread that started them
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx); err != nil && ctx.Err() == nil {
		fmt.Fprintln(os.Stderr, "demo: "+err.Error())
		os.Exit(1)
	}
}

// ports are the service's, then the platforms' one after the other, then the database's.
func ports() (service int, database int, err error) {
	base := 8470
	if s := os.Getenv("WHARF_DEMO_PORT"); s != "" {
		if base, err = strconv.Atoi(s); err != nil || base < 1024 || base > 65000 {
			return 0, 0, fmt.Errorf("WHARF_DEMO_PORT %q is no port: use a number from 1024 to 65000", s)
		}
	}
	return base, base + len(scenario) + 1, nil
}

func run(ctx context.Context) error {
	dir, err := filepath.Abs(".demo")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return fmt.Errorf("the demo's directory cannot be made: %w", err)
	}
	unlock, err := lock(filepath.Join(dir, "lock"))
	if err != nil {
		return err
	}
	defer unlock()
	service, databasePort, err := ports()
	if err != nil {
		return err
	}
	platforms, addresses, closePlatforms, err := startPlatforms(ctx, dir, service+1)
	if err != nil {
		return err
	}
	defer closePlatforms()
	database, err := localdb.Start(ctx, filepath.Join(dir, "mariadb"), databasePort)
	if err != nil {
		return err
	}
	defer func() { _ = database.Stop() }()
	if err = localdb.Create(ctx, database.DSN(""), "wharf"); err != nil {
		return err
	}
	s, err := startService(ctx, dir, service, database.DSN("wharf"))
	if err != nil {
		return err
	}
	defer s.stop()
	l := &loader{base: s.base, tokenFile: filepath.Join(dir, "token"), platforms: platforms, addresses: addresses, now: clock.Now}
	if l.setupCode, err = s.ready(ctx); err != nil {
		return err
	}
	if err := l.loadFor(ctx, filepath.Join(dir, "config")); err != nil {
		return err
	}
	closeCrowd, err := l.crowd(ctx, service+crowdPort)
	if err != nil {
		return err
	}
	defer closeCrowd()
	startImports(ctx, platforms)
	welcome(s.base, addresses)
	select {
	case <-ctx.Done():
		fmt.Println("\nStopping. `make demo` goes on where this ends; `make clean` forgets it.")
		return nil
	case <-s.exited:
		return fmt.Errorf("the service ended by itself: see the end of %s; `make demo` starts it again", s.logFile)
	case <-database.Exited():
		return fmt.Errorf("the database ended by itself: see the end of %s; `make demo` starts it again", filepath.Join(dir, "mariadb", "error.log"))
	}
}

// loadFor loads the scenario, and saves the login of the command line in a directory.
func (l *loader) loadFor(ctx context.Context, config string) error {
	if err := l.load(ctx); err != nil {
		return err
	}
	return l.saveCommandLineLogin(config)
}

// lock keeps a second demo from running in the same directory; it ends with the process.
func lock(file string) (func(), error) {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		_ = f.Close()
		return nil, errors.New("the demo is running already in this directory: stop it with Ctrl-C first")
	}
	return func() { _ = f.Close() }, nil
}

// startPlatforms serves the pretend platforms on one port each.
func startPlatforms(ctx context.Context, dir string, port int) (platforms []*standin.Platform, addresses []string, stop func(), err error) {
	var servers []*http.Server
	stop = func() {
		for _, s := range servers {
			_ = s.Close()
		}
	}
	if platforms, err = newPlatforms(filepath.Join(dir, "platforms"), clock.Now); err != nil {
		return nil, nil, nil, err
	}
	for i, p := range platforms {
		address := "127.0.0.1:" + strconv.Itoa(port+i)
		l, err := (&net.ListenConfig{}).Listen(ctx, "tcp", address)
		if err != nil {
			stop()
			return nil, nil, nil, fmt.Errorf("port %d, which %s is to have, is in use by another program: stop that, or set WHARF_DEMO_PORT to another number", port+i, p.Name)
		}
		s := &http.Server{Handler: p.Handler(), ReadHeaderTimeout: 10 * time.Second}
		servers = append(servers, s)
		addresses = append(addresses, "http://"+address)
		go func() { _ = s.Serve(l) }() // until stop
	}
	return platforms, addresses, stop, nil
}

// startImports lets every platform import on its schedule, until ctx ends.
func startImports(ctx context.Context, platforms []*standin.Platform) {
	for _, p := range platforms {
		go func() {
			tick := time.NewTicker(importEvery)
			defer tick.Stop()
			p.Run(ctx, tick.C)
		}()
	}
}

// child is the running service.
type child struct {
	base    string
	logFile string
	cmd     *exec.Cmd
	setup   chan string   // the code of the setup link, if one is printed
	exited  chan struct{} // closed when the process has ended
}

func startService(ctx context.Context, dir string, port int, dsn string) (*child, error) {
	address := "127.0.0.1:" + strconv.Itoa(port)
	if l, err := net.Listen("tcp", address); err != nil {
		return nil, fmt.Errorf("port %d, which the service is to have, is in use by another program: stop that, or set WHARF_DEMO_PORT to another number", port)
	} else if err := l.Close(); err != nil {
		return nil, err
	}
	c := &child{base: "http://" + address, logFile: filepath.Join(dir, "service.log"), setup: make(chan string, 1), exited: make(chan struct{})}
	log, err := os.OpenFile(c.logFile, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	defer log.Close()
	c.cmd = exec.Command(filepath.Join("bin", "wharf"), "serve")
	c.cmd.Env = append(os.Environ(), "WHARF_LISTEN="+address, "WHARF_DATABASE="+dsn, "WHARF_KEY_FILE="+filepath.Join(dir, "service.key"),
		"WHARF_LEAST_EVERY=5s", "WHARF_OVERDUE_AFTER=2m", "WHARF_LEASE=40s", fmt.Sprintf("WHARF_ALLOW_PRIVATE=127.0.0.1/32:%d-%d,127.0.1.0/24:%d", port+1, port+len(scenario), port+crowdPort))
	c.cmd.Stderr = log
	c.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM} // Ctrl-C is for us; we stop it
	out, err := c.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := c.cmd.Start(); err != nil {
		return nil, fmt.Errorf("the service cannot be started (%w): run `make build` first", err)
	}
	go c.watch(out)
	return c, nil
}

// watch picks the setup code out of what the service prints, then waits for its end.
func (c *child) watch(out io.Reader) {
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, code, ok := strings.Cut(lines.Text(), "/setup#"); ok {
			c.setup <- code
		}
	}
	_ = c.cmd.Wait() // how it ended is in its log
	close(c.exited)
}

// ready waits until the service answers, and returns the setup code if there is one.
func (c *child) ready(ctx context.Context) (string, error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	retry := time.NewTicker(50 * time.Millisecond)
	defer retry.Stop()
	for {
		if resp, err := http.Get(c.base + "/readyz"); err == nil {
			_ = resp.Body.Close()
			if resp.StatusCode == http.StatusOK {
				break
			}
		}
		select {
		case <-ctx.Done():
			return "", fmt.Errorf("the service does not answer: see %s", c.logFile)
		case <-c.exited:
			return "", fmt.Errorf("the service did not start: see the end of %s", c.logFile)
		case <-retry.C:
		}
	}
	return c.setupCode(ctx)
}

// setupCode returns the code of the setup link, or "" when there is an account already.
func (c *child) setupCode(ctx context.Context) (string, error) {
	api, err := client.NewClient(c.base + "/api/v1")
	if err != nil {
		return "", err
	}
	setup, err := client.Decode[client.Setup](api.GetSetup(ctx))
	if err != nil || !setup.Needed {
		return "", err
	}
	select {
	case code := <-c.setup:
		return code, nil
	case <-ctx.Done():
		return "", errors.New("the service printed no setup link")
	}
}

// stop ends the service in order.
func (c *child) stop() {
	_ = c.cmd.Process.Signal(syscall.SIGTERM) // it may have ended
	select {
	case <-c.exited:
	case <-time.After(20 * time.Second):
		_ = c.cmd.Process.Kill()
	}
}

func welcome(base string, addresses []string) {
	fmt.Printf(`
Wharf is running with the sample data of the Skerrywick Harbour Trust.

  Console    %s
  Name       %s
  Password   %s   (works on this machine only)

Try, in another terminal, in this directory:

  export XDG_CONFIG_HOME=$PWD/.demo/config     # the demo's login
  bin/wharf conflict list
  bin/wharf calendar show "%s" --echoes
  bin/wharf publication list

The pretend platforms, where you can book and cancel as a guest would:

`, base, accountName, account.DemoPassword, ketch)
	for i, p := range scenario {
		fmt.Printf("  %-24s %-15s %s\n", p.name, p.calendar, addresses[i])
	}
	fmt.Printf("\nFeeds are read every %d s, the platforms import every %d s. Ctrl-C stops all of it.\n", refreshSeconds, int(importEvery.Seconds()))
}
