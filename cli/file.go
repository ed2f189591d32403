package cli

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/core/booking"
	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/publish"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

func fileCommand(env *Env) *cli.Command {
	window := []cli.Flag{
		&cli.StringFlag{Name: "from", Usage: "first day, as 2026-07-03", DefaultText: "today"},
		&cli.StringFlag{Name: "to", Usage: "day after the last, as 2027-07-03", DefaultText: "a year after --from"},
		&cli.StringFlag{Name: "zone", Value: "UTC", Usage: "IANA time zone for days and for times that name no zone"},
	}
	asJSON := &cli.BoolFlag{Name: "json", Usage: "one JSON object a line"}
	return &cli.Command{
		Name:  "file",
		Usage: "work on iCalendar files, without service or database",
		Commands: []*cli.Command{
			{
				Name: "expand", Usage: "list the occurrences in a file", ArgsUsage: "FILE",
				Description: "Example: wharf file expand demo/files/net-loft.ics --from 2026-11-01 --to 2026-12-01 --zone America/Halifax",
				Flags:       append(window, asJSON),
				Action:      func(_ context.Context, c *cli.Command) error { return env.fileExpand(c) },
			},
			{
				Name: "merge", Usage: "put several files into one calendar", ArgsUsage: "FILE...",
				Description: "Example: wharf file merge demo/files/net-loft.ics demo/files/visitors.ics --output merged.ics",
				Flags:       []cli.Flag{&cli.StringFlag{Name: "output", Usage: "file to write", DefaultText: "standard output"}},
				Action:      func(_ context.Context, c *cli.Command) error { return env.fileMerge(c) },
			},
			{
				Name: "check", Usage: "say what is wrong with a file", ArgsUsage: "FILE",
				Description: "Example: wharf file check demo/files/net-loft.ics",
				Flags:       []cli.Flag{asJSON},
				Action:      func(_ context.Context, c *cli.Command) error { return env.fileCheck(c) },
			},
			{
				Name: "conflicts", Usage: "find conflicts between and within files", ArgsUsage: "FILE...",
				Description: "Example: wharf file conflicts demo/files/net-loft.ics demo/files/visitors.ics --grain time --zone America/Halifax",
				Flags: append(window, asJSON,
					&cli.StringFlag{Name: "grain", Value: "time", Usage: "night, day or time"},
					&cli.IntFlag{Name: "capacity", Value: 1, Usage: "how many bookings fit at once"}),
				Action: func(_ context.Context, c *cli.Command) error { return env.fileConflicts(c) },
			},
		},
	}
}

// files returns the arguments, or a usage error when their number is wrong.
func files(c *cli.Command, most int) ([]string, error) {
	args := c.Args().Slice()
	if len(args) == 0 || most > 0 && len(args) > most {
		return nil, usagef("%s takes %s: see `%s --help`", c.FullName(), c.ArgsUsage, c.FullName())
	}
	return args, nil
}

// windowOf reads --from, --to and --zone.
func (env *Env) windowOf(c *cli.Command) (recur.Window, error) {
	loc, err := zone.Load(c.String("zone"))
	if err != nil {
		return recur.Window{}, usageError{err}
	}
	from := span.DateOf(env.Now().In(loc))
	if s := c.String("from"); s != "" {
		if from, err = span.ParseDate(s); err != nil {
			return recur.Window{}, usagef("--from: %w", err)
		}
	}
	y, m, d := from.Civil()
	to := span.NewDate(y+1, m, d)
	if s := c.String("to"); s != "" {
		if to, err = span.ParseDate(s); err != nil {
			return recur.Window{}, usagef("--to: %w", err)
		}
	}
	if to <= from {
		return recur.Window{}, usagef("--to %s is not after --from %s", to, from)
	}
	return recur.Window{From: from.Start(loc), To: to.Start(loc), Zone: loc, Limit: 100000}, nil
}

// document reads a file as a calendar; the error names the file.
func (env *Env) document(name string) (*recur.Document, error) {
	f, err := env.open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	doc, err := recur.Read(ical.NewReader(f))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return doc, nil
}

// say prints what was wrong with a file but survivable, on standard error.
func (env *Env) say(name string, diags []ical.Diagnostic) {
	for _, d := range diags {
		if d.Severity != ical.Info {
			fmt.Fprintf(env.Err, "%s:%d: %s: %s\n", name, d.Line, d.Severity, d.Message)
		}
	}
}

// occurrenceLine is the contract of `file expand --json`.
type occurrenceLine struct {
	UID          string       `json:"uid"`
	RecurrenceID string       `json:"recurrence_id,omitempty"`
	Start        string       `json:"start"`
	End          string       `json:"end"`
	AllDay       bool         `json:"all_day"`
	Status       recur.Status `json:"status"`
	Transparent  bool         `json:"transparent"`
	Summary      string       `json:"summary"`
}

