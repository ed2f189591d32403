package server

import (
	"errors"
	"fmt"
	"net/http"
	"testing"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"

	"wharf/core/ical"
	"wharf/core/rules"
	"wharf/service/account"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/shelf"
	"wharf/service/store"
)

func TestHeaders(t *testing.T) {
	for header, want := range map[string]bool{
		"": true, "*/*": true, "text/calendar": true, "text/*;q=0.5": true, "application/json, text/calendar": true, "TEXT/Calendar; charset=utf-8": true,
		"application/json": false, "text/html": false, "text/calendar;q=0": false,
	} {
		assert.Equal(t, want, accepts(header), "Accept: %s", header)
	}
	for header, want := range map[string]bool{"": false, "gzip": true, "br, GZIP;q=0.8": true, "gzip;q=0": false, "identity": false, "x-gzip2": false} {
		assert.Equal(t, want, acceptsGzip(header), "Accept-Encoding: %s", header)
	}
	for header, want := range map[string]bool{`"v1"`: true, `W/"v1"`: true, `"v0", "v1-gzip"`: true, "*": true, "": false, `"v2"`: false, `"v1-br"`: false} {
		assert.Equal(t, want, (&shelf.Item{Tag: "v1"}).HasTag(header), "If-None-Match: %s", header)
	}
}

// TestProblems: every error that a room gives becomes the status it means, wrapped or not.
func TestProblems(t *testing.T) {
	for _, tc := range []struct {
		err    error
		status int
		field  string
	}{
		{store.ErrNotFound, http.StatusNotFound, ""},
		{store.ErrLost, http.StatusConflict, ""},
		{errors.Join(store.ErrLocked, &mysql.MySQLError{Number: 1205}), http.StatusServiceUnavailable, ""},
		{&store.StatementError{Err: &mysql.MySQLError{Number: 1114, Message: "The table is full"}}, http.StatusInsufficientStorage, ""},
		{&store.StatementError{Err: &mysql.MySQLError{Number: 1142, Message: "INSERT command denied"}}, http.StatusServiceUnavailable, ""},
		{&mysql.MySQLError{Number: 1969}, http.StatusServiceUnavailable, ""},
		{refresh.ErrBusy, http.StatusConflict, ""},
		{account.ErrCredentials, http.StatusUnauthorized, ""},
		{account.ErrDemo, http.StatusForbidden, ""},
		{account.ErrSetupDone, http.StatusConflict, ""},
		{&fetch.Error{Message: "no feed there"}, http.StatusUnprocessableEntity, "url"},
		{&ical.NotCalendarError{Is: "a web page"}, http.StatusUnprocessableEntity, "url"},
		{&rules.FieldError{Field: "zone", Err: errors.New("unknown")}, http.StatusUnprocessableEntity, "zone"},
		{taken(store.ErrTaken, "name", "another one has it"), http.StatusConflict, "name"},
		{mysql.ErrInvalidConn, http.StatusServiceUnavailable, ""},
		{errors.New("a secret detail"), http.StatusInternalServerError, ""},
	} {
		p := problemOf(fmt.Errorf("on the way: %w", tc.err))
		assert.Equal(t, tc.status, p.Status, tc.err)
		assert.NotEmpty(t, p.Title)
		assert.NotEmpty(t, p.Code)
		assert.NotContains(t, p.Detail, "a secret detail")
		if tc.field != "" && assert.Len(t, p.Errors, 1, tc.err) {
			assert.Equal(t, tc.field, p.Errors[0].Field)
		}
	}
	assert.NoError(t, taken(nil, "name", ""))
}

func TestBrowserName(t *testing.T) {
	for agent, want := range map[string]string{
		"Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0":                                            "Firefox on Linux",
		"Mozilla/5.0 (Linux; Android 15; Pixel) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/150.0 Mobile Safari/537.36":   "Chrome on Android",
		"Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Mobile Safari/604": "Safari on iPhone",
		"": "browser on an unknown system",
	} {
		assert.Equal(t, want, browserName(agent))
	}
}
