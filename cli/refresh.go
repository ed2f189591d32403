package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"sync"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"wharf/api/client"
)

// refreshed is a line of `refresh --json`.
type refreshed struct {
	Feed    int64           `json:"feed"`
	Name    string          `json:"name"`
	Reading *client.Reading `json:"reading,omitempty"`
	Error   string          `json:"error,omitempty"`
}

// refreshAtOnce is how many feeds are asked for at the same time.
const refreshAtOnce = 4

func (env *Env) feedRefresh(ctx context.Context, c *cli.Command) error {
	if c.Bool("all") == (c.Args().Len() > 0) {
		return usagef("name the feeds to read, or give --all: see `wharf feed refresh --help`")
	}
	api, err := env.connect(c)
	if err != nil {
		return err
	}
	var feeds []client.Feed
	if c.Bool("all") {
		if feeds, err = client.Decode[[]client.Feed](api.ListFeeds(ctx, nil)); err != nil {
			return err
		}
		feeds = slices.DeleteFunc(feeds, func(f client.Feed) bool { return f.Uploaded != nil }) // nothing is read of a file
	}
	for _, ref := range c.Args().Slice() {
		f, err := feedNamed(ctx, api, ref)
		if err != nil {
			return err
		}
		feeds = append(feeds, f)
	}
	return env.refresh(ctx, api, feeds, c.Bool("json"))
}

// refresh reads feeds, several at once, and says how each went in the order given. On a
// terminal each shows its progress while it is read.
func (env *Env) refresh(ctx context.Context, api *client.Client, feeds []client.Feed, asJSON bool) error {
	results := make([]refreshed, len(feeds))
	done := make([]chan struct{}, len(feeds))
	for i := range done {
		done[i] = make(chan struct{})
	}
	show := env.startProgress(len(feeds))
	room := make(chan struct{}, refreshAtOnce)
	var all sync.WaitGroup
	all.Go(func() {
		for i, f := range feeds {
			room <- struct{}{}
			tracked := show.track(clean(f.Name))
			all.Go(func() {
				defer func() { <-room; close(done[i]) }()
				results[i] = readOne(ctx, api, f)
				tracked(results[i].Error == "")
			})
		}
	})
	if show.writer != nil {
		all.Wait()
		show.end()
	}
	failed := 0
	for i := range results {
		<-done[i]
		r := results[i]
		if r.Error != "" {
			failed++
		}
		if err := env.sayRefreshed(r, asJSON); err != nil {
			return err
		}
	}
	all.Wait()
	if failed > 0 {
		return errors.New(count(failed, "feed", "feeds") + " could not be read; their bookings stay as they were")
	}
	return nil
}

func readOne(ctx context.Context, api *client.Client, f client.Feed) refreshed {
	line := refreshed{Feed: f.Id, Name: f.Name}
	r, err := client.Decode[client.Reading](api.CreateReading(ctx, f.Id))
	switch {
	case err != nil:
		line.Error = err.Error()
	case r.Outcome == client.Failed:
		line.Reading, line.Error = &r, *r.Message
	default:
		line.Reading = &r
	}
	return line
}

func (env *Env) sayRefreshed(r refreshed, asJSON bool) error {
	switch {
	case asJSON:
		return printJSON(env.Out, []refreshed{r})
	case r.Error != "":
		fmt.Fprintf(env.Out, "%s: failed: %s\n", clean(r.Name), clean(r.Error))
	case r.Reading.Outcome == client.Changed:
		fmt.Fprintf(env.Out, "%s: %s, %s\n", clean(r.Name), count(r.Reading.Entries, "entry", "entries"), changeWords(*r.Reading))
	default:
		fmt.Fprintf(env.Out, "%s: %s, unchanged\n", clean(r.Name), count(r.Reading.Entries, "entry", "entries"))
	}
	return nil
}

// progressShow is what a person sees on a terminal meanwhile; without one it is silent.
type progressShow struct {
	writer progress.Writer
	over   chan struct{} // closed when there is nothing more to show
	ended  chan struct{} // closed when nothing is shown any more
}

func (env *Env) startProgress(n int) progressShow {
	out, ok := env.Err.(*os.File)
	if !ok || n == 0 || !term.IsTerminal(int(out.Fd())) {
		return progressShow{}
	}
	w := progress.NewWriter()
	w.SetOutputWriter(out)
	w.SetNumTrackersExpected(n)
	w.SetUpdateFrequency(100 * time.Millisecond)
	w.SetTrackerLength(12)
	w.SetTrackerPosition(progress.PositionRight)
	w.SetMessageLength(40)
	style := progress.StyleDefault
	style.Visibility = progress.StyleVisibility{Time: true, Tracker: true, TrackerOverall: n > 1}
	style.Options.DoneString, style.Options.ErrorString = "read", "failed"
	w.SetStyle(style)
	show := progressShow{w, make(chan struct{}), make(chan struct{})}
	go func() {
		defer close(show.ended)
		select {
		case <-show.over:
		case <-time.After(time.Second): // what is done sooner needs none
			w.Render()
		}
	}()
	return show
}

// track shows a line for one feed until the function it returns is called.
func (s progressShow) track(name string) func(good bool) {
	if s.writer == nil {
		return func(bool) {}
	}
	t := &progress.Tracker{Message: name}
	s.writer.AppendTracker(t)
	return func(good bool) {
		if good {
			t.MarkAsDone()
		} else {
			t.MarkAsErrored()
		}
	}
}

func (s progressShow) end() {
	close(s.over)
	s.writer.Stop()
	<-s.ended
}
