// Package doubling shows by counting, not by timing, that nothing in core takes more than
// n log n steps: command steps is built so that it counts each statement that it runs, also
// those of package slices, and does each work on n things and on twice as many.
package doubling

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The work on twice as many things takes at most so many times the steps. What is n log n
// is just above 2 at this size, what is quadratic tends to 4.
const (
	size = 2000
	most = 2.5
)

func TestNothingAboveNLogN(t *testing.T) {
	program := filepath.Join(t.TempDir(), "steps")
	out, err := exec.Command("go", "build", "-cover", "-covermode=count", "-coverpkg=slices,wharf/core/...,wharf/internal/doubling/steps", "-o", program, "./steps").CombinedOutput()
	require.NoError(t, err, "%s", out)
	source, err := os.ReadFile("steps/main.go")
	require.NoError(t, err)
	names := regexp.MustCompile(`(?m)^\t"(.+)":\s+\S`).FindAllStringSubmatch(string(source), -1)
	require.Greater(t, len(names), 10)
	for _, name := range names {
		t.Run(strings.ReplaceAll(name[1], ",", ""), func(t *testing.T) {
			t.Parallel()
			once, twice := steps(t, program, name[1], size), steps(t, program, name[1], 2*size)
			require.Greater(t, once, size, "the statements are counted")
			assert.LessOrEqual(t, float64(twice)/float64(once), most, "%d steps for %d things, %d for twice as many", once, size, twice)
		})
	}
}

// steps runs the work and returns how many statements it took.
func steps(t *testing.T, program, work string, n int) (sum int) {
	t.Helper()
	dir, err := os.MkdirTemp(t.TempDir(), "") // whose name has no comma: that separates directories
	require.NoError(t, err)
	run := exec.Command(program, work, strconv.Itoa(n))
	run.Env = append(os.Environ(), "GOCOVERDIR="+dir)
	out, err := run.CombinedOutput()
	require.NoError(t, err, "%s", out)
	profile := filepath.Join(dir, "profile")
	out, err = exec.Command("go", "tool", "covdata", "textfmt", "-i="+dir, "-o="+profile).CombinedOutput()
	require.NoError(t, err, "%s", out)
	file, err := os.Open(profile)
	require.NoError(t, err)
	defer file.Close()
	for lines := bufio.NewScanner(file); lines.Scan(); {
		if strings.HasPrefix(lines.Text(), "mode:") {
			continue
		}
		var where string
		var statements, times int
		_, err := fmt.Sscan(lines.Text(), &where, &statements, &times) // file.go:1.2,3.4 2 17
		require.NoError(t, err, lines.Text())
		sum += statements * times
	}
	return sum
}
