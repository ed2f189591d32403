package e2e

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"wharf/api/client"
)

// TestSeveralCalendars: a person gets several calendars in one link, and each title says of which one it is. What changes on any
// of them arrives; two links that show each other's calendars come to rest.
func TestSeveralCalendars(t *testing.T) {
	anyDay(t)
	w := newWorld(t, nil)
	for _, name := range []string{"Ketch", "Sloop", "Dory"} {
		w.run("", "calendar", "add", name, "--zone", zoneName, "--grain", "day")
	}
	w.run("", "calendar", "add", "Pontoon", "--zone", zoneName, "--grain", "night")
	hold := func(calendar string, first, last int, title string) string {
		return fmt.Sprint(lines[client.Hold](t, w.run("", "hold", "add", calendar, day(t, first), day(t, last), "--title", title, "--yes", "--json"))[0].Id)
	}
	hold("Ketch", 3, 4, "Ann")
	ben := hold("Sloop", 3, 4, "Ben")
	w.run("", "publication", "add", "Boats, for Ida", "--calendar", "Ketch", "--person", "Ida", "--also", "Sloop", "--detail", "titles")
	w.run("", "publication", "add", "Boats, for Jo", "--calendar", "Sloop", "--person", "Jo", "--also", "Ketch")
	shown := func(publication string) []string {
		_, text := fetch(t, w.linkOf(publication))
		all := []string{}
		uids := map[string]bool{}
		for _, e := range readTwice(t, text) {
			all = append(all, e.Start+" "+e.Summary)
			assert.False(t, uids[e.UID], "each UID once")
			uids[e.UID] = true
		}
		slices.Sort(all)
		return all
	}
	assert.Equal(t, []string{day(t, 3) + " Ketch: Ann", day(t, 3) + " Sloop: Ben"}, shown("Boats, for Ida"))
	assert.Equal(t, []string{day(t, 3) + " Ketch: Spoken for", day(t, 3) + " Sloop: Spoken for"}, shown("Boats, for Jo"))

	hold("Sloop", 9, 9, "Cleo")
	assert.Equal(t, []string{day(t, 3) + " Ketch: Ann", day(t, 3) + " Sloop: Ben", day(t, 9) + " Sloop: Cleo"}, shown("Boats, for Ida"), "at once")
	w.run("", "hold", "cancel", ben, "--yes")
	assert.Equal(t, []string{day(t, 3) + " Ketch: Ann", day(t, 9) + " Sloop: Cleo"}, shown("Boats, for Ida"))
	assert.Equal(t, []string{day(t, 3) + " Ketch: Spoken for", day(t, 9) + " Sloop: Spoken for"}, shown("Boats, for Jo"))
	one := func(publication string) client.Publication {
		return lines[client.Publication](t, w.run("", "publication", "show", publication, "--json"))[0]
	}
	rest := one("Boats, for Ida").Version
	w.run("", "feed", "refresh", "--all")
	assert.Equal(t, rest, one("Boats, for Ida").Version, "nothing goes to and fro")
	within(t, w.run("", "publication", "show", "Boats, for Ida"), "with 1 other calendar")

	w.run("", "publication", "edit", "Boats, for Ida", "--also", "Sloop", "--also", "Dory", "--detail", "times", "--yes")
	hold("Dory", 5, 5, "Dora")
	assert.Equal(t, []string{day(t, 3) + " Ketch: Spoken for", day(t, 5) + " Dory: Spoken for", day(t, 9) + " Sloop: Spoken for"}, shown("Boats, for Ida"))
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"edit", "Boats, for Ida", "--also", "Pontoon"}, "Pontoon goes by the night, and Ketch by the day"},
		{[]string{"add", "For the desk", "--calendar", "Ketch", "--platform", "Desk", "--also", "Sloop"}, "give it a link for each"},
	} {
		_, errs, code := w.try("", append([]string{"publication"}, c.args...)...)
		assert.Equal(t, 2, code, errs)
		assert.Contains(t, errs, c.says)
	}
	w.run("", "calendar", "remove", "Dory", "--yes")
	w.eventually("what is gone is shown no more", func() bool { return len(shown("Boats, for Ida")) == 2 })
	w.run("", "publication", "edit", "Boats, for Ida", "--also", "", "--yes")
	assert.Equal(t, []string{day(t, 3) + " Spoken for"}, shown("Boats, for Ida"), "alone, it needs not say which")
}
