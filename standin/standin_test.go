package standin_test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/standin"
)

func newPlatform(t *testing.T, file string, style standin.Style) (*standin.Platform, *httptest.Server) {
	t.Helper()
	p := &standin.Platform{Name: "Desk", Secret: "s3cret", Style: style, File: file, Client: http.DefaultClient,
		Now: func() time.Time { return time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC) }}
	require.NoError(t, p.Load())
	server := httptest.NewServer(p.Handler())
	t.Cleanup(server.Close)
	return p, server
}

func get(t *testing.T, link string) (int, string) {
	t.Helper()
	resp, err := http.Get(link)
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(body)
}

// TestPlatform: a guest books on the page, the platform imports a feed and shows it as
// blocks under the UIDs it came with, and finds all of it again after a restart.
func TestPlatform(t *testing.T) {
	file := filepath.Join(t.TempDir(), "state.json")
	p, server := newPlatform(t, file, standin.Style{Timed: true, Zone: "America/Halifax", Sale: "Charter: %s", Block: "Blocked"})
	for form, status := range map[string]int{
		"guest=Ann&first=2026-07-10&last=2026-07-12": http.StatusOK,
		"guest=Ann&first=2026-07-12&last=2026-07-12": http.StatusUnprocessableEntity,
		"guest=&first=2026-07-10&last=2026-07-12":    http.StatusUnprocessableEntity,
		"guest=Ann&first=soon&last=2026-07-12":       http.StatusUnprocessableEntity,
	} {
		values, err := url.ParseQuery(form)
		require.NoError(t, err)
		resp, err := http.PostForm(server.URL+"/bookings", values)
		require.NoError(t, err)
		require.NoError(t, resp.Body.Close())
		assert.Equal(t, status, resp.StatusCode, form)
	}
	require.Len(t, p.Bookings(), 1)

	etag, downloads, failing := `"1"`, 0, false
	feed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case failing:
			w.WriteHeader(http.StatusServiceUnavailable)
		case r.Header.Get("If-None-Match") == etag:
			w.WriteHeader(http.StatusNotModified)
		default:
			downloads++
			w.Header().Set("ETag", etag)
			fmt.Fprint(w, "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:theirs@wharf\r\nDTSTART;VALUE=DATE:20260720\r\nDTEND;VALUE=DATE:20260722\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
		}
	}))
	t.Cleanup(feed.Close)
	resp, err := http.PostForm(server.URL+"/import", url.Values{"link": {feed.URL}})
	require.NoError(t, err)
	require.NoError(t, resp.Body.Close())
	require.NoError(t, p.ImportNow(context.Background()))
	assert.Equal(t, 1, downloads, "the second time nothing was new")
	failing = true
	assert.Error(t, p.ImportNow(context.Background()))
	assert.Equal(t, []standin.Block{{UID: "theirs@wharf", From: "2026-07-20", Until: "2026-07-22"}}, p.Blocks(), "what was imported stays")

	status, text := get(t, server.URL+p.FeedPath())
	require.Equal(t, http.StatusOK, status)
	for _, line := range []string{"SUMMARY:Charter: Ann", "DTSTART;TZID=America/Halifax:20260710T090000", "DTEND;TZID=America/Halifax:20260711T180000",
		"UID:theirs@wharf", "DTSTART;VALUE=DATE:20260720", "SUMMARY:Blocked"} {
		assert.Contains(t, text, line+"\r\n")
	}
	status, _ = get(t, server.URL+strings.Replace(p.FeedPath(), "s3cret", "guessed", 1))
	assert.Equal(t, http.StatusNotFound, status)
	_, page := get(t, server.URL+"/")
	assert.Contains(t, page, "Ann")
	assert.Contains(t, page, "2026-07-20")

	again, server := newPlatform(t, file, standin.Style{Sale: "%s", Block: "Closed"})
	assert.Equal(t, p.Bookings(), again.Bookings())
	assert.Equal(t, p.Blocks(), again.Blocks())
	_, text = get(t, server.URL+again.FeedPath())
	assert.Contains(t, text, "DTSTART;VALUE=DATE:20260710\r\nDTEND;VALUE=DATE:20260712\r\nSUMMARY:Ann\r\n")
	found, err := again.Cancel(p.Bookings()[0].ID)
	require.NoError(t, err)
	assert.True(t, found)
	_, text = get(t, server.URL+again.FeedPath())
	assert.NotContains(t, text, "Ann", "a cancelled booking just vanishes")
}
