// Command mutate takes the clauses of core/echo away one by one, and runs the cases and the tables of
// its tests against what is left: each must make one of them fail, or nobody would notice if it were gone.
//
// A clause is the condition of an if, a case of a switch without a tag, or a part of an
// && or ||. Those that are only there to bound work, or to spare it, say so: nothing that
// comes out depends on them (lines that end in "// bound"). All clauses are marked in one
// program, which is told by its environment which of them to take away.
//
// With -mine it looks for cases: histories of the simulation, cut down to a few weeks, in which a
// clause that no case misses makes a difference, and writes as few of them as hold all such clauses.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/format"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"time"
)

const room = "core/echo"

// patience is how long the tests may take, and longPatience the histories that cases are looked for
// in; what does not end counts as noticed.
const (
	patience     = 60 * time.Second
	longPatience = 10 * time.Minute
)

// clause is one that can be taken away.
type clause struct {
	function, where, what string
}

func (c clause) String() string { return c.where + ": " + c.what }

func main() {
	mine := flag.String("mine", "", "directory to write cases to that hold clauses which no case misses yet, such as core/judge/testdata/histories")
	years := flag.Int("years", 1, "years of each mixture to look for cases in")
	flag.Parse()
	if err := run(*mine, *years); err != nil {
		fmt.Fprintln(os.Stderr, "mutate: "+err.Error())
		os.Exit(1)
	}
}

func run(mine string, years int) error {
	dir, err := os.MkdirTemp("", "wharf-mutants-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	clauses, tests, err := marked(dir)
	if err != nil {
		return err
	}
	if tests.noticed(-1) {
		return fmt.Errorf("the cases do not hold as it is")
	}
	lives := make([]bool, len(clauses))
	each(len(clauses), func(i int) { lives[i] = !tests.noticed(i) })
	var survivors []int
	for i, c := range clauses {
		if lives[i] {
			survivors = append(survivors, i)
			fmt.Println(c)
		}
	}
	fmt.Printf("%d of %d clauses could be taken away unnoticed.\n", len(survivors), len(clauses))
	switch {
	case len(survivors) == 0:
		return nil
	case mine != "":
		return mineCases(tests, dir, mine, years, clauses, survivors)
	}
	return fmt.Errorf("no case misses them")
}

// each does something for each of so many, several at once.
func each(n int, do func(i int)) {
	places := make(chan bool, runtime.NumCPU())
	var together sync.WaitGroup
	for i := range n {
		together.Go(func() {
			places <- true
			defer func() { <-places }()
			do(i)
		})
	}
	together.Wait()
}

// programs are the tests of the rooms, marked, by directory.
type programs map[string]string

// cases is where the case files are tested.
const cases = "core/judge"

// noticed reports whether a test fails without a clause. What all cases come to in full is compared
// once; again in another order, or written anew, they need not be.
func (p programs) noticed(clause int) bool {
	for dir := range p {
		if _, err := p.told(dir, clause, patience, "-test.skip=^TestCases$|InAnyOrder|Exported"); err != nil {
			return true
		}
	}
	return false
}

// told runs the tests of a directory without a clause.
func (p programs) told(dir string, clause int, patience time.Duration, args ...string) ([]byte, error) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	cmd := exec.CommandContext(ctx, p[dir], args...)
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "WHARF_CLAUSE="+strconv.Itoa(clause), "GOMEMLIMIT=1GiB")
	return cmd.Output()
}

// switchboard is what a marked clause asks.
const switchboard = `package echo

import (
	"os"
	"strconv"
)

var wharfClause, _ = strconv.Atoi(os.Getenv("WHARF_CLAUSE"))

func clause(n int, is, instead bool) bool {
	if n == wharfClause {
		return instead
	}
	return is
}
`

// marked builds the tests with every clause marked.
func marked(dir string) (clauses []clause, tests programs, err error) {
	files, err := filepath.Glob(room + "/*.go")
	if err != nil {
		return nil, nil, err
	}
	replace := map[string]string{}
	put := func(name, text string) error {
		whole, err := filepath.Abs(name)
		if err != nil {
			return err
		}
		replace[whole] = filepath.Join(dir, fmt.Sprintf("%d.go", len(replace)))
		return os.WriteFile(replace[whole], []byte(text), 0o600)
	}
	for _, name := range files {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		var text string
		if clauses, text, err = mark(name, clauses); err != nil {
			return nil, nil, err
		}
		if err := put(name, text); err != nil {
			return nil, nil, err
		}
	}
	if err := put(room+"/zz_clauses.go", switchboard); err != nil {
		return nil, nil, err
	}
	if err := put(cases+"/zz_corpus_test.go", corpusTest); err != nil {
		return nil, nil, err
	}
	overlay, err := json.Marshal(map[string]map[string]string{"Replace": replace})
	if err != nil {
		return nil, nil, err
	}
	file := filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(file, overlay, 0o600); err != nil {
		return nil, nil, err
	}
	tests = programs{}
	for _, room := range []string{room, cases} {
		tests[room] = filepath.Join(dir, filepath.Base(room))
		if out, err := exec.Command("go", "test", "-c", "-overlay", file, "-o", tests[room], "./"+room).CombinedOutput(); err != nil {
			return nil, nil, fmt.Errorf("the marked program does not build: %s", out)
		}
	}
	return clauses, tests, nil
}

// mark marks the clauses of a file, which are added to those before.
func mark(name string, clauses []clause) ([]clause, string, error) {
	text, err := os.ReadFile(name)
	if err != nil {
		return nil, "", err
	}
	lines := strings.Split(string(text), "\n")
	files := token.NewFileSet()
	f, err := parser.ParseFile(files, name, text, parser.SkipObjectResolution)
	if err != nil {
		return nil, "", err
	}
	function := ""
	var failed error
	try := func(at *ast.Expr, instead string) {
		where := files.Position((*at).Pos())
		if !where.IsValid() || strings.HasSuffix(lines[where.Line-1], "// bound") {
			return
		}
		var was bytes.Buffer
		if err := format.Node(&was, files, *at); err != nil {
			failed = err
			return
		}
		n := strconv.Itoa(len(clauses))
		clauses = append(clauses, clause{function, where.String(), was.String() + ", taken for " + instead})
		*at = &ast.CallExpr{Fun: ast.NewIdent("clause"), Args: []ast.Expr{&ast.BasicLit{Kind: token.INT, Value: n}, *at, ast.NewIdent(instead)}}
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.FuncDecl:
			function = n.Name.Name
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
	var marked bytes.Buffer
	if err := format.Node(&marked, files, f); err != nil && failed == nil {
		failed = err
	}
	return clauses, marked.String(), failed
}
