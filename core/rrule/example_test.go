package rrule_test

import (
	"fmt"

	"wharf/core/rrule"
	"wharf/core/span"
)

// The readings of a rule in a window, without walking what lies before it.
func ExampleRule_Each() {
	rule, err := rrule.Parse("FREQ=MONTHLY;BYDAY=-1FR")
	if err != nil {
		fmt.Println(err)
		return
	}
	begins, _ := span.ParseDate("2026-01-30")
	from, _ := span.ParseDate("2046-01-01")
	to, _ := span.ParseDate("2046-04-01")
	rule.Each(begins.Wall(), from.Wall(), to.Wall(), true, func(w span.Wall) bool {
		if w >= from.Wall() && w < to.Wall() { // where it begins is always among them
			fmt.Println(w.Date())
		}
		return w < to.Wall()
	})
	// Output:
	// 2046-01-26
	// 2046-02-23
	// 2046-03-30
}

// A rule that cannot be understood says why.
func ExampleParse() {
	_, err := rrule.Parse("FREQ=FORTNIGHTLY")
	fmt.Println(err)
	_, err = rrule.Parse("RSCALE=CHINESE;FREQ=YEARLY")
	fmt.Println(err)
	// Output:
	// FREQ=FORTNIGHTLY: not a frequency
	// RSCALE=CHINESE: only the Gregorian calendar is covered
}
