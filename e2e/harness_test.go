// Package e2e tests Wharf through its real interfaces: the binary, the network, the
// client and Chromium, with MariaDB and the pretend platforms.
package e2e

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"flag"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/core/span"
	"wharf/internal/localdb/dbtest"
	"wharf/service/account"
	"wharf/service/secret"
	"wharf/service/store"
	"wharf/standin"
)

// thorough is whether there is time for everything, as in `make test-busy`.
var thorough = os.Getenv("WHARF_E2E_THOROUGH") != ""

var binary string // built once

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "wharf-e2e-")
	if err != nil {
		panic(err)
	}
	binary, err = build(dir, "wharf", "wharf/cmd/wharf")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	flag.Parse()
	// Most of a test is waiting for others.
	if err := flag.Set("test.parallel", "8"); err != nil {
		panic(err)
	}
	whole := flag.Lookup("test.run").Value.String() == "" && shift == 0
	dbtest.Main(m, endBrowser, func() bool { return os.RemoveAll(dir) == nil && theContract.verdict(whole) }, func() bool { return faultsTold(whole) })
}

// raced is whether what is built for the tests looks for data races, as it does in the runs of `make test-busy`. It
// makes the service six times as slow: in `make test` the packages of the service are tested so.
var raced = os.Getenv("WHARF_E2E_RACE") != ""

// build makes a program for tests: with the crash points and a clock that can be shifted. Runs one after the other may
// share what is built, which is then up to date within a second.
func build(dir, name, path string) (string, error) {
	if shared := os.Getenv("WHARF_E2E_BINARIES"); shared != "" {
		dir = shared
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return "", err
		}
	}
	file := filepath.Join(dir, name)
	args := []string{"build", "-tags", "crashpoints,testclock", "-o", file}
	if raced {
		args = append(args, "-race")
	}
	out, err := exec.Command("go", append(args, path)...).CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%s cannot be built: %w\n%s", name, err, out)
	}
	return file, nil
}

const (
	accountName = "harbour"
	password    = "a long enough password"
	zoneName    = "America/Halifax"
)

// patience bounds every wait for something that happens by itself.
const patience = 40 * time.Second

// world is one Wharf with its platforms.
type world struct {
	t         *testing.T
	dir       string
	dsn       string
	address   string   // of the service
	front     string   // of the proxy that holds its answers against the contract
	env       []string // further settings
	binary    string   // that serves; "" is the one of all tests
	process   *exec.Cmd
	exited    chan error
	setup     chan string
	log       *logBuffer
	requests  *lastRequests
	api       *client.Client
	token     string
	platforms []*standin.Platform
	servers   []*httptest.Server
}

// logBuffer keeps what the service logs, to be read while it runs.
type logBuffer struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (b *logBuffer) Write(p []byte) (int, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.text.Write(p)
}

func (b *logBuffer) String() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.text.String()
}

// newWorld starts the platforms and a service with an account, to which the client is
// logged in.
func newWorld(t *testing.T, names []string, env ...string) *world {
	t.Helper()
	dsn, token := furnished(t)
	w := openWorldOn(t, dsn, names, env...)
	w.keepLogin(token)
	return w
}

// newWorldOn is newWorld on a database of the test's own.
func newWorldOn(t *testing.T, dsn string, names []string, env ...string) *world {
	t.Helper()
	w := openWorldOn(t, dsn, names, env...)
	w.setUp()
	return w
}

// openWorld starts the platforms and a service that nobody has an account of yet.
func openWorld(t *testing.T, names []string, env ...string) *world {
	t.Helper()
	return openWorldOn(t, dbtest.New(t), names, env...)
}

