package cli

import (
	"bufio"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

var (
	yesFlag      = &cli.BoolFlag{Name: "yes", Aliases: []string{"y"}, Usage: "remove it whatever is lost, without being asked"}
	revisionFlag = &cli.Int64Flag{Name: "revision", Usage: "change it only if it is still at this revision", DefaultText: "the newest"}
)

// revisionOf is the revision that an edit starts from.
func revisionOf(c *cli.Command, newest int64) int64 {
	if c.IsSet("revision") {
		return c.Int64("revision")
	}
	return newest
}

// textOf is the value of a flag, or nil when it was not given.
func textOf[T ~string](c *cli.Command, flag string) *T {
	if !c.IsSet(flag) {
		return nil
	}
	v := T(c.String(flag))
	return &v
}

// boolOf is the value of a flag, or nil when it was not given.
func boolOf(c *cli.Command, flag string) *bool {
	if !c.IsSet(flag) {
		return nil
	}
	v := c.Bool(flag)
	return &v
}

// numberOf is the value of a flag, or nil when it was not given.
func numberOf(c *cli.Command, flag string) *int {
	if !c.IsSet(flag) {
		return nil
	}
	v := c.Int(flag)
	return &v
}

// anyOf refuses an edit that changes nothing.
func anyOf(c *cli.Command, flags ...string) error {
	for _, f := range flags {
		if c.IsSet(f) {
			return nil
		}
	}
	return usagef("say what to change, with one or more of --%s", strings.Join(flags, ", --"))
}

// remove removes a thing. What would be lost by it is said first, and asked about.
func (env *Env) remove(c *cli.Command, what string, call func(confirm *string) (*http.Response, error)) error {
	if _, err := confirmed[struct{}](env, c, "Remove "+clean(what)+" all the same?", "nothing was removed: answer y, or give --yes, if "+clean(what)+" is to go all the same", call); err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "Removed %s.\n", clean(what))
	return nil
}

// confirmed makes a call, once more with what confirms it where something is lost by it and a person agrees.
func confirmed[T any](env *Env, c *cli.Command, question, refused string, call func(confirm *string) (*http.Response, error)) (T, error) {
	v, err := client.Decode[T](call(nil))
	var loss *client.ProblemError
	if errors.As(err, &loss) && loss.Confirm != nil && loss.Loses != nil {
		for _, sentence := range *loss.Loses {
			fmt.Fprintln(env.Err, clean(sentence))
		}
		if !c.Bool("yes") && !env.agrees(question) {
			return v, errors.New(refused)
		}
		return client.Decode[T](call(loss.Confirm))
	}
	return v, err
}

// agrees asks a question; no answer is no.
func (env *Env) agrees(question string) bool {
	fmt.Fprintf(env.Err, "%s [y/N] ", question)
	answer, _ := bufio.NewReader(env.In).ReadString('\n') // the last line may lack its end
	answer = strings.ToLower(strings.TrimSpace(answer))
	return answer == "y" || answer == "yes"
}

// printChanged says that a thing is changed, or prints it.
func printChanged[T any](env *Env, c *cli.Command, name string, revision int64, v T) error {
	if c.Bool("json") {
		return printJSON(env.Out, []T{v})
	}
	fmt.Fprintf(env.Out, "Changed %s; it is at revision %d.\n", clean(name), revision)
	return nil
}
