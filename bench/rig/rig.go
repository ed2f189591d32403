// Package rig runs the real thing for benchmarks: MariaDB, `wharf serve`, and an account
// by whose token the API is called; and it measures other processes.
package rig

import (
	"bufio"
	"context"
	"database/sql"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"

	"wharf/api/client"
	"wharf/internal/localdb"
)

// Rig is a running Wharf.
type Rig struct {
	Dir  string
	DSN  string
	Base string // of the service
	API  *client.Client
	PID  int // of the service

	db     *localdb.Server
	cmd    *exec.Cmd
	others []*exec.Cmd
}

// Start builds and starts everything in a directory of its own; env are further settings.
func Start(ctx context.Context, env ...string) (*Rig, error) {
	runtime.LockOSThread() // children are told of our death by the thread that started them
	dir, err := os.MkdirTemp("", "wharf-bench-")
	if err != nil {
		return nil, err
	}
	r := &Rig{Dir: dir}
	if err := r.start(ctx, env); err != nil {
		r.Stop()
		return nil, err
	}
	return r, nil
}

func (r *Rig) start(ctx context.Context, env []string) (err error) {
	binary := filepath.Join(r.Dir, "wharf")
	build := exec.CommandContext(ctx, "go", "build", "-o", binary, "./cmd/wharf")
	build.Dir = ".."
	if out, err := build.CombinedOutput(); err != nil {
		return fmt.Errorf("wharf cannot be built: %w\n%s", err, out)
	}
	if r.db, err = localdb.Start(ctx, filepath.Join(r.Dir, "db"), 0); err != nil {
		return err
	}
	if err := localdb.Create(ctx, r.db.DSN(""), "wharf"); err != nil {
		return err
	}
	r.DSN = r.db.DSN("wharf")
	out, err := r.serve(ctx, binary, &r.cmd, &r.Base, env)
	if err != nil {
		return err
	}
	r.PID = r.cmd.Process.Pid
	return r.logIn(ctx, out)
}

// Another starts one more process on the same database, and returns its base.
func (r *Rig) Another(ctx context.Context, env ...string) (base string, err error) {
	var cmd *exec.Cmd
	out, err := r.serve(ctx, r.cmd.Path, &cmd, &base, env)
	if err != nil {
		return "", err
	}
	r.others = append(r.others, cmd)
	go func() { _, _ = io.Copy(io.Discard, out) }()
	return base, ready(ctx, base)
}

// serve runs the service at an address of its own; it returns what the service prints.
func (r *Rig) serve(ctx context.Context, binary string, cmd **exec.Cmd, base *string, env []string) (io.Reader, error) {
	address, err := FreeAddress()
	if err != nil {
		return nil, err
	}
	*base = "http://" + address
	log, err := os.Create(filepath.Join(r.Dir, "log-"+strings.ReplaceAll(address, ":", "-")))
	if err != nil {
		return nil, err
	}
	defer log.Close()
	c := exec.CommandContext(ctx, binary, "serve")
	c.Env = append(os.Environ(), append([]string{"WHARF_LISTEN=" + address, "WHARF_DATABASE=" + r.DSN, "WHARF_KEY_FILE=" + filepath.Join(r.Dir, "key"),
		"WHARF_ALLOW_PRIVATE=127.0.0.0/8:1-65535", "WHARF_LEAST_EVERY=1s", "WHARF_LOG_LEVEL=warn"}, env...)...)
	c.Stderr = log
	c.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	out, err := c.StdoutPipe()
	if err != nil {
		return nil, err
	}
	*cmd = c
	return out, c.Start()
}

// ready waits until a service answers.
func ready(ctx context.Context, base string) error {
	err := WaitFor(ctx, time.Minute, func() (bool, error) {
		resp, err := http.Get(base + "/readyz")
		if err != nil {
			return false, nil // not yet
		}
		return resp.StatusCode == http.StatusOK, resp.Body.Close()
	})
	if err != nil {
		return fmt.Errorf("the service does not answer: %w", err)
	}
	return nil
}