func openWorldOn(t *testing.T, dsn string, names []string, env ...string) *world {
	t.Helper()
	t.Cleanup(func() { sayLeft(t) }) // the first is the last
	w := &world{t: t, dir: t.TempDir(), dsn: dsn, address: freeAddress(t), env: env, requests: &lastRequests{}}
	t.Cleanup(w.leave)
	for i, name := range names {
		p := &standin.Platform{Name: name, Secret: fmt.Sprintf("secret-%d", i), Style: styles[i%len(styles)],
			File: filepath.Join(w.dir, fmt.Sprintf("platform-%d.json", i)), Now: now, Client: &http.Client{Timeout: 10 * time.Second}}
		server := httptest.NewServer(p.Handler())
		t.Cleanup(server.Close)
		w.platforms, w.servers = append(w.platforms, p), append(w.servers, server)
	}
	proxy := theContract.inFrontOf(w.address, w.requests)
	t.Cleanup(proxy.Close)
	w.front = proxy.URL
	w.start(env...)
	t.Cleanup(w.stop)
	return w
}

var styles = []standin.Style{{Sale: "%s", Block: "Blocked"}, {Timed: true, Zone: zoneName, Sale: "Charter: %s", Block: "Not bookable"}, {Sale: "Berthed: %s", Block: "No berth"}}

func freeAddress(t *testing.T) string {
	return net.JoinHostPort("127.0.0.1", strconv.Itoa(freePorts(t, 1)))
}

func (w *world) base() string { return w.front }

// start runs `wharf serve` and waits until it is ready.
func (w *world) start(env ...string) {
	w.t.Helper()
	w.log, w.exited, w.setup = &logBuffer{}, make(chan error, 1), make(chan string, 1)
	cmd := exec.Command(cmp.Or(w.binary, binary), "serve")
	cmd.Env = append(os.Environ(), "WHARF_LISTEN="+w.address, "WHARF_DATABASE="+w.dsn, "WHARF_KEY_FILE="+filepath.Join(w.dir, "key"),
		"WHARF_ALLOW_PRIVATE=127.0.0.0/8:1-65535", "WHARF_LEAST_EVERY=1s", "WHARF_LEASE=5s", "WHARF_FETCH_TIMEOUT=4s", "GORACE=atexit_sleep_ms=0",
		"WHARF_GUARD_SHARE=0") // these feeds are emptied by one cancellation: TestGuard has it as it is by default
	cmd.Env = append(cmd.Env, env...)
	cmd.Stderr = w.log
	out, err := cmd.StdoutPipe()
	require.NoError(w.t, err)
	require.NoError(w.t, cmd.Start())
	w.process = cmd
	go func() {
		lines := bufio.NewScanner(out)
		for lines.Scan() {
			if _, code, ok := strings.Cut(lines.Text(), "/setup#"); ok {
				w.setup <- code
			}
		}
		w.exited <- cmd.Wait()
	}()
	w.eventually("the service is ready", func() bool {
		select {
		case err := <-w.exited:
			w.exited <- err
			require.FailNow(w.t, "the service ended", "%v\n%s", err, w.log)
		default:
		}
		resp, err := http.Get(w.base() + "/readyz")
		if err != nil {
			return false
		}
		defer resp.Body.Close()
		return resp.StatusCode == http.StatusOK
	})
}

// stop ends the service in order; it must say that it did.
func (w *world) stop() {
	if w.process == nil {
		return
	}
	_ = w.process.Process.Signal(syscall.SIGTERM) // it may have been killed by its test
	select {
	case err := <-w.exited:
		require.NoError(w.t, err, "%s", w.log)
	case <-time.After(patience):
		_ = w.process.Process.Kill()
		require.Fail(w.t, "the service does not stop", "%s", w.log)
	}
	w.process = nil
	require.NotContains(w.t, w.log.String(), "DATA RACE")
}

// died waits until the service has been killed.
func (w *world) died() {
	w.t.Helper()
	select {
	case err := <-w.exited:
		require.ErrorContains(w.t, err, "killed")
	case <-time.After(patience):
		require.FailNow(w.t, "the service lives on", "%s", w.log)
	}
	w.process = nil
}

