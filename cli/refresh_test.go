package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestRefreshInOrder: feeds are read several at once, and told in the order given; one
// that fails fails the command and none of the others. What a feed says cannot steer the
// terminal.
func TestRefreshInOrder(t *testing.T) {
	var mu sync.Mutex
	within, most := 0, 0
	came, first := make(chan struct{}), make(chan struct{})
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		within++
		most = max(most, within)
		mu.Unlock()
		id := strings.Split(r.URL.Path, "/")[4]
		switch id {
		case "1":
			close(came)
			<-first // answers after the second
		case "2":
			<-came
			close(first)
		}
		w.Header().Set("Content-Type", "application/json")
		message, outcome := "null", "unchanged"
		if id == "3" {
			message, outcome = `"the feed is \u001b[31mred"`, "failed"
		}
		mu.Lock()
		within--
		mu.Unlock()
		fmt.Fprintf(w, `{"id":%s,"outcome":%q,"entries":%s,"added":0,"changed":0,"removed":0,"times":1,"message":%s,"started":"2026-07-01T12:00:00Z","finished":"2026-07-01T12:00:00Z"}`, id, outcome, id, message)
	}))
	defer server.Close()
	api, err := client.NewClient(server.URL + "/api/v1")
	require.NoError(t, err)
	var feeds []client.Feed
	for i := range int64(6) {
		feeds = append(feeds, client.Feed{Id: i + 1, Name: fmt.Sprint("Feed ", i+1)})
	}

	var out, errs bytes.Buffer
	env := &Env{Out: &out, Err: &errs}
	assert.EqualError(t, env.refresh(context.Background(), api, feeds, false), "1 feed could not be read; their bookings stay as they were")
	assert.Equal(t, "Feed 1: 1 entry, unchanged\nFeed 2: 2 entries, unchanged\nFeed 3: failed: the feed is  [31mred\nFeed 4: 4 entries, unchanged\nFeed 5: 5 entries, unchanged\nFeed 6: 6 entries, unchanged\n", out.String())
	assert.Empty(t, errs.String(), "progress is for terminals")
	assert.LessOrEqual(t, most, refreshAtOnce)
	assert.Greater(t, most, 1)

	out.Reset()
	came, first = make(chan struct{}), make(chan struct{})
	require.NoError(t, env.refresh(context.Background(), api, feeds[:2], true))
	var line refreshed
	d := json.NewDecoder(&out)
	for want := range int64(2) {
		require.NoError(t, d.Decode(&line))
		assert.Equal(t, want+1, line.Feed)
	}
}

// TestRemoveAsks: nothing goes without a yes to what would be lost, and what is confirmed
// is what was shown.
func TestRemoveAsks(t *testing.T) {
	for _, tc := range []struct {
		answer  string
		removed bool
	}{{"y\n", true}, {"Yes\n", true}, {"n\n", false}, {"\n", false}, {"", false}, {"why\n", false}} {
		var confirmed []string
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			confirm := r.URL.Query().Get("confirm")
			confirmed = append(confirmed, confirm)
			if confirm == "the key" {
				w.WriteHeader(http.StatusNoContent)
				return
			}
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusConflict)
			fmt.Fprint(w, `{"title":"Something would be lost","status":409,"loses":["2 bookings\u001b[2J to come"],"confirm":"the key"}`)
		}))
		api, err := client.NewClient(server.URL + "/api/v1")
		require.NoError(t, err)
		var out, errs bytes.Buffer
		env := &Env{In: strings.NewReader(tc.answer), Out: &out, Err: &errs}
		err = env.remove(env.feedCommand(), "Desk", func(confirm *string) (*http.Response, error) {
			return api.RemoveFeed(context.Background(), 1, &client.RemoveFeedParams{Confirm: confirm})
		})
		assert.Equal(t, "2 bookings [2J to come\nRemove Desk all the same? [y/N] ", errs.String())
		if tc.removed {
			require.NoError(t, err, tc.answer)
			assert.Equal(t, []string{"", "the key"}, confirmed)
			assert.Equal(t, "Removed Desk.\n", out.String())
		} else {
			assert.ErrorContains(t, err, "nothing was removed", "%q", tc.answer)
			assert.Equal(t, []string{""}, confirmed)
		}
		server.Close()
	}
}
