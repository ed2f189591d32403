package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/internal/clock"
)

// records stands for the browser's own way of telling, which a test cannot see.
const records = `window.toldOf = []
window.Notification = class {
	static permission = 'granted'
	constructor(title, { body }) { window.toldOf.push(title + ': ' + body) }
}`

// TestReminders: of an entry of a feed and of a hold, from the client and from a booking's panel, on a desk and on a phone;
// what is due is on the first page, at its link, and told by the browser; once dealt with it is gone until the booking moves.
func TestReminders(t *testing.T) {
	t.Parallel()
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t, nil)
			w.run("", "calendar", "add", "Ketch Merrow", "--zone", zoneName, "--grain", "day")
			feed := func(first int) string {
				file := filepath.Join(t.TempDir(), fmt.Sprintf("desk-%d.ics", first))
				text := fmt.Sprintf("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:a\r\nSUMMARY:Lindqvist\r\nDTSTART;VALUE=DATE:%s\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n", strings.ReplaceAll(day(t, first), "-", ""))
				require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
				return file
			}
			w.run("", "feed", "add", feed(2), "--platform", "Desk", "--name", "Desk", "--calendar", "Ketch Merrow")
			w.run("", "hold", "add", "Ketch Merrow", day(t, 3), day(t, 3), "--title", "Osei", "--yes")
			booked := map[string]int64{}
			for _, b := range lines[client.Booking](t, w.run("", "calendar", "show", "Ketch Merrow", "--json")) {
				booked[b.Title] = b.Id
			}
			within(t, w.run("", "calendar", "show", "Ketch Merrow"), fmt.Sprint(booked["Lindqvist"]))
			within(t, w.run("", "reminder", "list"), "nothing to be reminded of")
			within(t, w.run("", "reminder", "add", fmt.Sprint(booked["Lindqvist"]), "5d"), "Lindqvist on Ketch Merrow, 5 days before")
			within(t, w.run("", "today"), "Reminders that are due: 1", "Lindqvist", "5 days before")

			p := w.page(t, records)
			p.do(viewport(size), p.goTo("/board"))
			p.do(shows(`//button[contains(@class, "booking")][contains(., "Osei") or contains(@aria-label, "Osei")]`),
				click(`//button[contains(@class, "booking")][contains(., "Osei") or contains(@aria-label, "Osei")]`))
			p.press("Add a reminder")
			p.see(".reminders form")
			assert.Empty(t, p.axe())
			p.fits()
			p.set(".reminders input[type=time]", 0, "07:30")
			p.press("Remind me")
			p.do(shows(`//section[contains(@class, "reminders")]//li[contains(., "at 07:30 the day before")]`))
			all := lines[client.Reminder](t, w.run("", "reminder", "list", "--json"))
			require.Len(t, all, 2)
			assert.Equal(t, []string{"Lindqvist", "Osei"}, []string{all[0].Title, all[1].Title})
			loc, err := time.LoadLocation(zoneName)
			require.NoError(t, err)
			assert.Equal(t, day(t, 2)+"T07:30", all[1].Due.In(loc).Format("2006-01-02T15:04"))
			assert.NotNil(t, all[1].Hold)

			p.do(p.goTo("/"))
			p.do(shows(`//section[contains(., "1 reminder is due")]//li[contains(., "Lindqvist")]`))
			within(t, strings.ReplaceAll(p.text("nav"), "\n", ""), "Today1due")
			assert.Empty(t, p.axe())
			w.eventually("the browser tells of it once", func() bool {
				return eval[string](p, `window.toldOf.join('|')`) != "" || eval[string](p, `localStorage.getItem('reminders told') ?? ''`) != "[]"
			})
			p.press("Done")
			w.eventually("it is dealt with", func() bool { return p.count("section[aria-label=Reminders]") == 0 })
			assert.Len(t, lines[client.Reminder](t, w.run("", "reminder", "list", "--json")), 1)

			w.run("", "feed", "edit", "Desk", "--from", feed(4), "--yes")
			within(t, w.run("", "reminder", "list", "--due"), "Lindqvist") // it has moved
			p.do(shows(`//section[contains(., "1 reminder is due")]`))
			within(t, w.run("", "reminder", "done", fmt.Sprint(all[0].Id), fmt.Sprint(booked["Lindqvist"])), "Dealt with")
			within(t, w.run("", "reminder", "done", fmt.Sprint(all[1].Id)), "It is not due")
			within(t, w.run("", "reminder", "remove", fmt.Sprint(all[1].Id)), "Gone")
			within(t, w.run("", "reminder", "add", "--hold", fmt.Sprint(*all[1].Hold), "9d"), "Osei on Ketch Merrow, 9 days before")
			within(t, w.run("", "reminder", "list", "--due"), "Osei")
			within(t, w.run("", "reminder", "done", fmt.Sprint(all[1].Id+1)), "Dealt with")
			within(t, w.run("", "reminder", "list"), "nothing to be reminded of")

			// It becomes due while the page is open, which asks for nothing meanwhile.
			w.run("", "calendar", "add", "Hall", "--zone", zoneName, "--grain", "time")
			start := now().Add(75 * time.Second).In(loc)
			w.run("", "hold", "add", "Hall", start.Format("2006-01-02T15:04:05"), start.Add(time.Hour).Format("2006-01-02T15:04:05"), "--title", "Talk", "--yes")
			talk := lines[client.Booking](t, w.run("", "calendar", "show", "Hall", "--json"))[0]
			p.do(p.goTo("/"), gone("nav .count"))
			w.run("", "reminder", "add", fmt.Sprint(talk.Id), "1m")
			p.do(shows(`//section[contains(., "1 reminder is due")]//li[contains(., "Talk")]`))
			assert.False(t, now().Before(start.Add(-time.Minute-time.Second)), "not before its time")
			p.content()

			for _, c := range []struct {
				args []string
				code int
				says string
			}{
				{[]string{"add", fmt.Sprint(booked["Osei"]), "soon"}, 2, "write 30m, 2h or 3d"},
				{[]string{"add", fmt.Sprint(booked["Osei"]), "400d"}, 2, "longer than a year"},
				{[]string{"add", "99999", "2h"}, 1, "there is no booking 99999"},
				{[]string{"add", "one", "2h"}, 2, "is no booking's number"},
				{[]string{"add", "2h"}, 2, "or with --hold"},
				{[]string{"add", "--hold", "99", "2h"}, 1, "there is no hold 99"},
				{[]string{"done"}, 2, "say which reminder"},
				{[]string{"done", fmt.Sprint(all[0].Id), fmt.Sprint(booked["Osei"])}, 1, "nothing with this id"},
				{[]string{"remove", fmt.Sprint(all[1].Id)}, 1, "nothing with this id"},
			} {
				_, errs, code := w.try("", append([]string{"reminder"}, c.args...)...)
				assert.Equal(t, c.code, code, "%v: %s", c.args, errs)
				assert.Contains(t, errs, c.says, "%v", c.args)
			}
		})
	}
}

