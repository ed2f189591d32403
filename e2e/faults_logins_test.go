package e2e

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ask sends a body to the API as somebody at an address does, and returns the status and what came back.
func (w *world) ask(t *testing.T, who *http.Client, method, path, body string, header ...string) (*http.Response, string) {
	t.Helper()
	r, err := http.NewRequest(method, "http://"+w.address+path, strings.NewReader(body))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	resp, err := who.Do(r)
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp, string(text)
}

// TestFaultsOfLogins: nobody gets in who has no password, nobody keeps the owner out, and what is no
// request is refused with a sentence.
func TestFaultsOfLogins(t *testing.T) {
	anyDay(t)
	t.Parallel()
	w := newWorld(t, nil)
	right := fmt.Sprintf(`{"name":%q,"password":%q}`, accountName, password)
	wrong := fmt.Sprintf(`{"name":%q,"password":"not this one"}`, accountName)
	token := []string{"Authorization", "Bearer " + w.token}
	refused := func(address, method, path, body string, code int, header ...string) func(t *testing.T) {
		return func(t *testing.T) {
			resp, text := w.ask(t, from(address), method, path, body, header...)
			assert.Equal(t, code, resp.StatusCode, text)
			assert.Contains(t, text, `"title"`)
			assert.Empty(t, resp.Cookies())
			assert.NotContains(t, text, password)
		}
	}
	const session = "/api/v1/session"
	tryFaults(t, []fault{
		{name: "login/guesses a password", try: func(t *testing.T) {
			codes := map[int]int{}
			for range 40 {
				resp, _ := w.ask(t, from("127.0.0.3"), "POST", session, wrong)
				codes[resp.StatusCode]++
			}
			assert.InDelta(t, 10, codes[401], 4)
			assert.Equal(t, 40, codes[401]+codes[429])
			resp, text := w.ask(t, from("127.0.0.2"), "POST", session, right)
			assert.Equal(t, 201, resp.StatusCode, "the owner gets in from elsewhere: %s", text)
		}},
		{name: "login/says that it comes from elsewhere each time", try: func(t *testing.T) {
			late := 0
			for i := range 40 {
				resp, _ := w.ask(t, from("127.0.0.4"), "POST", session, wrong, "X-Forwarded-For", fmt.Sprintf("203.0.113.%d", i), "Forwarded", fmt.Sprintf("for=203.0.113.%d", i))
				if resp.StatusCode == 429 {
					late++
				}
			}
			assert.Greater(t, late, 20)
		}},
		{name: "login/NUL in a name", try: refused("127.0.0.10", "POST", session, `{"name":"har\u0000bour","password":"x"}`, 400)},
		{name: "login/text after the end", try: refused("127.0.0.10", "POST", session, right+` {"name":"x"}`, 400)},
		{name: "login/a password of two megabytes", try: refused("127.0.0.10", "POST", session, `{"name":"harbour","password":"`+strings.Repeat("x", 2<<20)+`"}`, 413)},
		{name: "login/a hundred thousand levels", try: refused("127.0.0.10", "POST", session, strings.Repeat(`{"name":`, 100_000), 400)},
		{name: "login/names that are lists", try: refused("127.0.0.10", "POST", session, `{"name":["harbour"],"password":{"$ne":""}}`, 400)},
		{name: "login/a form of another site", try: refused("127.0.0.10", "POST", session, "name=harbour&password=x", 400, "Content-Type", "application/x-www-form-urlencoded")},
		{name: "login/another site's page", try: refused("127.0.0.10", "POST", session, right, 403, "Sec-Fetch-Site", "cross-site", "Origin", "https://elsewhere.example")},
		{name: "login/a name that is pointed at us", try: func(t *testing.T) {
			r, err := http.NewRequest("GET", "http://"+w.address+"/api/v1/feeds", nil)
			require.NoError(t, err)
			r.Host = "elsewhere.example"
			resp, err := http.DefaultClient.Do(r)
			require.NoError(t, err)
			resp.Body.Close()
			assert.Equal(t, 421, resp.StatusCode)
		}},
		{name: "login/set up a second time", try: refused("127.0.0.10", "POST", "/api/v1/setup", `{"code":"guess","name":"second","password":"a long enough password"}`, 409)},
		{name: "login/no token", try: refused("127.0.0.10", "GET", "/api/v1/feeds", "", 401)},
		{name: "login/a token of a megabyte", try: func(t *testing.T) {
			resp, _ := w.ask(t, from("127.0.0.10"), "GET", "/api/v1/feeds", "", "Authorization", "Bearer "+strings.Repeat("x", 1<<19))
			assert.Equal(t, 401, resp.StatusCode)
		}},
		{name: "login/a token with a quote in it", try: refused("127.0.0.10", "GET", "/api/v1/feeds", "", 401, "Authorization", "Bearer ' OR '1'='1")},
		{name: "login/a cookie laid beforehand", try: func(t *testing.T) {
			resp, _ := w.ask(t, from("127.0.0.11"), "POST", session, right, "Cookie", "wharf_session=chosen")
			require.Equal(t, 201, resp.StatusCode)
			require.NotEmpty(t, resp.Cookies())
			assert.NotEqual(t, "chosen", resp.Cookies()[0].Value)
			assert.True(t, resp.Cookies()[0].HttpOnly)
			resp, _ = w.ask(t, from("127.0.0.11"), "GET", session, "", "Cookie", "wharf_session=chosen")
			assert.Equal(t, 401, resp.StatusCode)
		}},
		{name: "login/a login that has ended", try: func(t *testing.T) {
			who := from("127.0.0.12")
			resp, _ := w.ask(t, who, "POST", session, right)
			require.Equal(t, 201, resp.StatusCode)
			cookie := []string{"Cookie", resp.Cookies()[0].Name + "=" + resp.Cookies()[0].Value}
			resp, _ = w.ask(t, who, "DELETE", session, "", cookie...)
			require.Equal(t, 204, resp.StatusCode)
			resp, _ = w.ask(t, who, "GET", "/api/v1/feeds", "", cookie...)
			assert.Equal(t, 401, resp.StatusCode)
		}},
		{name: "login/the password, with the wrong old one", try: func(t *testing.T) {
			resp, _ := w.ask(t, from("127.0.0.13"), "POST", "/api/v1/password", `{"old":"not this one","new":"another long password"}`, token...)
			assert.Equal(t, 422, resp.StatusCode)
			resp, _ = w.ask(t, from("127.0.0.13"), "POST", session, right)
			assert.Equal(t, 201, resp.StatusCode)
		}},
		{name: "login/a body that never ends", slow: true, try: func(t *testing.T) {
			conn := w.dial(t, "127.0.0.14", "POST "+session+" HTTP/1.1\r\nHost: "+w.address+"\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{")
			require.NoError(t, conn.SetReadDeadline(time.Now().Add(2*time.Minute)))
			said, err := io.ReadAll(conn)
			require.NoError(t, err)
			assert.Contains(t, string(said), "HTTP/1.1 4")
		}},
	})
	assert.NotContains(t, w.log.String(), password)
	assert.NotContains(t, w.log.String(), w.token)
}
