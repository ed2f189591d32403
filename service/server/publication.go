package server

import (
	"bytes"
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzip"

	"wharf/service/secret"
	"wharf/service/store"
)

// publication serves the last committed version of a publication under its secret, and
// records that its recipient has it.
func (s *server) publication(g *gin.Context) {
	status := s.servePublication(g)
	s.served.WithLabelValues(http.StatusText(status)).Inc()
}

func (s *server) servePublication(g *gin.Context) int {
	name, isFeed := strings.CutSuffix(g.Param("file"), ".ics")
	served, err := s.Store.PublicationServed(g.Request.Context(), secret.Hash(name))
	switch {
	case !isFeed || errors.Is(err, store.ErrNotFound):
		g.String(http.StatusNotFound, "There is no calendar at this link. Copy it again from Wharf.\n")
		return http.StatusNotFound
	case err != nil:
		s.Log.Error("publication cannot be served", "error", err)
		g.Header("Retry-After", "60")
		g.String(http.StatusServiceUnavailable, "The calendar cannot be read at this moment. Ask again in a minute.\n")
		return http.StatusServiceUnavailable
	case !accepts(g.GetHeader("Accept")):
		g.String(http.StatusNotAcceptable, "This is text/calendar and nothing else.\n")
		return http.StatusNotAcceptable
	}
	zip := acceptsGzip(g.GetHeader("Accept-Encoding"))
	etag := `"` + served.ETag + `"`
	if zip {
		etag = `"` + served.ETag + `-gzip"`
	}
	h := g.Writer.Header()
	h.Set("ETag", etag)
	h.Set("Last-Modified", served.At.UTC().Format(http.TimeFormat))
	h.Set("Cache-Control", "private, no-cache")
	h.Set("Vary", "Accept-Encoding")
	if hasVersion(g.GetHeader("If-None-Match"), served.ETag) {
		s.pickedUp(g, served)
		g.Status(http.StatusNotModified)
		g.Writer.WriteHeaderNow()
		return http.StatusNotModified
	}
	body := served.Body
	if zip {
		h.Set("Content-Encoding", "gzip")
		body = zipped(body)
	}
	if g.Request.Method == http.MethodGet {
		s.pickedUp(g, served) // written before it is answered, so that no pickup is forgotten
	}
	g.Data(http.StatusOK, "text/calendar; charset=utf-8", body)
	if len(g.Errors) > 0 && g.Request.Method == http.MethodGet {
		s.brokenOff(g, served)
	}
	return http.StatusOK
}

// brokenOff takes back the pickup of a download that did not come to its end.
func (s *server) brokenOff(g *gin.Context, served store.Served) {
	ctx := context.WithoutCancel(g.Request.Context()) // the recipient is gone
	if err := s.Store.ForgetPickup(ctx, served.PublicationID, served.Version, agentOf(g)); err != nil {
		s.Log.Error("a broken-off pickup cannot be taken back", "publication", served.PublicationID, "error", err)
	}
}

// agentOf is what the reader calls itself.
func agentOf(g *gin.Context) string {
	agent := strings.ToValidUTF8(g.Request.UserAgent(), "")
	if r := []rune(agent); len(r) > 200 {
		agent = string(r[:200])
	}
	return agent
}

// pickedUp records a pickup. The recipient gets its calendar even if that fails.
func (s *server) pickedUp(g *gin.Context, served store.Served) {
	if g.Request.Method != http.MethodGet {
		return
	}
	if err := s.Store.RecordPickup(g.Request.Context(), served.PublicationID, served.Version, agentOf(g), s.Now()); err != nil {
		s.Log.Error("pickup cannot be recorded", "publication", served.PublicationID, "error", err)
	}
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

// hasVersion reports whether If-None-Match names the version, packed or not.
func hasVersion(header, etag string) bool {
	for _, part := range strings.Split(header, ",") {
		tag := strings.Trim(strings.TrimPrefix(strings.TrimSpace(part), "W/"), `"`)
		if tag == "*" || strings.TrimSuffix(tag, "-gzip") == etag {
			return true
		}
	}
	return false
}

func zipped(body []byte) []byte {
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	w.ModTime = time.Time{}
	_, _ = w.Write(body) // a bytes.Buffer does not fail
	_ = w.Close()
	return b.Bytes()
}
