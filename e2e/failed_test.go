package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
)

// failedDir is where tests that fail leave what they saw, each in a directory of its own.
const failedDir = "../.test/failed"

func leftBy(t *testing.T) string {
	return filepath.Join(failedDir, strings.NewReplacer("/", "_", " ", "_", "'", "").Replace(t.Name()))
}

// leaveBehind keeps something of a test that has failed.
func leaveBehind(t *testing.T, name string, content []byte) {
	dir := leftBy(t)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		t.Logf("%s is not kept: %v", name, err)
		return
	}
	if err := os.WriteFile(filepath.Join(dir, name), content, 0o644); err != nil {
		t.Logf("%s is not kept: %v", name, err)
	}
}

// sayLeft says where to look, as the last line of a test that has failed.
func sayLeft(t *testing.T) {
	if t.Failed() {
		t.Logf("what it showed and logged is in %s", strings.TrimPrefix(leftBy(t), "../"))
	}
}

// leave keeps what a world's service logged and was asked last, where its test has failed.
func (w *world) leave() {
	if !w.t.Failed() {
		return
	}
	if w.log != nil {
		leaveBehind(w.t, "service "+w.address+".log", []byte(w.log.String()))
	}
	leaveBehind(w.t, "requests "+w.address+".txt", []byte(w.requests.String()))
}

// lastRequests are the requests that were answered last, a line each.
type lastRequests struct {
	mu    sync.Mutex
	lines []string
}

// mostRequests is how many of them are kept.
const mostRequests = 100

func (l *lastRequests) add(resp *http.Response) {
	l.mu.Lock()
	defer l.mu.Unlock()
	r := resp.Request
	l.lines = append(l.lines, fmt.Sprintf("%s %d %s %s", time.Now().Format("15:04:05.000"), resp.StatusCode, r.Method, r.URL.RequestURI()))
	l.lines = l.lines[max(0, len(l.lines)-mostRequests):]
}

func (l *lastRequests) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.Join(l.lines, "\n") + "\n"
}
