package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) conflictCommand() *cli.Command {
	return &cli.Command{
		Name: "conflict", Usage: "bookings that cannot all be honoured",
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "list conflicts that need somebody", Flags: []cli.Flag{
					&cli.StringFlag{Name: "calendar", Usage: "only those of this calendar"},
					&cli.StringFlag{Name: "state", Usage: "open, acknowledged, cleared or past", DefaultText: "open and acknowledged"},
					jsonFlag,
				},
				Description: "Example: wharf conflict list",
				Action:      env.connected(env.conflictList),
			},
			{
				Name: "show", Usage: "show a conflict with all that is known of its bookings", ArgsUsage: "ID", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf conflict show 1",
				Action:      env.onOne(env.conflictShow),
			},
			{
				Name: "acknowledge", Usage: "say that somebody is dealing with it", ArgsUsage: "ID",
				Description: "Example: wharf conflict acknowledge 1 --note \"Called both guests\"",
				Flags:       []cli.Flag{&cli.StringFlag{Name: "note", Usage: "what is being done"}},
				Action:      env.onOne(env.conflictAcknowledge),
			},
			env.answerCommand(),
		},
	}
}

func (env *Env) conflictList(ctx context.Context, c *cli.Command, api *client.Client) error {
	params := &client.ListConflictsParams{}
	if s := c.String("calendar"); s != "" {
		k, err := calendarNamed(ctx, api, s)
		if err != nil {
			return err
		}
		params.Calendar = &k.Id
	}
	if s := c.String("state"); s != "" {
		state := client.ConflictState(s)
		params.State = &state
	}
	all, err := client.Decode[[]client.Conflict](api.ListConflicts(ctx, params))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	if len(all) == 0 {
		fmt.Fprintln(env.Out, "No conflicts.")
		return nil
	}
	env.printConflicts(all)
	return nil
}

// printConflicts asks what can be asked once for several conflicts, and lists the others.
func (env *Env) printConflicts(all []client.Conflict) {
	questions, rest := folded(all)
	for _, q := range questions {
		env.ask(q)
	}
	if len(rest) > 0 {
		env.printConflictTable(rest)
	}
}

// leastFolded is how many conflicts of the same two feeds are one question.
const leastFolded = 3

// folded takes those conflicts together that are one question, and returns the rest.
func folded(all []client.Conflict) (questions [][]client.Conflict, rest []client.Conflict) {
	of := func(k client.Conflict) string {
		if k.Linked == nil || k.State != client.Open {
			return ""
		}
		return fmt.Sprint(k.Calendar, *k.Linked)
	}
	by := map[string][]client.Conflict{}
	for _, k := range all {
		by[of(k)] = append(by[of(k)], k)
	}
	for _, k := range all {
		same := by[of(k)]
		switch {
		case of(k) == "" || len(same) < leastFolded:
			rest = append(rest, k)
		case same[0].Id == k.Id:
			questions = append(questions, same)
		}
	}
	return questions, rest
}

// ask puts a question about conflicts of the same two feeds.
func (env *Env) ask(q []client.Conflict) {
	labels := map[int64]string{}
	numbers := make([]string, len(q))
	for i, k := range q {
		numbers[i] = strconv.FormatInt(k.Id, 10)
		for _, b := range k.Bookings {
			if b.Feed != nil {
				labels[*b.Feed] = b.Label
			}
		}
	}
	one, other := clean(labels[(*q[0].Linked)[0]]), clean(labels[(*q[0].Linked)[1]])
	fmt.Fprintf(env.Out, "%s: %s are on %s and on %s, though Wharf sent nothing. Does one of the two read the other? Then say so once:\n  wharf feed edit %q --mirrors %q, or the other way round (conflicts %s).\n\n",
		clean(q[0].CalendarName), count(len(q), "booking", "bookings"), one, other, one, other, strings.Join(numbers, ", "))
}

