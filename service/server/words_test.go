package server

import (
	"net/http"
	"regexp"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/api"
	gen "wharf/api/server"
	"wharf/core/echo"
	"wharf/core/span"
	"wharf/internal/sentences"
	"wharf/service/shelf"
	"wharf/service/store"
)

// contractsWords is how a validator of contracts talks, and no person.
var contractsWords = regexp.MustCompile(`minimum|maximum|string|integer|schema|property|pattern|regular|enum|nullable|required|doesn't|must be`)

// TestEveryFormAsks: each field that a request must have, left out, empty or blank, is asked
// for in a sentence of its own; anything else that is wrong with a field is said in plain words.
func TestEveryFormAsks(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Contract)
	require.NoError(t, err)
	asked := 0
	for path, item := range doc.Paths.Map() {
		for method, operation := range item.Operations() {
			if operation.RequestBody == nil {
				continue
			}
			body := operation.RequestBody.Value.GetMediaType("application/json").Schema.Value
			problemWith := func(value map[string]any) map[string]string {
				err := body.VisitJSON(value, openapi3.MultiErrors(), openapi3.VisitAsRequest())
				require.Error(t, err, "%s %s takes %v", method, path, value)
				said := map[string]string{}
				for _, e := range contractProblem(err, body).Errors {
					said[e.Field] = e.Message
					assert.NotRegexp(t, contractsWords, e.Message, "%s %s: %s", method, path, e.Field)
				}
				return said
			}
			for _, name := range body.Required {
				said := problemWith(map[string]any{})
				property := body.Properties[name].Value
				if name == "revision" {
					continue // no form asks for it
				}
				if assert.NotEqual(t, "this is missing", said[name], "%s %s: %s", method, path, name) {
					asked++
				}
				if property.Type.Is("string") && property.MinLength > 0 {
					assert.Equal(t, said[name], problemWith(map[string]any{name: ""})[name], "empty")
				}
			}
			for name, property := range body.Properties {
				for _, wrong := range []any{map[string]any{}, -5.0} {
					if property.Value.Type.Is("object") && wrong != -5.0 {
						continue
					}
					assert.NotEmpty(t, problemWith(map[string]any{name: wrong})[name], "%s %s: %s", method, path, name)
				}
			}
		}
	}
	assert.Greater(t, asked, 12)
}

func TestUnchanged(t *testing.T) {
	at := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	item := &shelf.Item{Tag: "v1", At: at}
	for name, tc := range map[string]struct {
		match, since string
		want         bool
	}{
		"nothing":                       {"", "", false},
		"its date":                      {"", at.Format(http.TimeFormat), true},
		"a later date":                  {"", at.Add(time.Hour).Format(http.TimeFormat), true},
		"an earlier date":               {"", at.Add(-time.Second).Format(http.TimeFormat), false},
		"no date":                       {"", "yesterday", false},
		"its tag":                       {`"v1"`, "", true},
		"another tag counts before all": {`"v0"`, at.Format(http.TimeFormat), false},
	} {
		h := http.Header{}
		if tc.match != "" {
			h.Set("If-None-Match", tc.match)
		}
		if tc.since != "" {
			h.Set("If-Modified-Since", tc.since)
		}
		assert.Equal(t, tc.want, unchanged(h, item), name)
	}
}

