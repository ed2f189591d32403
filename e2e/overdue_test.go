package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestOverdue: a recipient that came again and again and then no more is overdue: on the first page, in the list, in the client.
func TestOverdue(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil, "WHARF_OVERDUE_AFTER=4s")
	w.run("", "calendar", "add", "Ketch Merrow", "--zone", zoneName)
	link := lines[client.Publication](t, w.run("", "publication", "add", "For the desk", "--calendar", "Ketch Merrow", "--platform", "Desk", "--json"))[0].Url
	within(t, w.run("", "today"), "Desk never came for For the desk")
	state := func() client.Publication {
		return lines[client.Publication](t, w.run("", "publication", "show", "For the desk", "--json"))[0]
	}
	assert.Equal(t, client.NeverCame, state().PickupState)
	w.eventually("it comes often enough to have a usual gap", func() bool {
		status, _ := fetch(t, link)
		require.Equal(t, 200, status)
		p := state()
		return p.UsualGap != nil && p.LongGap != nil && p.Pickups >= 6
	})
	assert.NotEqual(t, client.NeverCame, state().PickupState)
	w.eventually("it is overdue", func() bool { return state().PickupState == client.Overdue })
	within(t, w.run("", "today"), "Desk is overdue: it came for For the desk every")
	within(t, w.run("", "publication", "list"), "overdue")
	within(t, w.run("", "publication", "show", "For the desk"), "It usually comes every", "It is overdue", "the newest version")

	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			p := w.page(t)
			p.do(viewport(size), p.goTo("/"))
			p.do(shows(`//section[contains(., "1 recipient is overdue")]//li[contains(., "For the desk")]`))
			assert.Empty(t, p.axe())
			p.do(p.goTo("/publications"), shows(`//li[contains(., "Overdue: it usually comes every")]`))
			assert.Empty(t, p.axe())
			p.fits()
		})
	}
	w.eventually("it comes again", func() bool {
		status, _ := fetch(t, link)
		return status == 200 && state().PickupState == client.OnTime
	})
}
