package recur_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/recur"
)

func TestForm(t *testing.T) {
	form := func(lines ...string) string {
		doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")))
		require.NoError(t, err)
		return doc.Entries[0].Form()
	}
	sale := []string{"UID:9f31-77ab@desk.example", "SUMMARY:Charter: Ann Lee", "DTSTART;VALUE=DATE:20260701", "DTEND;VALUE=DATE:20260703"}
	with := func(i int, line string) []string {
		all := append([]string{}, sale...)
		all[i] = line
		return all
	}
	for _, tc := range []struct {
		name  string
		lines []string
		same  bool
	}{
		{"another guest", with(1, "SUMMARY:Charter: Bo Lindqvist"), true},
		{"a guest with three names", with(1, "SUMMARY:Charter: Anna Maria Lee"), true},
		{"other days", with(2, "DTSTART;VALUE=DATE:20261224"), true},
		{"another number", with(0, "UID:1234-5678ef@desk.example"), true},
		{"properties in another order", []string{sale[3], sale[2], sale[1], sale[0]}, true},
		{"what a block says", with(1, "SUMMARY:Not bookable"), false},
		{"a telephone number in the title", with(1, "SUMMARY:Charter: Ann Lee 555"), false},
		{"shouted", with(1, "SUMMARY:CHARTER: ANN LEE"), false},
		{"numbers of another kind", with(0, "UID:12345678@desk.example"), false},
		{"another host", with(0, "UID:9f31-77ab@quay.example"), false},
		{"with hours", with(2, "DTSTART:20260701T140000"), false},
		{"one property more", append(with(0, sale[0]), "LOCATION:Pier"), false},
		{"no UID", sale[1:], false},
		{"with a reminder", append(with(0, sale[0]), "BEGIN:VALARM", "ACTION:DISPLAY", "TRIGGER:-PT1H", "END:VALARM"), false},
	} {
		assert.Equal(t, tc.same, form(sale...) == form(tc.lines...), tc.name)
	}
	assert.NotEqual(t, form(with(2, "DTSTART:20260701T140000")...), form(with(2, "DTSTART:20260701T160000")...))
}
