package e2e

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// otherThan are the flags for all of some calendars but one.
func otherThan(own string, all ...string) (flags []string) {
	for _, c := range all {
		if c != own {
			flags = append(flags, "--also", c)
		}
	}
	return flags
}

// TestSeveralCalendars: a person gets several calendars in one link, and each title says of which one it is. What changes on any
// of them arrives; two links that show each other's calendars come to rest.
func TestSeveralCalendars(t *testing.T) {
	anyDay(t)
	t.Parallel()
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
		{[]string{"add", "For the desk", "--calendar", "Ketch", "--platform", "Desk", "--also", "Sloop"}, "give it a link for each"},
	} {
		_, errs, code := w.try("", append([]string{"publication"}, c.args...)...)
		assert.Equal(t, 2, code, errs)
		assert.Contains(t, errs, c.says)
	}
	// Nights, days and times in one link: each as its calendar has it.
	loc, err := time.LoadLocation(zoneName)
	require.NoError(t, err)
	w.run("", "calendar", "add", "Hall", "--zone", zoneName, "--grain", "time")
	w.run("", "hold", "add", "Hall", day(t, 12)+"T10:00", day(t, 12)+"T11:30", "--title", "Talk", "--yes")
	hold("Pontoon", 14, 16, "Gus")
	for name, own := range map[string]string{"All, for Max": "Ketch", "All, for Nan": "Hall"} {
		w.run("", append([]string{"publication", "add", name, "--calendar", own, "--person", strings.Fields(name)[2], "--detail", "titles", "--cancelled", "24"}, otherThan(own, "Ketch", "Sloop", "Pontoon", "Hall")...)...)
		_, text := fetch(t, w.linkOf(name))
		all := map[string][2]string{}
		for _, e := range readTwice(t, text) {
			all[e.Summary] = [2]string{e.Start, e.End}
		}
		talk, err := time.ParseInLocation("2006-01-02 15:04", day(t, 12)+" 10:00", loc)
		require.NoError(t, err)
		assert.Equal(t, map[string][2]string{"Ketch: Ann": {day(t, 3), day(t, 5)}, "Sloop: Cleo": {day(t, 9), day(t, 10)}, "Pontoon: Gus": {day(t, 14), day(t, 16)},
			"Hall: Talk": {talk.UTC().Format(time.RFC3339), talk.Add(90 * time.Minute).UTC().Format(time.RFC3339)}}, all, name)
		within(t, w.run("", "publication", "preview", name), "Gus", "Talk")
	}
	w.run("", "hold", "cancel", fmt.Sprint(lines[client.Hold](t, w.run("", "hold", "list", "--calendar", "Hall", "--json"))[0].Id), "--yes")
	_, text := fetch(t, w.linkOf("All, for Max"))
	assert.Len(t, firsts(t, text, "CANCELLED"), 1, "what is gone of another calendar is called off, too: %s", text)

	w.run("", "calendar", "remove", "Dory", "--yes")
	w.eventually("what is gone is shown no more", func() bool { return len(shown("Boats, for Ida")) == 2 })
	w.run("", "publication", "edit", "Boats, for Ida", "--also", "", "--yes")
	assert.Equal(t, []string{day(t, 3) + " Spoken for"}, shown("Boats, for Ida"), "alone, it needs not say which")
}
