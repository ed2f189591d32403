package private_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"wharf/internal/private"
)

func TestLink(t *testing.T) {
	for link, want := range map[string]string{
		"https://ann:pw@cal.example/ical/s3cret/a.ics":                 "https://cal.example/…",
		"https://cal.example/s3cret.ics":                               "https://cal.example/…",
		"https://cal.example/averyveryverylongsecret/feed.ics":         "https://cal.example/…",
		"https://cal.example/p/averyveryverylongsecret.ics":            "https://cal.example/…cret.ics",
		"https://cal.example:8443/averyveryverylongsecret":             "https://cal.example:8443/…cret",
		"https://cal.example/feed.ics?token=averyveryverylongsecret12": "https://cal.example/…et12",
		"https://cal.example/feed.ics?t=1":                             "https://cal.example/…",
		"https://cal.example/feed.averyveryverylongsecret":             "https://cal.example/…",
		"https://cal.example":                                          "https://cal.example/…",
		"https://cal.example/":                                         "https://cal.example/…",
		"::":                                                           "…",
	} {
		assert.Equal(t, want, private.Link(link))
	}
}
