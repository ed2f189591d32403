package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/localdb"
	"wharf/internal/localdb/dbtest"
	"wharf/service/store"
)

func newCalendar(t *testing.T, s *store.Store, name string) store.Calendar {
	t.Helper()
	c := store.Calendar{Name: name, Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: now}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&c) }))
	return c
}

// TestAfterADeadlock: a transaction that lost a deadlock has been rolled back; what it would
// do next must not be committed alone, also where its error is met only at the end.
func TestAfterADeadlock(t *testing.T) {
	s, dsn := open(t)
	a, b := newCalendar(t, s, "A"), newCalendar(t, s, "B")
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	stop := errors.New("once is enough")
	runs := 0
	var both sync.WaitGroup
	both.Add(2)
	other := make(chan error, 1)
	go func() { // holds B and wants A; what it has written makes it the one that goes on
		other <- func() error {
			tx, err := db.Begin()
			if err != nil {
				return err
			}
			defer func() { _ = tx.Rollback() }()
			for _, statement := range []string{"INSERT INTO settings (name, value) SELECT seq, 'x' FROM seq_1_to_1000", fmt.Sprint("SELECT * FROM calendars WHERE id = ", b.ID, " FOR UPDATE")} {
				if _, err := tx.Exec(statement); err != nil {
					return err
				}
			}
			both.Done()
			both.Wait()
			_, err = tx.Exec(fmt.Sprint("UPDATE calendars SET capacity = 5 WHERE id = ", a.ID))
			return err
		}()
	}()
	err = s.Tx(ctx, func(tx *store.Tx) error {
		if runs++; runs > 1 {
			return stop
		}
		if _, err := tx.LockCalendar(a.ID); err != nil {
			return err
		}
		both.Done()
		both.Wait()
		_, lost := tx.LockCalendar(b.ID)
		return errors.Join(lost, tx.MarkDirty(a.ID))
	})
	require.NoError(t, <-other, "the other one came through")
	require.ErrorIs(t, err, stop)
	dirty, err := s.DirtyCalendars(ctx, now)
	require.NoError(t, err)
	assert.Empty(t, dirty, "nothing of the lost transaction was committed")
}

// TestNewAtOnce: feeds whose first readings are stored at the same time, and publications that
// are picked up for the first time, do not lock each other out.
func TestNewAtOnce(t *testing.T) {
	s, dsn := open(t)
	f := newFeed(t, s)
	c := newCalendar(t, s, "Hall")
	var runs atomic.Int32
	var group sync.WaitGroup
	for i := range 8 {
		group.Go(func() {
			for n := range 15 {
				feed := store.Feed{PlatformID: f.PlatformID, Name: fmt.Sprint(i, " ", n), Color: "teal", URLCipher: []byte("x"), EverySeconds: 60, CreatedAt: now, DueAt: now}
				assert.NoError(t, s.Tx(ctx, func(tx *store.Tx) error {
					runs.Add(1)
					feed.ID = 0
					if err := tx.CreateFeed(&feed); err != nil {
						return err
					}
					return tx.SaveBody(feed.ID, []byte("BEGIN:VCALENDAR"))
				}))
			}
		})
	}
	group.Wait()
	assert.EqualValues(t, 8*15, runs.Load(), "none was run again")

	var publications []int64
	for i := range 40 {
		p := store.Publication{Title: "Spoken for", CalendarID: c.ID, Name: fmt.Sprint("For ", i), SecretHash: []byte(fmt.Sprintf("%032d", i)), SecretCipher: []byte("x"), CreatedAt: now}
		require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error {
			platform, err := tx.PlatformNamed(fmt.Sprint("Platform ", i))
			if err != nil {
				return err
			}
			p.ID, p.PlatformID = 0, platform.ID
			return tx.CreatePublication(&p)
		}))
		publications = append(publications, p.ID)
	}
	for _, id := range publications {
		group.Go(func() {
			assert.NoError(t, s.RecordPickups(ctx, []store.Pickup{{PublicationID: id, Version: 1, Agent: "importer", FirstAt: now, LastAt: now, Times: 1}}))
		})
	}
	group.Wait()
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	var gaps int
	require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM pickup_gaps").Scan(&gaps))
	assert.Equal(t, len(publications), gaps)
}