// furnished returns the address of a new database with an account and two logins of it, as they are after the first page
// and the client's login; token is the client's.
func furnished(t *testing.T) (dsn, token string) {
	t.Helper()
	dsn = dbtest.Prepared(t, func(dsn string) error {
		ctx := context.Background()
		s, err := store.Open(ctx, dsn, 0)
		if err != nil {
			return err
		}
		defer s.Close()
		if err := s.SetSetting(ctx, store.SettingKeyCheck, []byte{0}); err != nil { // until a first start says with which key it is used
			return err
		}
		accounts := account.New(s, now, true)
		code, err := accounts.SetupCode(ctx)
		if err != nil {
			return err
		}
		owner, err := accounts.Setup(ctx, code, accountName, password, true)
		if err != nil {
			return err
		}
		if _, _, err := accounts.Login(ctx, owner, store.BrowserSession, "first page"); err != nil {
			return err
		}
		if clientToken, _, err = accounts.Login(ctx, owner, store.TokenSession, "client"); err != nil {
			return err
		}
		db, err := sql.Open("mysql", dsn)
		if err != nil {
			return err
		}
		defer db.Close()
		_, err = db.Exec("DELETE FROM settings")
		return err
	})
	return dsn, clientToken
}

// clientToken is that of furnished databases, which are copies of one.
var clientToken string

// keepLogin saves the client's login, as `wharf login` does.
func (w *world) keepLogin(token string) {
	w.t.Helper()
	w.token = token
	dir := filepath.Join(w.dir, "config", "wharf")
	require.NoError(w.t, os.MkdirAll(dir, 0o700))
	text, err := json.Marshal(map[string]string{"server": w.base(), "token": token})
	require.NoError(w.t, err)
	require.NoError(w.t, os.WriteFile(filepath.Join(dir, "login.json"), text, 0o600))
	w.connect()
}

// setUp makes the first account and logs the client in, as people do.
func (w *world) setUp() {
	w.t.Helper()
	open, err := client.NewClient(w.base() + "/api/v1")
	require.NoError(w.t, err)
	_, err = client.Decode[client.Account](open.CreateSetup(context.Background(), client.SetupRequest{Code: <-w.setup, Name: accountName, Password: password}))
	require.NoError(w.t, err)
	w.run(password+"\n", "login", "--server", w.base(), "--name", accountName, "--password-stdin")
	var saved struct{ Token string }
	text, err := os.ReadFile(filepath.Join(w.dir, "config", "wharf", "login.json"))
	require.NoError(w.t, err)
	require.NoError(w.t, json.Unmarshal(text, &saved))
	w.token = saved.Token
	w.connect()
}

// page opens a tab for somebody who is logged in to the console.
func (w *world) page(t *testing.T, scripts ...string) *page {
	t.Helper()
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	defer db.Close()
	session := secret.New()
	_, err = db.Exec("INSERT INTO sessions (hash, account_id, kind, label, created_at, expires_at) SELECT ?, id, ?, 'a tab', ?, ? FROM accounts", secret.Hash(session), store.BrowserSession, now().UTC(), now().UTC().Add(account.BrowserLife))
	require.NoError(t, err)
	p := openPage(t, w.base(), scripts...)
	_, err = chromedp.Call(p.tab, network.SetCookie, network.SetCookieParams{Name: "wharf_session", Value: session, URL: w.base()})
	require.NoError(t, err)
	return p
}

// connect makes the API of the service reachable with the token.
func (w *world) connect() {
	w.t.Helper()
	var err error
	w.api, err = client.NewClient(w.base()+"/api/v1", client.WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+w.token)
		return nil
	}))
	require.NoError(w.t, err)
}

// another starts one more process on the same database, with the same key.
func (w *world) another() *world {
	w.t.Helper()
	o := &world{t: w.t, dir: w.dir, dsn: w.dsn, address: freeAddress(w.t), env: w.env, token: w.token, platforms: w.platforms, servers: w.servers, requests: &lastRequests{}}
	w.t.Cleanup(o.leave)
	proxy := theContract.inFrontOf(o.address, o.requests)
	w.t.Cleanup(proxy.Close)
	o.front = proxy.URL
	o.start(w.env...)
	w.t.Cleanup(o.stop)
	o.connect()
	return o
}

// try runs the client and returns what it printed and its exit code.
func (w *world) try(stdin string, args ...string) (out, errs string, code int) {
	w.t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(w.dir, "config"), "NO_COLOR=1", "GORACE=atexit_sleep_ms=0")
	cmd.Stdin = strings.NewReader(stdin)
	var o, e bytes.Buffer
	cmd.Stdout, cmd.Stderr = &o, &e
	_ = cmd.Run() // the exit code says it
	return o.String(), e.String(), cmd.ProcessState.ExitCode()
}

