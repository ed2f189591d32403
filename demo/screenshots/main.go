// Command screenshots takes the pictures of docs/screenshots from the running demo: the
// console's pages at desk and phone size, and the main commands in a terminal.
package main

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"time"

	"github.com/chromedp/chromedp"

	"wharf/internal/browser"
	"wharf/service/account"
)

const (
	base = "http://127.0.0.1:8470"
	dir  = "docs/screenshots"
)

// shot is a page as it is to be taken; ready is something that is there once it is drawn.
type shot struct {
	name, path, ready string
	phone             bool
	before            []chromedp.Action[chromedp.Void] // done once the page is ready
}

var shots = []shot{
	{name: "today", path: "/", ready: ".answer.alarm"},
	{name: "board", path: "/board", ready: ".clash", before: []chromedp.Action[chromedp.Void]{press(`//button[@aria-label="Feeds of Guest pontoon"]`), chromedp.WaitVisible(chromedp.CSS(".sub"))}},
	{name: "board-phone", path: "/board", ready: ".agenda", phone: true},
	{name: "calendar", path: "/calendars/1", ready: ".clash"},
	{name: "calendar-booking", path: "/calendars/1", ready: ".clash", before: []chromedp.Action[chromedp.Void]{chromedp.Click(chromedp.CSS(".booking.begins")), chromedp.WaitVisible(chromedp.CSS(".panel"))}},
	{name: "hold", path: "/board", ready: ".clash", before: []chromedp.Action[chromedp.Void]{press(`//button[@aria-label="Enter a booking on Ketch Merrow"]`), chromedp.SendKeys(chromedp.CSS(".el-dialog.hold input[maxlength='500']"), "Osei, by telephone"),
		press(`//button[normalize-space()="Enter it"]`), chromedp.WaitVisible(chromedp.CSS(".said"))}},
	{name: "conflict", path: "/conflicts/1", ready: ".facts"},
	{name: "both-ways", path: "/both-ways", ready: ".half"},
	{name: "platform", path: "/platforms/3", ready: ".habit"},
	{name: "feeds", path: "/feeds", ready: ".feed"},
	{name: "feed", path: "/feeds/1", ready: ".records"},
	{name: "feeds-add", path: "/feeds", ready: ".feed", before: []chromedp.Action[chromedp.Void]{chromedp.Click(chromedp.CSS(".head .el-button--primary")), chromedp.SendKeys(chromedp.CSS(".el-dialog textarea"), "webcal://127.0.0.1:8471/ical/merrow-2f6c91d04b/ketch.ics"), press(`//button[normalize-space()="Look at what is in it"]`), chromedp.WaitVisible(chromedp.CSS(".trial .next"))}},
	{name: "give-back", path: "/publications", ready: ".list li"},
	{name: "publication", path: "/publications", ready: ".list li", before: []chromedp.Action[chromedp.Void]{
		press(`//h2/a[normalize-space()="Merrow Charter Desk"]`), chromedp.WaitVisible(chromedp.CSS(".strip li")), press(`//button[contains(., "Hold it against")]`), chromedp.WaitVisible(chromedp.CSS(".comparison"))}},
	{name: "trips", path: "/both-ways/trips", ready: ".trips ol"},
	{name: "open-page", path: "/publications", ready: ".list li", before: []chromedp.Action[chromedp.Void]{
		press(`//li[contains(., "Ketch, for guests")]//button[normalize-space()="Share"]`), chromedp.WaitVisible(chromedp.CSS("input.page")),
		chromedp.Evaluate[chromedp.Void]("location.href = document.querySelector('input.page').value"), chromedp.WaitVisible(chromedp.CSS("td.taken"))}},
}

// press clicks what an XPath finds.
func press(xpath string) chromedp.Action[chromedp.Void] {
	return chromedp.Click(chromedp.Search(xpath))
}

// commands are taken in a terminal.
var commands = []struct {
	name, line string
	rows       int // of the terminal
}{
	{"terminal-conflict-list", "bin/wharf conflict list", 10},
	{"terminal-feed-list", "bin/wharf feed list", 13},
	{"terminal-file-check", "bin/wharf file check demo/files/yard-export.ics", 15},
}

