package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"wharf/api/client"
	"wharf/internal/private"
)

// login is what `wharf login` saves.
type login struct {
	Server string `json:"server"`
	Token  string `json:"token"`
}

const defaultServer = "http://127.0.0.1:8470"

func loginFile() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf("there is no place to keep the login (%w): give --server and --token each time", err)
	}
	return filepath.Join(dir, "wharf", "login.json"), nil
}

func savedLogin() (login, error) {
	file, none := loginFile()
	if none != nil {
		return login{}, nil // without a place there is no saved login
	}
	text, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return login{}, nil
	}
	var l login
	if err == nil {
		err = private.File(file)
	}
	if err == nil {
		err = json.Unmarshal(text, &l)
	}
	if err != nil {
		return login{}, fmt.Errorf("the saved login %s cannot be read (%w): run `wharf login` again", file, err)
	}
	return l, nil
}

// serverOf is the address to call, without a slash at its end.
func serverOf(c *cli.Command, saved login) (string, error) {
	address := c.String("server")
	if address == "" {
		address = saved.Server
	}
	if address == "" {
		address = defaultServer
	}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return "", usagef("--server %q is not an address: write it as http://127.0.0.1:8470", address)
	}
	return strings.TrimRight(address, "/"), nil
}

// connect returns the API as the saved login, or --server and --token, reach it.
func (env *Env) connect(c *cli.Command) (*client.Client, error) {
	saved, err := savedLogin()
	if err != nil {
		return nil, err
	}
	server, err := serverOf(c, saved)
	if err != nil {
		return nil, err
	}
	token := c.String("token")
	if token == "" && server == saved.Server {
		token = saved.Token
	}
	if token == "" {
		return nil, fmt.Errorf("not logged in to %s: run `wharf login --server %s`", server, server)
	}
	return newClient(server, token)
}

func newClient(server, token string) (*client.Client, error) {
	return client.NewClient(server+"/api/v1", client.WithHTTPClient(caller{server, &http.Client{Timeout: 5 * time.Minute}}),
		client.WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
			if token != "" {
				r.Header.Set("Authorization", "Bearer "+token)
			}
			return nil
		}))
}

// errLoginEnded: the token is unknown, expired or revoked.
var errLoginEnded = errors.New("the login is not valid any more")

// caller explains what goes wrong on the way.
type caller struct {
	server string
	http   *http.Client
}

func (c caller) Do(r *http.Request) (*http.Response, error) {
	resp, err := c.http.Do(r)
	switch {
	case err == nil && resp.StatusCode == http.StatusUnauthorized && r.Header.Get("Authorization") != "":
		_ = resp.Body.Close()
		return nil, fmt.Errorf("%w at %s: run `wharf login --server %s`", errLoginEnded, c.server, c.server)
	case errors.Is(err, syscall.ECONNREFUSED):
		return nil, fmt.Errorf("no service answers at %s: start it with `wharf serve`, or give --server", c.server)
	case err != nil:
		return nil, fmt.Errorf("the service at %s cannot be reached: %w", c.server, err)
	}
	return resp, nil
}

func (env *Env) loginCommand() *cli.Command {
	return &cli.Command{
		Name: "login", Usage: "log in to a service and keep the login",
		Description: "Example: wharf login --server http://127.0.0.1:8470 --name harbour",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "name", Usage: "name of the account; asked for when left out"},
			&cli.BoolFlag{Name: "password-stdin", Usage: "read the password from standard input instead of asking"},
		},
		Action: env.login,
	}
}

func (env *Env) login(ctx context.Context, c *cli.Command) error {
	saved, err := savedLogin()
	if err != nil {
		return err
	}
	server, err := serverOf(c, saved)
	if err != nil {
		return err
	}
	name, password, err := env.credentials(c)
	if err != nil {
		return err
	}
	api, err := newClient(server, "")
	if err != nil {
		return err
	}
	host, err := os.Hostname()
	if err != nil {
		host = "unknown machine"
	}
	token, err := client.Decode[client.Token](api.CreateToken(ctx, client.TokenRequest{Name: name, Password: password, Label: "wharf on " + host}))
	if err != nil {
		return err
	}
	if err := saveLogin(login{server, token.Token}); err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "Logged in to %s as %s.\n", server, name)
	return nil
}