// run runs the client, which must succeed.
func (w *world) run(stdin string, args ...string) string {
	w.t.Helper()
	out, errs, code := w.try(stdin, args...)
	require.Equal(w.t, 0, code, "wharf %s: %s%s\n%s", strings.Join(args, " "), out, errs, w.log)
	return out
}

// lines decodes the client's JSON lines.
func lines[T any](t *testing.T, out string) []T {
	t.Helper()
	var all []T
	d := json.NewDecoder(strings.NewReader(out))
	for d.More() {
		var v T
		require.NoError(t, d.Decode(&v))
		all = append(all, v)
	}
	return all
}

func (w *world) eventually(what string, f func() bool) {
	w.t.Helper()
	require.Eventually(w.t, f, patience, 50*time.Millisecond, what)
}

// day is the day n days from today, in the calendar's zone.
func day(t *testing.T, n int) string {
	loc, err := time.LoadLocation(zoneName)
	require.NoError(t, err)
	return (span.DateOf(now().In(loc)) + span.Date(n)).String()
}

// book sells days on a platform as its guests do: by the form on its page.
func (w *world) book(platform int, guest string, first, last int) {
	w.t.Helper()
	resp, err := http.PostForm(w.servers[platform].URL+"/bookings", url.Values{"guest": {guest}, "first": {day(w.t, first)}, "last": {day(w.t, last)}})
	require.NoError(w.t, err)
	require.NoError(w.t, resp.Body.Close())
	require.Equal(w.t, http.StatusOK, resp.StatusCode)
}

// soldWeekly has a platform sell about once a week since three months ago, for later.
func (w *world) soldWeekly(platform int) {
	w.t.Helper()
	for i := range 12 {
		_, err := w.platforms[platform].Add(standin.Booking{Guest: guests[i], From: day(w.t, 60+4*i), Until: day(w.t, 62+4*i), Made: now().Add(-time.Duration(90-7*i) * 24 * time.Hour)})
		require.NoError(w.t, err)
	}
}

func (w *world) cancel(platform int, guest string) {
	w.t.Helper()
	for _, b := range w.platforms[platform].Bookings() {
		if b.Guest == guest {
			resp, err := http.Post(w.servers[platform].URL+"/bookings/"+b.ID+"/cancel", "", nil)
			require.NoError(w.t, err)
			require.NoError(w.t, resp.Body.Close())
			require.Equal(w.t, http.StatusOK, resp.StatusCode)
			return
		}
	}
	require.FailNow(w.t, "no such booking", guest)
}

// feedLink is the link of a platform's feed.
func (w *world) feedLink(platform int) string {
	return w.servers[platform].URL + w.platforms[platform].FeedPath()
}

// subscribe adds a day calendar with the feed of each platform, and publishes it back to
// each. The feeds are read when asked: the interval is long.
func (w *world) subscribe(calendar string) {
	w.t.Helper()
	w.run("", "calendar", "add", calendar, "--zone", zoneName, "--grain", "day")
	for i, p := range w.platforms {
		link := w.feedLink(i)
		if i == 1 {
			link = "webcal" + strings.TrimPrefix(link, "http")
		}
		w.run("", "feed", "add", link, "--platform", p.Name, "--name", "Feed of "+p.Name, "--calendar", calendar, "--every", "1h")
		made := lines[client.Publication](w.t, w.run("", "publication", "add", "For "+p.Name, "--calendar", calendar, "--platform", p.Name, "--json"))
		require.NoError(w.t, p.SetImport(made[0].Url))
	}
}

// round lets every platform import and then reads every feed.
func (w *world) round() {
	w.t.Helper()
	for _, p := range w.platforms {
		require.NoError(w.t, p.ImportNow(context.Background()))
	}
	w.run("", "feed", "refresh", "--all")
}

func (w *world) conflicts(args ...string) []client.Conflict {
	w.t.Helper()
	return lines[client.Conflict](w.t, w.run("", append([]string{"conflict", "list", "--json"}, args...)...))
}
