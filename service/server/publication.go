package server

import (
	"crypto/subtle"
	"errors"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/prometheus/client_golang/prometheus"

	"wharf/service/shelf"
	"wharf/service/store"
)

// publications serves the last committed version of each publication under its secret, and
// records that its recipient has it. It stands before the router, and its headers are made
// beforehand: this is what is asked for day and night.
type publications struct {
	*server
	readers           *readers
	full, notModified prometheus.Counter
}

func newPublications(s *server) *publications {
	return &publications{s, newReaders(s.Readers), s.served.WithLabelValues(strconv.Itoa(http.StatusOK)), s.served.WithLabelValues(strconv.Itoa(http.StatusNotModified))}
}

// Header values that are always the same.
var (
	noSniff        = []string{"nosniff"}
	privateNoCache = []string{"private, no-cache"}
	varyEncoding   = []string{"Accept-Encoding"}
	calendarType   = []string{"text/calendar; charset=utf-8"}
)

func (p *publications) serve(w http.ResponseWriter, r *http.Request, file string) {
	source := p.sourceOf(r)
	item, ok := p.find(w, r, file, source)
	if !ok || !p.admits(w, r, item, source) {
		return
	}
	p.readers.deadline(w, 0)
	same := unchanged(r.Header, item)
	if !same { // then there is nothing to read
		done, ok := p.readers.begin(item.PublicationID, source)
		if !ok {
			w.Header().Set("Retry-After", "5")
			w.Header().Set("Connection", "close")
			p.refuse(w, http.StatusServiceUnavailable, "Too many read this calendar at this moment. Ask again in a few seconds.")
			return
		}
		defer done()
	}
	form := &item.Plain
	if acceptsGzip(r.Header.Get("Accept-Encoding")) {
		form = &item.Zipped
	}
	h := w.Header()
	h["Cache-Control"], h["Vary"], h["Etag"] = privateNoCache, varyEncoding, form.ETag
	agent, get := agentOf(r), r.Method == http.MethodGet
	if get {
		// Before it is answered, so that no pickup is forgotten.
		p.Shelf.PickedUp(r.Context(), item, agent, p.Now())
	}
	if same {
		p.notModified.Inc()
		w.WriteHeader(http.StatusNotModified)
		return
	}
	p.full.Inc()
	h["X-Content-Type-Options"], h["Last-Modified"], h["Content-Disposition"] = noSniff, item.LastModified, item.Disposition
	h["Content-Type"], h["Content-Length"] = calendarType, form.Length
	if form.Coding != nil {
		h["Content-Encoding"] = form.Coding
	}
	if !get {
		return
	}
	if _, err := w.Write(form.Bytes); err != nil {
		p.Shelf.BrokenOff(r.Context(), item, agent)
	}
}

// unchanged reports whether the reader has the version already. If-Modified-Since counts
// only without If-None-Match (RFC 9110 section 13.1.3).
func unchanged(h http.Header, item *shelf.Item) bool {
	if match := h.Get("If-None-Match"); match != "" {
		return item.HasTag(match)
	}
	since, err := http.ParseTime(h.Get("If-Modified-Since"))
	return err == nil && !item.At.After(since)
}

// find returns what is published under the file's name, or answers why nothing is. It
// answers 503 only if this process never had it: some calendar programs give a calendar
// up at the first refusal.
func (p *publications) find(w http.ResponseWriter, r *http.Request, file, source string) (*shelf.Item, bool) {
	if !p.knownHost(r) {
		p.refuse(w, http.StatusMisdirectedRequest, p.unknownHost())
		return nil, false
	}
	secret, isFeed := strings.CutSuffix(file, ".ics")
	if !isFeed || strings.Contains(secret, "/") {
		p.refuse(w, http.StatusNotFound, "There is no calendar at this link. Copy it again from Wharf.")
		return nil, false
	}
	key := shelf.KeyOf(secret)
	slowly := !p.Shelf.Has(key) && !p.readers.mayGuess(source, p.Now())
	if slowly { // who shares an address with somebody who guesses gets theirs all the same: such links are looked up one by one
		select {
		case p.readers.one <- struct{}{}:
			defer func() { <-p.readers.one }()
		case <-r.Context().Done():
			return nil, false
		}
	}
	item, err := p.Shelf.Get(r.Context(), key)
	switch {
	case slowly && errors.Is(err, store.ErrNotFound):
		p.tooMany(w)
	case errors.Is(err, store.ErrNotFound):
		p.readers.guessed(source, p.Now())
		p.refuse(w, http.StatusNotFound, "There is no calendar at this link. Copy it again from Wharf.")
	case errors.Is(err, store.ErrRevoked):
		p.refuse(w, http.StatusGone, "This link was revoked. Ask those who gave it to you for a new one.")
	case err != nil:
		p.Log.Error("publication cannot be served", "error", err)
		w.Header().Set("Retry-After", "60")
		p.refuse(w, http.StatusServiceUnavailable, "The calendar cannot be read at this moment. Ask again in a minute.")
	case !accepts(r.Header.Get("Accept")):
		p.refuse(w, http.StatusNotAcceptable, "This is text/calendar and nothing else.")
	default:
		return item, true
	}
	return nil, false
}

