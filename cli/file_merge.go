package cli

import (
	"bytes"
	"fmt"
	"os"

	"github.com/urfave/cli/v3"

	"wharf/core/ical"
	"wharf/core/publish"
)

func (env *Env) fileMerge(c *cli.Command) error {
	names, err := files(c, 0)
	if err != nil {
		return err
	}
	var calendars []*ical.Component
	failed := 0
	for _, name := range names {
		found, err := env.calendarsIn(c, name)
		if err != nil {
			fmt.Fprintln(env.Err, "wharf: "+err.Error())
			failed++
		}
		calendars = append(calendars, found...)
	}
	if len(calendars) == 0 {
		return errUnmet
	}
	merged, diags := publish.Merge(calendars)
	env.sayer("merged")(diags...)
	if err := env.writeOutput(c.String("output"), merged); err != nil {
		return err
	}
	if failed > 0 {
		return fmt.Errorf("%d of %d files are not or not wholly in the merged calendar: see above", failed, len(names))
	}
	return nil
}

func (env *Env) calendarsIn(c *cli.Command, name string) ([]*ical.Component, error) {
	f, err := env.open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	r := reader(c, f)
	r.Raw = true // what is taken over is not to be written anew
	calendars, err := r.ReadAll()
	env.sayer(name)(r.Diagnostics...)
	return calendars, named(name, err)
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
