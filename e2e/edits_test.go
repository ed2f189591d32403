package e2e

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api/client"
)

// said is what a command must do and say.
type said struct {
	stdin string
	args  []string
	code  int
	says  []string
}

func (w *world) all(cases []said) {
	w.t.Helper()
	for _, tc := range cases {
		out, errs, code := w.try(tc.stdin, tc.args...)
		assert.Equal(w.t, tc.code, code, "%v: %s%s", tc.args, out, errs)
		within(w.t, out+errs, tc.says...)
	}
}

// fetch reads a published link.
func fetch(t *testing.T, link string) (int, string) {
	t.Helper()
	resp, err := http.Get(link)
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(body)
}

// TestChangesAndRemovals: everything that was added can be changed and removed; what
// somebody else has changed meanwhile, and what a removal would lose, is said first.
func TestChangesAndRemovals(t *testing.T) {
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk", "Strand & Tern Charters"})
	bad := misbehaving(t)
	w.book(0, "Lindqvist", 10, 12)
	w.book(1, "Harbour School", 11, 14)
	w.subscribe("Ketch Merrow")
	w.round()
	require.Len(t, w.conflicts(), 1)
	desk, strand := "Feed of Merrow Charter Desk", "Feed of Strand & Tern Charters"

	w.all([]said{
		{args: []string{"platform", "add", "Visitor centre"}, says: []string{"Added Visitor centre"}},
		{args: []string{"platform", "add", "Visitor centre"}, code: 1, says: []string{"there is a platform of this name already"}},
		{args: []string{"platform", "list"}, says: []string{"1 feed, fresh", "nothing goes out"}},
		{args: []string{"platform", "show", "Merrow Charter Desk"}, says: []string{desk, "For Merrow Charter Desk", "version 2"}},
		{args: []string{"platform", "edit", "Visitor centre", "--name", "Visitors"}, says: []string{"Changed Visitors; it is at revision 2"}},
		{args: []string{"platform", "edit", "Visitors", "--name", "X", "--revision", "1"}, code: 1, says: []string{`harbour changed it from "Visitor centre" to "Visitors"`, "make your change again"}},
		{args: []string{"platform", "remove", "Merrow Charter Desk", "--yes"}, code: 1, says: []string{"in use by the feed " + desk + ", the publication For Merrow Charter Desk"}},
		{args: []string{"platform", "remove", "Visitors"}, says: []string{"Removed Visitors."}},
		{args: []string{"platform", "add", "Visitors"}, says: []string{"Added"}},

		{args: []string{"feed", "edit", desk}, code: 2, says: []string{"say what to change, with one or more of --name"}},
		{args: []string{"feed", "edit", desk, "--color", "plum", "--every", "2h"}, says: []string{"it is at revision 2"}},
		{args: []string{"feed", "edit", desk, "--color", "puce"}, code: 2, says: []string{"color"}},
		{args: []string{"feed", "edit", desk, "--name", strand}, code: 1, says: []string{"another feed has this name"}},
		{args: []string{"feed", "edit", desk, "--url", bad.URL + "/page"}, code: 1, says: []string{"is a web page, not a calendar"}},
		{args: []string{"feed", "edit", desk, "--url", w.feedLink(0), "--revision", "1"}, code: 1, says: []string{`color: harbour changed it from`, `every: harbour changed it from "3600" to "7200"`}},
		{args: []string{"feed", "show", desk}, says: []string{"plum", "read every 2 h", "2 entries"}},

		{args: []string{"calendar", "edit", "Ketch Merrow", "--zone", "Mars"}, code: 2, says: []string{"not known: use an IANA name"}},
		{args: []string{"calendar", "edit", "Ketch Merrow", "--capacity", "2", "--name", "Ketch"}, says: []string{"Changed Ketch; it is at revision 2"}},
		{args: []string{"conflict", "list"}, says: []string{"No conflicts."}},
		{args: []string{"calendar", "edit", "Ketch", "--capacity", "1", "--name", "Ketch Merrow"}, says: []string{"revision 3"}},
		{args: []string{"conflict", "list"}, says: []string{"double booking, open"}},

		{args: []string{"link", "list", "--calendar", "Ketch Merrow"}, says: []string{desk, "blocks", "tentative"}},
		{args: []string{"link", "show", "Ketch Merrow", desk}, says: []string{"blocks on Ketch Merrow", "revision 1", "1 unit of 1"}},
		{args: []string{"link", "add", "Ketch Merrow", desk}}, // as it is: the same again is one change
		{args: []string{"link", "add", "Ketch Merrow", desk, "--role", "shows"}, code: 1, says: []string{"counts on this calendar already"}},
		{args: []string{"link", "edit", "Ketch Merrow", desk, "--role", "shows", "--label", "Desk", "--yes"}, says: []string{"revision 2"}},
		{args: []string{"conflict", "list"}, says: []string{"No conflicts."}},
		{args: []string{"link", "edit", "Ketch Merrow", desk, "--role", "blocks", "--revision", "1"}, code: 1, says: []string{`role: harbour changed it from "blocks" to "shows"`}},
		{args: []string{"link", "edit", "Ketch Merrow", desk, "--role", "blocks"}, says: []string{"revision 3"}},
		{stdin: "n\n", args: []string{"link", "remove", "Ketch Merrow", strand}, code: 1, says: []string{"1 booking to come on Ketch Merrow (3 days) would count no more",
			"Merrow Charter Desk could sell again on Ketch Merrow: ", "1 conflict on Ketch Merrow would no longer be shown.", "nothing was removed"}},
		{args: []string{"conflict", "list"}, says: []string{"double booking, open"}},
		{stdin: "y\n", args: []string{"link", "remove", "Ketch Merrow", strand}, says: []string{"Removed"}},
		{args: []string{"conflict", "list"}, says: []string{"No conflicts."}},
		{args: []string{"link", "show", "Ketch Merrow", strand}, code: 1, says: []string{"does not count on Ketch Merrow"}},
		{args: []string{"link", "add", "Ketch Merrow", strand}, says: []string{"now blocks on Ketch Merrow"}},
	})
	require.Len(t, w.conflicts(), 1, "what comes back is found again")

	published := lines[client.Publication](t, w.run("", "publication", "show", "For Merrow Charter Desk", "--json"))[0]
	w.all([]said{
		{args: []string{"publication", "edit", "For Merrow Charter Desk", "--name", "Ketch for the desk"}, says: []string{"revision 2"}},
		{args: []string{"publication", "edit", "Ketch for the desk", "--name", "For Strand & Tern Charters"}, code: 1, says: []string{"another publication has this name"}},
	})
	status, body := fetch(t, published.Url)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "X-WR-CALNAME:Ketch for the desk")
	w.all([]said{
		{args: []string{"publication", "remove", "Ketch for the desk"}, code: 1, says: []string{"Merrow Charter Desk would lose what it blocks by this link", "give --yes"}},
		{args: []string{"publication", "remove", "Ketch for the desk", "--yes"}, says: []string{"Removed"}},
	})
	status, body = fetch(t, published.Url)
	assert.Equal(t, http.StatusGone, status, body)
	w.run("", "publication", "add", "Ketch for the desk", "--calendar", "Ketch Merrow", "--platform", "Merrow Charter Desk")
	w.run("", "feed", "refresh", "--all")
	assert.Len(t, w.conflicts(), 1, "blocks that came by the revoked link are echoes still")

	w.all([]said{
		{args: []string{"feed", "remove", desk, "--yes"}, says: []string{"(2 days) would count no more", "Removed " + desk}},
		{args: []string{"conflict", "list"}, says: []string{"No conflicts."}},
		{args: []string{"conflict", "list", "--state", "cleared"}, says: []string{"Lindqvist"}},
		{args: []string{"feed", "show", desk}, code: 1, says: []string{"there is no feed"}},
		{args: []string{"feed", "add", w.feedLink(0), "--platform", "Merrow Charter Desk", "--name", desk, "--calendar", "Ketch Merrow"}, says: []string{"2 entries read"}},
	})
	assert.Len(t, w.conflicts(), 1)
	other := lines[client.Publication](t, w.run("", "publication", "show", "Ketch for the desk", "--json"))[0]
	w.all([]said{
		{args: []string{"calendar", "remove", "Ketch Merrow"}, code: 1, says: []string{"to come on Ketch Merrow", "Its links would be gone for good", "The record of 1 conflict would be lost"}},
		{args: []string{"calendar", "remove", "Ketch Merrow", "--yes"}, says: []string{"Removed Ketch Merrow."}},
		{args: []string{"feed", "list"}, says: []string{desk, strand}},
		{args: []string{"calendar", "list"}, says: []string{"No calendars yet"}},
	})
	status, _ = fetch(t, other.Url)
	assert.Equal(t, http.StatusGone, status)
}

