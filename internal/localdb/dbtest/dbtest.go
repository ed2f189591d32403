// Package dbtest gives each test package a MariaDB database of its own.
package dbtest

import (
	"context"
	"crypto/rand"
	"database/sql"
	"fmt"
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

// Prepared returns the address of a new database with the tables and rows that prepare makes in an empty one.
// It is called for the first database alone; those after it are copies, which takes a tenth of the time.
func Prepared(t testing.TB, prepare func(dsn string) error) string {
	t.Helper()
	pattern.once.Do(func() {
		dsn := New(t)
		if pattern.err = prepare(dsn); pattern.err == nil {
			pattern.statements, pattern.err = statementsOf(dsn)
		}
	})
	if pattern.err != nil {
		t.Fatalf("no database to copy: %v", pattern.err)
	}
	dsn := New(t)
	db, err := sql.Open("mysql", dsn+"?multiStatements=true")
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(pattern.statements); err != nil {
		t.Fatalf("the database cannot be copied: %v", err)
	}
	return dsn
}

// pattern is what Prepared copies.
var pattern struct {
	once       sync.Once
	statements string
	err        error
}

// statementsOf are the statements that make a database once more.
func statementsOf(dsn string) (string, error) {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return "", err
	}
	defer db.Close()
	var tables string
	if err := db.QueryRow("SELECT GROUP_CONCAT(table_name ORDER BY table_name) FROM information_schema.tables WHERE table_schema = DATABASE()").Scan(&tables); err != nil {
		return "", err
	}
	name := dsn[strings.LastIndex(dsn, "/")+1:]
	all := []string{"SET foreign_key_checks = 0"} // tables name others that come later
	for _, table := range strings.Split(tables, ",") {
		var create string
		if err := db.QueryRow("SHOW CREATE TABLE `"+table+"`").Scan(&table, &create); err != nil {
			return "", err
		}
		all = append(all, create)
		var filled bool
		if err := db.QueryRow("SELECT EXISTS (SELECT 1 FROM `" + table + "`)").Scan(&filled); err != nil {
			return "", err
		}
		if filled {
			all = append(all, fmt.Sprintf("INSERT INTO `%[1]s` SELECT * FROM `%[2]s`.`%[1]s`", table, name))
		}
	}
	return strings.Join(append(all, "SET foreign_key_checks = 1"), ";\n"), nil
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