// TestExpiryAtMidnight: a hold that ends with the day ends with that of its calendar, on the other side of the earth.
func TestExpiryAtMidnight(t *testing.T) {
	anyDay(t)
	t.Parallel()
	auckland, err := time.LoadLocation("Pacific/Auckland")
	require.NoError(t, err)
	year, month, today := now().In(auckland).Date()
	midnight := time.Date(year, month, today+1, 0, 0, 0, 0, auckland)
	ahead := midnight.Add(-25 * time.Second).Sub(now()) // so much the service is
	w := newWorld(t, []string{"Merrow Charter Desk"}, fmt.Sprintf("%s=%s", clock.Shift, ahead))
	w.run("", "calendar", "add", "Boat shed", "--zone", "Pacific/Auckland", "--grain", "night")
	link := lines[client.Publication](t, w.run("", "publication", "add", "For the desk", "--calendar", "Boat shed", "--platform", "Desk", "--json"))[0].Url
	date := func(days int) string { return midnight.AddDate(0, 0, days).Format(time.DateOnly) }
	w.run("", "hold", "add", "Boat shed", date(5), date(7), "--title", "Option", "--expires", date(0)+"T00:00", "--yes")
	w.run("", "hold", "add", "Boat shed", date(6), date(8), "--title", "Firm", "--expires", date(1)+"T00:00", "--yes")
	published := func() string { _, text := fetch(t, link); return text }
	require.Equal(t, 2, strings.Count(published(), "BEGIN:VEVENT"))
	require.Len(t, w.conflicts(), 1)
	w.eventually("it ends", func() bool { return strings.Count(published(), "BEGIN:VEVENT") == 1 })
	assert.False(t, now().Add(ahead).Before(midnight), "not before its time")
	w.eventually("the conflict clears", func() bool { return len(w.conflicts()) == 0 })
	assert.Contains(t, published(), strings.ReplaceAll(date(6), "-", ""))
}
