package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/hostile"
	"wharf/internal/localdb"
)

// TestFaultsOfTheDatabase: whatever befalls the database, what is published goes on, a reading that cannot
// be kept changes nothing and says so in bounded time, and all is well as soon as the database is.
func TestFaultsOfTheDatabase(t *testing.T) {
	anyDay(t)
	t.Parallel()
	ctx := context.Background()
	dir := filepath.Join(t.TempDir(), "db")
	server, err := localdb.Start(ctx, dir, 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.Resume(); _ = server.Stop() })
	require.NoError(t, localdb.Create(ctx, server.DSN(""), "wharf"))
	root, err := sql.Open("mysql", server.DSN("wharf"))
	require.NoError(t, err)
	t.Cleanup(func() { root.Close() })
	do := func(t *testing.T, statements ...string) {
		t.Helper()
		for _, s := range statements {
			_, err := root.Exec(s)
			require.NoError(t, err, s)
		}
	}
	do(t, "CREATE USER tenant@'127.0.0.1' IDENTIFIED BY 'pw'", "GRANT ALL ON wharf.* TO tenant@'127.0.0.1'")
	dsn, err := mysql.ParseDSN(server.DSN("wharf"))
	require.NoError(t, err)
	dsn.User, dsn.Passwd = "tenant", "pw"
	w := newWorldOn(t, dsn.FormatDSN(), nil, "WHARF_QUERY_TIMEOUT=2s", "WHARF_REQUEST_TIMEOUT=5s")
	s := hostile.New(now().UTC())
	t.Cleanup(s.Close)
	const name = "icalendar/no UID anywhere" // another document each time, with the same nights in it
	x := w.expose(t, "Hall", s.Link(name))
	kill := func(t *testing.T) {
		t.Helper()
		rows, err := root.Query("SELECT id FROM information_schema.processlist WHERE user = 'tenant'")
		require.NoError(t, err)
		defer rows.Close()
		for rows.Next() {
			var id int64
			require.NoError(t, rows.Scan(&id))
			_, _ = root.Exec(fmt.Sprint("KILL ", id)) // it may have gone
		}
	}
	changed := false
	// during tries a reading of a changed feed while something is wrong.
	during := func(t *testing.T, begin, end func(t *testing.T), works bool) {
		if changed = !changed; changed {
			s.Break(name)
		} else {
			s.Mend(name)
		}
		begin(t)
		began := time.Now()
		r, err := client.Decode[client.Reading](w.api.CreateReading(ctx, x.feed))
		assert.Less(t, time.Since(began), 30*time.Second)
		status, published := fetch(t, x.publication)
		end(t)
		assert.Equal(t, http.StatusOK, status)
		assert.Equal(t, hostile.Booked, strings.Count(published, "BEGIN:VEVENT"), "what is published goes on")
		if works {
			require.NoError(t, err)
			assert.NotEqual(t, client.Failed, r.Outcome, "%v", r.Message)
		} else if err == nil { // it is kept as one that failed
			assert.Equal(t, client.Failed, r.Outcome)
			t.Log(*r.Message)
		} else {
			t.Log(err)
		}
		w.eventually("all is well again", func() bool {
			r, err := client.Decode[client.Reading](w.api.CreateReading(ctx, x.feed))
			return err == nil && r.Outcome != client.Failed
		})
		assert.Equal(t, hostile.Booked, x.standing())
		assert.Equal(t, client.Fresh, must(client.Decode[client.Feed](w.api.GetFeed(ctx, x.feed)))(t).State)
	}
	nothing := func(*testing.T) {}
	sets := func(statements ...string) func(*testing.T) {
		return func(t *testing.T) { do(t, statements...); kill(t) }
	}
	locked := func(statement string) (begin, end func(*testing.T)) {
		var conn *sql.Conn
		return func(t *testing.T) {
				conn, err = root.Conn(ctx)
				require.NoError(t, err)
				for _, s := range strings.Split(statement, ";") {
					_, err = conn.ExecContext(ctx, s)
					require.NoError(t, err, s)
				}
			}, func(t *testing.T) {
				_, err := conn.ExecContext(ctx, "UNLOCK TABLES")
				require.NoError(t, err)
				_, err = conn.ExecContext(ctx, "ROLLBACK")
				require.NoError(t, err)
				require.NoError(t, conn.Close())
			}
	}
	rowsBegin, rowsEnd := locked("BEGIN;SELECT * FROM feeds FOR UPDATE")
	tableBegin, tableEnd := locked("LOCK TABLES bookings WRITE")
	calendarBegin, calendarEnd := locked("BEGIN;SELECT * FROM calendars FOR UPDATE")
	tryFaults(t, []fault{
		{name: "database/hangs", try: func(t *testing.T) {
			during(t, func(t *testing.T) { require.NoError(t, server.Pause()) }, func(t *testing.T) { require.NoError(t, server.Resume()) }, false)
		}},
		{name: "database/goes away and comes back", try: func(t *testing.T) {
			during(t, func(t *testing.T) { require.NoError(t, server.Stop()) }, func(t *testing.T) {
				back, err := localdb.Start(ctx, dir, server.Port)
				require.NoError(t, err)
				server = back
			}, false)
		}},
		{name: "database/ends all connections", try: func(t *testing.T) { during(t, kill, nothing, true) }},
		{name: "database/the feed's row is locked", try: func(t *testing.T) { during(t, rowsBegin, rowsEnd, false) }},
		{name: "database/a table is locked", try: func(t *testing.T) { during(t, tableBegin, tableEnd, false) }},
		{name: "database/the calendars are locked", try: func(t *testing.T) { during(t, calendarBegin, calendarEnd, false) }},
		{name: "database/may only be read", try: func(t *testing.T) {
			during(t, sets("SET GLOBAL read_only = ON"), sets("SET GLOBAL read_only = OFF"), false)
		}},
		{name: "database/takes rights away", try: func(t *testing.T) {
			during(t, sets("REVOKE ALL ON wharf.* FROM tenant@'127.0.0.1'", "GRANT SELECT ON wharf.* TO tenant@'127.0.0.1'"), sets("GRANT ALL ON wharf.* TO tenant@'127.0.0.1'"), false)
		}},
		{name: "database/has another password", try: func(t *testing.T) {
			during(t, sets("SET PASSWORD FOR tenant@'127.0.0.1' = PASSWORD('other')"), sets("SET PASSWORD FOR tenant@'127.0.0.1' = PASSWORD('pw')"), false)
		}},
		{name: "database/a table is gone", try: func(t *testing.T) {
			during(t, sets("RENAME TABLE entries TO elsewhere"), sets("RENAME TABLE elsewhere TO entries"), false)
		}},
		{name: "database/takes small packets only", try: func(t *testing.T) {
			during(t, sets("SET GLOBAL max_allowed_packet = 1024"), sets("SET GLOBAL max_allowed_packet = 16777216"), false)
		}},
		{name: "database/has no connection left", try: func(t *testing.T) {
			during(t, sets("ALTER USER tenant@'127.0.0.1' WITH MAX_USER_CONNECTIONS 1"), sets("ALTER USER tenant@'127.0.0.1' WITH MAX_USER_CONNECTIONS 0"), true)
		}},
		{name: "database/lives in another zone", try: func(t *testing.T) {
			during(t, sets("SET GLOBAL time_zone = '+13:00'"), sets("SET GLOBAL time_zone = SYSTEM"), true)
		}},
		{name: "database/takes whatever it is given", try: func(t *testing.T) {
			during(t, sets("SET GLOBAL sql_mode = ''"), sets("SET GLOBAL sql_mode = DEFAULT"), true)
		}},
		{name: "database/quotes otherwise", try: func(t *testing.T) {
			during(t, sets("SET GLOBAL sql_mode = 'ANSI_QUOTES,NO_BACKSLASH_ESCAPES,PIPES_AS_CONCAT'"), sets("SET GLOBAL sql_mode = DEFAULT"), true)
		}},
		{name: "database/reads what is not committed", try: func(t *testing.T) {
			during(t, sets("SET GLOBAL tx_isolation = 'READ-UNCOMMITTED'"), sets("SET GLOBAL tx_isolation = DEFAULT"), true)
		}},
	})
}