// TestLockedOut: who waits for what others hold waits as long as it has time, and no longer.
func TestLockedOut(t *testing.T) {
	s, dsn := open(t)
	c := newCalendar(t, s, "A")
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	holder, err := db.Begin()
	require.NoError(t, err)
	_, err = holder.Exec("SELECT * FROM calendars FOR UPDATE")
	require.NoError(t, err)
	short, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	lock := func(tx *store.Tx) error { _, err := tx.LockCalendar(c.ID); return err }
	err = s.Tx(short, lock)
	assert.True(t, store.IsPassing(err), "%v", err)
	require.NoError(t, holder.Rollback())
	assert.NoError(t, s.Tx(ctx, lock))
}

// TestErrorsSayTheirStatement: cut short, and not where the error is an answer.
func TestErrorsSayTheirStatement(t *testing.T) {
	s, dsn := open(t)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	f := newFeed(t, s)
	_, err = db.Exec("ALTER TABLE entries DROP COLUMN digest")
	require.NoError(t, err)
	entries := make([]*store.Entry, 400)
	for i := range entries {
		entries[i] = &store.Entry{FeedID: f.ID, UID: strings.Repeat("u", 100), SeenBy: now}
	}
	err = s.Tx(ctx, func(tx *store.Tx) error { return tx.SaveEntries(entries, nil) })
	var failed *store.StatementError
	require.ErrorAs(t, err, &failed)
	assert.True(t, strings.HasPrefix(failed.Statement, "INSERT INTO `entries`"), failed.Statement)
	assert.Less(t, len(err.Error()), 400)
	c := newCalendar(t, s, "A")
	c.ID = 0
	assert.Equal(t, store.ErrTaken, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&c) }))
}

// TestMigrationsTwice: each statement of each migration may be run again, after a process
// was killed at any point; the tables are the same.
func TestMigrationsTwice(t *testing.T) {
	_, once := open(t)
	twice := dbtest.New(t)
	db, err := sql.Open("mysql", twice)
	require.NoError(t, err)
	defer db.Close()
	files, err := filepath.Glob("migrations/*.sql")
	require.NoError(t, err)
	slices.Sort(files)
	require.NotEmpty(t, files)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		statements := slices.DeleteFunc(strings.Split(string(text), ";\n"), func(s string) bool { return strings.TrimSpace(s) == "" })
		for done := range statements { // killed after each
			for _, statement := range statements[:done+1] {
				_, err := db.Exec(statement)
				require.NoError(t, err, "%s", statement)
			}
		}
	}
	s, err := store.Open(ctx, twice, 0) // nothing is on record: all of it once more
	require.NoError(t, err)
	require.NoError(t, s.Close())
	assert.Equal(t, schema(t, once), schema(t, twice))
}

// TestTitlesStay: publications that were made before titles were stored keep the one that
// their recipients have seen.
func TestTitlesStay(t *testing.T) {
	dsn := dbtest.New(t)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	for _, file := range []string{"0001_slice", "0002_live"} {
		text, err := os.ReadFile("migrations/" + file + ".sql")
		require.NoError(t, err)
		for statement := range strings.SplitSeq(strings.TrimSpace(string(text)), ";\n") {
			_, err := db.Exec(statement)
			require.NoError(t, err, statement)
		}
	}
	for _, statement := range []string{
		"INSERT INTO platforms (id, name) VALUES (1, 'Desk')",
		"INSERT INTO calendars (id, name, zone, grain, capacity, created_at) VALUES (1, 'Ketch', 'UTC', 'day', 1, NOW(6))",
		"INSERT INTO publications (calendar_id, platform_id, name, secret_hash, secret_cipher, body, created_at) VALUES (1, 1, 'For the desk', 'x', 'x', '', NOW(6))",
	} {
		_, err := db.Exec(statement)
		require.NoError(t, err)
	}
	s, err := store.Open(ctx, dsn, 0)
	require.NoError(t, err)
	defer s.Close()
	all, err := s.Publications(ctx)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, "Not available", all[0].Title)

	// Their bodies were stored plain.
	packed, plain, err := store.Served{Body: []byte("BEGIN:VCALENDAR")}.Texts()
	require.NoError(t, err)
	assert.Equal(t, "BEGIN:VCALENDAR", string(plain))
	again, unpacked, err := store.Served{Body: packed}.Texts()
	require.NoError(t, err)
	assert.Equal(t, []any{packed, plain}, []any{again, unpacked})
}

