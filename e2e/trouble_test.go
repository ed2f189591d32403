package e2e

import (
	"database/sql"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestTroubleIsSaid: a calendar that is set aside is said where people look, with when it is
// tried again; nothing beside it is called fine, and all else goes on.
func TestTroubleIsSaid(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk"})
	w.book(0, "Osei", 3, 5)
	w.subscribe("Ketch Merrow")
	w.run("", "calendar", "add", "Hall", "--zone", zoneName)
	db, err := sql.Open("mysql", w.dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("UPDATE calendars SET zone = 'Atlantis' WHERE name = 'Ketch Merrow'") // as no program of ours would
	require.NoError(t, err)
	w.book(0, "Lindqvist", 8, 9)
	assert.Contains(t, w.run("", "feed", "refresh", "--all"), "1 added", "the reading is whole")
	w.eventually("it is set aside", func() bool {
		return dump(t, db, "SELECT failures > 0 FROM calendars WHERE name = 'Ketch Merrow'") == "1\n"
	})
	_, err = db.Exec("UPDATE calendars SET zone = 'America/Halifax', retry_at = NOW(6) + INTERVAL 10 MINUTE WHERE name = 'Ketch Merrow'")
	require.NoError(t, err)
	p := w.page(t)
	p.do(p.goTo("/"))
	p.see(`section[aria-label="Calendars"]`)
	within(t, p.text("main"), "1 calendar is not up to date.", "Its settings cannot be used", "use an IANA name such as America/Halifax. What was published last stays as it is.", "tried again in", "Nothing is known to be double booked.")
	assert.Empty(t, p.axe())
	p.do(p.goTo("/calendars/1"))
	p.see("p.caution")
	within(t, p.text("main"), "This calendar is not up to date.")
	assert.NotContains(t, p.text("main"), "Nothing is double booked.")
	said := w.run("", "calendar", "list")
	assert.Contains(t, said, "Ketch Merrow is not up to date. Its settings cannot be used: zone: time zone")
	assert.NotContains(t, said, "Hall is not")
	w.run("", "calendar", "edit", "Ketch Merrow", "--capacity", "2") // changed, it is tried at once
	assert.NotContains(t, w.run("", "calendar", "list"), "is not up to date")
	assert.Contains(t, w.run("", "calendar", "show", "Ketch Merrow"), "Lindqvist")
	p.content()
}
