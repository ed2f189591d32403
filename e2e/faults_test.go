package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"strings"
	"sync"
	"testing"

	openapi_types "github.com/oapi-codegen/runtime/types"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/hostile"
)

// allFaults is whether the slow ones are tried too, as `make faults` does.
var allFaults = os.Getenv("WHARF_FAULTS") == "all"

// fault is one thing that a stranger, a feed or a machine does; what it does to us is what try asserts.
type fault struct {
	name string // group/what
	try  func(t *testing.T)
	slow bool
}

// tryFaults tries each, with a line for it.
func tryFaults(t *testing.T, faults []fault) {
	t.Helper()
	for _, f := range faults {
		triedFaults.Store(f.name, true)
		t.Run(f.name, func(t *testing.T) {
			if f.slow && !allFaults {
				t.Skip("slow: `make faults` tries it")
			}
			f.try(t)
		})
	}
}

// exposed is a calendar with one feed, published elsewhere.
type exposed struct {
	*world
	t           *testing.T
	feed        int64
	calendar    int64
	publication string
}

// expose subscribes to a link that is in order still.
func (w *world) expose(t *testing.T, name, link string) *exposed {
	t.Helper()
	ctx := context.Background()
	c := must(client.Decode[client.Calendar](w.api.CreateCalendar(ctx, client.CalendarRequest{Name: name, Zone: "UTC", Grain: "day"})))(t)
	f := must(client.Decode[client.Feed](w.api.CreateFeed(ctx, client.FeedRequest{Name: name, Platform: "Platform of " + name, Url: &link, Calendar: &c.Id})))(t)
	p := must(client.Decode[client.Publication](w.api.CreatePublication(ctx, client.PublicationRequest{Name: name, Platform: "Recipient of " + name, Calendar: c.Id})))(t)
	x := &exposed{world: w, t: t, feed: f.Id, calendar: c.Id, publication: p.Url}
	require.Equal(t, hostile.Booked, x.standing())
	return x
}

// must takes the answer of an operation that has to succeed.
func must[T any](v T, err error) func(*testing.T) T {
	return func(t *testing.T) T {
		t.Helper()
		require.NoError(t, err)
		return v
	}
}

// read reads the feed now, and returns the reading with the feed's state after it.
func (x *exposed) read() (client.Reading, client.Feed) {
	x.t.Helper()
	ctx := context.Background()
	r := must(client.Decode[client.Reading](x.api.CreateReading(ctx, x.feed)))(x.t)
	return r, must(client.Decode[client.Feed](x.api.GetFeed(ctx, x.feed)))(x.t)
}

// standing is how many of the five nights that were booked first are taken, here and at the recipient's.
func (x *exposed) standing() int {
	x.t.Helper()
	from := func(n int) openapi_types.Date { return openapi_types.Date{Time: now().UTC().AddDate(0, 0, n)} }
	bookings := must(client.Decode[[]client.Booking](x.api.ListBookings(context.Background(), x.calendar, &client.ListBookingsParams{From: from(20), To: from(55)})))(x.t)
	status, published := fetch(x.t, x.publication)
	require.Equal(x.t, 200, status)
	taken := 0
	for i := range hostile.Booked {
		start := now().UTC().AddDate(0, 0, 21+7*i).Format("2006-01-02")
		for _, b := range bookings {
			if strings.HasPrefix(b.Start, start) && strings.Contains(published, "DTSTART;VALUE=DATE:"+strings.ReplaceAll(start, "-", "")) {
				taken++
				break
			}
		}
	}
	return taken
}

