package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"time"

	gen "wharf/api/server"
	"wharf/service/account"
	"wharf/service/events"
	"wharf/service/store"
)

// How long a stream is silent at most, and how long a reader may take to take something.
const (
	heartbeat    = 30 * time.Second
	writeTimeout = 20 * time.Second
)

// StreamChanges tells an open page what changes, until it is closed, its login ends or the
// service stops.
func (s *server) StreamChanges(ctx context.Context, _ gen.StreamChangesRequestObject) (gen.StreamChangesResponseObject, error) {
	if s.Hub.Pages() >= s.MaxStreams {
		return nil, &problem{Status: http.StatusServiceUnavailable, Code: gen.ProblemCodeTooManyPages, Title: "Too many open pages", Detail: "close some of them, or raise --max-streams", retryAfter: 60}
	}
	return stream{ctx, s, loginOf(ctx)}, nil
}

// stream is the answer that does not end by itself.
type stream struct {
	ctx   context.Context
	s     *server
	login store.Session
}

// VisitStreamChangesResponse writes the stream.
func (a stream) VisitStreamChangesResponse(w http.ResponseWriter) error {
	changes := a.s.Hub.Subscribe(true)
	defer changes.Close()
	control := http.NewResponseController(w)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no") // a proxy must not hold it back
	w.WriteHeader(http.StatusOK)
	send := func(format string, args ...any) error {
		if err := control.SetWriteDeadline(time.Now().Add(writeTimeout)); err != nil {
			return err
		}
		if _, err := fmt.Fprintf(w, format, args...); err != nil {
			return err
		}
		return control.Flush()
	}
	if err := send("retry: 3000\n: open\n\n"); err != nil {
		return nil
	}
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	expires := time.NewTimer(a.login.ExpiresAt.Sub(a.s.Now()))
	defer expires.Stop()
	for {
		select {
		case <-a.ctx.Done():
			return nil
		case <-expires.C:
			_ = send("event: end\ndata: {}\n\n") // it ends either way
			return nil
		case <-beat.C:
			if send(":\n\n") != nil {
				return nil
			}
		case _, open := <-changes.Ready:
			if !open {
				return nil // the service stops; the page asks again elsewhere
			}
			if !a.tell(changes.Take(), send) {
				return nil
			}
		}
	}
}

// tell sends events, and reports whether the stream is to go on.
func (a stream) tell(all []events.Event, send func(string, ...any) error) bool {
	for _, e := range all {
		if e.Topic == events.TopicAll || e.Topic == store.TopicLogin && e.ID == a.login.ID {
			_, err := a.s.Store.SessionByID(a.ctx, a.login.ID, a.s.Now())
			if errors.Is(err, store.ErrNotFound) {
				_ = send("event: end\ndata: {}\n\n") // it ends either way
				return false
			}
		}
		data, err := json.Marshal(e)
		if err != nil || send("event: change\ndata: %s\n\n", data) != nil {
			return false
		}
	}
	return true
}

func (s *server) ListLogins(ctx context.Context, _ gen.ListLoginsRequestObject) (gen.ListLoginsResponseObject, error) {
	rows, err := s.Store.Logins(ctx, accountOf(ctx).ID, s.Now())
	all := make(gen.ListLogins200JSONResponse, len(rows))
	for i, row := range rows {
		all[i] = gen.Login{Id: row.ID, Kind: gen.LoginKind(row.Kind), Label: row.Label, Created: row.CreatedAt, Expires: row.ExpiresAt, Current: row.ID == loginOf(ctx).ID}
	}
	return all, err
}

func (s *server) DeleteLogin(ctx context.Context, r gen.DeleteLoginRequestObject) (gen.DeleteLoginResponseObject, error) {
	err := s.Store.EndLogin(ctx, accountOf(ctx).ID, r.Id)
	s.Hub.Poke()
	return gen.DeleteLogin204Response{}, err
}

// loginOf is the login that authenticate found.
func loginOf(ctx context.Context) store.Session {
	l, _ := ctx.Value(keyLogin).(account.Login)
	return l.Session
}
