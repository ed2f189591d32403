// Package house holds the rules of the house that no compiler checks.
package house

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// core lists the rooms of core in the order in which they may use each other: each only
// those before it.
var core = []string{"span", "ical", "rrule", "zone", "recur", "rules", "booking", "carried", "reading", "echo", "conflict", "publish", "judge"}

type listed struct {
	ImportPath string
	Imports    []string
}

func TestImportsPointDown(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "wharf/...").Output()
	require.NoError(t, err)
	rooms := 0
	for d := json.NewDecoder(strings.NewReader(string(out))); d.More(); {
		var p listed
		require.NoError(t, d.Decode(&p))
		room, isCore := strings.CutPrefix(p.ImportPath, "wharf/core/")
		if isCore {
			rooms++
			require.Contains(t, core, room)
		}
		for _, i := range p.Imports {
			name, own := strings.CutPrefix(i, "wharf/")
			switch {
			case isCore && own:
				used, below := strings.CutPrefix(name, "core/")
				assert.True(t, below && slices.Index(core, used) < slices.Index(core, room), "%s imports %s", p.ImportPath, i)
			case isCore:
				first, _, _ := strings.Cut(i, "/")
				assert.NotContains(t, first, ".", "%s imports %s: core is the standard library only", p.ImportPath, i)
				assert.NotContains(t, []string{"os", "net", "net/http", "log", "log/slog", "database/sql"}, i, "%s does I/O", p.ImportPath)
			case strings.HasPrefix(p.ImportPath, "wharf/cli"):
				assert.False(t, strings.HasPrefix(name, "service"), "the client knows the service by its API alone: %s", i)
			}
			assert.True(t, i != "gorm.io/gorm" || p.ImportPath == "wharf/service/store", "%s imports GORM", p.ImportPath)
			assert.True(t, i != "github.com/gin-gonic/gin" || p.ImportPath == "wharf/service/server" || p.ImportPath == "wharf/api/server", "%s imports Gin", p.ImportPath)
			assert.True(t, !strings.HasPrefix(name, "cmd/"), "%s imports a command", p.ImportPath)
			if strings.HasPrefix(p.ImportPath, "wharf/service") {
				assert.NotEqual(t, "wharf/cli", i)
				assert.False(t, own && strings.HasPrefix(name, "internal/localdb") || name == "standin", "%s is for tests and the demo", i)
			}
		}
	}
	assert.Equal(t, len(core), rooms)
}

// TestCodesAreExplained: docs/guide/check.md has a row for every code that a diagnostic can
// have, and for no other.
func TestCodesAreExplained(t *testing.T) {
	guide, err := os.ReadFile("../../docs/guide/check.md")
	require.NoError(t, err)
	var explained, used []string
	for _, m := range regexp.MustCompile("(?m)^\\| `([a-z0-9-]+)` \\|").FindAllStringSubmatch(string(guide), -1) {
		explained = append(explained, m[1])
	}
	code := regexp.MustCompile(`(?:Error|Warning|Info), "([a-z0-9-]+)"|[Cc]ode: "([a-z0-9-]+)"|"(missing-[a-z]+)"|cutOff = "([a-z-]+)"`)
	for _, pattern := range []string{"../../core/*/*.go", "../../cli/file*.go"} {
		files, err := filepath.Glob(pattern)
		require.NoError(t, err)
		for _, name := range files {
			if strings.HasSuffix(name, "_test.go") {
				continue
			}
			text, err := os.ReadFile(name)
			require.NoError(t, err)
			for _, m := range code.FindAllStringSubmatch(string(text), -1) {
				used = append(used, m[1]+m[2]+m[3]+m[4])
			}
		}
	}
	slices.Sort(used)
	slices.Sort(explained)
	assert.Equal(t, slices.Compact(used), explained)
}
