package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// TestGuard: a feed that is suddenly empty frees nothing, on no platform, until somebody has looked; it
// is said on the first page, beside the bookings, by the client; and one decision frees or keeps all.
func TestGuard(t *testing.T) {
	t.Parallel()
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"}, "WHARF_GUARD_SHARE=0.33")
			for i := range 6 {
				w.book(0, guests[i], 10+4*i, 12+4*i)
			}
			w.subscribe("Ketch Merrow")
			w.round()
			require.Len(t, publishedTo(t, w, "For Strand & Tern Charters"), 6)
			for i := range 6 {
				w.cancel(0, guests[i])
			}
			w.run("", "feed", "refresh", "--all")
			feed := "Feed of Merrow Charter Desk"
			assert.Len(t, publishedTo(t, w, "For Strand & Tern Charters"), 6, "it is taken there still")
			within(t, w.run("", "feed", "list"), "guarded")
			within(t, w.run("", "feed", "show", feed), "6 bookings are not shown any more and still stand")
			within(t, w.run("", "feed", "held", feed), guests[0], "lost", "Missing since")
			within(t, w.run("", "calendar", "show", "Ketch Merrow"), "not in its feed any more")
			_, errs, code := w.try("", "feed", "held", feed, "--let-go", "--keep")
			assert.Equal(t, 2, code)
			within(t, errs, "exclude each other")
			_, errs, _ = w.try("", "feed", "held", feed, "--let-go", "--try")
			within(t, errs, "Strand & Tern Charters is no longer told that")

			p := w.page(t)
			p.do(viewport(size), p.goTo("/"))
			p.do(shows(`//section[@aria-label="Feeds"]//li[contains(., "6 bookings that it does not show any more stand until somebody looks")]`))
			p.do(click(`section[aria-label="Feeds"] li a`))
			p.see(".held")
			within(t, p.text(".held"), "6 bookings are missing from this feed", "nothing at all", "12 days stay taken here and on every platform", guests[0])
			assert.Empty(t, p.axe())
			p.fits()
			p.press("They are cancelled: let them go")
			p.see(".giving")
			within(t, p.text(".giving"), "Their time is free from now on", "Strand & Tern Charters is no longer told that")
			assert.Empty(t, p.axe())
			p.press("Let them go")
			p.do(gone(".held"), shows(".state.fresh"))
			assert.Empty(t, publishedTo(t, w, "For Strand & Tern Charters"))
			assert.Empty(t, lines[client.Booking](t, w.run("", "feed", "held", feed, "--json")))
			within(t, w.run("", "feed", "held", feed), "Nothing is held of")
		})
	}
}
