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

// TestFilter: which entries of a feed count.
func TestFilter(t *testing.T) {
	doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\n" +
		"BEGIN:VEVENT\nUID:1\nSUMMARY:The KETCH\\, all day\nLOCATION:Guest pontoon\nCATEGORIES:sail,crew\\, paid\nCATEGORIES:club\nEND:VEVENT\n" +
		"BEGIN:VEVENT\nUID:2\nSUMMARY:Punt\nLOCATION:Slip\nCATEGORIES:oar\nRESOURCES:crane\nEND:VEVENT\n" +
		"BEGIN:VEVENT\nUID:3\nEND:VEVENT\nEND:VCALENDAR\n")))
	require.NoError(t, err)
	for text, want := range map[string]string{
		"": "123", "title has ketch": "1", "title  has  Ketch, all": "1", "title has no ketch": "23", "title matches ^P": "2", "title matches no ^P": "13", "title matches (?i)^the ketch": "1",
		"place has pontoon": "1", "place has no pontoon": "23", "category matches ^(sail|oar)$": "12", "category has crew, paid": "1", "category has club": "1", "category matches no ^oar$": "13", "resource has crane": "2", "resource matches no .": "13",
	} {
		f, err := rules.ParseFilter(text)
		require.NoError(t, err, text)
		took := ""
		for _, e := range doc.Entries {
			if f.Takes(e, rules.Given{}) {
				took += e.UID
			}
		}
		assert.Equal(t, want, took, text)
		again, err := rules.ParseFilter(f.String())
		require.NoError(t, err)
		assert.Equal(t, f.String(), again.String())
	}
	for text, why := range map[string]string{
		"Ketch": "write it as title has Ketch", "title has": "write it as", "name has Ketch": "write it as", "title is Ketch": `no "is"`, "title matches (": "no expression (RE2): missing closing )", "title has " + strings.Repeat("x", 300): "at most 300",
	} {
		_, err := rules.NewLink(rules.LinkText{Filter: text})
		var field *rules.FieldError
		require.ErrorAs(t, err, &field, text)
		assert.Equal(t, "filter", field.Field)
		assert.ErrorContains(t, err, why)
	}
}