// printConflictTable lists conflicts with their bookings below each other.
func (env *Env) printConflictTable(all []client.Conflict) {
	var rows []table.Row
	for _, k := range all {
		calendar := client.Calendar{Grain: k.Grain, Zone: k.Zone}
		for i, b := range k.Bookings {
			row := table.Row{"", "", "", "", clean(b.Title), clean(b.Label), spanOf(b.Start, b.End, calendar)}
			if i == 0 {
				row[0], row[1], row[2], row[3] = k.Id, clean(k.CalendarName), kindWords(string(k.Kind))+", "+string(k.State), spanOf(k.Start, k.End, calendar)
			}
			rows = append(rows, row)
		}
	}
	printTable(env.Out, table.Row{"Id", "Calendar", "Conflict", "When", "Among", "Feed", "Booked"}, rows)
}

func conflictID(text string) (int64, error) { return numbered(text, "conflict", "wharf conflict list") }

func (env *Env) conflictShow(ctx context.Context, c *cli.Command, api *client.Client, number string) error {
	id, err := conflictID(number)
	if err != nil {
		return err
	}
	k, err := client.Decode[client.Conflict](api.GetConflict(ctx, id))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Conflict{k})
	}
	calendar, err := client.Decode[client.Calendar](api.GetCalendar(ctx, k.Calendar))
	if err != nil {
		return err
	}
	from, until := ends(k.Start, k.End, calendar)
	fmt.Fprintf(env.Out, "%s on %s, %s to %s: %s since %s.\n", kindWords(string(k.Kind)), clean(k.CalendarName), from, until, k.State, env.when(&k.Opened))
	if k.AcknowledgedBy != nil {
		note := ""
		if k.Note != nil {
			note = ": " + clean(*k.Note)
		}
		fmt.Fprintf(env.Out, "%s deals with it%s\n", clean(*k.AcknowledgedBy), note)
	}
	for _, said := range []*string{whyFirst(k), k.Found} {
		if said != nil {
			fmt.Fprintln(env.Out, clean(*said))
		}
	}
	fmt.Fprintln(env.Out)
	rows := make([]table.Row, len(k.Bookings))
	for i, b := range k.Bookings {
		from, until := ends(b.Start, b.End, calendar)
		rows[i] = table.Row{from, until, clean(b.Title), clean(b.Label), statusOf(b), env.when(b.Created), env.when(b.NotBefore), env.when(&b.SeenBy)}
	}
	first, last := endWords(calendar.Grain)
	printTable(env.Out, table.Row{first, last, "Title", "Feed", "Status", "Made (it says)", "Not yet there", "First seen"}, rows)
	env.sayVerdicts(k)
	if k.Log != nil {
		fmt.Fprintln(env.Out)
		for _, e := range *k.Log {
			fmt.Fprintf(env.Out, "%s  %s\n", e.At.Local().Format("2 Jan 2006 15:04"), clean(e.Sentence))
		}
	}
	return nil
}

func whyFirst(k client.Conflict) *string {
	if k.First == nil {
		return nil
	}
	return &k.First.Why
}

// sayVerdicts says what is known of each booking, and how to answer what is asked.
func (env *Env) sayVerdicts(k client.Conflict) {
	asked := false
	for _, b := range k.Bookings {
		if b.Evidence != nil {
			fmt.Fprintf(env.Out, "\n%s on %s: %s\n", clean(b.Title), clean(b.Label), clean(*b.Evidence))
		}
		if b.Answer != nil {
			fmt.Fprintf(env.Out, "%s said %s that it is %s.\n", clean(b.Answer.By), env.when(&b.Answer.At), answerWords[b.Answer.Says])
		}
		asked = asked || b.Verdict == client.VerdictUnclear
	}
	if asked {
		fmt.Fprintf(env.Out, "\nIs it a sale of its own, or ours reflected? `wharf conflict answer own %d` or `wharf conflict answer reflected %d` says so.\n", k.Id, k.Id)
	}
}

var answerWords = map[client.AnswerKind]string{client.Own: "a sale of its own", client.Reflected: "ours, reflected"}

func (env *Env) conflictAcknowledge(ctx context.Context, c *cli.Command, api *client.Client, number string) error {
	id, err := conflictID(number)
	if err != nil {
		return err
	}
	note := c.String("note")
	k, err := client.Decode[client.Conflict](api.AcknowledgeConflict(ctx, id, client.Acknowledgement{Note: &note}))
	if err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "Conflict %d is acknowledged by %s. It stays until the feeds no longer show it.\n", k.Id, clean(*k.AcknowledgedBy))
	return nil
}
