// Package localdb runs a MariaDB server of the project's own on loopback, in a directory
// of the project's own, for the demo, the tests and the benchmarks. The service itself
// never starts a database.
package localdb

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
	"golang.org/x/sys/unix"
)

// Server is a running MariaDB.
type Server struct {
	Port     int
	password string
	dir      string
	options  []string
	cmd      *exec.Cmd
	exited   chan struct{} // closed when the process has ended
}

// Start initialises dir if need be and starts a server in it on 127.0.0.1:port (0: any
// free port), with further options for a server that is to be in want of something. A server
// that an earlier run left behind in dir is stopped first.
func Start(ctx context.Context, dir string, port int, options ...string) (*Server, error) {
	for _, tool := range []string{"mariadbd", "mariadb-install-db"} {
		if _, err := lookTool(tool); err != nil {
			return nil, fmt.Errorf("%s is not installed: run `make tools`, or install the Debian packages mariadb-server-core and mariadb-client-core", tool)
		}
	}
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the database's directory cannot be made: %w", err)
	}
	if err := stopLeftover(dir); err != nil {
		return nil, err
	}
	if err := initialise(ctx, dir); err != nil {
		return nil, err
	}
	if port == 0 {
		if port, err = freePort(); err != nil {
			return nil, err
		}
	}
	s := &Server{Port: port, dir: dir, options: options, exited: make(chan struct{})}
	if err := s.launch(); err != nil {
		return nil, err
	}
	if err := s.await(ctx); err != nil {
		return nil, errors.Join(err, s.Stop())
	}
	return s, nil
}

// lookTool finds a program also where ordinary users have no path to it.
func lookTool(name string) (string, error) {
	for _, dir := range []string{"/usr/sbin", "/usr/bin"} {
		if path, err := exec.LookPath(filepath.Join(dir, name)); err == nil {
			return path, nil
		}
	}
	return exec.LookPath(name)
}

func data(dir string) string { return filepath.Join(dir, "data") }

// initialise makes the data directory under another name first, so that one that was cut
// short is never taken for whole.
func initialise(ctx context.Context, dir string) error {
	if _, err := os.Stat(data(dir)); err == nil {
		return nil
	}
	fresh := filepath.Join(dir, "data.new")
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	if from := os.Getenv(Pristine); from != "" {
		if err := os.CopyFS(fresh, os.DirFS(from)); err != nil {
			return fmt.Errorf("the initialised database in %s cannot be copied: %w", from, err)
		}
	} else if err := install(ctx, fresh); err != nil {
		return err
	}
	password := rand.Text()
	if err := os.WriteFile(filepath.Join(dir, "password"), []byte(password), 0o600); err != nil {
		return err
	}
	return os.Rename(fresh, data(dir))
}

// Pristine names the variable that says where a data directory is that was initialised and never used: a copy of it
// takes a hundredth of the time.
const Pristine = "WHARF_PRISTINE_DATABASE"

// Initialise makes such a directory, where it is not there already.
func Initialise(ctx context.Context, dir string) error {
	if _, err := os.Stat(dir); err == nil {
		return nil
	}
	fresh := dir + ".new" // so that one that was cut short is never taken for whole
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return err
	}
	if err := install(ctx, fresh); err != nil {
		return err
	}
	return os.Rename(fresh, dir)
}

// install initialises a data directory.
func install(ctx context.Context, fresh string) error {
	tool, err := lookTool("mariadb-install-db")
	if err != nil {
		return err
	}
	args := append([]string{"--no-defaults", "--datadir=" + fresh, "--auth-root-authentication-method=normal", "--skip-test-db"}, asUser()...)
	out, err := exec.CommandContext(ctx, tool, args...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("the database cannot be initialised (is the disk full?): %w: %s", err, lastLine(out))
	}
	return nil
}

func asUser() []string {
	if os.Getuid() == 0 {
		return []string{"--user=root"}
	}
	return nil
}

