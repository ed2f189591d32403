package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

// What a platform asks for.
var (
	userFlag     = &cli.StringFlag{Name: "user", Usage: "user name that the platform asks for"}
	passwordFlag = &cli.StringFlag{Name: "password-file", Usage: "file with the password that it asks for; - is standard input"}
)

func (env *Env) tryCommand() *cli.Command {
	return &cli.Command{
		Name: "try", Usage: "look at what links give, before anything is kept", ArgsUsage: "LINK...",
		Description: "Nothing is kept. - reads links from standard input, one a line. Exits with 1 when a link gives no calendar.\n" +
			"Example: wharf feed try webcal://127.0.0.1:8471/ical/merrow-2f6c91d04b/ketch.ics",
		Flags: []cli.Flag{
			userFlag, passwordFlag,
			&cli.StringFlag{Name: "zone", Usage: "zone in which times are shown", DefaultText: "this machine's"},
			jsonFlag,
		},
		Action: env.connected(env.feedTry),
	}
}

// linksAtOnce is how many links are tried in one call.
const linksAtOnce = 5

func (env *Env) feedTry(ctx context.Context, c *cli.Command, api *client.Client) error {
	links, err := env.linksOf(c)
	if err != nil {
		return err
	}
	user, password, err := env.passwordOf(c)
	if err != nil {
		return err
	}
	zone := c.String("zone")
	if zone == "" {
		zone = localZone()
	}
	failed := 0
	for few := range slices.Chunk(links, linksAtOnce) {
		r := client.TrialRequest{Zone: &zone}
		for _, link := range few {
			file, err := env.fileOf(link)
			if err != nil {
				return err
			}
			one := struct {
				File     *client.FeedFile `json:"file,omitempty"`
				Password *string          `json:"password,omitempty"`
				Url      *string          `json:"url,omitempty"`
				User     *string          `json:"user,omitempty"`
			}{File: file}
			if file == nil {
				one.Url = &link
			}
			if user != "" {
				one.User, one.Password = &user, &password
			}
			r.Links = append(r.Links, one)
		}
		trials, err := client.Decode[[]client.Trial](api.TryLinks(ctx, r))
		if err != nil {
			return err
		}
		for _, t := range trials {
			if t.Problem != nil {
				failed++
			}
			if !c.Bool("json") {
				env.printTrial(t)
			}
		}
		if c.Bool("json") {
			if err := printJSON(env.Out, trials); err != nil {
				return err
			}
		}
	}
	if failed > 0 {
		return fmt.Errorf("%d of %s no calendar: look at what is said of each", failed, count(len(links), "link gives", "links give"))
	}
	return nil
}

// linksOf are the links that a command is given.
func (env *Env) linksOf(c *cli.Command) ([]string, error) {
	var links []string
	for _, arg := range c.Args().Slice() {
		if arg != "-" {
			links = append(links, arg)
			continue
		}
		lines := bufio.NewScanner(env.In)
		for lines.Scan() {
			if line := strings.TrimSpace(lines.Text()); line != "" {
				links = append(links, line)
			}
		}
	}
	if len(links) == 0 {
		return nil, usagef("name the links: wharf feed try LINK...")
	}
	return links, nil
}

// passwordOf is what the platform asks for, from the flags.
func (env *Env) passwordOf(c *cli.Command) (user, password string, err error) {
	user = c.String("user")
	file := c.String("password-file")
	switch {
	case file == "":
		return user, "", nil
	case user == "":
		return "", "", usagef("--password-file needs --user")
	case file == "-":
		line, err := bufio.NewReader(env.In).ReadString('\n')
		if err != nil && line == "" {
			return "", "", errors.New("no password came on standard input")
		}
		return user, strings.TrimRight(line, "\r\n"), nil
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return "", "", fmt.Errorf("the password file cannot be read (%w)", err)
	}
	return user, strings.TrimRight(string(text), "\r\n"), nil
}

// localZone is the IANA name of this machine's zone, as well as it is known.
func localZone() string {
	if name := time.Local.String(); name != "Local" {
		return name
	}
	if name, err := os.ReadFile("/etc/timezone"); err == nil {
		return strings.TrimSpace(string(name))
	}
	return "UTC"
}

