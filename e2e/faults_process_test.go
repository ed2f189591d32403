package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/hostile"
	"wharf/service/crash"
)

// TestFaultsOfTheProcess: however the process is started, stopped, starved or killed, what it has is whole,
// and what keeps it from starting is one sentence.
func TestFaultsOfTheProcess(t *testing.T) {
	anyDay(t)
	t.Parallel()
	s := hostile.New(now().UTC())
	t.Cleanup(s.Close)
	const name = "icalendar/no UID anywhere" // another document, with the same nights in it
	// killedAt kills the service in a reading, and starts it again.
	killedAt := func(point string) func(t *testing.T) {
		return func(t *testing.T) {
			s.Mend(name)
			arm := filepath.Join(t.TempDir(), "arm")
			w := newWorld(t, nil, "WHARF_CRASH_AT="+point, "WHARF_CRASH_ARM="+arm)
			x := w.expose(t, "Hall", s.Link(name))
			s.Break(name)
			require.NoError(t, os.WriteFile(arm, nil, 0o600))
			_, err := client.Decode[client.Reading](w.api.CreateReading(context.Background(), x.feed))
			require.Error(t, err)
			w.died()
			require.NoError(t, os.Remove(arm))
			w.start()
			w.readsAgain(x)
		}
	}
	// notStarted is what a second process says that cannot start.
	notStarted := func(w *world, says string, env ...string) func(t *testing.T) {
		return func(t *testing.T) {
			cmd := exec.Command(binary, "serve")
			cmd.Env = append(os.Environ(), append([]string{"GORACE=atexit_sleep_ms=0", "HOME=" + t.TempDir(), "XDG_CONFIG_HOME=" + t.TempDir(), "WHARF_LISTEN=" + freeAddress(t), "WHARF_DATABASE=" + w.dsn, "WHARF_KEY_FILE=" + filepath.Join(w.dir, "key")}, env...)...)
			out, err := cmd.CombinedOutput()
			assert.Error(t, err)
			last := strings.Split(strings.TrimSpace(string(out)), "\n")
			assert.Contains(t, last[len(last)-1], says)
			assert.NotContains(t, string(out), "goroutine ")
		}
	}
	w := newWorld(t, nil)
	x := w.expose(t, "Hall", s.Link("process"))
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	garbage := filepath.Join(t.TempDir(), "garbage")
	require.NoError(t, os.WriteFile(garbage, []byte("\x00\xff not a key"), 0o600))
	tryFaults(t, []fault{
		{name: "process/killed when a feed was fetched", try: killedAt(crash.Fetched)},
		{name: "process/killed when a reading was stored", try: killedAt(crash.Committed)},
		{name: "process/killed when idle", try: func(t *testing.T) {
			require.NoError(t, w.process.Process.Kill())
			w.died()
			w.start()
			w.readsAgain(x)
		}},
		{name: "process/stands still while another works on", try: func(t *testing.T) {
			o := w.another()
			require.NoError(t, w.process.Process.Signal(syscall.SIGSTOP))
			_, err := client.Decode[client.Reading](o.api.CreateReading(context.Background(), x.feed))
			assert.NoError(t, err)
			require.NoError(t, w.process.Process.Signal(syscall.SIGCONT))
			w.readsAgain(x)
			o.stop()
		}},
		{name: "process/nobody reads what it prints", try: func(t *testing.T) {
			o := &world{t: t, dir: w.dir, dsn: w.dsn, address: freeAddress(t), token: w.token}
			cmd := exec.Command("sh", "-c", `"$0" serve | true`, binary)
			cmd.Env = append(os.Environ(), "WHARF_LISTEN="+o.address, "WHARF_DATABASE="+w.dsn, "WHARF_KEY_FILE="+filepath.Join(w.dir, "key"))
			cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
			require.NoError(t, cmd.Start())
			t.Cleanup(func() { _ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL); _ = cmd.Wait() })
			w.eventually("it serves", func() bool {
				resp, err := http.Get("http://" + o.address + "/readyz")
				if err != nil {
					return false
				}
				resp.Body.Close()
				return resp.StatusCode == 200
			})
		}},
		{name: "process/few files may be open", try: func(t *testing.T) {
			o := &world{t: t, address: freeAddress(t)}
			cmd := exec.Command("sh", "-c", `ulimit -n 40; exec "$0" serve`, binary)
			cmd.Env = append(os.Environ(), "WHARF_LISTEN="+o.address, "WHARF_DATABASE="+w.dsn, "WHARF_KEY_FILE="+filepath.Join(w.dir, "key"), "WHARF_ALLOW_PRIVATE=127.0.0.0/8:1-65535")
			cmd.Stderr = &logBuffer{}
			require.NoError(t, cmd.Start())
			t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
			ready := func() bool {
				resp, err := (&http.Client{Transport: &http.Transport{DisableKeepAlives: true}}).Get("http://" + o.address + "/readyz")
				if err != nil {
					return false
				}
				resp.Body.Close()
				return resp.StatusCode == 200
			}
			w.eventually("it serves", ready)
			for range 60 { // more than it can have open
				o.dial(t, "127.0.0.3", "GET / HTTP/1.1\r\n").Close()
				o.dial(t, "127.0.0.3", "GET /healthz HTTP/1.1\r\nHost: "+o.address+"\r\n\r\n")
			}
			assert.NoError(t, cmd.Process.Signal(syscall.Signal(0)), "it lives")
		}},
		{name: "process/its key file goes away meanwhile", try: func(t *testing.T) {
			key := filepath.Join(w.dir, "key")
			require.NoError(t, os.Rename(key, key+".away"))
			w.readsAgain(x)
			notStarted(w, "first used with another key")(t)
			require.NoError(t, os.Rename(key+".away", key))
		}},
		{name: "process/a key that is none", try: notStarted(w, "key", "WHARF_KEY_FILE="+garbage)},
		{name: "process/an address that is in use", try: notStarted(w, "in use by another program", "WHARF_LISTEN="+w.address)},
		{name: "process/a database of a newer program", try: func(t *testing.T) {
			_, err := db.Exec("INSERT INTO migrations (id) VALUES ('9999_later.sql')")
			require.NoError(t, err)
			notStarted(w, "does not know: run the newer wharf")(t)
			w.readsAgain(x) // who runs goes on
			_, err = db.Exec("DELETE FROM migrations WHERE id = '9999_later.sql'")
			require.NoError(t, err)
		}},
		{name: "process/a database that is none", try: notStarted(w, "write it as user:password", "WHARF_DATABASE=nonsense://x")},
		{name: "process/a proxy that is none", try: notStarted(w, "--trusted-proxy", "WHARF_TRUSTED_PROXIES=proxy.example")},
		{name: "process/settings that are no numbers", try: notStarted(w, "WHARF_MAX_FEED_MB", "WHARF_MAX_FEED_MB=many")},
		{name: "process/told to stop twice", try: func(t *testing.T) {
			require.NoError(t, w.process.Process.Signal(syscall.SIGTERM))
			_ = w.process.Process.Signal(syscall.SIGINT) // it may have ended
			w.stop()
			w.start()
			w.readsAgain(x)
		}},
	})
}

// readsAgain is whether a feed can be read, and all that was booked is.
func (w *world) readsAgain(x *exposed) {
	x.t.Helper()
	w.eventually("it reads again", func() bool {
		r, err := client.Decode[client.Reading](w.api.CreateReading(context.Background(), x.feed))
		return err == nil && r.Outcome != client.Failed
	})
	assert.Equal(x.t, hostile.Booked, x.standing(), fmt.Sprint(x.feed))
}
