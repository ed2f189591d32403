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

	again, server := newPlatform(t, file, standin.Style{Sale: "%s", Block: "No berth"})
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

// TestByTheHour: what is sold by the hour has times in the platform's zone; it may be only
// asked for, or come every week; what is imported keeps its times.
func TestByTheHour(t *testing.T) {
	p, server := newPlatform(t, filepath.Join(t.TempDir(), "state.json"), standin.Style{Hours: true, Zone: "America/Halifax", Sale: "%s", Block: "Busy"})
	p.Thing = "Net Loft hall"
	for _, b := range []standin.Booking{
		{Guest: "Class", From: "2026-07-10T18:00", Until: "2026-07-10T20:00", Weeks: 3},
		{Guest: "Talk", From: "2026-07-11T19:30", Until: "2026-07-11T21:00", Tentative: true},
	} {
		_, err := p.Add(b)
		require.NoError(t, err)
	}
	_, err := p.Book("Nobody", "2026-07-10", "2026-07-11")
	assert.Error(t, err, "the hall is not sold by the day")
	feed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:theirs@wharf\r\nDTSTART:20260720T130000Z\r\nDTEND:20260720T143000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
	}))
	t.Cleanup(feed.Close)
	require.NoError(t, p.SetImport(feed.URL))
	require.NoError(t, p.ImportNow(context.Background()))

	assert.True(t, strings.HasSuffix(p.FeedPath(), "/net-loft-hall.ics"), p.FeedPath())
	status, text := get(t, server.URL+p.FeedPath())
	require.Equal(t, http.StatusOK, status)
	for _, line := range []string{"DTSTART;TZID=America/Halifax:20260710T180000", "DTEND;TZID=America/Halifax:20260710T200000", "RRULE:FREQ=WEEKLY;COUNT=3",
		"SUMMARY:Talk", "STATUS:TENTATIVE", "UID:theirs@wharf", "DTSTART:20260720T130000Z", "DTEND:20260720T143000Z"} {
		assert.Contains(t, text, line+"\r\n")
	}
	assert.Equal(t, 1, strings.Count(text, "RRULE"))
	assert.Equal(t, 1, strings.Count(text, "TENTATIVE"))
	_, page := get(t, server.URL+"/")
	for _, part := range []string{"the Net Loft hall by the hour", "Talk (asked for)", "Class (weekly, 3 times)", "datetime-local"} {
		assert.Contains(t, page, part)
	}
	status, _ = get(t, server.URL+strings.Replace(p.FeedPath(), "net-loft-hall", "ketch", 1))
	assert.Equal(t, http.StatusNotFound, status)
}

// TestStyles: platforms write what they import in ways of their own.
func TestStyles(t *testing.T) {
	const date, end = "DTSTART;VALUE=DATE:", "DTEND;VALUE=DATE:"
	whole := date + "20260720\r\n" + end + "20260722"
	for name, tc := range map[string]struct {
		style standin.Style
		has   []string
		lacks []string
	}{
		"its UIDs":               {standin.Style{UIDs: standin.Own}, []string{whole, "@desk.example"}, []string{"theirs@wharf"}},
		"no UIDs":                {standin.Style{UIDs: standin.None}, []string{whole}, []string{"UID"}},
		"blocks like sales":      {standin.Style{Block: "%s"}, []string{whole, "SUMMARY:"}, []string{"Blocked"}},
		"blocks without a title": {standin.Style{}, []string{whole, "SUMMARY:Ann"}, []string{"SUMMARY:\r\n"}},
		"from noon to noon":      {standin.Style{BlockTimes: true, Zone: "America/Halifax"}, []string{"DTSTART;TZID=America/Halifax:20260720T120000", "DTEND;TZID=America/Halifax:20260722T120000"}, nil},
		"joined":                 {standin.Style{Joins: true}, []string{date + "20260720\r\n" + end + "20260725"}, []string{whole}},
		"joined with its own":    {standin.Style{JoinsOwn: true, Block: "Taken"}, []string{date + "20260718\r\n" + end + "20260725"}, []string{"Ann"}},
		"cut into days":          {standin.Style{Splits: true}, []string{date + "20260720\r\n" + end + "20260721", date + "20260721\r\n" + end + "20260722"}, []string{whole}},
		"the last day too":       {standin.Style{LastDay: true}, []string{date + "20260720\r\n" + end + "20260723"}, []string{whole}},
		"the past cut off":       {standin.Style{Trims: true}, []string{date + "20260721\r\n" + end + "20260722"}, []string{whole, "Ann"}},
		"not at all":             {standin.Style{Hidden: true}, []string{"Ann"}, []string{"20260722"}},
		"later":                  {standin.Style{Late: time.Hour}, []string{"Ann"}, []string{"20260722"}},
		"twice":                  {standin.Style{Twice: true}, []string{"UID:theirs@wharf\r\n", "UID:theirs@wharf-2\r\n"}, nil},
		"what is cancelled":      {standin.Style{KeepsCancelled: true}, []string{"SUMMARY:Bo", "STATUS:CANCELLED"}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			tc.style.Sale = "%s"
			p, server := newPlatform(t, filepath.Join(t.TempDir(), "state.json"), tc.style)
			p.Now = func() time.Time { return time.Date(2026, 7, 21, 12, 0, 0, 0, time.UTC) }
			_, err := p.Book("Ann", "2026-07-18", "2026-07-20")
			require.NoError(t, err)
			bo, err := p.Book("Bo", "2026-08-01", "2026-08-02")
			require.NoError(t, err)
			feed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				fmt.Fprint(w, "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:theirs@wharf\r\n"+whole+"\r\nEND:VEVENT\r\n",
					"BEGIN:VEVENT\r\nUID:more@wharf\r\n"+date+"20260722\r\n"+end+"20260725\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
			}))
			t.Cleanup(feed.Close)
			require.NoError(t, p.SetImport(feed.URL))
			require.NoError(t, p.ImportNow(context.Background()))
			gone, err := p.Cancel(bo.ID)
			require.NoError(t, err)
			require.True(t, gone)
			_, text := get(t, server.URL+p.FeedPath())
			for _, part := range tc.has {
				assert.Contains(t, text, part)
			}
			for _, part := range tc.lacks {
				assert.NotContains(t, text, part)
			}
			assert.Equal(t, tc.style.KeepsCancelled, strings.Contains(text, "SUMMARY:Bo"))
		})
	}
}