func (env *Env) passwordCommand() *cli.Command {
	return &cli.Command{
		Name: "password", Usage: "change your password, which ends all other logins",
		Description: "It asks for the old password, then for the new one; or both come on standard input, a line each.\nExample: wharf password --help",
		Action:      env.connected(env.password),
	}
}

func (env *Env) password(ctx context.Context, _ *cli.Command, api *client.Client) error {
	in := bufio.NewReader(env.In)
	was, err := env.secretLine(in, "Old password: ")
	if err != nil {
		return err
	}
	next, err := env.secretLine(in, "New password: ")
	if err != nil {
		return err
	}
	if _, err := client.Decode[struct{}](api.ChangePassword(ctx, client.PasswordRequest{Old: was, New: next})); err != nil {
		return err
	}
	fmt.Fprintln(env.Out, "Changed. All other logins have ended.")
	return nil
}

// secretLine reads a line that is not shown where it is typed.
func (env *Env) secretLine(in *bufio.Reader, question string) (string, error) {
	if stdin := int(os.Stdin.Fd()); env.In == os.Stdin && term.IsTerminal(stdin) {
		fmt.Fprint(env.Err, question)
		typed, err := term.ReadPassword(stdin)
		fmt.Fprintln(env.Err)
		return string(typed), err
	}
	line, _ := in.ReadString('\n') // the last line may lack its end
	if line = strings.TrimRight(line, "\r\n"); line == "" {
		return "", errors.New("no password was given: type it, or pass it on standard input, a line each where there are two")
	}
	return line, nil
}

func (env *Env) credentials(c *cli.Command) (name, password string, err error) {
	in := bufio.NewReader(env.In)
	name = c.String("name")
	if name == "" {
		if c.Bool("password-stdin") {
			return "", "", usagef("--password-stdin needs --name")
		}
		fmt.Fprint(env.Err, "Name: ")
		if name, err = in.ReadString('\n'); err != nil {
			return "", "", errors.New("no name was given")
		}
		name = strings.TrimSpace(name)
	}
	password, err = env.secretLine(in, "Password: ")
	return name, password, err
}

func saveLogin(l login) error {
	file, err := loginFile()
	if err != nil {
		return err
	}
	text, err := json.Marshal(l)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	return os.WriteFile(file, text, 0o600)
}

// find returns the one that ref names, by its number or its name.
func find[T any](all []T, kind, ref string, id func(T) int64, name func(T) string) (T, error) {
	number, _ := strconv.ParseInt(ref, 10, 64) // 0 is nobody's
	for _, v := range all {
		if name(v) == ref || id(v) == number {
			return v, nil
		}
	}
	for _, v := range all {
		if strings.EqualFold(name(v), ref) {
			return v, nil
		}
	}
	var none T
	return none, fmt.Errorf("there is no %s %q: `wharf %s list` shows them", kind, ref, kind)
}

func calendarNamed(ctx context.Context, api *client.Client, ref string) (client.Calendar, error) {
	all, err := client.Decode[[]client.Calendar](api.ListCalendars(ctx, nil))
	if err != nil {
		return client.Calendar{}, err
	}
	return find(all, "calendar", ref, func(c client.Calendar) int64 { return c.Id }, func(c client.Calendar) string { return c.Name })
}

func feedNamed(ctx context.Context, api *client.Client, ref string) (client.Feed, error) {
	all, err := client.Decode[[]client.Feed](api.ListFeeds(ctx, nil))
	if err != nil {
		return client.Feed{}, err
	}
	return find(all, "feed", ref, func(f client.Feed) int64 { return f.Id }, func(f client.Feed) string { return f.Name })
}

// connected is the action of a command that talks to the service.
func (env *Env) connected(do func(ctx context.Context, c *cli.Command, api *client.Client) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		api, err := env.connect(c)
		if err != nil {
			return err
		}
		return do(ctx, c, api)
	}
}

// onOne is the action of a command that takes exactly one argument and talks to the
// service about it.
func (env *Env) onOne(do func(ctx context.Context, c *cli.Command, api *client.Client, arg string) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		if c.Args().Len() != 1 {
			return usagef("%s takes %s: see `%s --help`", c.FullName(), c.ArgsUsage, c.FullName())
		}
		api, err := env.connect(c)
		if err != nil {
			return err
		}
		return do(ctx, c, api, c.Args().First())
	}
}
