// Command mutate takes the clauses of core/echo away one by one, and runs the cases against
// what is left: each must make one of them fail, or nobody would notice if it were gone.
//
// A clause is the condition of an if, a case of a switch without a tag, or a part of an
// && or ||. Those that are only there to bound work, or to spare it, say so: nothing that
// comes out depends on them (lines that end in "// bound").
package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"go/ast"
	"go/format"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
)

const room = "core/echo"

// mutant is the source of a file without one clause.
type mutant struct {
	file, what string
	source     []byte
}

func main() {
	survivors, all, err := run()
	if err != nil {
		fmt.Fprintln(os.Stderr, "mutate: "+err.Error())
		os.Exit(1)
	}
	for _, s := range survivors {
		fmt.Println(s)
	}
	fmt.Printf("%d of %d clauses could be taken away unnoticed.\n", len(survivors), all)
	if len(survivors) > 0 {
		os.Exit(1)
	}
}

func run() (survivors []string, all int, err error) {
	files, err := filepath.Glob(room + "/*.go")
	if err != nil {
		return nil, 0, err
	}
	var mutants []mutant
	for _, name := range files {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		more, err := mutantsOf(name)
		if err != nil {
			return nil, 0, err
		}
		mutants = append(mutants, more...)
	}
	if noticed, err := notice(mutant{}); err != nil || noticed {
		return nil, 0, fmt.Errorf("the cases do not hold as it is: %w", err)
	}
	lives := make([]bool, len(mutants))
	failed := make([]error, len(mutants))
	places := make(chan bool, runtime.NumCPU())
	var together sync.WaitGroup
	for i, m := range mutants {
		together.Go(func() {
			places <- true
			defer func() { <-places }()
			noticed, err := notice(m)
			lives[i], failed[i] = !noticed, err
		})
	}
	together.Wait()
	for i, m := range mutants {
		if failed[i] != nil {
			return nil, 0, failed[i]
		}
		if lives[i] {
			survivors = append(survivors, m.what)
		}
	}
	return survivors, len(mutants), nil
}

// mutantsOf takes the clauses of a file away one by one.
func mutantsOf(name string) ([]mutant, error) {
	text, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	lines := strings.Split(string(text), "\n")
	files := token.NewFileSet()
	f, err := parser.ParseFile(files, name, text, parser.ParseComments)
	if err != nil {
		return nil, err
	}
	var mutants []mutant
	var failed error
	try := func(at *ast.Expr, instead string) {
		where := files.Position((*at).Pos())
		if strings.HasSuffix(lines[where.Line-1], "// bound") {
			return
		}
		var was, now bytes.Buffer
		if err := format.Node(&was, files, *at); err != nil {
			failed = err
			return
		}
		kept := *at
		// It is still worked out, so that no variable is unused.
		*at = &ast.BinaryExpr{X: &ast.ParenExpr{X: kept}, Op: map[string]token.Token{"false": token.LAND, "true": token.LOR}[instead], Y: ast.NewIdent(instead)}
		if err := format.Node(&now, files, f); err != nil {
			failed = err
		}
		*at = kept
		mutants = append(mutants, mutant{name, fmt.Sprintf("%s: %s, taken for %s", where, was.String(), instead), now.Bytes()})
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.IfStmt:
			try(&n.Cond, "false")
		case *ast.SwitchStmt:
			if n.Tag != nil {
				return true
			}
			for _, s := range n.Body.List {
				for i := range s.(*ast.CaseClause).List {
					try(&s.(*ast.CaseClause).List[i], "false")
				}
			}
		case *ast.BinaryExpr:
			switch n.Op {
			case token.LAND:
				try(&n.X, "true")
				try(&n.Y, "true")
			case token.LOR:
				try(&n.X, "false")
				try(&n.Y, "false")
			}
		}
		return true
	})
	return mutants, failed
}

// notice reports whether the cases fail with a mutant; one that does not end counts as noticed.
func notice(m mutant) (bool, error) {
	args := []string{"test", "-timeout", "60s", "-run", "^TestCases$", "./core/judge"}
	if m.source != nil {
		dir, err := os.MkdirTemp("", "wharf-mutant-")
		if err != nil {
			return false, err
		}
		defer os.RemoveAll(dir)
		changed, overlay := filepath.Join(dir, "changed.go"), filepath.Join(dir, "overlay.json")
		whole, err := filepath.Abs(m.file)
		if err != nil {
			return false, err
		}
		text, err := json.Marshal(map[string]map[string]string{"Replace": {whole: changed}})
		if err != nil {
			return false, err
		}
		if err := os.WriteFile(changed, m.source, 0o600); err != nil {
			return false, err
		}
		if err := os.WriteFile(overlay, text, 0o600); err != nil {
			return false, err
		}
		args = append([]string{args[0], "-overlay", overlay}, args[1:]...)
	}
	out, err := exec.Command("go", args...).CombinedOutput()
	ran := slices.ContainsFunc([]string{"--- FAIL", "panic:", "fatal error:"}, func(said string) bool { return bytes.Contains(out, []byte(said)) })
	if err != nil && !ran {
		return false, fmt.Errorf("%s: %s", m.what, out)
	}
	return err != nil, nil
}