func lastLine(out []byte) string {
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	return lines[len(lines)-1]
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func (s *Server) launch() error {
	l, err := net.Listen("tcp", "127.0.0.1:"+strconv.Itoa(s.Port))
	if err != nil {
		return fmt.Errorf("port %d, which the database is to have, is in use by another program", s.Port)
	}
	_ = l.Close()
	password, err := os.ReadFile(filepath.Join(s.dir, "password"))
	if err != nil {
		return fmt.Errorf("the database's password is lost (%w): run `make clean` and begin anew", err)
	}
	s.password = string(password)
	init := filepath.Join(s.dir, "init.sql")
	statements := fmt.Sprintf("ALTER USER root@localhost IDENTIFIED BY '%[1]s';\nCREATE OR REPLACE USER root@'127.0.0.1' IDENTIFIED BY '%[1]s';\nGRANT ALL ON *.* TO root@'127.0.0.1' WITH GRANT OPTION;\n", s.password)
	if err := os.WriteFile(init, []byte(statements), 0o600); err != nil {
		return err
	}
	tool, err := lookTool("mariadbd")
	if err != nil {
		return err
	}
	s.cmd = exec.Command(tool, append([]string{"--no-defaults", "--datadir=" + data(s.dir), "--socket=s.sock", "--pid-file=" + s.pidFile(),
		"--log-error=" + filepath.Join(s.dir, "error.log"), "--bind-address=127.0.0.1", "--port=" + strconv.Itoa(s.Port), "--init-file=" + init,
		"--skip-name-resolve", "--skip-log-bin", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci",
		"--innodb-flush-log-at-trx-commit=2", "--innodb-buffer-pool-size=64M", "--innodb-log-file-size=16M", "--performance-schema=0"}, append(asUser(), s.options...)...)...)
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM} // Ctrl-C is for us; we stop it
	if err := s.cmd.Start(); err != nil {
		return fmt.Errorf("the database cannot be started: %w", err)
	}
	go func() {
		_ = s.cmd.Wait() // how it ended is in its log
		close(s.exited)
	}()
	return nil
}

func (s *Server) pidFile() string { return filepath.Join(s.dir, "pid") }

// await returns when the server answers.
func (s *Server) await(ctx context.Context) error {
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return err
	}
	defer db.Close()
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	retry := time.NewTicker(50 * time.Millisecond)
	defer retry.Stop()
	for {
		if db.PingContext(ctx) == nil {
			return nil
		}
		select {
		case <-s.exited:
			log, _ := os.ReadFile(filepath.Join(s.dir, "error.log")) // may not be there
			return fmt.Errorf("the database did not start: %s", lastLine(bytes.TrimSpace(log)))
		case <-ctx.Done():
			return errors.New("the database does not answer")
		case <-retry.C:
		}
	}
}

// DSN is how to reach a database of this server.
func (s *Server) DSN(database string) string {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName = "root", s.password, "tcp", "127.0.0.1:"+strconv.Itoa(s.Port), database
	c.Logger = log{}
	return c.FormatDSN()
}

// log keeps the driver from printing what await expects.
type log struct{}

func (log) Print(...any) {}

// Create makes a database if there is none of that name.
func Create(ctx context.Context, dsn, database string) error {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	_, err = db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+database+"`")
	return err
}

// Pause makes the server hang, as a machine does that is out of memory, until Resume.
// When it returns, all its threads stand: a signal alone lets them run on for a moment.
func (s *Server) Pause() error {
	if err := s.cmd.Process.Signal(syscall.SIGSTOP); err != nil {
		return err
	}
	return unix.Waitid(unix.P_PID, s.cmd.Process.Pid, nil, unix.WSTOPPED, nil)
}

// Resume ends a pause.
func (s *Server) Resume() error { return s.cmd.Process.Signal(syscall.SIGCONT) }

// Exited is closed when the server has ended.
func (s *Server) Exited() <-chan struct{} { return s.exited }

// Stop ends the server in order.
func (s *Server) Stop() error {
	if s.cmd == nil || s.cmd.Process == nil {
		return nil
	}
	_ = s.cmd.Process.Signal(syscall.SIGTERM) // it may have ended
	select {
	case <-s.exited:
		return nil
	case <-time.After(20 * time.Second):
		return s.cmd.Process.Kill()
	}
}

// stopLeftover ends a server that runs in dir since an earlier run was killed.
func stopLeftover(dir string) error {
	text, err := os.ReadFile(filepath.Join(dir, "pid"))
	if err != nil {
		return nil // none was left
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	if err != nil {
		return nil
	}
	line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	if err != nil || !bytes.Contains(line, []byte("--datadir="+data(dir)+"\x00")) {
		return nil // that number is another program's by now
	}
	_ = syscall.Kill(pid, syscall.SIGTERM) // it may have ended
	for range 400 {
		if syscall.Kill(pid, 0) != nil {
			return nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	return fmt.Errorf("the database of an earlier run (process %d) does not stop", pid)
}
