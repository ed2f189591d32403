package zone

import (
	_ "embed"
	"fmt"
	"strings"
	"sync"
	"time"

	"wharf/core/ical"
)

//go:embed vendor.txt
var vendorTable string

// vendors are the vendors' names, in lower case, and the IANA zones they stand for.
var vendors = sync.OnceValue(func() map[string]string {
	m := map[string]string{}
	for line := range strings.Lines(vendorTable) {
		if name, zone, ok := strings.Cut(strings.TrimSpace(line), "\t"); ok {
			m[strings.ToLower(name)] = zone
		}
	}
	return m
})

// tidy takes spaces and quotes off a TZID.
func tidy(tzid string) string {
	if !strings.ContainsAny(tzid, " \t\"'") {
		return tzid
	}
	return strings.Trim(tzid, " \t\"'")
}

// byName finds a zone that the document does not explain: an IANA name or alias, in any
// case; one behind a vendor's prefix (RFC 5545 section 3.2.19 has the form, with a
// solidus before it); a vendor's own name, also as it is shown to people; an offset.
func byName(id string) (*Zone, error) {
	if z, err := load(id); err == nil {
		return z, nil
	}
	for rest := strings.ReplaceAll(strings.Trim(id, "/"), " ", "_"); rest != ""; {
		if name, ok := archive().names[strings.ToLower(rest)]; ok {
			return load(name)
		}
		_, rest, _ = strings.Cut(rest, "/")
	}
	name := strings.ToLower(id)
	if strings.HasPrefix(name, "(") { // "(UTC-05:00) Eastern Time (US & Canada)"
		_, name, _ = strings.Cut(name, ")")
		name = strings.TrimSpace(name)
	}
	if iana, ok := vendors()[name]; ok {
		return load(iana)
	}
	if z, ok := byOffset(id); ok {
		return z, nil
	}
	return nil, fmt.Errorf("the time zone %q is not known", id)
}

// byOffset reads UTC+2, GMT-03:30, UTC-0400 and the like.
func byOffset(id string) (*Zone, bool) {
	rest := strings.ToUpper(id)
	for _, prefix := range []string{"UTC", "GMT"} {
		rest = strings.TrimPrefix(rest, prefix)
	}
	rest = strings.ReplaceAll(rest, ":", "")
	if rest == "Z" {
		return UTC, true
	}
	switch len(rest) {
	case 2: // +2
		rest = rest[:1] + "0" + rest[1:] + "00"
	case 3: // +02
		rest += "00"
	case 4: // +330
		rest = rest[:1] + "0" + rest[1:]
	}
	seconds, err := ical.ParseOffset(rest)
	if err != nil || len(rest) != 5 {
		return nil, false
	}
	return Of(time.FixedZone(id, seconds)), true
}
