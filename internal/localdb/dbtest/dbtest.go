// Package dbtest gives each test package a MariaDB database of its own.
package dbtest

import (
	"context"
	"crypto/rand"
	"os"
	"strings"
	"sync"
	"testing"

	"github.com/go-sql-driver/mysql"

	"wharf/internal/localdb"
)

// Env names the variable through which a test run shares one throwaway server.
const Env = "WHARF_TEST_DATABASE"

var own struct {
	sync.Mutex
	server *localdb.Server
	dir    string
}

// Main runs a package's tests, then stops the server that they started, if any, and does
// what else is to be done at the end; a function that returns false makes the run fail.
func Main(m *testing.M, atEnd ...func() bool) {
	code := m.Run()
	for _, f := range atEnd {
		if !f() {
			code = max(code, 1)
		}
	}
	if own.server != nil {
		_ = own.server.Stop() // the run is over
		_ = os.RemoveAll(own.dir)
	}
	os.Exit(code)
}

// New returns the address of a new, empty database.
func New(t testing.TB) string {
	t.Helper()
	dsn := os.Getenv(Env)
	if dsn == "" {
		dsn = ownServer(t)
	}
	name := "t_" + strings.ToLower(rand.Text())
	if err := localdb.Create(context.Background(), dsn, name); err != nil {
		t.Fatalf("no database for the test: %v", err)
	}
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		t.Fatal(err)
	}
	c.DBName = name
	return c.FormatDSN()
}

func ownServer(t testing.TB) string {
	own.Lock()
	defer own.Unlock()
	if own.server == nil {
		dir, err := os.MkdirTemp("", "wharf-db-")
		if err != nil {
			t.Fatal(err)
		}
		if own.server, err = localdb.Start(context.Background(), dir, 0); err != nil {
			t.Fatal(err)
		}
		own.dir = dir
	}
	return own.server.DSN("")
}