// TestFaultsOfFeeds: whatever a feed does, no booked night is free, no feed that was not read is called
// fresh, the failure is a sentence, all is well as soon as the feed is, and nobody learns its link.
func TestFaultsOfFeeds(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil, "WHARF_GUARD_SHARE=0.34", "WHARF_MAX_FEED_MB=1", "WHARF_FETCH_TIMEOUT=3s", "WHARF_MAX_BOOKINGS=2000", "WHARF_LOG_LEVEL=debug")
	s := hostile.New(now().UTC())
	t.Cleanup(s.Close)
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	var faults []fault
	for _, f := range s.Faults {
		faults = append(faults, fault{f.Name, func(t *testing.T) { w.breakFeed(t, s, f) }, f.Slow})
	}
	faults = append(faults, fault{name: "icalendar/another's UID, with a later revision", try: func(t *testing.T) {
		x := w.expose(t, "Union", s.Link("union"))
		thief := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
			first := now().UTC().AddDate(0, 0, 21)
			_, _ = io.WriteString(rw, hostile.Calendar(hostile.Event("good-0", "SEQUENCE:9", "DTSTART;VALUE=DATE:"+first.Format("20060102"), "DTEND;VALUE=DATE:"+first.AddDate(0, 0, 1).Format("20060102"), "SUMMARY:Shorter")))
		}))
		t.Cleanup(thief.Close)
		w.run("", "feed", "add", thief.URL, "--platform", "Thief", "--name", "Thief", "--calendar", "Union")
		_, published := fetch(t, x.publication)
		assert.Contains(t, published, "DTEND;VALUE=DATE:"+now().UTC().AddDate(0, 0, 24).Format("20060102"), "all its nights are taken")
		assert.Contains(t, w.run("", "calendar", "show", "Union"), "Ask the platforms which of them is right", "and it is said")
	}})
	tryFaults(t, faults)
	for _, r := range s.Asked() {
		assert.Empty(t, r.Referer(), "nothing of the link goes along")
	}
	assert.NotContains(t, w.log.String(), "s3cret-", "no link is logged")
	for table := range strings.Lines(dump(t, db, "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()")) {
		assert.NotContains(t, dump(t, db, "SELECT * FROM `"+strings.TrimSpace(table)+"`"), "s3cret-", "no link is stored open: %s", table)
	}
}

func (w *world) breakFeed(t *testing.T, s *hostile.Server, f hostile.Fault) {
	x := w.expose(t, f.Name, s.Link(f.Name))
	s.Break(f.Name)
	r, feed := x.read()
	message := ""
	if r.Message != nil {
		message = *r.Message
	}
	assert.Equal(t, hostile.Booked, x.standing(), "no night is free")
	switch {
	case f.Says != "":
		assert.Equal(t, client.Failed, r.Outcome)
		assert.Contains(t, message, f.Says)
		assert.Equal(t, client.Failing, feed.State)
	case f.Loses:
		assert.NotEqual(t, client.Fresh, feed.State, message)
	default:
		assert.NotEqual(t, client.Failed, r.Outcome, message)
		assert.Equal(t, client.Fresh, feed.State)
	}
	if f.Remark != "" {
		assert.Contains(t, strings.Join(feed.Remarks, "\n"), f.Remark)
	}
	for _, text := range append(feed.Remarks, message, feed.Address) {
		assert.NotContains(t, text, "s3cret-")
		assert.Less(t, len(text), 1000, "a sentence")
	}
	s.Mend(f.Name)
	r, feed = x.read()
	assert.NotEqual(t, client.Failed, r.Outcome, fmt.Sprint(r.Message))
	if feed.State != client.Guarded || f.Says != "" { // what the fault had added may go only in time
		assert.Equal(t, client.Fresh, feed.State)
	}
	assert.Equal(t, hostile.Booked, x.standing())
	t.Log(message, strings.Join(feed.Remarks, "; "))
}

// triedFaults are the names of all that were tried, or are slow.
var triedFaults sync.Map

// guideNames finds the names of faults in the guide.
var guideNames = regexp.MustCompile("`((?:address|body|icalendar|time|database|process|reader|login|console)/[^`]+)`")

// faultsTold is whether the guide names all faults that were tried, and no others, and eight of each group.
func faultsTold(whole bool) bool {
	if !whole {
		return true
	}
	text, err := os.ReadFile("../docs/guide/trust.md")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return false
	}
	told, groups, good := map[string]bool{}, map[string]int{}, true
	for _, m := range guideNames.FindAllStringSubmatch(string(text), -1) {
		told[m[1]] = true
		if _, tried := triedFaults.Load(m[1]); !tried {
			fmt.Fprintf(os.Stderr, "docs/guide/trust.md tells of %q, which nothing tries\n", m[1])
			good = false
		}
	}
	triedFaults.Range(func(name, _ any) bool {
		group, _, _ := strings.Cut(name.(string), "/")
		groups[group]++
		if !told[name.(string)] {
			fmt.Fprintf(os.Stderr, "docs/guide/trust.md does not tell of %q\n", name)
			good = false
		}
		return true
	})
	for _, group := range []string{"address", "body", "icalendar", "time", "database", "process", "reader", "login", "console"} {
		if groups[group] < 8 {
			fmt.Fprintf(os.Stderr, "only %d faults of %s are tried\n", groups[group], group)
			good = false
		}
	}
	return good
}
