package e2e

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	_ "github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/service/crash"
)

// TestKilledAtTheWorstMoment kills the service between fetch and commit, and between
// commit and render; after a restart the tables equal those of an undisturbed run.
func TestKilledAtTheWorstMoment(t *testing.T) {
	anyDay(t)
	t.Parallel()
	undisturbed := changeUnder(t, "")
	require.Contains(t, undisturbed, "double_booking")
	for _, point := range []string{crash.Fetched, crash.Committed} {
		t.Run(point, func(t *testing.T) {
			assert.Equal(t, undisturbed, changeUnder(t, point))
		})
	}
}

// changeUnder lets two guests book and the service read it, killing it once at the point
// on the way, and returns what the tables hold in the end.
func changeUnder(t *testing.T, point string) string {
	arm := filepath.Join(t.TempDir(), "arm")
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"}, "WHARF_CRASH_AT="+point, "WHARF_CRASH_ARM="+arm)
	w.book(0, "Osei", 3, 5)
	w.subscribe("Ketch Merrow")
	w.book(0, "Lindqvist", 10, 12)
	w.book(1, "Harbour School", 11, 14)
	if point != "" {
		require.NoError(t, os.WriteFile(arm, nil, 0o600))
		_, errs, code := w.try("", "feed", "refresh", "Feed of Merrow Charter Desk")
		require.Equal(t, 1, code, errs)
		w.died()
		require.NoError(t, os.Remove(arm))
		w.start()
	}
	for _, feed := range []string{"Feed of Merrow Charter Desk", "Feed of Strand & Tern Charters"} {
		w.eventually("the claim that died with its process has run out", func() bool {
			_, _, code := w.try("", "feed", "refresh", feed)
			return code == 0
		})
	}
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	defer db.Close()
	w.eventually("all is combined", func() bool { return dump(t, db, "SELECT COUNT(*) FROM dirty") == "0\n" })
	var all strings.Builder
	for _, query := range []string{
		"SELECT f.name, f.entries, f.lease_until IS NULL, f.failing_since IS NULL FROM feeds f ORDER BY f.name",
		"SELECT f.name, r.outcome, r.entries, r.added, r.changed, r.removed FROM readings r JOIN feeds f ON f.id = r.feed_id ORDER BY f.name, r.id",
		"SELECT f.name, e.not_before IS NULL FROM entries e JOIN feeds f ON f.id = e.feed_id ORDER BY f.name, e.id",
		"SELECT f.name, b.title, b.start_point, b.end_point, b.blocks, b.verdict, b.removed_at IS NULL FROM bookings b JOIN feeds f ON f.id = b.feed_id ORDER BY f.name, b.start_point",
		"SELECT kind, start_point, end_point, state FROM conflicts",
		"SELECT COUNT(*) FROM conflict_bookings",
		"SELECT p.name, c.start_point, c.end_point, c.units, c.tentative, c.sequence, c.from_version, c.to_version FROM carried c JOIN publications p ON p.id = c.publication_id ORDER BY p.name, c.start_point, c.from_version",
		"SELECT p.name, p.version, v.version, v.bytes FROM publications p JOIN versions v ON v.publication_id = p.id ORDER BY p.name, v.version",
	} {
		all.WriteString(dump(t, db, query) + "--\n")
	}
	return all.String()
}

// dump returns the rows of a query, one a line.
func dump(t *testing.T, db *sql.DB, query string) string {
	t.Helper()
	rows, err := db.Query(query)
	require.NoError(t, err)
	defer rows.Close()
	columns, err := rows.Columns()
	require.NoError(t, err)
	var out strings.Builder
	for rows.Next() {
		values := make([]sql.NullString, len(columns))
		into := make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		require.NoError(t, rows.Scan(into...))
		for i, v := range values {
			if i > 0 {
				out.WriteString("\t")
			}
			out.WriteString(v.String)
		}
		fmt.Fprintln(&out)
	}
	require.NoError(t, rows.Err())
	return out.String()
}