// TestSentences: what a verdict rests on, as people read it.
func TestSentences(t *testing.T) {
	n := names{feeds: map[int64]store.Feed{5: {ID: 5, PlatformID: 1}}, platforms: map[int64]gen.Platform{1: {Name: "Desk"}, 2: {Name: "Berths"}}}
	at := span.Days(span.NewDate(2026, 7, 10), span.NewDate(2026, 7, 12))
	for want, e := range map[string]echo.Evidence{
		"": {},
		"It carries the UID under which Wharf sent 10 to 11 Jul 2026 to this platform, from version 4 on.": {Kind: echo.Sent, Span: at, Platform: 1, Version: 4},
		"It carries the UID under which Wharf sent 10 to 11 Jul 2026 to Berths, from version 2 on.":        {Kind: echo.Sent, Span: at, Platform: 2, Version: 2},
		"It reflects the booking of 10 to 11 Jul 2026, which is on this calendar itself.":                  {Kind: echo.OwnHere, Span: at},
		"Wharf sent 10 to 11 Jul 2026 to this platform, from version 4 on. The chance that it sold just these dates itself, in the time that it had for it, is 1 in 30,000. It is a day longer. But this feed was never seen to do that.": {Kind: echo.Improbable, Chance: 0.00003, Way: echo.Widened, Against: echo.NewWay, Span: at, Platform: 1, Version: 4},
		"Berths shows just these dates too, nothing that Wharf sent explains it, and it is not alone: the two may be linked directly. It may as well be a sale of its own.":                                                               {Kind: echo.Paired, Against: echo.NothingSpeaksForIt, Span: at, Platform: 2},
		"It overlaps 10 to 11 Jul 2026, which came from Berths and overlaps in turn what that was sent: something goes round between the two and grows each time, so Wharf sends it no further. But this feed was never seen to do that.": {Kind: echo.GoesRound, Against: echo.NewWay, Span: at, Platform: 1, Mirrors: 2},
		"Another feed has the same UID with other dates: 10 to 11 Jul 2026 is taken, which is all that either says. Which of them is right is for the platforms to say.":                                                                  {Kind: echo.TwoOrigins, Against: echo.SpansDiffer, Span: at},
		"It carries a UID that Wharf gave out, but 10 to 11 Jul 2026 was never sent with it.":                                                                                                                                             {Kind: echo.NeverSent, Span: at},
		"It has the same UID as a later revision, or an exact copy, in another feed: one booking with two origins.":                                                                                                                       {Kind: echo.TwoOrigins},
	} {
		assert.Equal(t, want, n.sentence(store.Booking{FeedID: 5, Evidence: e}, span.Day))
	}
}

// TestHabitSentences: what is known of a platform, as people read it.
func TestHabitSentences(t *testing.T) {
	for want, h := range map[string]struct {
		of             echo.HabitOf
		value, example string
	}{
		"Its feed shows nothing of what it gets from Wharf.":          {echo.HabitOf{Name: echo.Reflects}, echo.No, ""},
		"What it shows of Wharf's has Wharf's UIDs.":                  {echo.HabitOf{Name: echo.KeepsUIDs}, echo.Yes, ""},
		"It shows what it got at once.":                               {echo.HabitOf{Name: echo.Delays}, "0", ""},
		"It may take a minute to show what it got.":                   {echo.HabitOf{Name: echo.Delays}, "1", ""},
		"It makes at most 0.2 sales a day.":                           {echo.HabitOf{Name: echo.Rate}, "0.2", ""},
		`Entries such as "Berthed: A. Moreau" are its sales.`:         {echo.HabitOf{Name: echo.FormOf, Of: "5f"}, echo.Sale, "Berthed: A. Moreau"},
		`Entries called "No berth" are blocks.`:                       {echo.HabitOf{Name: echo.FormOf, Of: `5f "No berth"`}, echo.Block, "No berth"},
		"Entries written as 5f are sales or blocks: they look alike.": {echo.HabitOf{Name: echo.FormOf, Of: "5f"}, echo.Both, ""},
		"Of what it got from Wharf: several become one.":              {echo.HabitOf{Name: echo.WayOf, Of: "joined"}, echo.Yes, ""},
		"Not so of what it got from Wharf: it is a day longer.":       {echo.HabitOf{Name: echo.WayOf, Of: "widened"}, echo.No, ""},
		"Nothing is concluded from its delay.":                        {echo.HabitOf{Name: echo.Delays}, echo.Off, ""},
	} {
		assert.Equal(t, want, sentences.Habit(h.of, h.value, h.example))
	}
}
