package cli

import (
	"context"
	"fmt"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/core/judge"
	"wharf/core/span"
	"wharf/internal/sentences"
)

func caseCommand(env *Env) *cli.Command {
	return &cli.Command{
		Name:  "case",
		Usage: "recorded facts: judge them without a service, or write those of a conflict",
		Commands: []*cli.Command{{
			Name: "run", Usage: "judge a case file and say what each verdict rests on", ArgsUsage: "FILE...",
			Description: "Example: wharf case run demo/files/race-window.json",
			Flags:       []cli.Flag{&cli.BoolFlag{Name: "json", Usage: "one JSON object a line"}},
			Action:      env.caseRun,
		}, {
			Name: "export", Usage: "write what a conflict rests on as a case file", ArgsUsage: "CONFLICT",
			Description: "Titles of bookings are put in other words, the same for the same, unless --titles is given.\nExample: wharf case export 1 --out clash.json",
			Flags: []cli.Flag{&cli.BoolFlag{Name: "titles", Usage: "with the titles of bookings"},
				&cli.StringFlag{Name: "out", Usage: "file to write; - for the standard output", DefaultText: "conflict-ID.json"}},
			Action: env.onOne(env.caseExport),
		}},
	}
}

// caseLine is a verdict as --json gives it.
type caseLine struct {
	File     string `json:"file"`
	Booking  string `json:"booking"`
	Platform string `json:"platform,omitempty"`
	Start    string `json:"start"`
	End      string `json:"end"`
	judge.CaseVerdict
	Evidence string `json:"evidence,omitempty"`
}

func (env *Env) caseRun(ctx context.Context, c *cli.Command) error {
	names, err := files(c, 0)
	if err != nil {
		return err
	}
	unmet := false
	for _, name := range names {
		k, out, err := env.judged(ctx, name)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		grain := span.Grain(k.Calendar.Grain)
		var lines []caseLine
		var rows []table.Row
		for _, v := range out.Verdicts {
			evidence := sentences.Of(v.Evidence, sentences.Names{Grain: grain, Own: idOf(out.Platforms, v.Platform), Of: func(id int64) string { return out.Platforms[id-1] }})
			lines = append(lines, caseLine{name, v.Name, v.Platform, v.Start, v.End, v.Brief(), evidence})
			rows = append(rows, table.Row{clean(v.Name), clean(v.Platform), v.Start, v.End, v.Kind, evidence})
		}
		differs := out.Differs(k)
		unmet = unmet || len(differs) > 0
		if c.Bool("json") {
			if err := printJSON(env.Out, lines); err != nil {
				return err
			}
		} else {
			fmt.Fprintf(env.Out, "%s: %s\n\n", name, clean(k.About))
			printTable(env.Out, table.Row{"Booking", "Platform", "From", "Until", "Verdict", "Evidence"}, rows)
			for _, conflict := range out.Conflicts {
				fmt.Fprintf(env.Out, "%s\n", clean(kindWords(conflict)))
			}
		}
		for _, d := range differs {
			fmt.Fprintf(env.Err, "%s: %s\n", name, clean(d))
		}
	}
	if unmet {
		return errUnmet
	}
	return nil
}

// judged reads a case file and judges it.
func (env *Env) judged(ctx context.Context, name string) (k judge.Case, out judge.Outcome, err error) {
	f, err := env.open(name)
	if err != nil {
		return k, out, err
	}
	defer f.Close()
	if k, err = judge.ReadCase(f); err != nil {
		return k, out, err
	}
	out, err = k.Run(ctx)
	return k, out, err
}

// idOf is the ID of a platform of a case; 0 for none.
func idOf(platforms []string, name string) int64 {
	for i, p := range platforms {
		if p == name {
			return int64(i + 1)
		}
	}
	return 0
}
