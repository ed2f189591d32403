package echo

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Habit is one thing known of how the platform of a feed writes, shows and sells.
type Habit struct {
	HabitOf
	Value string
	// From are the entries of the feed that it was learnt from, by place; the first
	// mostTeachers. None: a person laid it down.
	From []int
}

// HabitOf is which habit, and of what: a form, or a way; "" for the others.
type HabitOf struct {
	Name HabitName
	Of   string
}

// HabitName is the kind of a habit.
type HabitName string

const (
	// Reflects: its feed shows what it was sent: Yes, every item; No, nothing of it.
	Reflects HabitName = "reflects"
	// KeepsUIDs: what it shows of ours has our UIDs: Yes or No.
	KeepsUIDs HabitName = "keeps_uids"
	// Delays: for how many minutes after a pickup it may not yet show what it got, and may
	// still show what it lost.
	Delays HabitName = "delay"
	// Rate: own sales a day, at the upper end of what the data allow.
	Rate HabitName = "rate"
	// FormOf a sort of entries: Sale, Block or Both.
	FormOf HabitName = "form"
	// WayOf: whether what it shows of ours differs in that way: Yes or No.
	WayOf HabitName = "way"
)

// Values of habits. Off is laid down for one of which nothing is to be concluded.
const (
	Yes   = "yes"
	No    = "no"
	Sale  = "sale"
	Block = "block"
	Both  = "both"
	Off   = "off"
)

// Said are values of habits. What a person laid down stands instead of what is learnt.
type Said map[HabitOf]string

// CheckHabit refuses what cannot be laid down; the error says what can be.
func CheckHabit(h HabitOf, value string) error {
	oneOf := func(allowed ...string) error {
		if value == Off || slices.Contains(allowed, value) {
			return nil
		}
		return fmt.Errorf("%s cannot be %q: use one of %v, or %s", h.Name, value, allowed, Off)
	}
	if needs := h.Name == FormOf || h.Name == WayOf; needs != (h.Of != "") {
		if needs {
			return fmt.Errorf("%s is missing what it is of: name the form or the way", h.Name)
		}
		return fmt.Errorf("%s is of the platform as a whole, and not of %q", h.Name, h.Of)
	}
	switch h.Name {
	case Reflects, KeepsUIDs:
		return oneOf(Yes, No)
	case FormOf:
		return oneOf(Sale, Block, Both)
	case WayOf:
		if !slices.Contains(Ways, Way(h.Of)) {
			return fmt.Errorf("there is no way %q: use one of %v", h.Of, Ways)
		}
		return oneOf(Yes, No)
	case Delays:
		if minutes, err := strconv.Atoi(value); value != Off && (err != nil || minutes < 0 || minutes > mostDelay) {
			return fmt.Errorf("a delay cannot be %q: use whole minutes from 0 (none) to %d, or %s", value, mostDelay, Off)
		}
		return nil
	case Rate:
		if rate, _ := strconv.ParseFloat(value, 64); value != Off && !(rate > 0 && rate <= mostRate) { // 0 for what is no number
			return fmt.Errorf("a rate cannot be %q: use sales a day, above 0 and up to %d, or %s", value, mostRate, Off)
		}
		return nil
	}
	return fmt.Errorf("there is no habit %q: use one of %v", h.Name, []HabitName{Reflects, KeepsUIDs, Delays, Rate, FormOf, WayOf})
}

const (
	mostDelay    = 31 * 24 * 60       // minutes
	longestDelay = 7 * 24 * time.Hour // that is learnt: what a feed shows later, it shows for another reason
	mostRate     = 10000              // sales a day
	mostTeachers = 20
)

// habits are what is known of the feed, in an order of their own, with what each was learnt from.
func (m *matcher) habits() []Habit {
	l := &m.learnt
	all := map[HabitOf]string{}
	for of, value := range m.feed.Said {
		all[of] = value
	}
	learnt := func(of HabitOf, value string) {
		if _, said := all[of]; !said {
			all[of] = value
		}
	}
	for form := range l.salesForms {
		learnt(HabitOf{FormOf, form}, Sale)
	}
	for form := range l.blockForms {
		learnt(HabitOf{FormOf, form}, Block)
	}
	for form := range l.alike {
		learnt(HabitOf{FormOf, form}, Both)
	}
	for way := range l.ways {
		learnt(HabitOf{WayOf, string(way)}, Yes)
	}
	if l.keepsUIDs {
		learnt(HabitOf{Name: KeepsUIDs}, Yes)
	}
	if l.reflects != "" {
		learnt(HabitOf{Name: Reflects}, l.reflects)
	}
	if l.measured {
		learnt(HabitOf{Name: Delays}, strconv.Itoa(int(l.delay/time.Minute)))
	}
	if l.rate*24*3600 <= mostRate { // more is as good as not known
		learnt(HabitOf{Name: Rate}, strconv.FormatFloat(math.Round(l.rate*24*3600*1e6)/1e6, 'f', -1, 64))
	}
	var habits []Habit
	for of, value := range all {
		h := Habit{HabitOf: of, Value: value}
		if _, said := m.feed.Said[of]; !said {
			from := slices.Compact(slices.Sorted(slices.Values(l.from[of])))
			h.From = from[:min(len(from), mostTeachers)]
		}
		habits = append(habits, h)
	}
	slices.SortFunc(habits, func(a, b Habit) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Of, b.Of)) })
	return m.mostTelling(habits)
}

