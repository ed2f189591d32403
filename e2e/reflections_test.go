package e2e

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/standin"
)

// TestReflectionsUnderOtherUIDs: a platform that writes UIDs of its own, or new ones at every
// download, reflects what it was sent, and nobody is alarmed; what it sold itself in the race
// is found; and what is cancelled dies out.
func TestReflectionsUnderOtherUIDs(t *testing.T) {
	for _, uids := range []standin.UIDs{standin.Own, standin.New} {
		t.Run(string(uids), func(t *testing.T) {
			w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
			strand := w.platforms[1]
			strand.Style.UIDs = uids
			for i := range 12 { // it has sold about once a week
				_, err := strand.Add(standin.Booking{Guest: fmt.Sprint("Party ", i), From: day(t, 60+4*i), Until: day(t, 62+4*i), Made: now().Add(-time.Duration(90-7*i) * 24 * time.Hour)})
				require.NoError(t, err)
			}
			w.subscribe("Ketch Merrow")
			w.round()
			require.Empty(t, w.conflicts())

			w.book(0, "Lindqvist", 10, 12)
			w.run("", "feed", "refresh", "--all")
			w.round()
			w.round()
			if all := w.conflicts(); len(all) > 0 {
				require.Fail(t, "a reflection is no double booking", "%s", *all[0].Bookings[1].Evidence)
			}
			require.Len(t, strand.Blocks(), 1)
			assert.Contains(t, w.run("", "calendar", "show", "Ketch Merrow", "--echoes"), "Not bookable")
			bookings := lines[client.Booking](t, w.run("", "calendar", "show", "Ketch Merrow", "--echoes", "--json"))
			var evidence string
			for _, b := range bookings {
				if b.Verdict == client.VerdictEcho && b.Title == "Not bookable" && b.Evidence != nil {
					evidence = *b.Evidence
				}
			}
			assert.Contains(t, evidence, "Wharf sent "+day(t, 10)+" to "+day(t, 12)+" to this platform")
			for _, own := range publishedTo(t, w, "For Merrow Charter Desk") {
				assert.NotContains(t, own, day(t, 10), "nobody is sent their own booking")
			}

			// The same days are sold on both before either knows of the other.
			w.book(0, "Osei family", 20, 22)
			w.book(1, "Fenn", 20, 22)
			w.run("", "feed", "refresh", "--all")
			all := w.conflicts()
			require.Len(t, all, 1)
			assert.Equal(t, client.ConflictKindDoubleBooking, all[0].Kind)
			w.cancel(1, "Fenn")

			w.cancel(0, "Lindqvist")
			w.run("", "feed", "refresh", "--all")
			w.round()
			w.round()
			require.Empty(t, w.conflicts())
			for _, b := range strand.Blocks() {
				assert.NotEqual(t, day(t, 10), b.From, "what is cancelled dies out")
			}
			require.NoError(t, strand.ImportNow(context.Background()))
		})
	}
}

// TestMirrors: a platform that reads another one directly reflects what nothing of ours
// explains, until somebody says where that comes from.
func TestMirrors(t *testing.T) {
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.platforms[1].Style.UIDs = standin.Own
	for i := range 12 {
		_, err := w.platforms[1].Add(standin.Booking{Guest: fmt.Sprint("Party ", i), From: day(t, 60+4*i), Until: day(t, 62+4*i), Made: now().Add(-time.Duration(90-7*i) * 24 * time.Hour)})
		require.NoError(t, err)
	}
	w.subscribe("Ketch Merrow")
	w.run("", "publication", "remove", "For Strand & Tern Charters", "--yes")
	require.NoError(t, w.platforms[1].SetImport(w.feedLink(0)))
	w.run("", "feed", "refresh", "--all")
	w.book(0, "Lindqvist", 10, 12)
	w.run("", "feed", "refresh", "--all")
	require.NoError(t, w.platforms[1].ImportNow(context.Background()))
	w.run("", "feed", "refresh", "--all")
	require.Len(t, w.conflicts(), 1, "as far as anybody knows it is sold twice")

	_, errs, code := w.try("", "feed", "edit", "Feed of Strand & Tern Charters", "--mirrors", "Feed of Strand & Tern Charters")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "cannot mirror itself")
	w.run("", "feed", "edit", "Feed of Strand & Tern Charters", "--mirrors", "Feed of Merrow Charter Desk")
	assert.Empty(t, w.conflicts())
	assert.Contains(t, w.run("", "feed", "show", "Feed of Strand & Tern Charters"), "It mirrors Feed of Merrow Charter Desk: what Merrow Charter Desk sold comes back from it.")
	_, errs, code = w.try("", "feed", "edit", "Feed of Merrow Charter Desk", "--mirrors", "Feed of Strand & Tern Charters")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "nor a feed that mirrors it")

	w.run("", "feed", "edit", "Feed of Strand & Tern Charters", "--mirrors", "none")
	assert.Len(t, w.conflicts(), 1, "it is open again")
}
