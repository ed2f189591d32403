package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"

	"github.com/urfave/cli/v3"

	"wharf/core/ical"
	"wharf/core/recur"
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
	limits := limitFlags()
	window = slices.Concat(window, limits)
	return &cli.Command{
		Name:  "file",
		Usage: "work on iCalendar files, without service or database",
		Commands: []*cli.Command{
			{
				Name: "expand", Usage: "list the occurrences in a file", ArgsUsage: "FILE",
				Description: "Example: wharf file expand demo/files/net-loft.ics --from 2026-11-01 --to 2026-12-01 --zone America/Halifax",
				Flags:       slices.Concat(window, []cli.Flag{asJSON}),
				Action:      func(_ context.Context, c *cli.Command) error { return env.fileExpand(c) },
			},
			{
				Name: "merge", Usage: "put several files into one calendar", ArgsUsage: "FILE...",
				Description: "Example: wharf file merge demo/files/net-loft.ics demo/files/visitors.ics --output merged.ics",
				Flags:       slices.Concat(limits, []cli.Flag{&cli.StringFlag{Name: "output", Usage: "file to write", DefaultText: "standard output"}}),
				Action:      func(_ context.Context, c *cli.Command) error { return env.fileMerge(c) },
			},
			{
				Name: "check", Usage: "say what is wrong with a file", ArgsUsage: "FILE",
				Description: "Example: wharf file check demo/files/yard-export.ics",
				Flags:       slices.Concat(limits, []cli.Flag{asJSON}),
				Action:      func(_ context.Context, c *cli.Command) error { return env.fileCheck(c) },
			},
			{
				Name: "conflicts", Usage: "find conflicts between and within files", ArgsUsage: "FILE...",
				Description: "Example: wharf file conflicts demo/files/net-loft.ics demo/files/visitors.ics --grain time --zone America/Halifax --from 2026-12-01",
				Flags: slices.Concat(window, []cli.Flag{asJSON,
					&cli.StringFlag{Name: "grain", Value: "time", Usage: "night, day or time"},
					&cli.IntFlag{Name: "capacity", Value: 1, Usage: "how many bookings fit at once"}}),
				Action: env.fileConflicts,
			},
		},
	}
}

// limitFlags are the limits of what is read, which are there so that no file can take more
// memory or time than it is worth.
func limitFlags() []cli.Flag {
	d := ical.DefaultLimits()
	return []cli.Flag{
		&cli.Int64Flag{Name: "max-bytes", Value: d.Bytes, Usage: "refuse a file that is larger", Category: limitsCategory},
		&cli.IntFlag{Name: "max-components", Value: d.Components, Usage: "refuse a file that has more events and other components", Category: limitsCategory},
		&cli.IntFlag{Name: "max-lines", Value: d.Lines, Usage: "refuse a file that has more lines", Category: limitsCategory},
		&cli.IntFlag{Name: "max-calendars", Value: d.Calendars, Usage: "refuse a file in which more calendars follow each other", Category: limitsCategory},
		&cli.IntFlag{Name: "max-line", Value: d.Line, Usage: "leave out lines that have more bytes", Category: limitsCategory},
		&cli.IntFlag{Name: "max-entry", Value: d.Entry, Usage: "leave out what an event has beyond so many bytes", Category: limitsCategory},
		&cli.IntFlag{Name: "max-depth", Value: d.Depth, Usage: "leave out what is nested deeper", Category: limitsCategory},
		&cli.IntFlag{Name: "max-remarks", Value: d.Diagnostics, Usage: "keep so many remarks on how a file is written", Category: limitsCategory},
		&cli.IntFlag{Name: "max-occurrences", Value: 100_000, Usage: "leave out what a series has beyond so many occurrences", Category: limitsCategory},
	}
}

const limitsCategory = "Limits"

func limitsOf(c *cli.Command) ical.Limits {
	return ical.Limits{Bytes: c.Int64("max-bytes"), Components: c.Int("max-components"), Lines: c.Int("max-lines"), Calendars: c.Int("max-calendars"), Line: c.Int("max-line"), Entry: c.Int("max-entry"),
		Depth: c.Int("max-depth"), Diagnostics: c.Int("max-remarks")}
}

// reader reads an iCalendar stream within the limits that the command was given.
func reader(c *cli.Command, in io.Reader) *ical.Reader {
	r := ical.NewReader(in)
	r.Limits = limitsOf(c)
	return r
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
	return recur.Window{From: from.Start(loc), To: to.Start(loc), Zone: loc, Limit: c.Int("max-occurrences")}, nil
}

// document reads a file as a calendar; the error names the file. Of one that is cut off there
// is what is whole of it, too.
func (env *Env) document(c *cli.Command, name string) (*recur.Document, error) {
	f, err := env.open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	doc, err := recur.Read(reader(c, f))
	return doc, named(name, err)
}

// fileError is an error in the words that fit the file.
type fileError struct {
	words string
	err   error
}

func (e *fileError) Error() string { return e.words }

func (e *fileError) Unwrap() error { return e.err }

// named says of which file an error is, and of one that is cut off what became of it.
func named(name string, err error) error {
	var not *ical.NotCalendarError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &not) && ical.IsCutOff(err):
		return &fileError{fmt.Sprintf("%s is %s: what is whole of it was taken, up to line %d; %s", name, not.Is, not.Line, not.Remedy), err}
	}
	return fmt.Errorf("%s: %w", name, err)
}

// mostSaid is how many remarks on one file are printed beside what was asked for.
const mostSaid = 100

// sayer prints what was wrong with a file but survivable, on standard error.
func (env *Env) sayer(name string) func(...ical.Diagnostic) {
	said := 0
	return func(diags ...ical.Diagnostic) {
		for _, d := range diags {
			if d.Severity == ical.Info {
				continue
			}
			if said++; said > mostSaid+1 {
				return
			}
			if said > mostSaid {
				fmt.Fprintf(env.Err, "%s: there are more remarks: see `wharf file check %s`\n", name, name)
				return
			}
			fmt.Fprintf(env.Err, "%s:%d:%d: %s: %s\n", name, d.Line, d.Column, d.Severity, clean(d.Message))
		}
	}
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
