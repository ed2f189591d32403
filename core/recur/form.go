package recur

import (
	"maps"
	"slices"
	"strings"

	"wharf/core/ical"
)

// Form is a digest of how the entry is written, not of what it says: which properties it
// has, the patterns of its title and UID, whether it is all-day, and the hours at which it
// starts and ends. A platform that writes its sales otherwise than the times that it blocks
// gives them different forms.
//
//	"Charter: Ann Lee", 1 to 3 July        \  one form
//	"Charter: Bo Lindqvist", 9 to 12 July  /
//	"Not bookable", 1 to 3 July               another
func (e Entry) Form() string {
	c := e.lead()
	names := map[string]bool{}
	for _, p := range c.Properties() {
		names[p.Name] = true
	}
	for _, sub := range c.Components() {
		names["BEGIN:"+sub.Name] = true
	}
	parts := append([]string{c.Name}, slices.Sorted(maps.Keys(names))...)
	return digest(append(parts, "title", pattern(e.Title()), "uid", uidPattern(uidOf(c)), hoursOf(c, "DTSTART"), hoursOf(c, "DTEND")))
}

// hoursOf is the time of day that a property gives; "date" for a DATE, "" for none.
func hoursOf(c *ical.Component, name string) string {
	p, ok := c.Get(name)
	if !ok {
		return ""
	}
	if _, hours, timed := strings.Cut(p.Value, "T"); timed {
		return hours
	}
	return "date"
}

// pattern folds letters and digits to classes: capitals to A, other letters to a, digits to
// 9, each run of them once, and so each run of words alike.
func pattern(text string) string {
	words := strings.Fields(text)
	for i, w := range words {
		words[i] = fold(w, classOf)
	}
	return strings.Join(slices.Compact(words), " ")
}

// uidPattern is the pattern of a UID. Where letters and digits are mixed they are one class
// in all of what stands before the @: in such numbers it is chance which of them come.
func uidPattern(uid string) string {
	name, host, at := strings.Cut(uid, "@")
	class := classOf
	if mixed(name) {
		class = func(r rune) rune {
			if is := classOf(r); is == 'A' || is == 'a' || is == '9' {
				return 'x'
			}
			return r
		}
	}
	if !at {
		return fold(name, class)
	}
	return fold(name, class) + "@" + strings.ToLower(host)
}

// mixed reports whether a letter stands beside a digit.
func mixed(text string) bool {
	was := rune(0)
	for _, r := range text {
		is := classOf(r)
		if is == '9' && (was == 'a' || was == 'A') || was == '9' && (is == 'a' || is == 'A') {
			return true
		}
		was = is
	}
	return false
}

// classOf is what stands for a character in a pattern.
func classOf(r rune) rune {
	switch {
	case r >= '0' && r <= '9':
		return '9'
	case r >= 'A' && r <= 'Z':
		return 'A'
	case r >= 'a' && r <= 'z', r > 0x7f: // letters of other scripts are no capitals
		return 'a'
	}
	return r
}

// fold replaces each run of one class by it.
func fold(text string, class func(rune) rune) string {
	return string(slices.Compact([]rune(strings.Map(class, text))))
}
