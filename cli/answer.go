package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strconv"

	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

var tryFlag = &cli.BoolFlag{Name: "try", Usage: "only say what it would change"}

// noAnswer takes back what was said.
const noAnswer = "none"

func (env *Env) answerCommand() *cli.Command {
	return &cli.Command{
		Name: "answer", Usage: "say whether the bookings that may be reflections are", ArgsUsage: "own|reflected|none CONFLICT...",
		Description: "own: a sale of its platform's own, so the time is sold twice. reflected: ours, shown again, so it counts for nothing.\n" +
			"none takes back what was said. It stands whatever is read later; what it would change is said first, and asked about.\n" +
			"Example: wharf conflict answer reflected 1 --on \"Strand & Tern Charters\" --try",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "on", Usage: "platform or feed on whose bookings it is said, where several may be reflections"},
			tryFlag, &cli.BoolFlag{Name: "yes", Aliases: []string{"y"}, Usage: "do it whatever it changes, without being asked"},
		},
		Action: env.connected(env.conflictAnswer),
	}
}

func (env *Env) conflictAnswer(ctx context.Context, c *cli.Command, api *client.Client) error {
	if c.Args().Len() < 2 {
		return usagef("say what they are, and in which conflicts, such as: wharf conflict answer reflected 12 13")
	}
	says := client.AnswerKind(c.Args().First())
	if !slices.Contains([]string{string(client.Own), string(client.Reflected), noAnswer}, string(says)) {
		return usagef("%q is no answer: say own, reflected or none", says)
	}
	var request client.AnswerRequest
	if says != noAnswer {
		request.Says = &says
	}
	for _, number := range c.Args().Tail() {
		id, err := conflictID(number)
		if err != nil {
			return err
		}
		k, err := client.Decode[client.Conflict](api.GetConflict(ctx, id))
		if err != nil {
			return err
		}
		if c.Args().Len() == 2 {
			request.Conflict = &k.Id
		}
		about, err := askedAbout(k, c.String("on"), says)
		if err != nil {
			return err
		}
		for _, b := range about {
			one := struct {
				Booking int64  `json:"booking"`
				Seen    *int64 `json:"seen,omitempty"`
			}{Booking: b.Id}
			if b.Answer != nil {
				one.Seen = &b.Answer.Id
			}
			request.Bookings = append(request.Bookings, one)
		}
	}
	return env.change(c, func(try bool) (*http.Response, error) {
		return api.Answer(ctx, &client.AnswerParams{Try: &try}, request)
	})
}

// askedAbout are the bookings of a conflict that an answer is about: those on a platform or feed, or
// the one that may be a reflection.
func askedAbout(k client.Conflict, on string, says client.AnswerKind) (about []client.Booking, err error) {
	for _, b := range k.Bookings {
		switch {
		case on != "":
			if b.Label == on || b.Platform != nil && b.Platform.Name == on {
				about = append(about, b)
			}
		case says == noAnswer:
			if b.Answer != nil {
				about = append(about, b)
			}
		case b.Verdict == client.VerdictUnclear || b.Verdict == client.VerdictStale:
			about = append(about, b)
		}
	}
	switch {
	case len(about) == 0 && on != "":
		return nil, usagef("conflict %d has no booking on %q: `wharf conflict show %d` lists them", k.Id, on, k.Id)
	case len(about) == 0:
		return nil, usagef("nothing is asked in conflict %d: say with --on which of its bookings is meant", k.Id)
	case len(about) > 1 && on == "" && says == client.Reflected:
		return nil, usagef("several bookings of conflict %d may be reflections: say with --on which of them is", k.Id)
	}
	return about, nil
}

// change makes a change after saying what it would lead to, and asking.
func (env *Env) change(c *cli.Command, call func(try bool) (*http.Response, error)) error {
	effects, err := client.Decode[[]client.Effect](call(true))
	if err != nil {
		return err
	}
	env.tellEffects(effects)
	if c.Bool("try") {
		return nil
	}
	if len(effects) > 0 && !c.Bool("yes") && !env.agrees("Is that meant?") {
		return fmt.Errorf("nothing was changed: answer y, or give --yes, if it is meant")
	}
	if _, err := client.Decode[struct{}](call(false)); err != nil {
		return err
	}
	fmt.Fprintln(env.Out, "Done.")
	return nil
}

// tellEffects says what a change would lead to.
func (env *Env) tellEffects(effects []client.Effect) {
	if len(effects) == 0 {
		fmt.Fprintln(env.Err, "No conflict and no publication changes by it.")
	}
	for _, e := range effects {
		fmt.Fprintln(env.Err, clean(e.Sentence))
	}
}

// mayOpen says first what an edit would lead to, and asks where a platform would be told that something is
// free. It is false where nothing is to be changed: it was only tried.
func (env *Env) mayOpen(c *cli.Command, try func() (*http.Response, error)) (bool, error) {
	effects, err := client.Decode[[]client.Effect](try())
	if err != nil {
		return false, err
	}
	opens := slices.ContainsFunc(effects, func(e client.Effect) bool { return e.Kind == client.Withdraws })
	if c.Bool("try") || opens {
		env.tellEffects(effects)
	}
	if opens && !c.Bool("try") && !c.Bool("yes") && !env.agrees("Is that meant?") {
		return false, fmt.Errorf("nothing was changed: answer y, or give --yes, if it is meant")
	}
	return !c.Bool("try"), nil
}

var sureFlag = &cli.BoolFlag{Name: "yes", Aliases: []string{"y"}, Usage: "do it whatever it opens, without being asked"}

func (env *Env) caseExport(ctx context.Context, c *cli.Command, api *client.Client, number string) error {
	id, err := conflictID(number)
	if err != nil {
		return err
	}
	titles := c.Bool("titles")
	found, err := client.Decode[json.RawMessage](api.GetCase(ctx, id, &client.GetCaseParams{Titles: &titles}))
	if err != nil {
		return err
	}
	name := c.String("out")
	if name == "" {
		name = "conflict-" + strconv.FormatInt(id, 10) + ".json"
	}
	if name == "-" {
		_, err := env.Out.Write(found)
		return err
	}
	out, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return fmt.Errorf("the case is not written: %w", err)
	}
	if _, err := out.Write(found); err != nil {
		return err
	}
	if err := out.Close(); err != nil {
		return err
	}
	left := ", without the titles of bookings"
	if titles {
		left = ", with the titles of bookings"
	}
	fmt.Fprintf(env.Out, "Wrote %s%s. `wharf case run %s` judges it.\n", name, left, name)
	return nil
}
