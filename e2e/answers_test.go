package e2e

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/standin"
)

// asked is a world in which nobody can tell whether what Strand & Tern Charters shows is Lindqvist's
// booking reflected.
func asked(t *testing.T) (w *world, conflict client.Conflict) {
	w = known(t, standin.Style{UIDs: standin.Own, Block: "Charter: %s"})
	w.book(0, "Lindqvist", 10, 12)
	w.turn()
	all := w.conflicts()
	require.Len(t, all, 1)
	require.Equal(t, client.ConflictKindUnclear, all[0].Kind)
	return w, all[0]
}

// doubtful is the booking of a conflict that may be a reflection.
func doubtful(t *testing.T, k client.Conflict) client.Booking {
	for _, b := range k.Bookings {
		if b.Verdict == client.VerdictUnclear {
			return b
		}
	}
	require.FailNow(t, "nothing is asked")
	return client.Booking{}
}

// TestAnswers: from the first page to an answer in three taps; what it changes is said before; it
// is kept with who said it, becomes a double booking or nothing, and is taken back by keyboard.
func TestAnswers(t *testing.T) {
	t.Parallel()
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			t.Parallel()
			w, k := asked(t)
			p := w.page(t)
			p.do(viewport(size), p.goTo("/"))
			p.see(".answer.alarm li a")
			p.do(click(".answer.alarm li a"))
			p.see(".answer .act")
			assert.Empty(t, p.axe())
			p.press("Ours, reflected")
			p.see(".giving")
			within(t, p.text(".giving"), "ours, reflected", "This is what it changes", "clears")
			assert.Empty(t, p.axe())
			p.press("Keep this answer")
			p.do(shows(`//h2[.="It is over"]`))
			within(t, p.text("main"), "harbour said that", "is ours, reflected.", "It cleared by that.", "picked that up")
			assert.Empty(t, w.conflicts())

			// What was said is taken back, and the other is said: by keyboard alone.
			w.run("", "conflict", "answer", "none", fmt.Sprint(k.Id), "--yes")
			p.do(shows(button("A sale of its own")), focus(button("A sale of its own")), press("\r"))
			p.see(".giving")
			within(t, p.text(".giving"), "becomes: A double booking")
			require.Equal(t, "Keep this answer", eval[string](p, "document.activeElement.innerText"), "the keyboard is where the answer is kept")
			p.do(press("\r"), shows(`//h1[starts-with(., "Double booking")]`))
			now := w.conflicts()
			require.Len(t, now, 1)
			assert.Equal(t, k.Id, now[0].Id, "it is the same conflict")
			assert.Equal(t, client.ConflictKindDoubleBooking, now[0].Kind)
			p.press("Take it back")
			p.see(".giving")
			p.do(click(".keep"), shows(`//h1[starts-with(., "Perhaps sold twice")]`))
			p.fits()
			p.do(p.goTo("/conflicts/9999"), shows(`//p[@role="alert"][contains(., "There is no such conflict")]`))
		})
	}
}

