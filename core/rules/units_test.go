package rules_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/rules"
)

func entryOf(t *testing.T, lines string) recur.Entry {
	doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\n" + lines + "\nEND:VEVENT\nEND:VCALENDAR\n")))
	require.NoError(t, err)
	return doc.Entries[0]
}

// TestCounting: how many units an entry takes, by a rule on its title or a property; where that says
// nothing that can be, as many as the link says.
func TestCounting(t *testing.T) {
	e := entryOf(t, "SUMMARY:Club outing\\, 3 boats\nX-BOATS: 5 \nX-NONE:0\nX-WORD:two\nX-FAR:10001")
	for text, want := range map[string]int{
		"": 2, `title matches (\d+) boats?`: 3, `title  matches  (?i)OUTING, (\d+)`: 3, `title matches (\d+) rafts`: 2, `title matches (\w+) outing`: 2,
		"property X-BOATS": 5, "property x-boats": 5, "property X-NONE": 2, "property X-WORD": 2, "property X-FAR": 2, "property X-MISSING": 2,
	} {
		l, err := rules.NewLink(rules.LinkText{Units: 2, Counting: text})
		require.NoError(t, err, text)
		assert.Equal(t, want, l.UnitsOf(e, e.Title()), text)
	}
	for text, why := range map[string]string{
		"3": "write it as title matches", "title has 3": "write it as", `title matches \d+ boats`: "put it in brackets", "title matches (": "no expression (RE2): missing closing )",
		"property": "write it as", "property X BOATS": "write it as", "title matches (" + strings.Repeat("x", 300) + ")": "at most 300",
	} {
		_, err := rules.NewLink(rules.LinkText{Counting: text})
		var field *rules.FieldError
		require.ErrorAs(t, err, &field, text)
		assert.Equal(t, "counting", field.Field)
		assert.ErrorContains(t, err, why)
	}
}

// TestGiven: what a feed is given beside what its entries say themselves.
func TestGiven(t *testing.T) {
	given, err := rules.NewGiven([]string{" club ", "sail", "", "club"}, "private")
	require.NoError(t, err)
	for lines, want := range map[string]string{
		"": "club,sail PRIVATE", "CATEGORIES:oar,sail\nCLASS:public": "oar,sail,club PUBLIC", "CLASS:X-STAFF": "club,sail PRIVATE", "CLASS:confidential": "club,sail CONFIDENTIAL",
	} {
		e := entryOf(t, lines)
		assert.Equal(t, want, strings.Join(given.CategoriesOf(e.Texts("CATEGORIES")), ",")+" "+string(given.ClassOf(e.Texts("CLASS"))), lines)
	}
	assert.Equal(t, rules.Private, rules.Given{}.ClassOf(entryOf(t, "CLASS:X-STAFF").Texts("CLASS")), "what nobody knows is private (RFC 5545, 3.8.1.3)")
	f, err := rules.ParseFilter("category has CLUB")
	require.NoError(t, err)
	assert.True(t, f.Takes(entryOf(t, ""), given), "a filter asks for these, too")
	for _, bad := range [][]string{{"a,b"}, {strings.Repeat("x", 51)}, strings.Split(strings.Repeat("x ", 1)+"a b c d e f g h i j k l m n o p q r s t u", " ")} {
		_, err := rules.NewGiven(bad, "")
		var field *rules.FieldError
		require.ErrorAs(t, err, &field)
		assert.Equal(t, "categories", field.Field)
	}
	_, err = rules.NewGiven(nil, "secret")
	assert.ErrorContains(t, err, "use public, private or confidential")
}
