package private

import (
	"net/url"
	"path"
)

// fewOf is how long the last part of a link must be for its last characters to be shown, and lastOf how
// many of them are: too few to guess the others by.
const (
	fewOf  = 16
	lastOf = 4
)

// Link is a secret link as it may be shown: its host, and of a long secret the last characters, by which
// a person tells one link from another.
func Link(link string) string {
	u, err := url.Parse(link)
	if err != nil || u.Host == "" {
		return "…"
	}
	last, end := u.RawQuery, ""
	if last == "" {
		end = path.Ext(u.EscapedPath())
		last = path.Base(u.EscapedPath()[:len(u.EscapedPath())-len(end)])
	}
	if len(end) > len(".ics") || len(last) < fewOf {
		last, end = "", ""
	} else {
		last = last[len(last)-lastOf:]
	}
	return u.Scheme + "://" + u.Host + "/…" + last + end
}
