package ical

import (
	"errors"
	"fmt"
	"strings"
)

// ParseLine reads one unfolded content line (RFC 5545 section 3.1):
// name *(";" param) ":" value.
func ParseLine(s string) (Property, error) {
	end := strings.IndexAny(s, ":;")
	if end <= 0 {
		return Property{}, fmt.Errorf("%q has no name and value", shorten(s))
	}
	p := Property{Name: strings.ToUpper(s[:end])}
	if strings.ContainsAny(p.Name, " \t\"=") {
		return Property{}, fmt.Errorf("%q is not a property name", shorten(p.Name))
	}
	rest := s[end:]
	for strings.HasPrefix(rest, ";") {
		q, after, err := parseParam(rest[1:])
		if err != nil {
			return Property{}, err
		}
		p.Params = append(p.Params, q)
		rest = after
	}
	if !strings.HasPrefix(rest, ":") {
		return Property{}, fmt.Errorf("%q has no value", shorten(s))
	}
	p.Value = rest[1:]
	return p, nil
}

// parseParam reads name "=" value *("," value) and returns what follows.
func parseParam(s string) (Param, string, error) {
	name, rest, ok := strings.Cut(s, "=")
	if !ok || strings.ContainsAny(name, ":;\",") {
		return Param{}, "", fmt.Errorf("the parameter at %q has no value", shorten(s))
	}
	q := Param{Name: strings.ToUpper(strings.TrimSpace(name))}
	for {
		value, after, err := paramValue(rest)
		if err != nil {
			return Param{}, "", err
		}
		q.Values = append(q.Values, caretDecoder.Replace(value))
		if !strings.HasPrefix(after, ",") {
			return q, after, nil
		}
		rest = after[1:]
	}
}

func paramValue(s string) (value, rest string, err error) {
	if strings.HasPrefix(s, `"`) {
		end := strings.IndexByte(s[1:], '"')
		if end < 0 {
			return "", "", errors.New("a quoted parameter value is not closed")
		}
		return s[1 : 1+end], s[end+2:], nil
	}
	end := strings.IndexAny(s, ",;:")
	if end < 0 {
		return "", "", fmt.Errorf("%q has no value", shorten(s))
	}
	return s[:end], s[end:], nil
}

// The escapes of RFC 6868.
var (
	caretDecoder = strings.NewReplacer("^^", "^", "^n", "\n", "^'", `"`)
	caretEncoder = strings.NewReplacer("^", "^^", "\r\n", "^n", "\n", "^n", `"`, "^'")
)

func shorten(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}