// TestLogins: tokens are listed and revoked; a revoked one is refused at once, and says
// what to do.
func TestLogins(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	own := w.token
	w.run(password+"\n", "login", "--server", w.base(), "--name", accountName, "--password-stdin")
	all := lines[client.Login](t, w.run("", "token", "list", "--json"))
	require.Len(t, all, 3, "the first page's, and two of the client")
	assert.True(t, all[0].Current)
	w.all([]said{
		{args: []string{"token", "list"}, says: []string{"browser", "token", "this one"}},
		{args: []string{"token", "revoke", "first"}, code: 2, says: []string{"is no login's number"}},
		{args: []string{"token", "revoke", "99"}, code: 1, says: []string{"nothing with this id"}},
		{args: []string{"token", "revoke", fmt.Sprint(all[1].Id)}, says: []string{"has ended"}},
		{args: []string{"--token", own, "feed", "list"}, code: 1, says: []string{"the login is not valid any more", "run `wharf login"}},
		{args: []string{"feed", "list"}, says: []string{"No feeds yet"}},
		{args: []string{"logout"}, says: []string{"Logged out"}},
		{args: []string{"feed", "list"}, code: 1, says: []string{"not logged in", "run `wharf login"}},
		{args: []string{"logout"}, code: 1, says: []string{"nothing to log out of"}},
	})
}