// mostForms is how many forms of a feed are told of: those that most entries taught.
const mostForms = 200

// mostTelling are habits without the forms that are too many; those known before stay.
func (m *matcher) mostTelling(habits []Habit) []Habit {
	var forms []Habit
	for _, h := range habits {
		if h.Name == FormOf {
			forms = append(forms, h)
		}
	}
	if len(forms) <= mostForms {
		return habits
	}
	taught := func(h Habit) int {
		if _, known := m.feed.Known[h.HabitOf]; known {
			return len(m.feed.Entries) + 1
		}
		return len(m.learnt.from[h.HabitOf])
	}
	slices.SortStableFunc(forms, func(a, b Habit) int { return cmp.Compare(taught(b), taught(a)) })
	left := map[HabitOf]bool{}
	for _, h := range forms[mostForms:] {
		left[h.HabitOf] = true
	}
	return slices.DeleteFunc(habits, func(h Habit) bool { return left[h.HabitOf] })
}

// WithTitle is a form of which the title is part, since it is the platform's word.
func WithTitle(form, title string) string { return form + " " + strconv.Quote(title) }

// TitleOf takes a form apart again; titled is whether a title is part of it.
func TitleOf(of string) (form, title string, titled bool) {
	form, quoted, _ := strings.Cut(of, " ")
	if title, err := strconv.Unquote(quoted); err == nil {
		return form, title, true
	}
	return of, "", false
}

// teach notes that an entry taught a habit.
func (l *learnt) teach(entry int, of HabitOf) { l.from[of] = append(l.from[of], entry) }

// obey puts what a person said in place of what was learnt.
func (l *learnt) obey(said Said, byDefault time.Duration) {
	for of, value := range said {
		switch of.Name {
		case KeepsUIDs:
			l.keepsUIDs = value == Yes
		case Reflects:
			l.reflects = value
		case Delays:
			l.delay = byDefault
			if minutes, err := strconv.Atoi(value); err == nil {
				l.delay = time.Duration(minutes) * time.Minute
			}
		case Rate:
			l.rate = math.Inf(1)
			if rate, err := strconv.ParseFloat(value, 64); err == nil {
				l.rate = rate / (24 * 3600)
			}
		case FormOf:
			delete(l.salesForms, of.Of)
			delete(l.blockForms, of.Of)
			switch value {
			case Sale:
				l.salesForms[of.Of] = true
			case Block:
				l.blockForms[of.Of] = true
			}
		case WayOf:
			l.ways[Way(of.Of)] = value == Yes
		}
	}
	maps.DeleteFunc(l.ways, func(_ Way, known bool) bool { return !known })
}

// remember adds what was learnt before to what the present entries teach. A form that one took
// for sales and the other for blocks is both; of two delays the longer one counts.
func (l *learnt) remember(known Said) {
	for of, value := range known {
		switch of.Name {
		case KeepsUIDs:
			l.keepsUIDs = l.keepsUIDs || value == Yes
		case Reflects:
			l.reflected = map[string]string{Yes: Yes, No: No}[value] // off tells nothing
		case Delays:
			if minutes, err := strconv.Atoi(value); err == nil {
				l.delay = max(time.Duration(minutes)*time.Minute, l.delay)
				if !l.measured {
					l.delay, l.measured = time.Duration(minutes)*time.Minute, true
				}
			}
		case Rate:
			if rate, err := strconv.ParseFloat(value, 64); err == nil {
				l.rateBefore = rate / (24 * 3600)
			}
		case FormOf:
			if value == Sale || value == Both {
				l.salesForms[of.Of] = true
				l.forms[of.Of] = true
			}
			if value == Block || value == Both {
				l.blockForms[of.Of] = true
			}
		case WayOf:
			l.ways[Way(of.Of)] = value == Yes
		}
	}
}

// roundUp is the rate, per second, at the next of 1, 1.5, 2, 3, 5, 7 and 10 a day or of their
// tens: what is learnt moves in steps.
// It is above 0; infinite stays so.
func roundUp(perSecond float64) float64 {
	perDay := perSecond * 24 * 3600
	ten := math.Pow(10, math.Floor(math.Log10(perDay)))
	for _, step := range []float64{1, 1.5, 2, 3, 5, 7} {
		if perDay <= step*ten*(1+1e-9) {
			return step * ten / (24 * 3600)
		}
	}
	return 10 * ten / (24 * 3600)
}
