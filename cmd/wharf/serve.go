package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"github.com/joho/godotenv"
	"github.com/urfave/cli/v3"

	"wharf/core/echo"
	"wharf/core/ical"
	"wharf/core/reading"
	"wharf/internal/clock"
	"wharf/internal/private"
	"wharf/service"
	"wharf/service/fetch"
	"wharf/service/server"
	"wharf/service/store"
)

// serveCommand documents every setting of the service where it is set.
func serveCommand() *cli.Command {
	text := func(name, env, value, usage string) cli.Flag {
		return &cli.StringFlag{Name: name, Sources: cli.EnvVars(env), Value: value, Usage: usage}
	}
	span := func(name, env string, value time.Duration, usage string) cli.Flag {
		return &cli.DurationFlag{Name: name, Sources: cli.EnvVars(env), Value: value, Usage: usage}
	}
	return &cli.Command{
		Name:  "serve",
		Usage: "run the service",
		Description: "Every flag can also be an environment variable, or a line NAME=value of the file that --config names; " +
			"a flag wins over the environment, and that over the file. The database's password belongs into the file or the environment: " +
			"command lines are seen by all users of a machine.\n" +
			"Example: wharf serve --config /etc/wharf/settings --listen 127.0.0.1:8470",
		Flags: []cli.Flag{
			text("config", "WHARF_CONFIG", "", "file with settings, a line each: NAME=value"),
			text("listen", "WHARF_LISTEN", "127.0.0.1:8470", "address and port to serve on"),
			text("public-url", "WHARF_PUBLIC_URL", "", "how recipients reach this service, as https://wharf.example"),
			&cli.StringSliceFlag{Name: "allowed-host", Sources: cli.EnvVars("WHARF_ALLOWED_HOSTS"), Usage: "further host name under which it may be asked for"},
			text("database", "WHARF_DATABASE", "", "MariaDB, as user:password@tcp(host:port)/name; better in the file of --config"),
			text("key-file", "WHARF_KEY_FILE", defaultKeyFile(), "file with the key that seals secrets; made when missing"),
			&cli.StringSliceFlag{Name: "allow-private", Sources: cli.EnvVars("WHARF_ALLOW_PRIVATE"), Usage: "range and ports of the inner network that may be read, as 10.0.0.0/8:8000-8099"},
			span("default-every", "WHARF_DEFAULT_EVERY", 15*time.Minute, "time between readings of a feed that names none"),
			span("least-every", "WHARF_LEAST_EVERY", 5*time.Minute, "shortest time between readings that may be chosen"),
			span("fetch-timeout", "WHARF_FETCH_TIMEOUT", 30*time.Second, "longest time that a reading may take"),
			&cli.IntFlag{Name: "host-connections", Sources: cli.EnvVars("WHARF_HOST_CONNECTIONS"), Value: 4, Usage: "feeds that one host is asked for at once; more wait; 0: any number"},
			&cli.Float64Flag{Name: "host-rate", Sources: cli.EnvVars("WHARF_HOST_RATE"), Value: 20, Usage: "feeds that one host is asked for in a second, on the average; 0: any number"},
			&cli.Int64Flag{Name: "max-feed-mb", Sources: cli.EnvVars("WHARF_MAX_FEED_MB"), Value: 20, Usage: "largest feed, in megabytes"},
			&cli.IntFlag{Name: "max-feed-lines", Sources: cli.EnvVars("WHARF_MAX_FEED_LINES"), Value: 1_000_000, Usage: "lines that a feed may have"},
			&cli.IntFlag{Name: "max-feed-components", Sources: cli.EnvVars("WHARF_MAX_FEED_COMPONENTS"), Value: 200_000, Usage: "events and other components that a feed may have"},
			&cli.Int64Flag{Name: "reading-memory", Sources: cli.EnvVars("WHARF_READING_MEMORY"), Value: 512 << 20, Usage: "bytes that all readings that are going on may take together; more wait"},
			&cli.DurationFlag{Name: "whole-every", Sources: cli.EnvVars("WHARF_WHOLE_EVERY"), Value: 24 * time.Hour, Usage: "after which a feed is read whole, though it says that it has not changed"},
			&cli.FloatFlag{Name: "guard-share", Sources: cli.EnvVars("WHARF_GUARD_SHARE"), Value: 1.0 / 3, Usage: "of what a feed has to come, above which what it no longer shows stands until somebody looks; 0: nothing does"},
			&cli.IntFlag{Name: "guard-agree", Sources: cli.EnvVars("WHARF_GUARD_AGREE"), Value: 3, Usage: "further scheduled readings that must agree to let that go"},
			&cli.DurationFlag{Name: "guard-over", Sources: cli.EnvVars("WHARF_GUARD_OVER"), Value: 6 * time.Hour, Usage: "over how long they must, at least"},
			&cli.IntFlag{Name: "guard-few", Sources: cli.EnvVars("WHARF_GUARD_FEW"), Value: 3, Usage: "bookings at most for which they need not be apart"},
			&cli.IntFlag{Name: "max-bookings", Sources: cli.EnvVars("WHARF_MAX_BOOKINGS"), Value: 50000, Usage: "bookings that one feed may have on one calendar"},
			span("keep-gone", "WHARF_KEEP_GONE", 395*24*time.Hour, "how long an entry is known that its feed no longer shows (if it comes back by then, it is the same), and what entries showed before"),
			span("reflection-delay", "WHARF_REFLECTION_DELAY", echo.DefaultDelay, "how long after a pickup a platform may not show what it got yet, until that was measured; 0 for none"),
			&cli.Float64Flag{Name: "chance-limit", Sources: cli.EnvVars("WHARF_CHANCE_LIMIT"), Value: echo.DefaultLimit, Usage: "chance of an own sale below which an entry may be taken for a reflection"},
			span("lease", "WHARF_LEASE", 2*time.Minute, "time after which a reading that was never finished is done again"),
			&cli.IntFlag{Name: "workers", Sources: cli.EnvVars("WHARF_WORKERS"), Value: 8, Usage: "readings at once"},
			span("overdue-after", "WHARF_OVERDUE_AFTER", time.Hour, "time for which no recipient of a publication is overdue, however often it came before"),
			span("query-timeout", "WHARF_QUERY_TIMEOUT", store.DefaultQueryTimeout, "longest time that the database may take for one statement; then it counts as away"),
			span("request-timeout", "WHARF_REQUEST_TIMEOUT", 30*time.Second, "longest time that a request is worked on; one that reads a feed has the lease beyond it"),
			span("stop-timeout", "WHARF_STOP_TIMEOUT", 15*time.Second, "time that requests have to finish when the service stops"),
			&cli.Int64Flag{Name: "publications-mb", Sources: cli.EnvVars("WHARF_PUBLICATIONS_MB"), Value: 256, Usage: "memory for publications that are ready to be picked up, in megabytes"},
			&cli.IntFlag{Name: "max-streams", Sources: cli.EnvVars("WHARF_MAX_STREAMS"), Value: 1000, Usage: "open pages that are told of changes at once"},
			span("answer-timeout", "WHARF_ANSWER_TIMEOUT", time.Minute, "longest time that a reader may take to read an answer"),
			&cli.IntFlag{Name: "max-readers", Sources: cli.EnvVars("WHARF_MAX_READERS"), Value: 50, Usage: "answers of one publication that are on the way at once, a fifth of them to one address; 0: any number"},
			&cli.IntFlag{Name: "max-unknown", Sources: cli.EnvVars("WHARF_MAX_UNKNOWN"), Value: 60, Usage: "links that lead nowhere that an address may ask for in a minute; 0: any number"},
			&cli.StringSliceFlag{Name: "trusted-proxy", Sources: cli.EnvVars("WHARF_TRUSTED_PROXIES"), Usage: "address or range of a proxy that is believed about where requests come from; none by default"},
			text("log-level", "WHARF_LOG_LEVEL", "info", "debug, info, warn or error"),
			text("log-format", "WHARF_LOG_FORMAT", "text", "text or json"),
		},
		Action: serve,
	}
}