// logIn makes the account with the code that the service prints.
func (r *Rig) logIn(ctx context.Context, out io.Reader) error {
	lines := bufio.NewScanner(out)
	code := ""
	for code == "" && lines.Scan() {
		_, code, _ = strings.Cut(lines.Text(), "/setup#")
	}
	if err := ready(ctx, r.Base); err != nil {
		return err
	}
	const name, password = "bench", "a password for the benchmark"
	open, err := client.NewClient(r.Base + "/api/v1")
	if err != nil {
		return err
	}
	if _, err := client.Decode[client.Account](open.CreateSetup(ctx, client.SetupRequest{Code: code, Name: name, Password: password})); err != nil {
		return err
	}
	token, err := client.Decode[client.Token](open.CreateToken(ctx, client.TokenRequest{Name: name, Password: password, Label: "bench"}))
	if err != nil {
		return err
	}
	r.API, err = client.NewClient(r.Base+"/api/v1", client.WithRequestEditorFn(func(_ context.Context, req *http.Request) error {
		req.Header.Set("Authorization", "Bearer "+token.Token)
		return nil
	}))
	return err
}

// Stop ends everything and removes the directory.
func (r *Rig) Stop() {
	for _, cmd := range append(r.others, r.cmd) {
		if cmd != nil && cmd.Process != nil {
			_ = cmd.Process.Signal(syscall.SIGTERM) // it may have ended
			_ = cmd.Wait()
		}
	}
	if r.db != nil {
		_ = r.db.Stop()
	}
	_ = os.RemoveAll(r.Dir)
}

// FreeAddress is a free port on loopback.
func FreeAddress() (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	return l.Addr().String(), l.Close()
}

// WaitFor asks until the answer is yes.
func WaitFor(ctx context.Context, most time.Duration, f func() (bool, error)) error {
	ctx, cancel := context.WithTimeout(ctx, most)
	defer cancel()
	for {
		done, err := f()
		if done || err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// CPU is the processor time that a process has used.
func CPU(pid int) (time.Duration, error) {
	tasks, err := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/schedstat", pid))
	if err != nil {
		return 0, err
	}
	total := int64(0)
	for _, t := range tasks {
		text, err := os.ReadFile(t)
		if os.IsNotExist(err) {
			continue // the thread has ended
		}
		if err != nil {
			return 0, err
		}
		ran, err := strconv.ParseInt(strings.Fields(string(text))[0], 10, 64)
		if err != nil {
			return 0, err
		}
		total += ran
	}
	return time.Duration(total), nil
}

// ServerCPU is the processor time that the database server has used, on this machine.
func ServerCPU(db *sql.DB) (time.Duration, error) {
	var file string
	if err := db.QueryRow("SELECT IF(@@pid_file LIKE '/%', @@pid_file, CONCAT(@@datadir, @@pid_file))").Scan(&file); err != nil {
		return 0, err
	}
	pid, err := os.ReadFile(file)
	if err != nil {
		return 0, err
	}
	text, err := os.ReadFile(fmt.Sprintf("/proc/%s/stat", strings.TrimSpace(string(pid))))
	if err != nil {
		return 0, err
	}
	_, rest, _ := strings.Cut(string(text), ") ") // a name may have spaces in it
	const utime, stime, ticksPerSecond = 11, 12, 100
	ticks := int64(0)
	for _, i := range []int{utime, stime} {
		n, err := strconv.ParseInt(strings.Fields(rest)[i], 10, 64)
		if err != nil {
			return 0, err
		}
		ticks += n
	}
	return time.Duration(ticks) * time.Second / ticksPerSecond, nil
}

// Peak is the most memory that a process has had resident since ForgetPeak, in bytes.
func Peak(pid int) (int64, error) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0, err
	}
	_, rest, ok := strings.Cut(string(text), "VmHWM:")
	if !ok {
		return 0, fmt.Errorf("process %d has ended", pid)
	}
	kilobytes, err := strconv.ParseInt(strings.Fields(rest)[0], 10, 64)
	return kilobytes << 10, err
}

// ForgetPeak begins the measure of Peak anew.
func ForgetPeak(pid int) error {
	return os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", pid), []byte("5"), 0)
}