// printTrial says what a link gives.
func (env *Env) printTrial(t client.Trial) {
	fmt.Fprintln(env.Out, clean(t.Link))
	defer fmt.Fprintln(env.Out)
	if t.Problem != nil {
		fmt.Fprintf(env.Out, "  %s\n", clean(*t.Problem))
		for _, o := range t.Offers {
			fmt.Fprintf(env.Out, "  Found there: %s\n    %s\n", clean(orUntitled(o.Name)), clean(o.Link))
		}
		return
	}
	p := t.Preview
	fmt.Fprintf(env.Out, "  %s\n", strings.Join(previewWords(*p), ", ")+".")
	for _, line := range trialLines(t) {
		fmt.Fprintf(env.Out, "  %s\n", clean(line))
	}
	if len(p.Next) > 0 {
		rows := make([]table.Row, len(p.Next))
		for i, b := range p.Next {
			rows[i] = table.Row{previewWhen(b), previewLength(b), clean(orUntitled(b.Title))}
		}
		printTable(env.Out, table.Row{"Next bookings", "", "Title"}, rows)
	}
	for _, remark := range t.Remarks {
		fmt.Fprintf(env.Out, "  Remark, %s\n", clean(remark))
	}
}

// previewWords say what is in a feed, in numbers.
func previewWords(p client.Preview) []string {
	words := []string{count(p.Entries, "entry", "entries")}
	if p.First != nil && p.Last != nil {
		words[0] += " from " + p.First.Format("2 Jan 2006") + " to " + p.Last.Format("2 Jan 2006")
	}
	for _, n := range []struct {
		n    int
		word string
	}{{p.Recurring, "recurring"}, {p.Tentative, "tentative"}, {p.Cancelled, "called off"}, {p.Free, "not blocking"}, {p.Endless, "without an end"}} {
		if n.n > 0 {
			words = append(words, fmt.Sprintf("%d %s", n.n, n.word))
		}
	}
	if len(p.Zones) > 0 {
		words = append(words, "times in "+clean(strings.Join(p.Zones, ", ")))
	}
	return words
}

// trialLines are the sentences on a link that gives a calendar.
func trialLines(t client.Trial) []string {
	var lines []string
	if t.Preview.Name != "" {
		lines = append(lines, "It calls itself “"+t.Preview.Name+"”.")
	}
	if t.Preview.Entries == 0 {
		lines = append(lines, "There is nothing in it: check in the platform that bookings are exported.")
	}
	for _, f := range t.Same {
		lines = append(lines, "You subscribe to this link already: "+f.Name+".")
	}
	for _, f := range t.Alike {
		lines = append(lines, "You subscribe to the same entries already, under another link: "+f.Name+".")
	}
	if len(t.Fewer) > 0 {
		lines = append(lines, "The link itself asks for less than all: "+strings.Join(t.Fewer, ", ")+".")
	}
	if g := t.Preview.Grain; g != nil {
		lines = append(lines, "It fits a calendar by the "+map[client.Grain]string{client.Night: "night", client.Day: "day", client.Time: "hour (--grain time)"}[*g]+".")
	}
	if p := t.Proposal; p != nil {
		lines = append(lines, fmt.Sprintf("Proposed: --name %q --platform %q --every %s", p.Name, p.Platform, flagged(time.Duration(p.Every)*time.Second)))
	}
	return lines
}

// flagged is a time span as a flag takes it.
func flagged(d time.Duration) string {
	switch {
	case d%time.Hour == 0:
		return fmt.Sprintf("%dh", d/time.Hour)
	case d%time.Minute == 0:
		return fmt.Sprintf("%dm", d/time.Minute)
	}
	return d.String()
}

func previewWhen(b client.PreviewBooking) string {
	if b.AllDay {
		return b.Start.Format("Mon 2 Jan 2006") + " – " + b.End.Format("Mon 2 Jan")
	}
	if b.Nights == 0 {
		return b.Start.Format("Mon 2 Jan 2006 15:04") + " – " + b.End.Format("15:04")
	}
	return b.Start.Format("Mon 2 Jan 2006 15:04") + " – " + b.End.Format("Mon 2 Jan 15:04")
}

func previewLength(b client.PreviewBooking) string {
	words := count(b.Nights, "night", "nights")
	if b.Nights == 0 {
		words = "within a day"
	}
	if b.Tentative {
		words += ", tentative"
	}
	return words
}

func orUntitled(title string) string {
	if title == "" {
		return "Untitled"
	}
	return title
}
