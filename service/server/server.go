// Package server is the service's HTTP side: the API, the published feeds and their
// pickups, the console's files, health and metrics. It is the only room that knows Gin.
//
// A request passes, in this order: recovery, the log, the security headers, the host
// allow-list, the check against cross-site use, and for the API the contract and the login.
package server

import (
	"context"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"wharf/api"
	gen "wharf/api/server"
	"wharf/service/account"
	"wharf/service/desk"
	"wharf/service/events"
	"wharf/service/refresh"
	"wharf/service/shelf"
	"wharf/service/store"
)

// Config is what the server serves, and how.
type Config struct {
	Store     *store.Store
	Accounts  *account.Accounts
	Refresher *refresh.Refresher
	Desk      *desk.Desk
	Shelf     *shelf.Shelf
	Hub       *events.Hub
	Console   fs.FS
	Log       *slog.Logger
	Now       func() time.Time
	Registry  *prometheus.Registry

	PublicURL    *url.URL       // as recipients reach it; no path
	AllowedHosts []string       // further names under which it may be asked for
	MaxStreams   int            // open pages at once
	MaxFeedBytes int64          // of a file that is uploaded
	Proxies      []netip.Prefix // that are believed about where a request comes from
	Readers      Readers
	// RequestTimeout bounds how long an operation is worked on; one that reads a feed has
	// ReadingTimeout beyond that. 0 is no bound.
	RequestTimeout, ReadingTimeout time.Duration
	// QueryTimeout bounds how long a request waits for the database to say who asks, so that
	// all hear within seconds that it is away, however many they are.
	QueryTimeout time.Duration
	OverdueAfter time.Duration // for which no recipient of a publication is overdue
}

// server implements the operations of the contract.
type server struct {
	Config
	attempts *attempts // at passwords
	failed   prometheus.Counter
	served   *prometheus.CounterVec
	colors   []string // that feeds may have
}

// New returns the handler of everything.
func New(c Config) (http.Handler, error) {
	s := &server{Config: c, attempts: newAttempts(),
		failed: prometheus.NewCounter(prometheus.CounterOpts{Name: "wharf_failed_logins_total", Help: "Passwords that were wrong, or came too often."}),
		served: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "wharf_publication_requests_total", Help: "Requests for publications by status."}, []string{"status"})}
	pages := prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "wharf_subscribers", Help: "Open pages that are told of changes."},
		func() float64 { return float64(c.Hub.Pages()) })
	c.Registry.MustRegister(s.served, s.failed, pages)
	contract, err := newContract(api.Contract)
	if err != nil {
		return nil, err
	}
	s.colors = contract.colors
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.ContextWithFallback = true
	r.HandleMethodNotAllowed = true
	if err := r.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	r.Use(s.recover, s.log, s.securityHeaders, s.checkHost, s.checkOrigin)
	// Publications are kept packed; a stream must not be held back.
	r.Use(gzip.Gzip(gzip.DefaultCompression, gzip.WithExcludedPathsRegexs([]string{`^/p/`, `^/api/v1/changes$`})))
	r.GET("/healthz", func(g *gin.Context) { g.String(http.StatusOK, "ok\n") })
	r.GET("/readyz", s.ready)
	r.GET("/metrics", s.localOnly, gin.WrapH(promhttp.HandlerFor(c.Registry, promhttp.HandlerOpts{DisableCompression: true})))
	r.GET("/api/v1/openapi.yaml", func(g *gin.Context) { g.Data(http.StatusOK, "application/yaml", api.Contract) })
	routes := r.Group("/api/v1", contract.validate(s), s.bound, s.authenticate)
	handler := gen.NewStrictHandlerWithOptions(s, []gen.StrictMiddlewareFunc{detach}, gen.StrictGinServerOptions{
		RequestErrorHandlerFunc:  func(g *gin.Context, err error) { s.fail(g, badRequest(err.Error())) },
		HandlerErrorFunc:         s.fail,
		ResponseErrorHandlerFunc: s.fail,
	})
	gen.RegisterHandlersWithOptions(routes, handler, gen.GinServerOptions{
		ErrorHandler: func(g *gin.Context, err error, _ int) { s.fail(g, badRequest(err.Error())) },
	})
	r.NoRoute(s.console)
	r.NoMethod(func(g *gin.Context) {
		s.fail(g, &problem{Status: http.StatusMethodNotAllowed, Code: gen.ProblemCodeMethodNotAllowed, Title: "Method not allowed", Detail: "use one of: " + g.Writer.Header().Get("Allow")})
	})
	compress, err := gzhttp.NewWrapper(gzhttp.MinSize(1024), gzhttp.ExceptContentTypes([]string{"text/event-stream"}),
		gzhttp.RandomJitter(32, 0, false)) // so that its length tells nothing of the secrets in an answer
	if err != nil {
		return nil, err
	}
	return newPublications(s).before(compress(r)), nil
}

// detach gives the operations a context of their own: Gin uses its contexts again for
// other requests, while the database driver may still look at this one.
func detach(f gen.StrictHandlerFunc, _ string) gen.StrictHandlerFunc {
	return func(g *gin.Context, request any) (any, error) { return f(g.Copy(), request) }
}

