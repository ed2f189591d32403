// Package feedtest gives tests a feed that they write themselves, and a service that reads it.
package feedtest

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"wharf/core/span"
	"wharf/internal/localdb/dbtest"
	"wharf/service/combine"
	"wharf/service/desk"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/secret"
	"wharf/service/store"
)

var ctx = context.Background()

// Bench is a refresher and a desk on a clock of their own, with one feed on one calendar by
// the day, whose document the test sets.
type Bench struct {
	T         *testing.T
	Now       time.Time
	Body      string // between BEGIN and END of the next document
	Status    int    // of the next answers
	CutOff    bool   // they end early
	Header    http.Header
	OnlyKnown bool // Status is only for those who ask whether it has changed; for others all is well
	DSN       string
	Store     *store.Store
	Refresher *refresh.Refresher
	Desk      *desk.Desk
	Feed      int64
	Calendar  int64
}

// Database returns the address of a new database with the newest tables.
func Database(t testing.TB) string {
	t.Helper()
	return dbtest.Prepared(t, func(dsn string) error {
		s, err := store.Open(ctx, dsn, 0)
		if err != nil {
			return err
		}
		return s.Close()
	})
}

// New subscribes to the feed.
func New(t *testing.T, body string) *Bench {
	b := &Bench{T: t, Now: time.Date(2026, 7, 10, 12, 0, 0, 0, time.UTC), Body: body, Status: http.StatusOK}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for name, values := range b.Header {
			w.Header()[name] = values
		}
		status := b.Status
		if b.OnlyKnown && r.Header.Get("If-None-Match") == "" {
			status = http.StatusOK
		}
		w.WriteHeader(status)
		if status == http.StatusNotModified {
			return
		}
		fmt.Fprint(w, "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n"+b.Body)
		if !b.CutOff {
			fmt.Fprint(w, "END:VCALENDAR\r\n")
		}
	}))
	t.Cleanup(server.Close)
	clock := func() time.Time { return b.Now }
	quiet := slog.New(slog.DiscardHandler)
	var err error
	b.DSN = Database(t)
	b.Store, err = store.Open(ctx, b.DSN, 0)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, b.Store.Close()) })
	box, err := secret.LoadBox(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)
	private, err := fetch.ParsePrivate("127.0.0.0/8:1-65535")
	require.NoError(t, err)
	b.Refresher = &refresh.Refresher{Store: b.Store, Box: box, Fetcher: fetch.New(fetch.Settings{Allowed: []fetch.Private{private}, MaxBytes: 64 << 20}),
		Combiner: &combine.Combiner{Store: b.Store, Now: clock, Log: quiet}, MintKey: box.Derive("uid"), Now: clock, Log: quiet, Lease: time.Minute, Workers: 1, MaxBookings: 100, WholeEvery: 24 * time.Hour}
	c := store.Calendar{Name: "Ketch", Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: b.Now}
	require.NoError(t, b.Store.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&c) }))
	b.Calendar = c.ID
	b.Desk = &desk.Desk{Store: b.Store, Refresher: b.Refresher, Combiner: b.Refresher.Combiner, Box: box, Now: clock}
	b.Feed, err = b.Desk.AddFeed(ctx, desk.Feed{Name: "Desk", Platform: "Desk", Color: "teal", Every: 15 * time.Minute, Source: desk.Source{URL: server.URL}, Link: &desk.Link{Calendar: c.ID}})
	require.NoError(t, err)
	return b
}

// Read reads the feed an hour later with another document.
func (b *Bench) Read(body string) store.Reading {
	b.T.Helper()
	b.Now = b.Now.Add(time.Hour)
	b.Body = body
	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(b.T, err)
	reading, err := b.Refresher.Read(ctx, f)
	require.NoError(b.T, err)
	return reading
}

// Bookings lists what is on the calendar: "id first/last title".
func (b *Bench) Bookings() []string {
	b.T.Helper()
	rows, err := b.Store.BookingsWithin(ctx, b.Calendar, span.Days(span.NewDate(2020, 1, 1), span.NewDate(2040, 1, 1)))
	require.NoError(b.T, err)
	var all []string
	for _, row := range rows {
		first, last := row.Span().Format(span.Day)
		all = append(all, fmt.Sprintf("%s/%s %s", first[5:], last[5:], row.Title))
	}
	return all
}

// SQL runs a statement beside the service.
func (b *Bench) SQL(statement string, args ...any) {
	b.T.Helper()
	db, err := sql.Open("mysql", b.DSN)
	require.NoError(b.T, err)
	defer db.Close()
	_, err = db.Exec(statement, args...)
	require.NoError(b.T, err)
}

// Event is an event of whole days; each of more is a line, the last with its end.
func Event(uid, title string, first, last string, more ...string) string {
	return "BEGIN:VEVENT\r\nUID:" + uid + "\r\nSUMMARY:" + title + "\r\nDTSTART;VALUE=DATE:" + first + "\r\nDTEND;VALUE=DATE:" + last + "\r\n" + strings.Join(more, "\r\n") + "END:VEVENT\r\n"
}