func defaultKeyFile() string {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "wharf.key"
	}
	return filepath.Join(dir, "wharf", "service.key")
}

func serve(ctx context.Context, c *cli.Command) error {
	if c.String("database") == "" {
		return fmt.Errorf("no database is named: write WHARF_DATABASE=user:password@tcp(127.0.0.1:3306)/wharf into a file, and give its name with --config")
	}
	var level slog.Level
	if err := level.UnmarshalText([]byte(c.String("log-level"))); err != nil {
		return fmt.Errorf("--log-level %q is not known: use debug, info, warn or error", c.String("log-level"))
	}
	options := &slog.HandlerOptions{Level: level}
	var handler slog.Handler = slog.NewTextHandler(os.Stderr, options)
	if c.String("log-format") == "json" {
		handler = slog.NewJSONHandler(os.Stderr, options)
	}
	echoes := echo.Rules{Limit: c.Float64("chance-limit"), Delay: c.Duration("reflection-delay")}
	if err := echoes.Check(); err != nil {
		return fmt.Errorf("--chance-limit: %w", err)
	}
	switch {
	case echoes.Delay < 0:
		return fmt.Errorf("--reflection-delay %s is below zero: use 0 for none", echoes.Delay)
	case echoes.Delay == 0:
		echoes.Delay = -1 // none; 0 is the default
	}
	return service.Run(ctx, service.Config{
		Listen: c.String("listen"), PublicURL: c.String("public-url"), AllowedHosts: c.StringSlice("allowed-host"),
		Database: c.String("database"), KeyFile: c.String("key-file"), AllowPrivate: c.StringSlice("allow-private"),
		DefaultEvery: c.Duration("default-every"), LeastEvery: c.Duration("least-every"),
		FetchTimeout: c.Duration("fetch-timeout"), MaxFeedBytes: c.Int64("max-feed-mb") << 20, Polite: fetch.Polite{Connections: c.Int("host-connections"), PerSecond: c.Float64("host-rate")},
		MaxBookings: max(1, c.Int("max-bookings")), KeepGone: c.Duration("keep-gone"), WholeEvery: c.Duration("whole-every"), Limits: feedLimits(c), Memory: c.Int64("reading-memory"), Guard: reading.Guard{Share: c.Float("guard-share"), Agree: c.Int("guard-agree"), Over: c.Duration("guard-over"), Few: c.Int("guard-few")}, Lease: c.Duration("lease"), Workers: max(1, c.Int("workers")), StopTimeout: c.Duration("stop-timeout"),
		Echoes:       echoes,
		OverdueAfter: c.Duration("overdue-after"), QueryTimeout: c.Duration("query-timeout"), RequestTimeout: c.Duration("request-timeout"),
		ShelfBytes: c.Int64("publications-mb") << 20, MaxStreams: max(1, c.Int("max-streams")),
		TrustedProxies: c.StringSlice("trusted-proxy"), Readers: server.Readers{Timeout: c.Duration("answer-timeout"), Most: c.Int("max-readers"), Unknown: c.Int("max-unknown")},
		Now: clock.Now, Log: slog.New(handler), Print: func(line string) { fmt.Println(line) },
	})
}

// loadSettingsFile puts the lines of the settings file into the environment, where
// nothing is set yet. It must run before flags are read.
func loadSettingsFile(args []string) error {
	name := os.Getenv("WHARF_CONFIG")
	for i, arg := range args {
		if arg == "--config" && i+1 < len(args) {
			name = args[i+1]
		} else if len(arg) > 9 && arg[:9] == "--config=" {
			name = arg[9:]
		}
	}
	if name == "" {
		return nil
	}
	if err := private.File(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		slog.Warn("the settings file is not private", "error", err) // its owner may be somebody else
	}
	if err := godotenv.Load(name); err != nil {
		return fmt.Errorf("the settings file %s cannot be read (%w): write a line NAME=value for each setting", name, err)
	}
	return nil
}

// feedLimits are the limits of a feed's document.
func feedLimits(c *cli.Command) ical.Limits {
	l := ical.DefaultLimits()
	l.Bytes, l.Lines, l.Components = c.Int64("max-feed-mb")<<20, c.Int("max-feed-lines"), c.Int("max-feed-components")
	return l
}