// TestAnswersKept: an answer stands whatever is read later; of two people at once the second is
// told; what is over or gone needs none; and the case of a conflict comes to the same verdict.
func TestAnswersKept(t *testing.T) {
	t.Parallel()
	w, k := asked(t)
	b := doubtful(t, k)
	say := func(says client.AnswerKind, seen int64, conflict *int64) error {
		request := client.AnswerRequest{Says: &says, Conflict: conflict}
		request.Bookings = append(request.Bookings, struct {
			Booking int64  `json:"booking"`
			Seen    *int64 `json:"seen,omitempty"`
		}{b.Id, &seen})
		_, err := client.Decode[struct{}](w.api.Answer(context.Background(), nil, request))
		return err
	}
	code := func(err error) client.ProblemCode {
		var p *client.ProblemError
		require.True(t, errors.As(err, &p), "%v", err)
		return p.Code
	}
	file := filepath.Join(t.TempDir(), "case.json")
	w.run("", "case", "export", fmt.Sprint(k.Id), "--out", file)
	assert.Contains(t, w.run("", "case", "run", file), "unclear")

	_, errs, failed := w.try("", "conflict", "answer", "own", fmt.Sprint(k.Id))
	assert.Equal(t, 1, failed, "without a yes nothing is changed")
	assert.Contains(t, errs, "becomes: A double booking")
	require.Equal(t, client.ConflictKindUnclear, w.conflicts()[0].Kind)
	w.run("", "conflict", "answer", "own", fmt.Sprint(k.Id), "--yes")
	require.NoError(t, say(client.Own, 0, nil), "the same again is no news")
	err := say(client.Reflected, 0, nil)
	assert.Equal(t, client.ProblemCodeAnswered, code(err))
	assert.Contains(t, err.Error(), "harbour said on")
	shown := w.run("", "conflict", "show", fmt.Sprint(k.Id))
	within(t, shown, "a sale of its own", "It became: a double booking.", "came in between two readings of its feed")

	w.cancel(0, "Lindqvist")
	w.turn()
	assert.Empty(t, w.conflicts())
	assert.Equal(t, client.ProblemCodeOver, code(say(client.Reflected, 0, &k.Id)), "nothing is asked any more")
	left, err := client.Decode[client.BookingLife](w.api.GetBooking(context.Background(), b.Id))
	require.NoError(t, err)
	require.NotNil(t, left.Booking.Answer, "it is kept also of what has left")
	err = say(client.Reflected, left.Booking.Answer.Id, nil)
	assert.Equal(t, client.ProblemCodeWrongValue, code(err))
	assert.Contains(t, err.Error(), "has left its feed")

	_, errs, failed = w.try("", "conflict", "acknowledge", fmt.Sprint(k.Id), "--note", strings.Repeat("x", 10000))
	assert.Equal(t, 1, failed)
	assert.Contains(t, errs, "2000")
}

// TestQuestion: what the first day asks about two platforms is one page, answered one by one or
// all at once.
func TestQuestion(t *testing.T) {
	t.Parallel()
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			t.Parallel()
			w := linkedBefore(t)
			p := w.page(t)
			p.do(viewport(size), p.goTo("/"))
			p.see(".answer.alarm li a")
			within(t, p.text(".answer.alarm"), "1 double booking and 1 question need you.", "6 bookings are on Feed of Merrow Charter Desk")
			p.do(click(`.answer.alarm a[href^="/questions/"]`))
			p.see(".pairs li")
			assert.Equal(t, 6, p.count(".pairs li"))
			assert.Empty(t, p.axe())
			p.press("All sold on Merrow Charter Desk")
			p.do(click(`(//ul[@class="pairs"]/li)[1]//label[.="sold on both"]`))
			p.press("Say it of 6 pairs")
			p.see(".giving")
			within(t, p.text(".giving"), "You say of 5 bookings: the other one, reflected", "clears")
			p.press("Keep these answers")
			p.do(shows(`//div[@class="giving"][contains(., "You say of 2 bookings: a sale of its own")]`))
			assert.Empty(t, p.axe())
			p.press("Keep these answers")
			p.do(shows(`//p[contains(., "Nothing is asked about these two any more")]`))
			p.fits()
			kinds := map[client.ConflictKind]int{}
			for _, c := range w.conflicts() {
				kinds[c.Kind]++
			}
			assert.Equal(t, map[client.ConflictKind]int{client.ConflictKindDoubleBooking: 2}, kinds)
		})
	}
}

