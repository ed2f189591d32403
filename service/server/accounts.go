package server

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	gen "wharf/api/server"
	"wharf/service/account"
	"wharf/service/store"
)

func (s *server) GetSetup(ctx context.Context, _ gen.GetSetupRequestObject) (gen.GetSetupResponseObject, error) {
	done, err := s.Store.HasAccount(ctx)
	return gen.GetSetup200JSONResponse{Needed: !done}, err
}

func (s *server) CreateSetup(ctx context.Context, r gen.CreateSetupRequestObject) (gen.CreateSetupResponseObject, error) {
	if err := s.slowDown(ctx, ""); err != nil {
		return nil, err
	}
	who, err := s.Accounts.Setup(ctx, r.Body.Code, r.Body.Name, r.Body.Password, isLocal(ctx))
	if err != nil {
		return nil, err
	}
	cookie, err := s.newSession(ctx, who)
	return gen.CreateSetup201JSONResponse{Body: accountJSON(who), Headers: gen.CreateSetup201ResponseHeaders{SetCookie: &cookie}}, err
}

func (s *server) GetSession(ctx context.Context, _ gen.GetSessionRequestObject) (gen.GetSessionResponseObject, error) {
	return gen.GetSession200JSONResponse(accountJSON(accountOf(ctx))), nil
}

func (s *server) CreateSession(ctx context.Context, r gen.CreateSessionRequestObject) (gen.CreateSessionResponseObject, error) {
	who, err := s.checkPassword(ctx, r.Body.Name, r.Body.Password)
	if err != nil {
		return nil, err
	}
	cookie, err := s.newSession(ctx, who)
	return gen.CreateSession201JSONResponse{Body: accountJSON(who), Headers: gen.CreateSession201ResponseHeaders{SetCookie: &cookie}}, err
}

func (s *server) DeleteSession(ctx context.Context, _ gen.DeleteSessionRequestObject) (gen.DeleteSessionResponseObject, error) {
	if err := s.endSession(ctx); err != nil {
		return nil, err
	}
	gone := s.cookie("", -1)
	return gen.DeleteSession204Response{Headers: gen.DeleteSession204ResponseHeaders{SetCookie: &gone}}, nil
}

func (s *server) CreateToken(ctx context.Context, r gen.CreateTokenRequestObject) (gen.CreateTokenResponseObject, error) {
	who, err := s.checkPassword(ctx, r.Body.Name, r.Body.Password)
	if err != nil {
		return nil, err
	}
	token, _, err := s.Accounts.Login(ctx, who, store.TokenSession, r.Body.Label)
	return gen.CreateToken201JSONResponse{Token: token}, err
}

func (s *server) checkPassword(ctx context.Context, name, password string) (store.Account, error) {
	if err := s.slowDown(ctx, name); err != nil {
		return store.Account{}, err
	}
	who, err := s.Accounts.Check(ctx, name, password, isLocal(ctx))
	if errors.Is(err, account.ErrCredentials) {
		s.failed.Inc()
		s.Log.Warn("a login failed", "name", name, "source", s.source(ctx))
	}
	return who, err
}

// ChangePassword gives the account another password, and ends all of its other logins.
func (s *server) ChangePassword(ctx context.Context, r gen.ChangePasswordRequestObject) (gen.ChangePasswordResponseObject, error) {
	who := accountOf(ctx)
	if _, err := s.checkPassword(ctx, who.Name, r.Body.Old); err != nil {
		if errors.Is(err, account.ErrCredentials) {
			err = fieldProblem(http.StatusUnprocessableEntity, "old", "this is not your password: type the one you log in with")
		}
		return nil, err
	}
	if err := s.Accounts.ChangePassword(ctx, account.Login{Account: who, Session: loginOf(ctx)}, r.Body.New, isLocal(ctx)); err != nil {
		return nil, err
	}
	return gen.ChangePassword204Response{}, nil
}

// slowDown refuses password checks that come faster than people type.
func (s *server) slowDown(ctx context.Context, name string) error {
	if s.attempts.allow(s.source(ctx), name, time.Now()) {
		return nil
	}
	s.failed.Inc()
	s.Log.Warn("logins come too often", "name", name, "source", s.source(ctx))
	return &problem{Status: http.StatusTooManyRequests, Code: gen.ProblemCodeTooManyAttempts, Title: "Too many attempts", Detail: "wait a few seconds and try again", retryAfter: 5}
}

// newSession rotates: the browser's earlier session ends where the new one begins.
func (s *server) newSession(ctx context.Context, who store.Account) (string, error) {
	if err := s.endSession(ctx); err != nil {
		return "", err
	}
	agent := ""
	if g, ok := ctx.(*gin.Context); ok {
		agent = g.Request.UserAgent()
	}
	secret, _, err := s.Accounts.Login(ctx, who, store.BrowserSession, browserName(agent))
	return s.cookie(secret, int(account.BrowserLife/time.Second)), err
}

// browserName says in short which browser a login is from, so that a person can tell one
// from another. The first mark that a User-Agent bears decides: most bear those of others
// too.
func browserName(agent string) string {
	mark := func(marks []string, otherwise string) string {
		for _, m := range marks {
			if strings.Contains(agent, m) {
				return m
			}
		}
		return otherwise
	}
	return mark([]string{"Firefox", "Edg", "Chrome", "Safari"}, "browser") + " on " + mark([]string{"Android", "iPhone", "iPad", "Windows", "Macintosh", "Linux"}, "an unknown system")
}

func (s *server) endSession(ctx context.Context) error {
	g, ok := ctx.(*gin.Context)
	if !ok {
		return nil
	}
	cookie, err := g.Cookie(sessionCookie)
	if err != nil {
		return nil // there is none
	}
	return s.Accounts.Logout(ctx, cookie)
}

func (s *server) cookie(value string, maxAge int) string {
	return (&http.Cookie{Name: sessionCookie, Value: value, Path: "/", MaxAge: maxAge, HttpOnly: true,
		Secure: s.PublicURL.Scheme == "https", SameSite: http.SameSiteLaxMode}).String()
}

func isLocal(ctx context.Context) bool {
	g, ok := ctx.(*gin.Context)
	return ok && local(g)
}

func accountJSON(a store.Account) gen.Account { return gen.Account{Id: a.ID, Name: a.Name} }
