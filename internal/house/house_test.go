// Package house holds the rules of the house that no compiler checks.
package house

import (
	"encoding/json"
	"go/ast"
	"go/parser"
	"go/token"
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
var core = []string{"span", "ical", "rrule", "zone", "schedule", "recur", "rules", "booking", "hold", "reminder", "carried", "reading", "preview", "echo", "conflict", "publish", "exposure", "judge"}

// pure is what core may use of the standard library: what computes on values, and does no I/O.
// maphash is for keys of maps alone, embed and zip for the built-in zone data, sync for what is
// worked out once, io for readers and writers that are given.
var pure = []string{"archive/zip", "bytes", "cmp", "context", "crypto/hmac", "crypto/sha256", "embed", "encoding/base64", "encoding/csv", "encoding/json", "encoding/binary", "encoding/hex", "errors",
	"fmt", "hash/maphash", "io", "iter", "maps", "math", "math/bits", "regexp", "slices", "sort", "strconv", "strings", "sync", "time", "unicode/utf16", "unicode/utf8", "unsafe"}

// impure is what of those packages depends on anything but its arguments.
var impure = []string{"time.Now", "time.Since", "time.Until", "time.Local", "time.LoadLocation", "time.After", "time.AfterFunc", "time.Sleep", "time.Tick", "time.NewTicker", "time.NewTimer",
	"fmt.Print", "fmt.Println", "fmt.Printf", "fmt.Scan", "fmt.Scanln", "fmt.Scanf", "zip.OpenReader"}

// TestCoreIsPure: core asks nobody for the time or the machine's zone, prints nothing, and no
// variable of a package changes once the program runs.
func TestCoreIsPure(t *testing.T) {
	rooms, err := filepath.Glob("../../core/*")
	require.NoError(t, err)
	require.Len(t, rooms, len(core))
	for _, room := range rooms {
		files := token.NewFileSet()
		var parsed []*ast.File
		names, err := filepath.Glob(filepath.Join(room, "*.go"))
		require.NoError(t, err)
		variables := map[string]bool{}
		for _, name := range names {
			if strings.HasSuffix(name, "_test.go") {
				continue
			}
			f, err := parser.ParseFile(files, name, nil, parser.ParseComments)
			require.NoError(t, err)
			parsed = append(parsed, f)
			for _, d := range f.Decls {
				if g, ok := d.(*ast.GenDecl); ok && g.Tok == token.VAR {
					for _, spec := range g.Specs {
						for _, v := range spec.(*ast.ValueSpec).Names {
							variables[v.Name] = true
						}
					}
				}
			}
		}
		for _, f := range parsed {
			for _, d := range f.Decls {
				body, isFunc := d.(*ast.FuncDecl)
				local := map[string]bool{}
				if isFunc {
					local = declaredIn(body)
				}
				changes := func(n ast.Node, to ast.Expr) {
					name := assignedTo(to)
					assert.False(t, variables[name] && !local[name], "%s: %s is a variable of the package, and changes", files.Position(n.Pos()), name)
				}
				ast.Inspect(d, func(n ast.Node) bool {
					switch n := n.(type) {
					case *ast.SelectorExpr:
						if p, ok := n.X.(*ast.Ident); ok && !local[p.Name] {
							assert.NotContains(t, impure, p.Name+"."+n.Sel.Name, "%s", files.Position(n.Pos()))
						}
					case *ast.AssignStmt:
						for _, to := range n.Lhs {
							changes(n, to)
						}
					case *ast.IncDecStmt:
						changes(n, n.X)
					}
					return true
				})
			}
		}
	}
}

// declaredIn are the names that a function gives to things of its own.
func declaredIn(f *ast.FuncDecl) map[string]bool {
	names := map[string]bool{}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.Field:
			for _, name := range n.Names {
				names[name.Name] = true
			}
		case *ast.ValueSpec:
			for _, name := range n.Names {
				names[name.Name] = true
			}
		case *ast.AssignStmt:
			for _, to := range n.Lhs {
				if name, ok := to.(*ast.Ident); ok && n.Tok == token.DEFINE {
					names[name.Name] = true
				}
			}
		case *ast.RangeStmt:
			for _, to := range []ast.Expr{n.Key, n.Value} {
				if name, ok := to.(*ast.Ident); ok && n.Tok == token.DEFINE {
					names[name.Name] = true
				}
			}
		}
		return true
	})
	return names
}

// assignedTo is the name of what an assignment changes, as a whole or in part.
func assignedTo(e ast.Expr) string {
	for {
		switch x := e.(type) {
		case *ast.IndexExpr:
			e = x.X
		case *ast.SelectorExpr:
			e = x.X
		case *ast.StarExpr:
			e = x.X
		case *ast.ParenExpr:
			e = x.X
		case *ast.Ident:
			return x.Name
		default:
			return ""
		}
	}
}

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
				assert.True(t, slices.Contains(pure, i), "%s imports %s, which is not among what core may use", p.ImportPath, i)
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

// TestServerOnlyTranslates: what people change is changed in the room desk; the server neither
// opens a transaction nor hands one on.
func TestServerOnlyTranslates(t *testing.T) {
	names, err := filepath.Glob("../../service/server/*.go")
	require.NoError(t, err)
	require.NotEmpty(t, names)
	for _, name := range names {
		text, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.NotContains(t, string(text), "store.Tx", name)
		assert.NotContains(t, string(text), ".Tx(", name)
	}
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
	code := regexp.MustCompile(`(?:Error|Warning|Info), "([a-z0-9-]+)"|[Cc]ode: "([a-z0-9-]+)"|"(missing-[a-z]+|too-many-[a-z]+)"|cutOff = "([a-z-]+)"`)
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
