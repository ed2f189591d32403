package ical

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"
)

// Position is where the value stands in the document that it was read from.
func (p Property) Position() Position {
	if p.Line == 0 {
		return Position{}
	}
	return Position{p.Line, utf8.RuneCountInString(p.Name) + utf8.RuneCountInString(p.params) + len(":") + 1}
}

// Param is one parameter of a property with its values, unquoted and with the
// escapes of RFC 6868 undone.
type Param struct {
	Name   string
	Values []string
}

// Property is one content line. Two are equal if they were written alike.
type Property struct {
	Name   string // in upper case
	Value  string // as written, unfolded, escapes still in place; see Text and Values
	Line   int    // the line of the document on which it begins, from 1
	params string // as written, each with its semicolon
}

// Text is the value with the escapes of RFC 5545 section 3.3.11 undone.
func (p Property) Text() string { return UnescapeText(p.Value) }

// TextList is the value as a list of texts, such as CATEGORIES has (RFC 5545 section 3.1.1), each as Text is.
func (p Property) TextList() []string {
	var all []string
	from := 0
	for at := 0; at <= len(p.Value); at++ {
		switch {
		case at == len(p.Value) || p.Value[at] == ',':
			all = append(all, strings.TrimSpace(UnescapeText(p.Value[from:at])))
			from = at + 1
		case p.Value[at] == '\\':
			at++ // what it escapes
		}
	}
	return all
}

// Param returns the first value of the parameter, or "" when there is none.
func (p Property) Param(name string) string {
	for rest := p.params; len(rest) > len(name)+1; {
		if rest[1+len(name)] == '=' && strings.EqualFold(rest[1:1+len(name)], name) {
			v, _, _ := cutParamValue(rest[2+len(name):])
			return decodeCaret(v)
		}
		_, after, err := cutParam(rest)
		if err != nil {
			break
		}
		rest = after
	}
	return ""
}

// Params returns the parameters in order, their names in upper case.
func (p Property) Params() []Param {
	var all []Param
	for rest := p.params; rest != ""; {
		q, after, err := cutParam(rest)
		if err != nil {
			break
		}
		param := Param{Name: strings.ToUpper(q.name)}
		for v, more := "", q.values; ; {
			v, more, _ = cutParamValue(more)
			param.Values = append(param.Values, decodeCaret(v))
			if more == "" {
				break
			}
			more = more[1:]
		}
		all = append(all, param)
		rest = after
	}
	return all
}

// WithParam returns the property with the parameter set to these values, in the place of
// one of that name or else last; without values it is taken away.
func (p Property) WithParam(name string, values ...string) Property {
	set := writtenParam(name, values)
	var b strings.Builder
	for rest := p.params; rest != ""; {
		q, after, err := cutParam(rest)
		if err != nil {
			break
		}
		if strings.EqualFold(q.name, name) {
			b.WriteString(set)
			set = ""
		} else {
			b.WriteString(rest[:len(rest)-len(after)])
		}
		rest = after
	}
	b.WriteString(set)
	p.params = b.String()
	return p
}

// NewProperty returns a property with these parameters, in their order.
func NewProperty(name, value string, params ...Param) Property {
	var b strings.Builder
	for _, q := range params {
		b.WriteString(writtenParam(q.Name, q.Values))
	}
	return Property{Name: name, Value: value, params: b.String()}
}

// writtenParam is a parameter with its semicolon, "" without values.
func writtenParam(name string, values []string) string {
	if len(values) == 0 {
		return ""
	}
	quoted := make([]string, len(values))
	for i, v := range values {
		quoted[i] = quoteParam(v)
	}
	return ";" + name + "=" + strings.Join(quoted, ",")
}

// rawParam is a parameter as written.
type rawParam struct{ name, values string }

// cutParam splits ";name=values" off the front of s.
func cutParam(s string) (q rawParam, rest string, err error) {
	s = s[1:]
	name, after, ok := strings.Cut(s, "=")
	name = strings.TrimSpace(name)
	if !ok || name == "" || strings.ContainsFunc(name, func(c rune) bool { return c > 0x7f || class[c]&ofNames == 0 }) {
		return q, "", fmt.Errorf("the parameter at %q has no value", shorten(s))
	}
	rest = after
	for {
		_, r, err := cutParamValue(rest)
		if err != nil {
			return q, "", err
		}
		if rest = r; rest == "" || rest[0] != ',' {
			break
		}
		rest = rest[1:]
	}
	if rest != "" && rest[0] != ';' && rest[0] != ':' {
		return q, "", fmt.Errorf("there is text after the quoted value at %q", shorten(s))
	}
	return rawParam{name, after[:len(after)-len(rest)]}, rest, nil
}

// cutParamValue splits one value, quoted or not, off the front of s.
func cutParamValue(s string) (value, rest string, err error) {
	if strings.HasPrefix(s, `"`) {
		end := strings.IndexByte(s[1:], '"')
		if end < 0 {
			return "", "", errors.New("a quoted parameter value is not closed")
		}
		return s[1 : 1+end], s[end+2:], nil
	}
	for end := range len(s) {
		if c := s[end]; c == ',' || c == ';' || c == ':' {
			return s[:end], s[end:], nil
		}
	}
	return s, "", nil
}

