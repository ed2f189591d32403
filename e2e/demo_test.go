package e2e

import (
	"context"
	"fmt"
	"math/rand"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// demo runs the demo as `make demo` does, in a directory of its own.
type demo struct {
	t    *testing.T
	dir  string
	port int
	cmd  *exec.Cmd
	out  string // the file it writes to
	done chan error
}

func newDemo(t *testing.T) *demo {
	d := &demo{t: t, dir: t.TempDir()}
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "bin"), 0o700))
	require.NoError(t, os.Symlink(binary, filepath.Join(d.dir, "bin", "wharf")))
	root, err := filepath.Abs("..")
	require.NoError(t, err)
	require.NoError(t, os.Symlink(filepath.Join(root, "demo"), filepath.Join(d.dir, "demo")))
	built, err := build(t.TempDir(), "demo", "wharf/demo")
	require.NoError(t, err)
	require.NoError(t, os.Symlink(built, filepath.Join(d.dir, "bin", "demo")))
	d.port = freePorts(t, 16)
	return d
}

// freePorts finds so many ports in a row that are free, below those that the system gives
// to connections of its own, which other tests make all the time.
func freePorts(t *testing.T, n int) int {
	t.Helper()
	for range 1000 {
		first := 10000 + rand.Intn(20000)
		free := true
		for port := first; free && port < first+n; port++ {
			l, err := net.Listen("tcp", "127.0.0.1:"+strconv.Itoa(port))
			if free = err == nil; free {
				require.NoError(t, l.Close())
			}
		}
		if free {
			return first
		}
	}
	require.FailNow(t, "no free ports in a row")
	return 0
}

func (d *demo) start() {
	d.t.Helper()
	d.out = filepath.Join(d.dir, "out")
	out, err := os.Create(d.out)
	require.NoError(d.t, err)
	defer out.Close()
	d.cmd = exec.Command(filepath.Join(d.dir, "bin", "demo"))
	d.cmd.Dir, d.cmd.Stdout, d.cmd.Stderr = d.dir, out, out
	d.cmd.Env = append(os.Environ(), "WHARF_DEMO_PORT="+strconv.Itoa(d.port))
	require.NoError(d.t, d.cmd.Start())
	d.done = make(chan error, 1)
	go func() { d.done <- d.cmd.Wait() }()
	if !assert.Eventually(d.t, func() bool {
		text, err := os.ReadFile(d.out)
		return err == nil && strings.Contains(string(text), "Ctrl-C stops all of it")
	}, 3*patience, 100*time.Millisecond, "the demo says where to look") {
		text, _ := os.ReadFile(d.out) // what there is of it
		require.FailNow(d.t, "it says", "%s", text)
	}
}

func (d *demo) end(signal syscall.Signal) error {
	d.t.Helper()
	require.NoError(d.t, d.cmd.Process.Signal(signal))
	select {
	case err := <-d.done:
		return err
	case <-time.After(patience):
		require.FailNow(d.t, "the demo does not stop")
		return nil
	}
}

// wharf runs the client with the demo's login.
func (d *demo) wharf(line string) (string, int) {
	cmd := exec.CommandContext(context.Background(), "sh", "-c", strings.Replace(line, "wharf ", "bin/wharf ", 1))
	cmd.Dir = d.dir
	cmd.Env = append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(d.dir, ".demo", "config"), "GORACE=atexit_sleep_ms=0")
	cmd.Stdin = strings.NewReader("skerrywick-harbour\n")
	out, _ := cmd.CombinedOutput() // the exit code says it
	return string(out), cmd.ProcessState.ExitCode()
}