// schema lists what the tables are made of.
func schema(t *testing.T, dsn string) (all []string) {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	rows, err := db.Query(`SELECT CONCAT_WS(' ', table_name, ordinal_position, column_name, column_type, is_nullable, column_default, extra) FROM information_schema.columns WHERE table_schema = DATABASE()
		UNION SELECT CONCAT_WS(' ', table_name, index_name, seq_in_index, column_name, non_unique) FROM information_schema.statistics WHERE table_schema = DATABASE()
		UNION SELECT CONCAT_WS(' ', table_name, constraint_name, constraint_type) FROM information_schema.table_constraints WHERE table_schema = DATABASE() ORDER BY 1`)
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var line string
		require.NoError(t, rows.Scan(&line))
		all = append(all, line)
	}
	require.NoError(t, rows.Err())
	require.Greater(t, len(all), 100)
	return all
}

// TestWidths: the tables have the widths to which texts are cut.
func TestWidths(t *testing.T) {
	_, dsn := open(t)
	lines := schema(t, dsn)
	for column, width := range map[string]int{"feeds e_tag": store.ETagWidth, "feeds last_modified": store.LastModifiedWidth,
		"calendars failure": store.FailureWidth, "pickups agent": store.AgentWidth} {
		table, name, _ := strings.Cut(column, " ")
		assert.True(t, slices.ContainsFunc(lines, func(l string) bool {
			return strings.HasPrefix(l, table+" ") && strings.Contains(l, fmt.Sprintf(" %s varchar(%d) ", name, width))
		}), column)
	}
}

// TestDiskFull: a database without room is named as such, keeps nothing half, and goes on by
// itself once there is room.
func TestDiskFull(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "db")
	// All tables in one file that may not grow: full is what a full disk is to them.
	server, err := localdb.Start(ctx, dir, 0, "--innodb-file-per-table=0", "--innodb-autoextend-increment=1")
	require.NoError(t, err)
	require.NoError(t, localdb.Create(ctx, server.DSN(""), "wharf"))
	s, err := store.Open(ctx, server.DSN("wharf"), 0)
	require.NoError(t, err)
	f := newFeed(t, s)
	require.NoError(t, s.Close())
	require.NoError(t, server.Stop())
	info, err := os.Stat(filepath.Join(dir, "data", "ibdata1"))
	require.NoError(t, err)
	now := fmt.Sprintf("--innodb-data-file-path=ibdata1:%dM", info.Size()>>20)
	server, err = localdb.Start(ctx, dir, server.Port, "--innodb-file-per-table=0", now)
	require.NoError(t, err)
	s, err = store.Open(ctx, server.DSN("wharf"), 0)
	require.NoError(t, err)
	noise := make([]byte, 32<<20)
	rand.New(rand.NewSource(1)).Read(noise) // which does not pack
	save := func(n int) error {
		return s.Tx(ctx, func(tx *store.Tx) error {
			if err := tx.SaveReading(&store.Reading{FeedID: f.ID, StartedAt: f.CreatedAt, FinishedAt: f.CreatedAt, Outcome: store.OutcomeChanged}); err != nil {
				return err
			}
			return tx.SaveBody(f.ID, noise[:n<<20])
		})
	}
	for n := 2; err == nil && n <= 32; n += 2 {
		err = save(n)
	}
	require.Error(t, err, "it fills up")
	assert.True(t, store.IsFull(err), "%v", err)
	assert.False(t, store.IsAway(err))
	before, failed := s.Readings(ctx, f.ID, 100)
	require.NoError(t, failed, "what is there can be read")
	assert.True(t, store.IsFull(save(32)))
	after, failed := s.Readings(ctx, f.ID, 100)
	require.NoError(t, failed)
	assert.Equal(t, before, after, "nothing half written")

	require.NoError(t, server.Stop())
	server, err = localdb.Start(ctx, dir, server.Port, "--innodb-file-per-table=0", now+":autoextend")
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close(); _ = server.Stop() })
	require.Eventually(t, func() bool { return save(32) == nil }, 20*time.Second, 100*time.Millisecond, "with room it goes on by itself")
}
