package combine_test

import (
	"compress/gzip"
	"database/sql"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/localdb/dbtest"
	"wharf/service/combine"
	"wharf/service/store"
)

// filled makes a database as an earlier Wharf left it (service/store/testdata).
func filled(t *testing.T) (string, *sql.DB) {
	t.Helper()
	file, err := os.Open("../store/testdata/filled.sql.gz")
	require.NoError(t, err)
	defer file.Close()
	packed, err := gzip.NewReader(file)
	require.NoError(t, err)
	text, err := io.ReadAll(packed)
	require.NoError(t, err)
	dsn := dbtest.New(t)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	db.SetMaxOpenConns(1) // for settings of the session
	for statement := range strings.SplitSeq(strings.TrimSpace(string(text)), ";\n") {
		_, err := db.Exec(strings.TrimSuffix(statement, ";"))
		require.NoError(t, err, "%.200s", statement)
	}
	return dsn, db
}

// shown is what people and platforms see of a database.
func shown(t *testing.T, db *sql.DB) string {
	t.Helper()
	var all strings.Builder
	for _, query := range []string{
		"SELECT calendar_id, feed_id, title, uid, minted, start_point, end_point, tentative, blocks, units, verdict, with_id, not_before, seen_by, removed_at FROM bookings ORDER BY id",
		"SELECT id, calendar_id, kind, start_point, end_point, state, opened_at, acknowledged_by, note FROM conflicts ORDER BY id",
		"SELECT conflict_id, booking_id FROM conflict_bookings ORDER BY 1, 2",
		"SELECT id, version, removed_at IS NULL FROM publications ORDER BY id",
		"SELECT publication_id, uid, start_point, end_point, sequence, from_version, to_version FROM carried ORDER BY id",
		"SELECT publication_id, version, agent, times FROM pickups ORDER BY id",
		"SELECT id, feed_id, uid, place, digest, not_before, seen_by FROM entries ORDER BY id",
		"SELECT name, entries, readings, e_tag, last_good_start, remarks FROM feeds ORDER BY id",
	} {
		rows, err := db.Query(query)
		require.NoError(t, err, query)
		columns, err := rows.Columns()
		require.NoError(t, err)
		for rows.Next() {
			values, into := make([]sql.NullString, len(columns)), make([]any, len(columns))
			for i := range values {
				into[i] = &values[i]
			}
			require.NoError(t, rows.Scan(into...))
			fmt.Fprintln(&all, values)
		}
		require.NoError(t, rows.Close())
	}
	rows, err := db.Query("SELECT id, body FROM publications ORDER BY id")
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var id int64
		var body []byte
		require.NoError(t, rows.Scan(&id, &body))
		_, plain, err := store.Served{Body: body}.Texts()
		require.NoError(t, err)
		fmt.Fprintln(&all, id, string(plain))
	}
	return all.String()
}

// TestUpgrade: a database of an earlier Wharf shows the same bookings, conflicts and publications
// afterwards, whenever a process was killed on the way, also when all of it is judged anew.
func TestUpgrade(t *testing.T) {
	var statements []string
	names, err := filepath.Glob("../store/migrations/*.sql")
	require.NoError(t, err)
	for _, name := range names[2:] { // it has the first two
		text, err := os.ReadFile(name)
		require.NoError(t, err)
		for statement := range strings.SplitSeq(strings.TrimSpace(string(text)), ";\n") {
			statements = append(statements, strings.TrimSuffix(statement, ";"))
		}
	}
	for done := range len(statements) + 1 {
		t.Run(fmt.Sprintf("killed after %d statements", done), func(t *testing.T) {
			dsn, db := filled(t)
			before := shown(t, db)
			require.Contains(t, before, "Lindqvist")
			require.Contains(t, before, "BEGIN:VEVENT")
			require.Contains(t, before, "echo")
			for _, statement := range statements[:done] {
				_, err := db.Exec(statement)
				require.NoError(t, err, statement)
			}
			s, err := store.Open(ctx, dsn, 0)
			require.NoError(t, err)
			defer s.Close()
			assert.Equal(t, before, shown(t, db))

			var at time.Time
			require.NoError(t, db.QueryRow("SELECT CAST(MAX(last_good_end) AS CHAR) FROM feeds").Scan((*moment)(&at)))
			c := &combine.Combiner{Store: s, Now: func() time.Time { return at }, Log: slog.New(slog.DiscardHandler)}
			_, err = db.Exec("INSERT INTO dirty (calendar_id) SELECT id FROM calendars")
			require.NoError(t, err)
			require.NoError(t, c.All(ctx))
			dirty, err := s.DirtyCalendars(ctx, at)
			require.NoError(t, err)
			assert.Empty(t, dirty)
			var failing int
			require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM calendars WHERE failures > 0").Scan(&failing))
			assert.Zero(t, failing, "calendars that cannot be brought up to date")
			assert.Equal(t, before, shown(t, db))
			var evidence string
			require.NoError(t, db.QueryRow("SELECT evidence FROM bookings WHERE verdict = 'echo' LIMIT 1").Scan(&evidence))
			assert.Contains(t, evidence, `"kind":"sent"`, "what verdicts rest on is data by now")
		})
	}
}

// moment is a time as the database writes it.
type moment time.Time

func (m *moment) Scan(from any) error {
	at, err := time.Parse("2006-01-02 15:04:05.999999", fmt.Sprintf("%s", from))
	*m = moment(at)
	return err
}