// TestDemo: the demo comes up with exactly one real double booking, survives being killed,
// finds its data again, and every example of every help text runs on it.
func TestDemo(t *testing.T) {
	t.Parallel()
	d := newDemo(t)
	d.start()
	stopped := false
	defer func() {
		if !stopped {
			_ = d.cmd.Process.Kill()
		}
	}()
	one := func() client.Conflict {
		out, code := d.wharf("wharf conflict list --calendar 'Ketch Merrow' --json")
		require.Equal(t, 0, code, out)
		all := lines[client.Conflict](t, out)
		require.Len(t, all, 1)
		return all[0]
	}
	var found []string
	for _, c := range lines[client.Conflict](t, func() string { out, _ := d.wharf("wharf conflict list --json"); return out }()) {
		found = append(found, fmt.Sprintf("%s: %s among %d", c.CalendarName, c.Kind, len(c.Bookings)))
	}
	assert.ElementsMatch(t, []string{"Ketch Merrow: double_booking among 2", "Net Loft hall: tentative_clash among 2", "Rowing gigs: double_booking among 3"}, found,
		"on whatever day it is loaded")
	before := one()
	assert.Equal(t, client.ConflictKindDoubleBooking, before.Kind)
	assert.Equal(t, "Lindqvist party", before.Bookings[0].Title)
	assert.Equal(t, "Charter: Harbour School", before.Bookings[1].Title)
	out, code := d.wharf("wharf feed refresh --all")
	require.Equal(t, 0, code, out)
	assert.Equal(t, before.Id, one().Id, "what the platforms imported by now changes nothing")

	second := exec.Command(filepath.Join(d.dir, "bin", "demo"))
	second.Dir = d.dir
	text, err := second.CombinedOutput()
	assert.Error(t, err)
	assert.Equal(t, "demo: the demo is running already in this directory: stop it with Ctrl-C first\n", string(text))

	require.Error(t, d.end(syscall.SIGKILL))
	d.start()
	assert.Equal(t, before.Id, one().Id)

	examples := helpExamples(t, nil)
	require.Greater(t, len(examples), 15)
	for _, example := range examples {
		if strings.HasPrefix(example, "wharf serve") {
			continue // it would not end; the demo runs it
		}
		example = strings.ReplaceAll(example, "8470", strconv.Itoa(d.port))
		example = strings.ReplaceAll(example, "8471", strconv.Itoa(d.port+1))
		example = strings.ReplaceAll(example, "--name harbour", "--name harbour --password-stdin")
		out, code := d.wharf(example)
		if strings.Contains(example, "file conflicts") || strings.HasSuffix(example, "publication trips") {
			assert.Equal(t, 1, code, "%s\n%s", example, out) // the sample files clash; the harbour office never came for what it was given
			continue
		}
		assert.Equal(t, 0, code, "%s\n%s", example, out)
	}
	require.NoError(t, d.end(syscall.SIGINT), "Ctrl-C stops all of it")
	stopped = true
	text, err = os.ReadFile(d.out)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "DATA RACE")
}

var subcommand = regexp.MustCompile(`(?m)^   ([a-z]+)(?:, [a-z])? {2,}`)

// helpExamples collects the example of every command below the one named; each command
// that does something must have one.
func helpExamples(t *testing.T, command []string) []string {
	t.Helper()
	cmd := exec.Command(binary, append(append([]string{}, command...), "--help")...)
	cmd.Env = append(os.Environ(), "GORACE=atexit_sleep_ms=0")
	out, err := cmd.Output()
	require.NoError(t, err, command)
	help := string(out)
	var all []string
	_, commands, group := strings.Cut(help, "\nCOMMANDS:\n")
	if !group {
		_, example, ok := strings.Cut(help, "Example: ")
		require.True(t, ok, "%v has no example", command)
		return []string{strings.TrimSpace(strings.SplitN(example, "\n", 2)[0])}
	}
	commands, _, _ = strings.Cut(commands, "\n\n")
	for _, m := range subcommand.FindAllStringSubmatch(commands, -1) {
		if m[1] != "help" {
			all = append(all, helpExamples(t, append(append([]string{}, command...), m[1]))...)
		}
	}
	return all
}