func (env *Env) fileExpand(c *cli.Command) error {
	names, err := files(c, 1)
	if err != nil {
		return err
	}
	w, err := env.windowOf(c)
	if err != nil {
		return err
	}
	doc, err := env.document(names[0])
	if err != nil {
		return err
	}
	env.say(names[0], doc.Diagnostics)
	var all []recur.Occurrence
	for _, e := range doc.Entries {
		found, diags := doc.Expand(e, w)
		env.say(names[0], diags)
		all = append(all, found...)
	}
	slices.SortStableFunc(all, func(a, b recur.Occurrence) int {
		return cmp.Or(a.Start.Compare(b.Start), cmp.Compare(a.UID, b.UID))
	})
	lines := make([]occurrenceLine, len(all))
	for i, o := range all {
		l := occurrenceLine{o.UID, o.RecurrenceID, o.Start.UTC().Format(time.RFC3339), o.End.UTC().Format(time.RFC3339), o.AllDay, o.Status, o.Transparent, o.Summary}
		if o.AllDay {
			l.Start, l.End = o.First.String(), o.Last.String()
		}
		lines[i] = l
	}
	if c.Bool("json") {
		return printJSON(env.Out, lines)
	}
	rows := make([]table.Row, len(all))
	for i, o := range all {
		l := lines[i]
		if !o.AllDay {
			l.Start, l.End = o.Start.In(w.Zone).Format("2006-01-02 15:04"), o.End.In(w.Zone).Format("2006-01-02 15:04")
		}
		rows[i] = table.Row{l.Start, l.End, clean(l.Summary), statusWord(o), clean(l.UID)}
	}
	printTable(env.Out, table.Row{"Start", "End", "Title", "Status", "UID"}, rows)
	fmt.Fprintf(env.Out, "%s from %s to %s, times in %s.\n", count(len(rows), "occurrence", "occurrences"), w.From.In(w.Zone).Format(time.DateOnly), w.To.In(w.Zone).Format(time.DateOnly), w.Zone)
	return nil
}

func statusWord(o recur.Occurrence) string {
	if o.Transparent {
		return string(o.Status) + ", shown only"
	}
	return string(o.Status)
}

func (env *Env) fileMerge(c *cli.Command) error {
	names, err := files(c, 0)
	if err != nil {
		return err
	}
	var calendars []*ical.Component
	failed := 0
	for _, name := range names {
		cal, diags, err := env.calendarIn(name)
		env.say(name, diags)
		if err != nil {
			fmt.Fprintln(env.Err, "wharf: "+err.Error())
			failed++
			continue
		}
		calendars = append(calendars, cal)
	}
	if failed == len(names) {
		return errUnmet
	}
	merged, diags := publish.Merge(calendars)
	env.say("merged", diags)
	if err := env.writeOutput(c.String("output"), merged); err != nil {
		return err
	}
	if failed > 0 {
		return fmt.Errorf("%d of %d files are left out of the merged calendar: see above", failed, len(names))
	}
	return nil
}

func (env *Env) calendarIn(name string) (*ical.Component, []ical.Diagnostic, error) {
	f, err := env.open(name)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	r := ical.NewReader(f)
	cal, err := r.ReadAll()
	if err != nil {
		return nil, r.Diagnostics, fmt.Errorf("%s: %w", name, err)
	}
	return cal, r.Diagnostics, nil
}

// writeOutput writes the whole file or nothing of it.
func (env *Env) writeOutput(name string, cal *ical.Component) error {
	if name == "" || name == "-" {
		return ical.Write(env.Out, cal)
	}
	var b bytes.Buffer
	if err := ical.Write(&b, cal); err != nil {
		return err
	}
	part := name + ".part"
	if err := os.WriteFile(part, b.Bytes(), 0o644); err != nil {
		_ = os.Remove(part) // may not be there
		return fmt.Errorf("%s cannot be written (%w): choose another --output", name, err)
	}
	return os.Rename(part, name)
}

func (env *Env) fileCheck(c *cli.Command) error {
	names, err := files(c, 1)
	if err != nil {
		return err
	}
	diags, readable, err := env.check(names[0])
	if err != nil {
		return err
	}
	if c.Bool("json") {
		if err := printJSON(env.Out, diags); err != nil {
			return err
		}
	} else {
		for _, d := range diags {
			fmt.Fprintf(env.Out, "line %d: %s: %s (%s)\n", d.Line, d.Severity, clean(d.Message), d.Code)
		}
	}
	if !readable {
		return errUnmet
	}
	if !c.Bool("json") {
		fmt.Fprintf(env.Out, "%s can be read as a calendar; %s.\n", names[0], count(len(diags), "remark", "remarks"))
	}
	return nil
}

