package e2e

import (
	"database/sql"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	eical "github.com/emersion/go-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestDoubleBookingEndToEnd is the coordinator's job from one end to the other: guests
// book on platforms, the one real double booking is found, cancelled and gone, and no
// reflection of it is left anywhere.
func TestDoubleBookingEndToEnd(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters", "Kittiwake Berths"})
	w.book(2, "Brightwater", 1, 3)
	w.subscribe("Ketch Merrow")
	w.round()
	require.Empty(t, w.conflicts(), "a reflection is no double booking")

	w.book(0, "Lindqvist", 10, 12)
	w.book(1, "Harbour School", 11, 14)
	w.book(1, "Fenn", 12+2, 12+4) // arrives where the school leaves: no clash
	w.run("", "feed", "refresh", "--all")
	w.round()
	w.round()

	all := w.conflicts()
	require.Len(t, all, 1)
	c := all[0]
	assert.Equal(t, client.ConflictKindDoubleBooking, c.Kind)
	assert.Equal(t, []string{day(t, 11), day(t, 12)}, []string{c.Start, c.End})
	require.Len(t, c.Bookings, 2)
	assert.Equal(t, []string{"Lindqvist", "Feed of Merrow Charter Desk", day(t, 10), day(t, 12)}, []string{c.Bookings[0].Title, c.Bookings[0].Label, c.Bookings[0].Start, c.Bookings[0].End})
	assert.Equal(t, []string{"Charter: Harbour School", "Feed of Strand & Tern Charters", day(t, 11), day(t, 14)}, []string{c.Bookings[1].Title, c.Bookings[1].Label, c.Bookings[1].Start, c.Bookings[1].End})
	assert.Len(t, w.platforms[2].Blocks(), 3, "the third platform blocks what the others sold")

	// The same feeds on calendars of other grains: still the one clash, and no other.
	for _, grain := range []string{"night", "time"} {
		w.run("", "calendar", "add", "Z by "+grain, "--zone", zoneName, "--grain", grain)
		for _, p := range w.platforms {
			w.run("", "link", "add", "Z by "+grain, "Feed of "+p.Name)
		}
		clashes := w.conflicts("--calendar", "Z by "+grain)
		require.Len(t, clashes, 1, grain)
		assert.Equal(t, "Lindqvist", clashes[0].Bookings[0].Title)
		assert.Equal(t, "Charter: Harbour School", clashes[0].Bookings[1].Title)
	}

	// What the desk gets: everything but its own, read by a library that is not ours.
	assert.Equal(t, []string{
		strings.Join([]string{mintedFor(t, w, "Berthed: Brightwater"), day(t, 1), day(t, 3), "CONFIRMED", "Spoken for"}, " "),
		strings.Join([]string{mintedFor(t, w, "Charter: Harbour School"), day(t, 11), day(t, 14), "CONFIRMED", "Spoken for"}, " "),
		strings.Join([]string{mintedFor(t, w, "Charter: Fenn"), day(t, 14), day(t, 16), "CONFIRMED", "Spoken for"}, " "),
	}, publishedTo(t, w, "For Merrow Charter Desk"))

	p := w.page(t)
	p.do(p.goTo("/"))
	p.see(".answer.alarm")
	within(t, p.text(".answer.alarm"), "3 double bookings need you.", "Ketch Merrow", "Lindqvist and Charter: Harbour School")
	p.do(p.goTo("/calendars/1"))
	p.see(".clash")
	assert.Equal(t, 1, p.count(".clash"))
	within(t, p.text(".conflict"), "Double booking", "Lindqvist", "Feed of Merrow Charter Desk", "Harbour School", "Feed of Strand & Tern Charters")
	assert.Equal(t, 4, p.drawn(".booking"), "echoes are not drawn unless asked for")
	p.do(click(".el-switch"))
	p.see(".booking.echo")
	assert.Equal(t, 8, p.drawn(".booking.echo"), "each sale is reflected by the two other platforms")
	p.do(viewport([2]int64{390, 844}))
	p.see(".agenda .clash")
	p.fits()

	w.cancel(0, "Lindqvist")
	w.run("", "feed", "refresh", "--all")
	require.Empty(t, w.conflicts())
	require.Len(t, w.conflicts("--calendar", "Ketch Merrow", "--state", "cleared"), 1)
	w.round()
	w.round()
	for _, p := range w.platforms {
		for _, b := range p.Blocks() {
			assert.NotEqual(t, day(t, 10), b.From, "%s still blocks the cancelled days", p.Name)
		}
	}
	assert.Len(t, w.platforms[2].Blocks(), 2)
	p.do(gone(".conflict"), shows(".calm"))
	p.content()

	// What a calendar sent stays known when it is gone: on the others, blocks of it are echoes still.
	w.run("", "calendar", "remove", "Ketch Merrow", "--yes")
	w.book(2, "Late", 20, 22)
	w.run("", "feed", "refresh", "--all")
	assert.Empty(t, w.conflicts())
	assert.Contains(t, w.run("", "calendar", "show", "Z by night", "--echoes"), "Late")
}

// mintedFor is the UID under which the booking of that title is published.
func mintedFor(t *testing.T, w *world, title string) string {
	t.Helper()
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	defer db.Close()
	var uid string
	require.NoError(t, db.QueryRow("SELECT minted FROM bookings WHERE title = ?", title).Scan(&uid))
	return uid
}

// publishedTo reads a publication with an independent library: "uid first last status
// title" of each event. Its UIDs must all differ and say nothing.
func publishedTo(t *testing.T, w *world, name string) []string {
	t.Helper()
	p := lines[client.Publication](t, w.run("", "publication", "show", name, "--json"))[0]
	resp, err := http.Get(p.Url)
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	cal, err := eical.NewDecoder(strings.NewReader(string(body))).Decode()
	require.NoError(t, err)
	var got []string
	uids := map[string]bool{}
	for _, e := range cal.Events() {
		start, err := e.DateTimeStart(nil)
		require.NoError(t, err)
		end, err := e.DateTimeEnd(nil)
		require.NoError(t, err)
		status, err := e.Status()
		require.NoError(t, err)
		summary, err := e.Props.Text(eical.PropSummary)
		require.NoError(t, err)
		uid, err := e.Props.Text(eical.PropUID)
		require.NoError(t, err)
		assert.Regexp(t, `^[0-9a-f]{32}@wharf$`, uid)
		uids[uid] = true
		got = append(got, strings.Join([]string{uid, start.Format("2006-01-02"), end.Format("2006-01-02"), string(status), summary}, " "))
	}
	assert.Len(t, uids, len(got))
	return got
}

// TestSchedule: nobody asks, and a booking arrives all the same, on every calendar that
// its feed counts on.
func TestSchedule(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk"})
	w.run("", "calendar", "add", "Ketch", "--zone", zoneName)
	w.run("", "calendar", "add", "Nights", "--zone", zoneName, "--grain", "night")
	w.run("", "feed", "add", w.feedLink(0), "--platform", "Desk", "--name", "Desk", "--every", "1s", "--calendar", "Ketch")
	w.run("", "link", "add", "Nights", "Desk", "--role", "shows", "--label", "Seen")
	w.book(0, "Osei", 3, 5)
	for calendar, blocks := range map[string]bool{"Ketch": true, "Nights": false} {
		w.eventually("the booking is on "+calendar, func() bool {
			got := lines[client.Booking](t, w.run("", "calendar", "show", calendar, "--json"))
			return len(got) == 1 && got[0].Title == "Osei" && got[0].Blocks == blocks && got[0].NotBefore != nil
		})
	}
	w.run("", "calendar", "add", "Strict nights", "--zone", zoneName, "--grain", "night")
	afternoon := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		_, _ = io.WriteString(rw, "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Regatta\r\nDTSTART:20380802T170000Z\r\nDTEND:20380802T210000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
	}))
	t.Cleanup(afternoon.Close)
	w.run("", "feed", "add", afternoon.URL, "--platform", "Yard", "--name", "Yard", "--calendar", "Strict nights")
	assert.Contains(t, w.run("", "calendar", "show", "Strict nights"), `Yard: "Regatta", 2 Aug 2038 14:00 to 18:00, blocks no night: if it should, enter it with whole days`)

	w.run("", "feed", "edit", "Yard", "--schedule", "at 06:00,18:00 Europe/Lisbon")
	within(t, w.run("", "feed", "show", "Yard"), "read at 06:00,18:00 Europe/Lisbon, next ")
	within(t, w.run("", "feed", "pause", "Yard"), "is not read until it is resumed")
	within(t, w.run("", "feed", "list"), "paused", "not again")
	within(t, w.run("", "feed", "resume", "Yard"), "is read again: ")
	_, errs, code := w.try("", "feed", "edit", "Yard", "--schedule", "sometimes")
	assert.Equal(t, 2, code)
	within(t, errs, "write it as every 15m, every 6h from 02:30 America/Halifax")
	w.run("", "feed", "add", afternoon.URL+"/again", "--platform", "Yard", "--name", "Once", "--schedule", "once")
	within(t, w.run("", "feed", "show", "Once"), "read once, next not again")

	p := w.page(t)
	p.do(p.goTo("/feeds/2"))
	p.press("Pause")
	p.do(shows(".state.paused"))
	within(t, p.text(".page"), "It is not read until you resume it.", "not read again, at 06:00, 18:00 Europe/Lisbon")
	p.press("Change")
	p.see("input[aria-label='Times of the day']")
	assert.Empty(t, p.axe())
	p.do(fill("input[aria-label='Times of the day']", "25:00"))
	p.press("Save")
	p.see(".el-form-item__error")
	within(t, p.text(".el-form-item__error"), "is no time of the day: write it as 06:00 or 18:30")
	p.do(click(`//label[contains(., "again and again")]`))
	p.press("Save")
	p.do(gone("form.form"))
	p.press("Resume")
	p.do(gone(".state.paused"))
	within(t, p.text(".standing"), "every 12 h")

	w.servers[0].Close()
	w.eventually("the feed is failing, and nothing was freed", func() bool {
		f := lines[client.Feed](t, w.run("", "feed", "show", "Desk", "--json"))[0]
		return f.State == client.Failing && *f.LastReading.Message != "" && f.Entries == 1
	})
	assert.Len(t, lines[client.Booking](t, w.run("", "calendar", "show", "Ketch", "--json")), 1)
}
