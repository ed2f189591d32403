package sim

import (
	"fmt"
	"time"
)

// Pattern is a setting with a name.
type Pattern struct {
	Name string
	// Tells: UIDs or forms tell sales from reflections, once there were some.
	Tells bool
	Setting
}

// Habits that platforms have.
var (
	keeps  = Habit{Name: "keeps", UIDs: Ours, Block: "Blocked", Reflects: true}
	own    = Habit{Name: "own", UIDs: Own, Block: "Not bookable (imported)", Reflects: true, Applies: 10 * time.Minute}
	fresh  = Habit{Name: "fresh", UIDs: New, Block: "Closed - not bookable", Reflects: true}
	quiet  = Habit{Name: "quiet", UIDs: Own, Block: "Blocked"}
	joins  = Habit{Name: "joins", UIDs: Own, Block: "Not bookable (imported)", Reflects: true, Joins: true}
	alike  = Habit{Name: "alike", UIDs: Own, Reflects: true}
	placed = Habit{Name: "placed", UIDs: Own, Reflects: true, Timed: true, Applies: time.Hour}
)

// Patterns are the mixtures of platforms that are played.
func Patterns() []Pattern {
	var all []Pattern
	for _, p := range []struct {
		name   string
		tells  bool
		habits []Habit
	}{
		{"one way", true, []Habit{quiet, quiet, quiet}},
		{"two that keep our UIDs", true, []Habit{keeps, keeps}},
		{"one that keeps, one that is quiet", true, []Habit{keeps, quiet, keeps}},
		{"two with UIDs of their own", true, []Habit{own, own}},
		{"a mesh of three kinds", true, []Habit{own, keeps, placed}},
		{"new UIDs at every download", true, []Habit{fresh, own}},
		{"one that joins", true, []Habit{joins, own}},
		{"blocks like sales beside one that keeps", false, []Habit{alike, keeps}},
		{"blocks like sales on both", false, []Habit{alike, alike}},
	} {
		s := Setting{Days: 120, Sales: 0.6, Cancels: 0.2, Resale: 0.3, Race: 0.25, ReadEach: 15 * time.Minute, PickEach: time.Hour, Fails: 0.02}
		for i, h := range p.habits {
			h.Name = fmt.Sprintf("%s%d", h.Name, i+1)
			s.Habits = append(s.Habits, h)
		}
		all = append(all, Pattern{p.name, p.tells, s})
	}
	return all
}