// check collects every remark about a file; readable is false when it is no calendar.
func (env *Env) check(name string) (diags []ical.Diagnostic, readable bool, err error) {
	f, err := env.open(name)
	if err != nil {
		return nil, false, err
	}
	defer f.Close()
	r := ical.NewReader(f)
	doc, err := recur.Read(r)
	var not *ical.NotCalendarError
	if errors.As(err, &not) {
		return append(r.Diagnostics, ical.Diagf(not.Line, ical.Error, not.Code, "%v", err)), false, nil
	}
	if err != nil {
		return nil, false, fmt.Errorf("%s: %w", name, err)
	}
	diags = doc.Diagnostics
	for _, required := range []string{"VERSION", "PRODID"} {
		if _, ok := r.Calendar.Get(required); !ok {
			diags = append(diags, ical.Diagf(r.Calendar.Line, ical.Warning, "missing-"+required, "%s is missing, which some platforms refuse (RFC 5545 section 3.6)", required))
		}
	}
	// A year on either side of now shows what cannot be laid out.
	w := recur.Window{From: env.Now().AddDate(-1, 0, 0), To: env.Now().AddDate(1, 0, 0), Zone: time.UTC}
	for _, e := range doc.Entries {
		_, found := doc.Expand(e, w)
		diags = append(diags, found...)
	}
	slices.SortStableFunc(diags, func(a, b ical.Diagnostic) int { return cmp.Compare(a.Line, b.Line) })
	return diags, true, nil
}

// conflictLine is the contract of `file conflicts --json`.
type conflictLine struct {
	Kind     string        `json:"kind"`
	Start    string        `json:"start"`
	End      string        `json:"end"`
	Bookings []bookingLine `json:"bookings"`
}

type bookingLine struct {
	File  string `json:"file"`
	UID   string `json:"uid"`
	Start string `json:"start"`
	End   string `json:"end"`
}

func (env *Env) fileConflicts(c *cli.Command) error {
	names, err := files(c, 0)
	if err != nil {
		return err
	}
	w, err := env.windowOf(c)
	if err != nil {
		return err
	}
	calendar, err := rules.NewCalendar(c.String("zone"), c.String("grain"), c.Int("capacity"))
	if err != nil {
		return usagef("--%w", err)
	}
	facts := judge.Facts{Calendar: calendar, Now: w.From}
	titles := map[int64]string{}
	failed := false
	for i, name := range names {
		doc, err := env.document(name)
		if err != nil {
			fmt.Fprintln(env.Err, "wharf: "+err.Error())
			failed = true
			continue
		}
		env.say(name, doc.Diagnostics)
		facts.Bookings = append(facts.Bookings, env.bookingsOf(doc, name, int64(i), calendar, w, int64(len(facts.Bookings)), titles)...)
	}
	lines := conflictLines(facts, names)
	if c.Bool("json") {
		err = printJSON(env.Out, lines)
	} else {
		printConflicts(env.Out, lines, calendar)
	}
	if err == nil && (failed || len(lines) > 0) {
		return errUnmet
	}
	return err
}

// bookingsOf returns what the file's entries mean on the calendar; each file is a feed
// that blocks.
func (env *Env) bookingsOf(doc *recur.Document, name string, feed int64, calendar rules.Calendar, w recur.Window, nextID int64, titles map[int64]string) []judge.Booking {
	link := rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: 1}
	var all []judge.Booking
	for _, e := range doc.Entries {
		found, diags := doc.Expand(e, w)
		env.say(name, diags)
		for _, o := range found {
			b, _, ok := booking.Of(o, calendar, link)
			if !ok {
				continue
			}
			id := nextID + int64(len(all))
			titles[id] = o.Summary
			all = append(all, judge.Booking{ID: id, Feed: feed, Platform: feed, UID: o.UID, Key: o.Key, Booking: b, Revision: o.Revision})
		}
	}
	return all
}

func conflictLines(facts judge.Facts, names []string) []conflictLine {
	lines := []conflictLine{}
	for _, k := range judge.Judge(facts).Conflicts {
		l := conflictLine{Kind: string(k.Kind)}
		l.Start, l.End = k.Span.Format(facts.Calendar.Grain)
		for _, id := range k.Bookings {
			b := facts.Bookings[id]
			start, end := b.Span.Format(facts.Calendar.Grain)
			l.Bookings = append(l.Bookings, bookingLine{names[b.Feed], b.UID, start, end})
		}
		lines = append(lines, l)
	}
	return lines
}

func printConflicts(out io.Writer, lines []conflictLine, calendar rules.Calendar) {
	if len(lines) == 0 {
		fmt.Fprintln(out, "No conflicts.")
		return
	}
	var rows []table.Row
	for _, l := range lines {
		for i, b := range l.Bookings {
			row := table.Row{"", "", "", b.File, b.Start, b.End, clean(b.UID)}
			if i == 0 {
				row[0], row[1], row[2] = kindWords(l.Kind), l.Start, l.End
			}
			rows = append(rows, row)
		}
	}
	printTable(out, table.Row{"Conflict", "From", "Until", "File", "Booked from", "Booked until", "UID"}, rows)
	fmt.Fprintf(out, "%s at capacity %s, reckoned by %s.\n", count(len(lines), "conflict", "conflicts"), strconv.Itoa(calendar.Capacity), calendar.Grain)
}

func printJSON[T any](out io.Writer, all []T) error {
	enc := json.NewEncoder(out)
	enc.SetEscapeHTML(false)
	for _, v := range all {
		if err := enc.Encode(v); err != nil {
			return err
		}
	}
	return nil
}