// TestPlatformPage: what was learnt of a platform is told with what taught it, and corrected there
// after it is said what that changes; a mirror is declared and taken back there.
func TestPlatformPage(t *testing.T) {
	t.Parallel()
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			t.Parallel()
			w := known(t, standin.Style{UIDs: standin.Own, Block: "Not bookable"})
			for i := range 4 {
				w.book(0, guests[i]+" party", 10+4*i, 12+4*i)
			}
			w.turn()
			require.Empty(t, w.conflicts())
			strand := lines[client.Platform](t, w.run("", "platform", "show", "Strand & Tern Charters", "--json"))[0]
			p := w.page(t)
			p.do(viewport(size), p.goTo(fmt.Sprint("/platforms/", strand.Id)))
			p.see(".habit")
			p.do(shows(`//main//*[contains(text(), "Strand & Tern Charters importer")]`))
			within(t, p.text("main"), `Entries called "Not bookable" are blocks.`, "It makes at most", "What comes in", "Strand & Tern Charters importer")
			line := `//li[contains(@class, "habit")][contains(., 'called "Not bookable"')]`
			p.do(click(line+`//button[contains(., "what it was learnt from")]`), shows(line+`//li[contains(., "Not bookable")]`))
			assert.Empty(t, p.axe())
			p.do(click(line+`//button[normalize-space()="Correct"]`), click(line+`//button[normalize-space()="its sales"]`),
				shows(".giving"))
			within(t, p.text(".giving"), "opens on Ketch Merrow")
			require.Empty(t, w.conflicts(), "it is only said")
			p.press("Lay it down")
			w.eventually("what rests on it is judged anew", func() bool { return len(w.conflicts()) == 4 })
			p.do(gone(".giving"), shows(button("Take it back")), click(button("Take it back")), shows(".giving"))
			within(t, p.text(".giving"), "clears")
			p.do(click(".giving .el-button--primary"))
			w.eventually("what is learnt counts again", func() bool { return len(w.conflicts()) == 0 })

			p.choose(".feed .el-select", "Feed of Merrow Charter Desk")
			p.do(shows(button("It shows what is sold on Feed of Merrow Charter Desk")),
				click(button("It shows what is sold on Feed of Merrow Charter Desk")), shows(button("It does not any more")))
			assert.Contains(t, w.run("", "feed", "show", "Feed of Strand & Tern Charters"), "It mirrors Feed of Merrow Charter Desk")
			p.press("It does not any more")
			p.do(gone(button("It does not any more")))
			p.fits()
		})
	}
}

// TestForgottenBlock: a block of what is gone, which its platform has been told twice, is a night
// lost for sale: it is listed by platform, and may be a sale after all.
func TestForgottenBlock(t *testing.T) {
	t.Parallel()
	w := known(t, standin.Style{UIDs: standin.Own, Block: "Not bookable"})
	for i := range 4 {
		w.book(0, guests[i]+" party", 10+4*i, 12+4*i)
	}
	w.run("", "platform", "habit", "Strand & Tern Charters", "delay", "0", "--yes")
	w.turn()
	w.cancel(0, guests[1]+" party")
	w.run("", "feed", "refresh", "--all")
	link := lines[client.Publication](t, w.run("", "publication", "show", "For Strand & Tern Charters", "--json"))[0].Url
	for range 2 { // its program comes, and does nothing with it
		req, err := http.NewRequest(http.MethodGet, link, nil)
		require.NoError(t, err)
		req.Header.Set("User-Agent", "Strand & Tern Charters importer")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, errors.Join(err, resp.Body.Close()))
	}
	n := 0
	forgotten := func() []client.Booking {
		n++ // what time alone tells is judged every ten minutes, or whenever there is something new
		w.run("", "feed", "refresh", "--all")
		w.run("", "platform", "habit", "Strand & Tern Charters", "rate", fmt.Sprint(n), "--yes")
		all, err := client.Decode[[]client.Booking](w.api.ListForgottenBlocks(context.Background()))
		require.NoError(t, err)
		return all
	}
	w.eventually("the block is forgotten", func() bool { return len(forgotten()) == 1 })
	for where, size := range sizes {
		t.Run(where, func(t *testing.T) {
			p := w.page(t)
			p.do(viewport(size), p.goTo("/"), shows(`section[aria-label="Forgotten blocks"] a`))
			within(t, p.text(`section[aria-label="Forgotten blocks"]`), "1 block is forgotten: 2 days lost for sale.")
			p.do(click(`section[aria-label="Forgotten blocks"] a`), shows(".blocks li"))
			within(t, p.text("main"), "Strand & Tern Charters", "Not bookable", "Remove this block there by hand", "2 days lost for sale")
			assert.Empty(t, p.axe())
			p.press("A sale of its own")
			p.see(".giving")
			p.press("Not now")
		})
	}
}
