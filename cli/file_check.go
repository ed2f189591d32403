package cli

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"github.com/urfave/cli/v3"

	"wharf/core/ical"
	"wharf/core/recur"
)

func (env *Env) fileCheck(c *cli.Command) error {
	names, err := files(c, 1)
	if err != nil {
		return err
	}
	diags, doc, err := env.check(c, names[0])
	if err != nil {
		return err
	}
	if c.Bool("json") {
		if err := printJSON(env.Out, diags); err != nil {
			return err
		}
	} else {
		for _, d := range diags {
			fmt.Fprintf(env.Out, "%s: %s: %s (%s)\n", whereabouts(d.Position), d.Severity, clean(d.Message), d.Code)
		}
	}
	if doc == nil {
		return errUnmet
	}
	if !c.Bool("json") {
		series := 0
		for _, e := range doc.Entries {
			if e.Master != nil && repeats(e.Master) {
				series++
			}
		}
		fmt.Fprintf(env.Out, "%s can be read as a calendar: %s, %s of them repeating; %s.\n", names[0], count(len(doc.Entries), "entry", "entries"), strconv.Itoa(series), count(len(diags), "remark", "remarks"))
		if len(diags) > 0 {
			fmt.Fprintln(env.Out, "What each remark means, and what to do about it: docs/guide/check.md, by the word in brackets.")
		}
	}
	return nil
}

// whereabouts names a position to a person; that of a line as a whole by the line.
func whereabouts(at ical.Position) string {
	if at.Column <= 1 {
		return fmt.Sprintf("line %d", at.Line)
	}
	return fmt.Sprintf("line %d, column %d", at.Line, at.Column)
}

func repeats(c *ical.Component) bool {
	_, rule := c.Get("RRULE")
	_, dates := c.Get("RDATE")
	return rule || dates
}

// check collects every remark about a file; there is no document when it is no calendar.
func (env *Env) check(c *cli.Command, name string) (diags []ical.Diagnostic, doc *recur.Document, err error) {
	f, err := env.open(name)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	r := reader(c, f)
	calendars, err := r.ReadAll()
	diags = r.Diagnostics
	var not *ical.NotCalendarError
	if errors.As(err, &not) {
		return append(diags, ical.Diagf(ical.Position{Line: not.Line, Column: 1}, ical.Error, not.Code, "%v", err)), nil, nil
	}
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", name, err)
	}
	doc = recur.Of(calendars)
	diags = append(diags, doc.Diagnostics...)
	for _, cal := range calendars {
		diags = append(diags, missing(cal)...)
	}
	// A year on either side of now shows what cannot be laid out.
	w := recur.Window{From: env.Now().AddDate(-1, 0, 0), To: env.Now().AddDate(1, 0, 0), Zone: anyZone, Limit: c.Int("max-occurrences")}
	x := doc.In(w)
	for _, e := range doc.Entries {
		_, found := x.Expand(e)
		diags = append(diags, found...)
	}
	told := map[int]bool{} // lines of which something better was said than that a value is bad
	for _, d := range diags {
		told[d.Line] = true
	}
	for _, cal := range calendars {
		for _, d := range cal.BadValues() {
			if !told[d.Line] {
				diags = append(diags, d)
			}
		}
	}
	slices.SortStableFunc(diags, func(a, b ical.Diagnostic) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
	})
	return diags, doc, nil
}

// anyZone stands in remarks for the zone of whichever calendar the file will be used for.
var anyZone = time.FixedZone("the zone of the calendar", 0)

// missing tells what a calendar must have and has not.
func missing(cal *ical.Component) (diags []ical.Diagnostic) {
	for _, m := range []struct{ property, code string }{{"VERSION", "missing-version"}, {"PRODID", "missing-prodid"}} {
		if _, ok := cal.Get(m.property); !ok {
			diags = append(diags, ical.Diagf(cal.Position(), ical.Warning, m.code, "%s is missing, which some platforms refuse (RFC 5545 section 3.6)", m.property))
		}
	}
	return diags
}