func (s *server) recover(g *gin.Context) {
	defer func() {
		if v := recover(); v != nil {
			if v == http.ErrAbortHandler {
				panic(v)
			}
			s.Log.Error("a request panicked", "panic", v, "route", g.FullPath())
			s.fail(g, &problem{Status: http.StatusInternalServerError, Code: gen.ProblemCodeInternal, Title: "Internal error", Detail: "something went wrong in Wharf; the log says more"})
		}
	}()
	g.Next()
}

// log writes a line for each request, with the route's pattern and never its path, which
// may be a secret.
func (s *server) log(g *gin.Context) {
	if !s.Log.Enabled(g.Request.Context(), slog.LevelDebug) {
		return
	}
	began := time.Now()
	g.Next()
	route := g.FullPath()
	if route == "" {
		route = "(console)"
	}
	s.Log.Debug("request", "method", g.Request.Method, "route", route, "status", g.Writer.Status(), "took", time.Since(began))
}

// checkHost refuses requests for names that are not ours, so that no stranger's name can
// be pointed at us (DNS rebinding).
func (s *server) checkHost(g *gin.Context) {
	if !s.knownHost(g.Request) {
		s.fail(g, &problem{Status: http.StatusMisdirectedRequest, Code: gen.ProblemCodeUnknownHost, Title: "Unknown host", Detail: s.unknownHost()})
	}
}

func (s *server) knownHost(r *http.Request) bool {
	if r.Host == s.PublicURL.Host {
		return true // as nearly always
	}
	host := hostName(r)
	return host == s.PublicURL.Hostname() || host == "localhost" || slices.Contains(s.AllowedHosts, host) || loopback(host)
}

func (s *server) unknownHost() string {
	return "this service is not known by that name: add it with --allowed-host, or use " + s.PublicURL.String()
}

func loopback(host string) bool {
	ip, err := netip.ParseAddr(host)
	return err == nil && ip.IsLoopback()
}

func (s *server) securityHeaders(g *gin.Context) {
	setSecurityHeaders(g.Writer.Header())
	if s.PublicURL.Scheme == "https" { // for a year no browser asks over http again (RFC 6797)
		g.Writer.Header().Set("Strict-Transport-Security", "max-age=31536000")
	}
}

func setSecurityHeaders(h http.Header) {
	h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data:; style-src 'self'; style-src-attr 'unsafe-inline'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
}

var crossOrigin = http.NewCrossOriginProtection()

// checkOrigin refuses state-changing requests that another site made a browser send.
func (s *server) checkOrigin(g *gin.Context) {
	if err := crossOrigin.Check(g.Request); err != nil {
		s.fail(g, &problem{Status: http.StatusForbidden, Code: gen.ProblemCodeForeignSite, Title: "Request from another site", Detail: "open Wharf itself and do it there"})
	}
}

func (s *server) localOnly(g *gin.Context) {
	if !local(g) {
		s.fail(g, &problem{Status: http.StatusForbidden, Code: gen.ProblemCodeLocalOnly, Title: "Only from this machine", Detail: "metrics are given to the machine that Wharf runs on"})
	}
}

// local reports whether the request comes from this machine, and not through a proxy on
// it.
func local(g *gin.Context) bool {
	for _, header := range []string{"Forwarded", "X-Forwarded-For", "X-Real-Ip", "Via"} {
		if g.GetHeader(header) != "" {
			return false
		}
	}
	host := hostName(g.Request)
	return loopback(g.RemoteIP()) && (host == "localhost" || loopback(host))
}

// hostName is the name under which a request asks for us, without the port.
func hostName(r *http.Request) string {
	host := r.Host
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	return strings.ToLower(strings.Trim(host, "[]"))
}

func (s *server) ready(g *gin.Context) {
	ctx, cancel := context.WithTimeout(g.Request.Context(), 2*time.Second)
	defer cancel()
	if err := s.Store.Ping(ctx); err != nil {
		g.String(http.StatusServiceUnavailable, "the database does not answer\n")
		return
	}
	g.String(http.StatusOK, "ready\n")
}

// console serves the console's files; what is no file of it is a page that its own
// router knows.
func (s *server) console(g *gin.Context) {
	path := strings.TrimPrefix(g.Request.URL.Path, "/")
	if strings.HasPrefix(path, "api/") {
		s.fail(g, &problem{Status: http.StatusNotFound, Code: gen.ProblemCodeNotFound, Title: "Not found", Detail: "there is nothing at this address"})
		return
	}
	if g.Request.Method != http.MethodGet && g.Request.Method != http.MethodHead {
		g.Header("Allow", "GET, HEAD")
		s.fail(g, &problem{Status: http.StatusMethodNotAllowed, Code: gen.ProblemCodeMethodNotAllowed, Title: "Method not allowed", Detail: "use GET"})
		return
	}
	if info, err := fs.Stat(s.Console, path); path == "" || err != nil || info.IsDir() {
		path = "index.html"
		g.Header("Cache-Control", "no-cache")
	} else if strings.HasPrefix(path, "assets/") {
		g.Header("Cache-Control", "public, max-age=31536000, immutable")
	}
	if _, err := fs.Stat(s.Console, path); err != nil {
		g.String(http.StatusNotFound, "The console is not built into this program: run `make build`.\n")
		return
	}
	g.FileFromFS(withoutIndexRedirect(path), http.FS(s.Console))
}

// withoutIndexRedirect keeps net/http from redirecting …/index.html to …/.
func withoutIndexRedirect(path string) string {
	if path == "index.html" {
		return "/"
	}
	return path
}
