package standin

import (
	"archive/zip"
	"bytes"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"
)

// trouble is what a platform gives for its feed when something is wrong with it; good is the feed as it would
// be.
type trouble func(p *Platform, w http.ResponseWriter, r *http.Request, good []byte)

// troubles are those that a platform can be in, by name.
var troubles = map[string]trouble{
	"away":      saying(http.StatusServiceUnavailable, "text/plain", "down for maintenance"),
	"gone":      saying(http.StatusGone, "text/plain", "no such calendar"),
	"login":     saying(http.StatusOK, "text/html", `<!doctype html><title>Log in</title><form method="post"><input name="user"><input type="password" name="password"></form>`),
	"sheet":     saying(http.StatusOK, "text/csv", "Guest,From,To\nOsei,2026-07-03,2026-07-05\nTern,2026-07-08,2026-07-09\n"),
	"json":      saying(http.StatusOK, "application/json", `{"bookings": []}`),
	"empty":     saying(http.StatusOK, "text/calendar", ""),
	"no events": saying(http.StatusOK, "text/calendar", "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Empty//EN\r\nEND:VCALENDAR\r\n"),
	"busy": func(_ *Platform, w http.ResponseWriter, _ *http.Request, _ []byte) {
		w.Header().Set("Retry-After", "60")
		http.Error(w, "too many requests", http.StatusTooManyRequests)
	},
	"password": func(_ *Platform, w http.ResponseWriter, r *http.Request, good []byte) {
		if user, word, _ := r.BasicAuth(); user == "guest" && word == "tide" {
			_, _ = w.Write(good)
			return
		}
		w.Header().Set("WWW-Authenticate", `Basic realm="bookings"`)
		http.Error(w, "log in first", http.StatusUnauthorized)
	},
	"page": func(p *Platform, w http.ResponseWriter, _ *http.Request, _ []byte) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, `<!doctype html><title>%s</title><a href="/other/%s/%s">Calendar feed</a>`, p.Name, p.Secret, p.file())
	},
	"archive": func(p *Platform, w http.ResponseWriter, _ *http.Request, good []byte) {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for _, name := range []string{p.file(), "other.ics"} {
			if f, err := z.Create(name); err == nil {
				_, _ = f.Write(good)
			}
		}
		_ = z.Close() // into memory
		_, _ = w.Write(b.Bytes())
	},
	"cut off": func(_ *Platform, w http.ResponseWriter, _ *http.Request, good []byte) {
		_, _ = w.Write(good[:2*len(good)/3])
	},
	"moved": func(p *Platform, w http.ResponseWriter, r *http.Request, _ []byte) {
		http.Redirect(w, r, "/other/"+p.Secret+"/"+p.file(), http.StatusMovedPermanently)
	},
	"slow": func(_ *Platform, w http.ResponseWriter, r *http.Request, good []byte) {
		select {
		case <-time.After(5 * time.Second):
			_, _ = w.Write(good)
		case <-r.Context().Done():
		}
	},
}

func saying(status int, kind, text string) trouble {
	return func(_ *Platform, w http.ResponseWriter, _ *http.Request, _ []byte) {
		w.Header().Set("Content-Type", kind)
		w.WriteHeader(status)
		_, _ = w.Write([]byte(text))
	}
}

// Troubles are the names of what a platform can be in.
func Troubles() []string { return slices.Sorted(maps.Keys(troubles)) }

// SetTrouble gets the platform into trouble; "" out of it. The error says what there is.
func (p *Platform) SetTrouble(name string) error {
	if _, known := troubles[name]; !known && name != "" {
		return fmt.Errorf("%q is no trouble that there is: it is one of %s", name, strings.Join(Troubles(), ", "))
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.trouble = name
	return nil
}

// serveTrouble serves the feed as it is, or the trouble with it.
func (p *Platform) serveTrouble(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	name := p.trouble
	p.mu.Unlock()
	if name == "" {
		p.serveFeed(w, r)
		return
	}
	troubles[name](p, w, r, p.Feed())
}

func (p *Platform) setTrouble(w http.ResponseWriter, r *http.Request) {
	if err := p.SetTrouble(r.FormValue("kind")); err != nil {
		http.Error(w, strconv.Quote(r.FormValue("kind"))+": "+err.Error(), http.StatusUnprocessableEntity)
		return
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}
