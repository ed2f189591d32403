package cli

import (
	"context"
	"fmt"
	"io"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/core/booking"
	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

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

func (env *Env) fileConflicts(ctx context.Context, c *cli.Command) error {
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
	failed := false
	for i, name := range names {
		doc, err := env.document(c, name)
		if err != nil {
			fmt.Fprintln(env.Err, "wharf: "+err.Error())
			failed = true
		}
		if doc == nil {
			continue
		}
		say := env.sayer(name)
		say(doc.Diagnostics...)
		facts.Bookings = append(facts.Bookings, bookingsOf(doc, say, int64(i)+1, calendar, w, int64(len(facts.Bookings)))...)
	}
	format := func(p int64) string { return span.FormatPoint(p, calendar.Grain) }
	if !c.Bool("json") && calendar.Grain == span.Time {
		format = func(p int64) string { return localTime(p, calendar.Zone) }
	}
	result, err := judge.Judge(ctx, facts)
	if err != nil {
		return err
	}
	lines := conflictLines(facts, result.Conflicts, names, format)
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
func bookingsOf(doc *recur.Document, say func(...ical.Diagnostic), feed int64, calendar rules.Calendar, w recur.Window, nextID int64) []judge.Booking {
	link := rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: 1}
	var all []judge.Booking
	x := doc.In(w)
	for _, e := range doc.Entries {
		found, diags := x.Expand(e)
		say(diags...)
		for _, o := range found {
			b, _, ok := booking.Of(o, calendar, link)
			if !ok {
				continue
			}
			id := nextID + int64(len(all))
			all = append(all, judge.Booking{ID: id, Feed: feed, Platform: feed, UID: o.UID, Key: o.Key.String(), Booking: b, Revision: o.Revision})
		}
	}
	return all
}

func conflictLines(facts judge.Facts, found []judge.Conflict, names []string, format func(int64) string) []conflictLine {
	lines := []conflictLine{}
	for _, k := range found {
		l := conflictLine{Kind: string(k.Kind), Start: format(k.Span.Start), End: format(k.Span.End)}
		for _, id := range k.Bookings {
			b := facts.Bookings[id]
			l.Bookings = append(l.Bookings, bookingLine{names[b.Feed-1], b.UID, format(b.Span.Start), format(b.Span.End)})
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
	by := string(calendar.Grain)
	if calendar.Grain == span.Time {
		by += ", times in " + calendar.Zone.String()
	}
	fmt.Fprintf(out, "%s at capacity %s, reckoned by %s.\n", count(len(lines), "conflict", "conflicts"), strconv.Itoa(calendar.Capacity), by)
}