// tooMany refuses who guesses.
func (p *publications) tooMany(w http.ResponseWriter) {
	w.Header().Set("Retry-After", "60")
	w.Header().Set("Connection", "close")
	p.refuse(w, http.StatusTooManyRequests, "Too many links that lead nowhere were asked for from your address. Ask again in a minute.")
}

// admits reports whether a reader may have what it found, or answers why not: its time is over, or it does not give the name
// and password that are asked for (RFC 7617). Only wrong ones are slowed down.
func (p *publications) admits(w http.ResponseWriter, r *http.Request, item *shelf.Item, source string) bool {
	if item.Login == nil && item.Expires.IsZero() {
		return true // as nearly always
	}
	now := p.Now()
	if !item.Expires.IsZero() && !now.Before(item.Expires) {
		p.refuse(w, http.StatusGone, "This link was given until "+item.Expires.UTC().Format("2 January 2006 15:04 UTC")+". Ask those who gave it to you for a new one.")
		return false
	}
	if item.Login == nil {
		return true
	}
	user, password, given := r.BasicAuth()
	if given && subtle.ConstantTimeCompare(p.Desk.LoginHash(user, password), item.Login) == 1 {
		return true
	}
	if given && !p.readers.mayGuess(source, now) {
		p.tooMany(w)
		return false
	}
	if given {
		p.readers.guessed(source, now)
	}
	w.Header().Set("WWW-Authenticate", `Basic realm="Calendar", charset="UTF-8"`)
	p.refuse(w, http.StatusUnauthorized, "This calendar asks for a user name and a password. Ask those who gave you its link for them.")
	return false
}

// refuse answers with a sentence; who reads it is a person who tries the link.
func (p *publications) refuse(w http.ResponseWriter, status int, sentence string) {
	p.served.WithLabelValues(strconv.Itoa(status)).Inc()
	setSecurityHeaders(w.Header())
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.WriteHeader(status)
	_, _ = io.WriteString(w, sentence+"\n") // the reader went away
}

// before serves publications itself and leaves everything else to the router.
func (p *publications) before(router http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		file, ok := strings.CutPrefix(r.URL.Path, "/p/")
		page, open := strings.CutPrefix(r.URL.Path, openPath)
		switch {
		case open && (r.Method == http.MethodGet || r.Method == http.MethodHead):
			p.serveOpen(w, r, page)
		case !ok && !open:
			p.readers.deadline(w, p.RequestTimeout+p.ReadingTimeout)
			router.ServeHTTP(w, r)
		case r.Method == http.MethodGet || r.Method == http.MethodHead:
			p.serve(w, r, file)
		default:
			w.Header().Set("Allow", "GET, HEAD")
			p.refuse(w, http.StatusMethodNotAllowed, "This can only be read.")
		}
	})
}

// agentOf is what the reader calls itself.
func agentOf(r *http.Request) string {
	agent := strings.ToValidUTF8(r.UserAgent(), "")
	if len(agent) > 200 {
		agent = strings.ToValidUTF8(agent[:200], "")
	}
	return agent
}

// accepts reports whether an Accept header allows text/calendar.
func accepts(header string) bool {
	if header == "" || header == "*/*" {
		return true
	}
	for _, part := range strings.Split(header, ",") {
		kind, params, _ := strings.Cut(strings.TrimSpace(part), ";")
		switch strings.ToLower(strings.TrimSpace(kind)) {
		case "*/*", "text/*", "text/calendar":
			return strings.ReplaceAll(strings.TrimSpace(params), " ", "") != "q=0"
		}
	}
	return false
}

func acceptsGzip(header string) bool {
	if header == "gzip" || header == "" || header == "identity" {
		return header == "gzip" // as nearly always
	}
	for part := range strings.SplitSeq(header, ",") {
		coding, params, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.EqualFold(strings.TrimSpace(coding), "gzip") {
			return strings.ReplaceAll(strings.TrimSpace(params), " ", "") != "q=0"
		}
	}
	return false
}