// TestPassword: it is changed by who knows the old one, which ends all other logins; in the console too.
func TestPassword(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	own := w.token
	p := openPage(t, w.base()).logIn()
	w.run(password+"\n", "login", "--server", w.base(), "--name", accountName, "--password-stdin")
	next := "another long password"
	for _, tc := range []struct{ typed, says string }{
		{"wrong\n" + next + "\n", "this is not your password"},
		{password + "\nshort\n", "12 characters or more"},
		{password + "\n", "no password was given"},
	} {
		_, errs, code := w.try(tc.typed, "password")
		assert.Equal(t, 1, code, tc.says)
		within(t, errs, tc.says)
	}
	within(t, w.run(password+"\n"+next+"\n", "password"), "All other logins have ended")
	within(t, w.run("", "feed", "list"), "No feeds yet")
	_, errs, _ := w.try("", "--token", own, "feed", "list")
	within(t, errs, "not valid any more")
	p.do(shows("input[name=name]")) // the page was told
	_, errs, _ = w.try(password+"\n", "login", "--server", w.base(), "--name", accountName, "--password-stdin")
	within(t, errs, "name and password do not go together")
	assert.Contains(t, w.log.String(), "a login failed")
	assert.NotContains(t, w.log.String(), next)

	p.do(typed("input[name=name]", accountName), typed("input[name=password]", next+"\r"), shows(button("Log out")))
	for _, size := range sizes {
		p.do(viewport(size), p.goTo("/logins"))
		p.see(".password")
		assert.Empty(t, p.axe())
		p.fits()
	}
	p.do(typed("input[name=old]", "wrong"), typed("input[name=new]", password+"\r"),
		shows(`//*[contains(., "This is not your password")]`))
	p.do(p.goTo("/logins"))
	p.see(".password")
	p.do(typed("input[name=old]", next), typed("input[name=new]", password+"\r"), shows("[role=status]"))
	_, errs, _ = w.try("", "feed", "list")
	within(t, errs, "not valid any more")
}

