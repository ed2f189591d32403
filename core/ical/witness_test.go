package ical_test

import (
	"bytes"
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	arran "github.com/arran4/golang-ical"
	emersion "github.com/emersion/go-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
)

// witnesses are general libraries that read the same files: the properties of each VEVENT,
// in order of name, or the error.
var witnesses = map[string]func([]byte) ([]string, error){
	"arran4": func(raw []byte) (all []string, err error) {
		cal, err := arran.ParseCalendar(bytes.NewReader(raw))
		if err != nil {
			return nil, err
		}
		for _, e := range cal.Events() {
			for _, p := range e.Properties {
				all = append(all, p.IANAToken+":"+p.Value)
			}
		}
		return all, nil
	},
	"emersion": func(raw []byte) (all []string, err error) {
		cal, err := emersion.NewDecoder(bytes.NewReader(raw)).Decode()
		if err != nil {
			return nil, err
		}
		for _, e := range cal.Events() {
			for _, props := range e.Props {
				for _, p := range props {
					if p.ValueType() == emersion.ValueText {
						if p.Value, err = p.Text(); err != nil {
							return nil, err
						}
					}
					all = append(all, p.Name+":"+p.Value)
				}
			}
		}
		return all, nil
	},
}

// disagreements are the files that a witness reads otherwise, by the reason why we do not
// follow it.
var disagreements = map[string][]string{
	"RFC 5545 has no such text, and the witness refuses all of it: one broken entry is to cost that entry only": {
		"arran4 broken-lines", "emersion broken-lines", "arran4 missing-end-of-an-alarm", "emersion missing-end-of-an-alarm", "arran4 missing-end-of-an-event",
		"emersion missing-end-of-an-event", "arran4 stray-ends", "emersion stray-ends", "arran4 spaces-around-the-colon", "emersion spaces-around-the-colon",
		"arran4 junk-before-and-after", "emersion junk-before-and-after"},
	"a byte order mark is allowed by RFC 3629 section 6, and is no part of the first name": {"emersion bom"},
	"lines that end in CR alone are met, and nothing else can be meant":                    {"arran4 cr", "emersion cr", "arran4 mixed-line-ends", "emersion mixed-line-ends"},
	"the bytes are no UTF-8, which every value must be (RFC 5545 section 3.1.4)": {
		"arran4 broken-utf-8", "emersion broken-utf-8", "arran4 latin-1", "emersion latin-1", "arran4 utf-16-le", "emersion utf-16-le", "arran4 utf-16-be-without-bom", "emersion utf-16-be-without-bom"},
	"a comma in a SUMMARY begins no other value, escaped or not (RFC 5545 section 3.8.1.12)": {"emersion folded-inside-a-character"},
	"names of components are case-insensitive (RFC 5545 section 2)":                          {"arran4 lower-case"},
	"a stream may hold several calendars one after the other (RFC 5545 section 3.4)":         {"arran4 several-calendars", "emersion several-calendars"},
}

// TestWitnesses compares what we read with what general libraries read. One that disagrees
// must be listed with the reason; a listed one that agrees now must be taken off the list.
func TestWitnesses(t *testing.T) {
	reasons := map[string]string{}
	for reason, keys := range disagreements {
		for _, key := range keys {
			reasons[key] = reason
		}
	}
	agreed := 0
	compare := func(name string, raw []byte) {
		ours := events(t, raw)
		for witness, read := range witnesses {
			key := witness + " " + name
			theirs, err := read(raw)
			slices.Sort(theirs)
			reason, listed := reasons[key]
			delete(reasons, key)
			if err == nil && slices.Equal(ours, theirs) {
				agreed++
				assert.False(t, listed, "%s agrees now: take it off the list", key)
				continue
			}
			assert.NotEmpty(t, reason, "%s: reads %q (%v), we read %q", key, theirs, err, ours)
		}
	}
	names, err := filepath.Glob("testdata/quirks/*.ics")
	require.NoError(t, err)
	for _, name := range names {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		compare(strings.TrimSuffix(filepath.Base(name), ".ics"), raw)
	}
	assert.Empty(t, reasons, "listed, but not there any more")
	assert.Greater(t, agreed, 10)

	rnd := rand.New(rand.NewSource(time.Now().UnixNano()))
	for n := range 100 {
		compare(fmt.Sprint("random ", n), randomCalendar(rnd))
	}
	assert.Greater(t, agreed, 210, "what is well-formed is read alike")
}

// events lists the properties of each VEVENT as we read them, in order of name; texts
// without their escapes.
func events(t *testing.T, raw []byte) (all []string) {
	calendars, err := ical.NewReader(bytes.NewReader(raw)).ReadAll()
	require.NoError(t, err)
	for _, cal := range calendars {
		for _, e := range cal.Children("VEVENT") {
			for _, p := range e.Properties() {
				if p.Type() == ical.Text {
					p.Value = p.Text()
				}
				all = append(all, p.Name+":"+p.Value)
			}
		}
	}
	slices.Sort(all)
	return all
}

// randomCalendar is a well-formed calendar as we write it.
func randomCalendar(rnd *rand.Rand) []byte {
	text := func() string {
		const letters = `abc ABC;,:"\'^=é€😀-` + "\n"
		all := []rune(letters)
		out := make([]rune, rnd.Intn(120))
		for i := range out {
			out[i] = all[rnd.Intn(len(all))]
		}
		return string(out)
	}
	cal := &ical.Component{Name: "VCALENDAR"}
	cal.Add("VERSION", "2.0")
	cal.Add("PRODID", "-//Quirk//EN")
	for n := range 1 + rnd.Intn(4) {
		e := &ical.Component{Name: "VEVENT"}
		e.Add("UID", fmt.Sprint(n, "@quirk.example"))
		e.Add("DTSTAMP", "20260101T000000Z")
		e.Add("DTSTART", "20260703T090000", ical.Param{Name: "TZID", Values: []string{"Europe/Lisbon"}})
		for range rnd.Intn(5) {
			e.AddText("COMMENT", text())
		}
		cal.AddComponent(e)
	}
	return []byte(cal.String())
}
