package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
	"wharf/standin"
)

// TestReflectionsUnderOtherUIDs: a platform that writes UIDs of its own, or new ones at every
// download, reflects what it was sent, and nobody is alarmed; what it sold itself in the race
// is found; and what is cancelled dies out.
func TestReflectionsUnderOtherUIDs(t *testing.T) {
	t.Parallel()
	for _, uids := range []standin.UIDs{standin.Own, standin.New} {
		t.Run(string(uids), func(t *testing.T) {
			w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
			strand := w.platforms[1]
			strand.Style.UIDs = uids
			w.soldWeekly(1)
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
			within(t, evidence, "Wharf sent ", " to this platform")
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
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.platforms[1].Style.UIDs = standin.Own
	w.soldWeekly(1)
	w.book(0, "Thorne", 30, 32)
	w.subscribe("Ketch Merrow")
	w.cancel(0, "Thorne")
	w.run("", "feed", "refresh", "--all")
	w.run("", "publication", "remove", "For Strand & Tern Charters", "--yes")
	require.NoError(t, w.platforms[1].SetImport(w.feedLink(0)))
	w.run("", "feed", "refresh", "--all")
	w.book(0, "Lindqvist", 10, 12)
	w.run("", "feed", "refresh", "--all")
	require.NoError(t, w.platforms[1].ImportNow(context.Background()))
	w.run("", "feed", "refresh", "--all")
	require.Len(t, w.conflicts(), 1, "as far as anybody knows it may be sold twice")
	assert.Contains(t, w.run("", "feed", "show", "Feed of Strand & Tern Charters"), "is it linked to Merrow Charter Desk directly? Then `wharf feed edit")

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

// TestHabits: what is learnt of a platform is told with the bookings it was learnt from; a person
// lays down something else, or that nothing is concluded, and what rests on it is judged anew.
func TestHabits(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	strand := w.platforms[1]
	strand.Style.UIDs = standin.Own
	w.soldWeekly(1)
	w.subscribe("Ketch Merrow")
	w.round()
	w.book(0, "Lindqvist", 10, 12)
	w.run("", "feed", "refresh", "--all")
	w.round()
	require.Empty(t, w.conflicts())

	name := "Strand & Tern Charters"
	p := lines[client.Platform](t, w.run("", "platform", "show", name, "--json"))[0]
	learnt := func(habit client.HabitName) (found []client.Habit) {
		all, err := client.Decode[[]client.Habit](w.api.ListHabits(context.Background(), p.Id, nil))
		require.NoError(t, err)
		for _, h := range all {
			if h.Habit == habit {
				found = append(found, h)
			}
		}
		return found
	}
	sales := learnt("form")
	require.NotEmpty(t, sales)
	require.NotNil(t, sales[0].Bookings, "it is said where a form was learnt")
	assert.Contains(t, w.run("", "platform", "show", name), "It makes at most")

	// Its blocks are laid down to be sales: then Lindqvist is sold twice.
	var block string
	for _, b := range lines[client.Booking](t, w.run("", "calendar", "show", "Ketch Merrow", "--echoes", "--json")) {
		if b.Verdict == client.VerdictEcho {
			block = b.Title
		}
	}
	require.Equal(t, "Not bookable", block)
	w.run("", "platform", "habit", name, "reflects", "no", "--yes")
	require.Len(t, w.conflicts(), 1)
	assert.Contains(t, w.run("", "platform", "show", name), "laid down by harbour")
	w.run("", "platform", "habit", name, "reflects", "--yes")
	assert.Empty(t, w.conflicts(), "what is learnt counts again")
	w.run("", "platform", "habit", name, "keeps_uids", "yes", "--yes")
	require.Len(t, w.conflicts(), 1, "this UID would be its own")
	assert.Equal(t, client.ConflictKindUnclear, w.conflicts()[0].Kind)
	w.run("", "platform", "habit", name, "keeps_uids", "off", "--yes")
	assert.Empty(t, w.conflicts())
	w.run("", "platform", "habit", name, "delay", "0", "--yes")
	assert.Contains(t, w.run("", "platform", "show", name), "It shows what it got at once.")

	for _, tc := range []struct {
		args []string
		says string
	}{
		{[]string{"delay", "-5"}, "use whole minutes from 0"},
		{[]string{"rate", "often"}, "use sales a day"},
		{[]string{"reflects", "perhaps"}, "use one of"},
		{[]string{"way", "yes"}, "missing what it is of"},
		{[]string{"way", "yes", "--of", "upside_down"}, "there is no way"},
		{[]string{"way", "--of", "joined"}, "there is nothing with this id"},
	} {
		_, errs, code := w.try("", append([]string{"platform", "habit", name}, tc.args...)...)
		assert.Equal(t, 1, code, tc.args)
		assert.Contains(t, errs, tc.says)
	}
	past := true
	all, err := client.Decode[[]client.Habit](w.api.ListHabits(context.Background(), p.Id, &client.ListHabitsParams{Past: &past}))
	require.NoError(t, err)
	ended := 0
	for _, h := range all {
		if h.Until != nil {
			ended++
		}
	}
	assert.GreaterOrEqual(t, ended, 2, "what was known before is kept")

	_, errs, code := w.try("", "calendar", "edit", "Ketch Merrow", "--chance-limit", "3")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "chanceLimit")
	assert.Contains(t, w.run("", "calendar", "edit", "Ketch Merrow", "--chance-limit", "0.001", "--json"), `"chanceLimit":0.001`)
	assert.NotContains(t, w.run("", "calendar", "edit", "Ketch Merrow", "--chance-limit", "0", "--json"), "chanceLimit")
	w.run("", "publication", "edit", "For "+name, "--reader", "strandreader/2.1 (linux)")
	assert.Contains(t, w.run("", "publication", "show", "For "+name, "--json"), `"reader":"strandreader"`)
}

// guests have names like people's.
var guests = []string{"Aldous", "Brandreth", "Corrigan", "Dunmore", "Escott", "Farrow", "Gathercole", "Hollis", "Ingram", "Jessop", "Kettle", "Lowther"}

// known makes two platforms, of which the second has sold about once a week and writes as style
// says; both are subscribed to, and have read each other.
func known(t *testing.T, style standin.Style) *world {
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	strand := w.platforms[1]
	style.Sale = "Charter: %s"
	strand.Style = style
	w.soldWeekly(1)
	w.subscribe("Ketch Merrow")
	w.round()
	require.Empty(t, w.conflicts())
	return w
}

// turn lets everything be read, picked up and read again, twice.
func (w *world) turn() {
	w.run("", "feed", "refresh", "--all")
	w.round()
	w.round()
}

// TestWorstCases: the simulation's hardest histories through the real service.
func TestWorstCases(t *testing.T) {
	t.Parallel()
	kinds := func(w *world) (all []client.ConflictKind) {
		for _, c := range w.conflicts() {
			all = append(all, c.Kind)
		}
		return all
	}
	for name, tc := range map[string]struct {
		style standin.Style
		play  func(w *world)
		want  []client.ConflictKind
	}{
		"blocks cut into days, one of them sold again after a cancellation": {standin.Style{UIDs: standin.Theirs, Block: "Not bookable", Splits: true}, func(w *world) {
			w.book(0, "Lindqvist", 10, 13)
			w.turn()
			for _, c := range w.conflicts() {
				require.Equal(w.t, client.ConflictKindUnclear, c.Kind, "at the first time it may be asked")
			}
			w.book(0, "Thorne", 20, 23)
			w.book(0, "Dunmore", 30, 33)
			w.turn()
			require.Empty(w.t, w.conflicts(), "then it is known how it writes")
			w.cancel(0, "Lindqvist")
			w.turn()
			w.book(0, "Osei", 10, 13)
			w.book(1, "Fenn", 11, 12)
			w.run("", "feed", "refresh", "--all")
		}, []client.ConflictKind{client.ConflictKindDoubleBooking}},
		"everything reflected twice, under its own UIDs": {standin.Style{UIDs: standin.Theirs, Block: "Not bookable", Twice: true}, func(w *world) {
			for i := range 4 {
				w.book(0, fmt.Sprint("Guest ", i), 10+4*i, 12+4*i)
			}
			w.turn()
		}, nil},
		"blocks like sales cannot be told, and are asked": {standin.Style{UIDs: standin.Own, Block: "Charter: %s"}, func(w *world) {
			w.book(0, "Lindqvist", 10, 12)
			w.turn()
		}, []client.ConflictKind{client.ConflictKindUnclear}},
		"no UIDs at all, the past cut off, what is cancelled kept": {standin.Style{UIDs: standin.None, Block: "Not bookable", Trims: true, KeepsCancelled: true}, func(w *world) {
			w.book(0, "Lindqvist", 10, 12)
			w.turn()
			require.Empty(w.t, w.conflicts())
			w.book(1, "Fenn", 20, 22)
			w.book(0, "Osei", 21, 23)
			w.run("", "feed", "refresh", "--all")
			require.Len(w.t, w.conflicts(), 1)
			w.cancel(1, "Fenn")
			w.turn()
		}, nil},
		"sold inside a block that was sent, by a platform that shows nothing of it": {standin.Style{Hidden: true}, func(w *world) {
			for i := range 6 {
				w.book(0, fmt.Sprint("Guest ", i), 10+4*i, 12+4*i)
			}
			w.run("", "platform", "habit", "Strand & Tern Charters", "delay", "0", "--yes")
			w.turn()
			w.book(1, "Fenn", 10, 12) // what Guest 0 has, sold all the same
			w.run("", "feed", "refresh", "--all")
		}, []client.ConflictKind{client.ConflictKindDoubleBooking}},
		"a platform that imports its own feed": {standin.Style{UIDs: standin.Own, Block: "Not bookable"}, func(w *world) {
			require.NoError(w.t, w.platforms[1].SetImport(w.feedLink(1)))
			for range 3 {
				require.NoError(w.t, w.platforms[1].ImportNow(context.Background()))
				w.run("", "feed", "refresh", "--all")
			}
			require.Less(w.t, len(w.platforms[1].Blocks()), 100, "the world is as it was")
		}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w := known(t, tc.style)
			tc.play(w)
			if !assert.Equal(t, tc.want, kinds(w)) {
				t.Log(w.run("", "conflict", "list"))
				t.Log(w.run("", "calendar", "show", "Ketch Merrow", "--echoes", "--json"))
			}
		})
	}
}

// TestFirstDay: platforms that were linked before Wharf came, and of which nothing tells sales from
// reflections, are one question; one answer settles all of it.
func TestFirstDay(t *testing.T) {
	t.Parallel()
	w := linkedBefore(t)
	kinds := map[client.ConflictKind]int{}
	for _, c := range w.conflicts() {
		kinds[c.Kind]++
		assert.Equal(t, c.Kind == client.ConflictKindUnclear, c.Linked != nil)
	}
	assert.Equal(t, map[client.ConflictKind]int{client.ConflictKindUnclear: 6, client.ConflictKindDoubleBooking: 1}, kinds)
	list := w.run("", "conflict", "list")
	assert.Contains(t, list, "Ketch Merrow: 6 bookings are on Feed of Merrow Charter Desk and on Feed of Strand & Tern Charters, though Wharf sent nothing.")
	assert.Contains(t, list, "double booking")
	assert.NotContains(t, list, "unclear")
	w.run("", "feed", "edit", "Feed of Strand & Tern Charters", "--mirrors", "Feed of Merrow Charter Desk")
	require.Len(t, w.conflicts(), 1)
	assert.Equal(t, client.ConflictKindDoubleBooking, w.conflicts()[0].Kind)
}

// linkedBefore makes two platforms of which the second has read the first since before Wharf came,
// with one clash between them.
func linkedBefore(t *testing.T) *world {
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	w.platforms[0].Style, w.platforms[1].Style = standin.Style{Sale: "%s", Block: "%s"}, standin.Style{Sale: "%s", Block: "%s", UIDs: standin.Own}
	for i := range 5 {
		w.book(0, guests[i], 10+4*i, 12+4*i)
		w.book(1, guests[5+i], 40+4*i, 42+4*i)
	}
	w.book(1, "Lowther", 31, 33)
	w.book(0, "Kettle", 32, 35) // and this is sold twice
	link := w.feedLink(0)
	require.NoError(t, w.platforms[1].SetImport(link))
	require.NoError(t, w.platforms[1].ImportNow(context.Background()))
	w.subscribe("Ketch Merrow")
	return w
}