// TestStaleEdits: what the API says to an edit of an old revision, to unknown fields and to
// an unconfirmed removal, and what the console makes of the first.
func TestStaleEdits(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, []string{"Merrow Charter Desk"})
	w.book(0, "Lindqvist", 10, 12)
	w.subscribe("Ketch Merrow")
	ctx := context.Background()

	p := openPage(t, w.base()).logIn()
	p.do(p.goTo("/feeds/1"), click(button("Change")), shows(field("Name")))
	w.run("", "feed", "edit", "1", "--name", "The desk's ketch")
	p.do(fill(field("Name"), "Mine"), click(button("Save")), shows(".el-form-item__error"))
	within(t, p.text(".el-form-item__error"), `harbour changed it from "Feed of Merrow Charter Desk" to "The desk's ketch"`)
	p.press("Show it as it is now")
	p.do(fill(field("Name"), "Mine"), click(button("Save")), gone(".form"))
	within(t, p.text("h1"), "Mine")

	p.press("Remove")
	p.see(".loses")
	within(t, p.text(".loses"), "1 booking to come on Ketch Merrow (2 days)")
	p.press("Keep it")
	p.do(hidden(".el-overlay"))
	p.press("Remove")
	p.see(".loses")
	p.press("Remove it all the same")
	p.do(shows(button("Subscribe to feeds")))
	assert.Empty(t, lines[client.Feed](t, w.run("", "feed", "list", "--json")))

	name, every := "Z", 1
	for what, call := range map[string]func() (*http.Response, error){
		`"field":"name","message":"harbour changed it from`: func() (*http.Response, error) {
			for _, to := range []string{name, name, "Y"} { // sent again as it was, it succeeds
				resp, err := w.api.EditCalendar(ctx, 1, client.CalendarEdit{Revision: 1, Name: &to})
				if err != nil || resp.StatusCode != http.StatusOK {
					return resp, err
				}
			}
			return nil, fmt.Errorf("an edit of an old revision was taken")
		},
		`"field":"colour","message":"there is no such field"`: func() (*http.Response, error) {
			return w.api.EditFeedWithBody(ctx, 1, "application/json", strings.NewReader(`{"revision":1,"colour":"teal"}`))
		},
		"there is nothing with this id": func() (*http.Response, error) {
			return w.api.EditFeed(ctx, 1, client.FeedEdit{Revision: 1, Name: &name})
		},
		"revision": func() (*http.Response, error) { return w.api.EditFeed(ctx, 1, client.FeedEdit{Every: &every}) },
		"at most 400 days": func() (*http.Response, error) {
			return http.DefaultClient.Do(w.request(http.MethodGet, "/api/v1/bookings?from=2026-01-01&to=2028-01-01"))
		},
	} {
		resp, err := call()
		require.NoError(t, err, what)
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		require.NoError(t, resp.Body.Close())
		assert.Contains(t, string(body), what)
		assert.GreaterOrEqual(t, resp.StatusCode, 400)
	}
	platform, err := client.Decode[client.Platform](w.api.GetPlatform(ctx, 1))
	require.NoError(t, err)
	assert.Equal(t, "Merrow Charter Desk", platform.Name)
}

// request is a request to the API with the world's token.
func (w *world) request(method, path string) *http.Request {
	w.t.Helper()
	r, err := http.NewRequest(method, w.base()+path, nil)
	require.NoError(w.t, err)
	r.Header.Set("Authorization", "Bearer "+w.token)
	return r
}
