package server

import (
	"errors"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"wharf/service/store"
)

// publication serves the last committed version of a publication under its secret, and
// records that its recipient has it. It answers 503 only if it never had it: some calendar
// programs give a calendar up at the first refusal.
func (s *server) publication(g *gin.Context) {
	name, isFeed := strings.CutSuffix(g.Param("file"), ".ics")
	if !isFeed {
		s.refuse(g, http.StatusNotFound, "There is no calendar at this link. Copy it again from Wharf.\n")
		return
	}
	item, err := s.Shelf.Get(g.Request.Context(), name)
	switch {
	case errors.Is(err, store.ErrNotFound):
		s.refuse(g, http.StatusNotFound, "There is no calendar at this link. Copy it again from Wharf.\n")
		return
	case errors.Is(err, store.ErrRevoked):
		s.refuse(g, http.StatusGone, "This link was revoked. Ask those who gave it to you for a new one.\n")
		return
	case err != nil:
		s.Log.Error("publication cannot be served", "error", err)
		g.Header("Retry-After", "60")
		s.refuse(g, http.StatusServiceUnavailable, "The calendar cannot be read at this moment. Ask again in a minute.\n")
		return
	case !accepts(g.GetHeader("Accept")):
		s.refuse(g, http.StatusNotAcceptable, "This is text/calendar and nothing else.\n")
		return
	}
	etag, body := item.ETag, item.Body
	h := g.Writer.Header()
	if acceptsGzip(g.GetHeader("Accept-Encoding")) {
		etag, body = item.ZipETag, item.Zipped
		h["Content-Encoding"] = gzipCoding
	}
	h["Etag"] = []string{etag}
	h["Last-Modified"] = []string{item.LastModified}
	h["Cache-Control"], h["Vary"] = privateNoCache, varyEncoding
	agent, get := agentOf(g.Request), g.Request.Method == http.MethodGet
	if get {
		// Before it is answered, so that no pickup is forgotten.
		s.Shelf.PickedUp(g.Request.Context(), item, agent, s.Now())
	}
	if match := g.GetHeader("If-None-Match"); match != "" && item.HasTag(match) {
		delete(h, "Content-Encoding")
		s.counted(http.StatusNotModified)
		g.Status(http.StatusNotModified)
		g.Writer.WriteHeaderNow()
		return
	}
	h["Content-Type"] = calendarType
	h["Content-Length"] = []string{strconv.Itoa(len(body))}
	s.counted(http.StatusOK)
	g.Status(http.StatusOK)
	g.Writer.WriteHeaderNow()
	if !get {
		return
	}
	if _, err := g.Writer.Write(body); err != nil {
		s.Shelf.BrokenOff(g.Request.Context(), item, agent)
	}
}

// Header values that are always the same.
var (
	gzipCoding     = []string{"gzip"}
	privateNoCache = []string{"private, no-cache"}
	varyEncoding   = []string{"Accept-Encoding"}
	calendarType   = []string{"text/calendar; charset=utf-8"}
)

func (s *server) counted(status int) { s.served.WithLabelValues(http.StatusText(status)).Inc() }

// refuse answers with a sentence; who reads it is a person who tries the link.
func (s *server) refuse(g *gin.Context, status int, sentence string) {
	s.counted(status)
	g.String(status, sentence)
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
	if header == "" {
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
	for _, part := range strings.Split(header, ",") {
		coding, params, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.EqualFold(strings.TrimSpace(coding), "gzip") {
			return strings.ReplaceAll(strings.TrimSpace(params), " ", "") != "q=0"
		}
	}
	return false
}
