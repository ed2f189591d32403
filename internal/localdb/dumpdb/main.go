// Command dumpdb prints a database as statements that make it again, in an order that does not
// change: what is kept as test data is made by it. It is given the address of the database.
package main

import (
	"bufio"
	"database/sql"
	"encoding/hex"
	"fmt"
	"os"
	"strings"

	_ "github.com/go-sql-driver/mysql"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "dumpdb: usage: dumpdb ADDRESS")
		os.Exit(2)
	}
	if err := run(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, "dumpdb: "+err.Error())
		os.Exit(1)
	}
}

func run(dsn string) error {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	tables, err := list(db, "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() ORDER BY table_name")
	if err != nil {
		return err
	}
	out := bufio.NewWriter(os.Stdout)
	fmt.Fprintln(out, "SET FOREIGN_KEY_CHECKS = 0;")
	for _, table := range tables {
		var name, create string
		if err := db.QueryRow("SHOW CREATE TABLE "+table).Scan(&name, &create); err != nil {
			return err
		}
		fmt.Fprintf(out, "%s;\n", strings.ReplaceAll(create, "\n", " "))
		if err := rows(db, out, table); err != nil {
			return fmt.Errorf("%s: %w", table, err)
		}
	}
	fmt.Fprintln(out, "SET FOREIGN_KEY_CHECKS = 1;")
	return out.Flush()
}

// rows prints what is in a table, in the order of its columns; generated ones make themselves.
func rows(db *sql.DB, out *bufio.Writer, table string) error {
	columns, err := list(db, "SELECT column_name FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = ? AND is_generated = 'NEVER' ORDER BY ordinal_position", table)
	if err != nil {
		return err
	}
	names := strings.Join(columns, ", ")
	found, err := db.Query("SELECT " + names + " FROM " + table + " ORDER BY " + names)
	if err != nil {
		return err
	}
	defer found.Close()
	for found.Next() {
		values, into := make([]sql.RawBytes, len(columns)), make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		if err := found.Scan(into...); err != nil {
			return err
		}
		texts := make([]string, len(columns))
		for i, v := range values {
			texts[i] = literal(v)
		}
		fmt.Fprintf(out, "INSERT INTO %s (%s) VALUES (%s);\n", table, names, strings.Join(texts, ", "))
	}
	return found.Err()
}

// literal writes a value, as text where it is plain.
func literal(v []byte) string {
	if v == nil {
		return "NULL"
	}
	for _, b := range v {
		if b < ' ' || b > '~' || b == '\'' || b == '\\' || b == ';' {
			return "X'" + hex.EncodeToString(v) + "'"
		}
	}
	return "'" + string(v) + "'"
}

func list(db *sql.DB, query string, args ...any) ([]string, error) {
	found, err := db.Query(query, args...)
	if err != nil {
		return nil, err
	}
	defer found.Close()
	var all []string
	for found.Next() {
		var s string
		if err := found.Scan(&s); err != nil {
			return nil, err
		}
		all = append(all, s)
	}
	return all, found.Err()
}