func main() {
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots: "+err.Error())
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	if conn, err := net.Dial("tcp", "127.0.0.1:8470"); err != nil {
		return fmt.Errorf("the demo is not running: start it with `make demo` in another terminal")
	} else if err := conn.Close(); err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for _, c := range commands {
		if err := terminal(ctx, c.name, c.line, c.rows); err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
	}
	tab, end, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer end()
	tab, cancel := context.WithTimeout(tab, 3*time.Minute)
	defer cancel()
	if err := logIn(tab); err != nil {
		return fmt.Errorf("login: %w", err)
	}
	for _, s := range shots {
		if err := take(tab, s); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
	}
	return nil
}

func logIn(tab context.Context) error {
	return chromedp.Do(tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(base+"/login"),
		chromedp.SendKeys(chromedp.CSS("input[name=name]"), "harbour"),
		chromedp.SendKeys(chromedp.CSS("input[name=password]"), account.DemoPassword+"\r"),
		chromedp.WaitVisible(chromedp.CSS(".today")))
}

func take(tab context.Context, s shot) error {
	width, height := int64(1280), int64(800)
	if s.phone {
		width, height = 390, 844
	}
	steps := []chromedp.Action[chromedp.Void]{
		chromedp.EmulateViewport(width, height),
		chromedp.Evaluate[chromedp.Void]("localStorage.setItem('wharf-paper', 'light'); localStorage.setItem('wharf-echoes', 'false'); localStorage.setItem('wharf-scale', 'month')"),
		chromedp.Navigate(base + s.path),
		chromedp.WaitVisible(chromedp.CSS(s.ready)),
	}
	steps = append(steps, s.before...)
	steps = append(steps, chromedp.Sleep(600*time.Millisecond)) // let what slides in come to rest
	if err := chromedp.Do(tab, steps...); err != nil {
		return err
	}
	png, err := chromedp.Run(tab, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, s.name+".png"), png, 0o644)
}

// terminal shows a command in xterm under a virtual screen and takes its window.
func terminal(ctx context.Context, name, line string, rows int) error {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	display := ":" + strconv.Itoa(90+os.Getpid()%900)
	screen := exec.CommandContext(ctx, "Xvfb", display, "-screen", "0", fmt.Sprintf("1280x%dx24", rows*17+26), "-nolisten", "tcp")
	if err := screen.Start(); err != nil {
		return err
	}
	defer func() { _ = screen.Process.Signal(os.Interrupt); _ = screen.Wait() }() // in order, so that the display is free again
	config, err := filepath.Abs(".demo/config")
	if err != nil {
		return err
	}
	env := append(os.Environ(), "DISPLAY="+display, "XDG_CONFIG_HOME="+config)
	scratch, err := os.MkdirTemp("", "wharf-shot-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(scratch)
	flag := filepath.Join(scratch, "done")
	script := fmt.Sprintf("printf '\\033[?25l$ %%s\\n' \"%s\"; %s; touch %s; sleep 60", line, line, flag)
	if err := waitFor(ctx, func() bool { return run1(ctx, env, "xdpyinfo") == nil }); err != nil {
		return fmt.Errorf("Xvfb does not start: %w", err)
	}
	window := exec.CommandContext(ctx, "xterm", "-geometry", fmt.Sprintf("158x%d+0+0", rows), "-fa", "DejaVu Sans Mono", "-fs", "10", "-bg", "#10191e", "-fg", "#e9e3d6", "-b", "12", "+sb", "-e", "sh", "-c", script)
	window.Env = env
	if err := window.Start(); err != nil {
		return err
	}
	defer func() { _ = window.Process.Kill(); _ = window.Wait() }()
	if err := waitFor(ctx, func() bool { _, err := os.Stat(flag); return err == nil }); err != nil {
		return err
	}
	time.Sleep(300 * time.Millisecond) // the window draws what it was sent
	return run1(ctx, env, "import", "-window", "root", filepath.Join(dir, name+".png"))
}

func run1(ctx context.Context, env []string, name string, args ...string) error {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Env = env
	return cmd.Run()
}

func waitFor(ctx context.Context, done func() bool) error {
	for !done() {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
	return nil
}