func quoteParam(v string) string {
	v = caretEncoder.Replace(v)
	if strings.ContainsAny(v, ",;:") {
		return `"` + v + `"`
	}
	return v
}

// The escapes of RFC 6868.
var (
	caretDecoder = strings.NewReplacer("^^", "^", "^n", "\n", "^'", `"`)
	caretEncoder = strings.NewReplacer("^", "^^", "\r\n", "^n", "\n", "^n", "\r", "^n", `"`, "^'")
)

func decodeCaret(v string) string {
	if strings.IndexByte(v, '^') < 0 {
		return v
	}
	return caretDecoder.Replace(v)
}

// Classes of the bytes of a content line.
const (
	ofNames  = 1 << iota // a name may have it
	lower                // it is to be put into upper case
	ofParams             // it means something between a name and its value
)

var class = func() (c [256]uint8) {
	for b := range c {
		switch {
		case b >= 'A' && b <= 'Z', b >= '0' && b <= '9', b == '-', b == '_', b == '.': // the last two are not allowed, but met
			c[b] = ofNames
		case b >= 'a' && b <= 'z':
			c[b] = ofNames | lower
		case b == '"', b == '=', b == ';', b == ':':
			c[b] = ofParams
		}
	}
	return c
}()

// splitHead finds the name and the parameters of an unfolded content line (RFC 5545
// section 3.1): name *(";" param) ":" value. The value begins after the colon at
// paramsEnd. upper is false where the name has to be put into upper case, and the error
// names what stands in the way.
func splitHead(s []byte) (nameEnd, paramsEnd int, upper bool, err error) {
	i, classes := 0, uint8(0)
	for ; i < len(s) && class[s[i]]&ofNames != 0; i++ {
		classes |= class[s[i]]
	}
	upper = classes&lower == 0
	nameEnd = i
	if nameEnd == 0 || i == len(s) || s[i] != ':' && s[i] != ';' {
		return 0, 0, false, headErrorf(i, "%q is not a name, a colon and a value", shorten(string(s)))
	}
	if s[i] == ':' {
		return nameEnd, nameEnd, upper, nil
	}
	paramsEnd, err = skipParams(s, nameEnd)
	return nameEnd, paramsEnd, upper, err
}

// skipParams returns where the parameters that begin at from end, which is at a colon
// outside of quotes.
func skipParams(s []byte, from int) (int, error) {
	named, quoted := false, false // since the last semicolon; inside quotes
	for i := from + 1; i < len(s); i++ {
		if class[s[i]]&ofParams == 0 {
			if !named && class[s[i]]&ofNames == 0 {
				return 0, headErrorf(i, "%q has a parameter whose name cannot be one", shorten(string(s)))
			}
			continue
		}
		switch c := s[i]; {
		case c == '"':
			if !quoted && !named || quoted && i+1 < len(s) && s[i+1] != ',' && s[i+1] != ';' && s[i+1] != ':' {
				return 0, headErrorf(i, "%q has a quote in the wrong place", shorten(string(s)))
			}
			quoted = !quoted
		case quoted:
		case c == '=' && s[i-1] != ';':
			named = true
		case (c == ';' || c == ':') && (!named || s[i-1] == ' '):
			return 0, headErrorf(i, "a parameter of %q has no value, or a space before what follows", shorten(string(s)))
		case c == ';':
			named = false
		case c == ':':
			return i, nil
		}
	}
	return 0, headErrorf(len(s), "%q has no value", shorten(string(s)))
}

// headError says what is wrong with a line, and at which of its bytes.
type headError struct {
	at   int
	text string
}

func (e *headError) Error() string { return e.text }

func headErrorf(at int, format string, args ...any) error {
	return &headError{at, fmt.Sprintf(format, args...)}
}

// mend rewrites a line that splitHead cannot take as it stands: spaces around the name,
// the colon and the parameters, and parameters that have no value.
func mend(s string) (string, bool) {
	s = strings.TrimLeft(s, " \t")
	end := strings.IndexAny(s, ":;")
	if end <= 0 {
		return "", false
	}
	name, rest := strings.TrimRight(s[:end], " \t"), s[end:]
	spaced := len(name) < end
	var b strings.Builder
	b.WriteString(name)
	for rest != "" && rest[0] == ';' {
		q, after, err := cutParam(rest)
		if err != nil { // left out, up to the next
			next := strings.IndexAny(rest[1:], ";:")
			if next < 0 {
				return "", false
			}
			rest = rest[1+next:]
			continue
		}
		if values := strings.TrimRight(q.values, " \t"); len(values) < len(q.values) {
			spaced = true
			q.values = values
		}
		b.WriteString(";" + q.name + "=" + strings.TrimLeft(q.values, " \t"))
		rest = after
	}
	if rest == "" {
		return "", false
	}
	value := rest[1:]
	if spaced {
		value = strings.TrimPrefix(value, " ")
	}
	return b.String() + ":" + value, true
}

func shorten(s string) string {
	if r := []rune(s[:min(len(s), 200)]); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}
