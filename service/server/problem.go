package server

import (
	"context"
	"errors"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	gen "wharf/api/server"
	"wharf/core/ical"
	"wharf/core/rules"
	"wharf/service/account"
	"wharf/service/desk"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/store"
)

// problem is an error as the API tells it (RFC 9457).
type problem struct {
	Code       gen.ProblemCode `json:"code"` // which does not change, for programs
	Title      string          `json:"title"`
	Status     int             `json:"status"`
	Detail     string          `json:"detail,omitempty"`
	Errors     []fieldError    `json:"errors,omitempty"`
	Loses      []string        `json:"loses,omitempty"`
	Confirm    string          `json:"confirm,omitempty"`
	retryAfter int             // seconds
}

type fieldError struct {
	Field   string `json:"field"`
	Message string `json:"message"`
}

func (p *problem) Error() string { return p.Title + ": " + p.Detail }

func badRequest(detail string) *problem {
	return &problem{Status: http.StatusBadRequest, Code: gen.ProblemCodeUnreadable, Title: "The request cannot be read", Detail: detail}
}

func fieldProblem(status int, field, message string) *problem {
	return &problem{Status: status, Code: gen.ProblemCodeWrongValue, Title: "A value is not right", Detail: message, Errors: []fieldError{{field, message}}}
}

func takenProblem(field, message string) *problem {
	p := fieldProblem(http.StatusConflict, field, message)
	p.Code = gen.ProblemCodeTaken
	return p
}

// taken turns a duplicate name into a problem with that field.
func taken(err error, field, message string) error {
	if errors.Is(err, store.ErrTaken) {
		return takenProblem(field, message)
	}
	return err
}

// fail answers with the problem that the error is, and ends the request.
func (s *server) fail(g *gin.Context, err error) {
	p := problemOf(err)
	if p.Status >= 500 {
		s.Log.Error("request failed", "route", g.FullPath(), "status", p.Status, "error", err)
	}
	if g.Writer.Written() {
		g.Abort()
		return
	}
	if p.retryAfter > 0 {
		g.Header("Retry-After", strconv.Itoa(p.retryAfter))
	}
	if p.Status == http.StatusRequestEntityTooLarge {
		g.Header("Connection", "close") // the rest of the body is still on its way
	}
	g.Header("Content-Type", "application/problem+json")
	g.AbortWithStatusJSON(p.Status, p)
}

func problemOf(err error) *problem {
	var p *problem
	var stale *desk.StaleError
	var loses *desk.WouldLoseError
	var used *desk.InUseError
	var recipient *desk.RecipientError
	var answered *desk.AnsweredError
	var over *desk.OverError
	var field *rules.FieldError
	var failed *fetch.Error
	var not *ical.NotCalendarError
	switch {
	case errors.As(err, &p):
		return p
	case errors.As(err, &stale):
		return staleProblem(stale)
	case errors.As(err, &loses):
		return loseProblem(loses)
	case errors.As(err, &used):
		return inUseProblem(used)
	case errors.As(err, &answered):
		return answeredProblem(answered)
	case errors.As(err, &over):
		return overProblem(over)
	case errors.As(err, &recipient):
		return takenProblem("platform", recipient.Error())
	case errors.As(err, &field):
		return fieldProblem(http.StatusUnprocessableEntity, field.Field, field.Err.Error())
	case errors.As(err, &failed):
		return fieldProblem(http.StatusUnprocessableEntity, "url", failed.Message)
	case errors.As(err, &not):
		return fieldProblem(http.StatusUnprocessableEntity, "url", not.Error())
	case errors.Is(err, store.ErrNotFound):
		return &problem{Status: http.StatusNotFound, Code: gen.ProblemCodeNotFound, Title: "Not found", Detail: "there is nothing with this id: it may have been removed"}
	case errors.Is(err, refresh.ErrUploaded):
		return &problem{Status: http.StatusConflict, Code: gen.Uploaded, Title: "A file", Detail: refresh.ErrUploaded.Error()}
	case errors.Is(err, refresh.ErrBusy), errors.Is(err, store.ErrLost):
		return &problem{Status: http.StatusConflict, Code: gen.ProblemCodeBeingRead, Title: "Busy", Detail: refresh.ErrBusy.Error(), retryAfter: 30}
	case errors.Is(err, account.ErrCredentials), errors.Is(err, account.ErrUnknown):
		return &problem{Status: http.StatusUnauthorized, Code: gen.ProblemCodeNotLoggedIn, Title: "Not logged in", Detail: err.Error()}
	case errors.Is(err, account.ErrDemo), errors.Is(err, account.ErrSetupCode):
		return &problem{Status: http.StatusForbidden, Code: gen.ProblemCodeRefused, Title: "Refused", Detail: err.Error()}
	case errors.Is(err, account.ErrSetupDone):
		return &problem{Status: http.StatusConflict, Code: gen.ProblemCodeAlreadySetUp, Title: "Already set up", Detail: err.Error()}
	case errors.Is(err, store.ErrLocked):
		return &problem{Status: http.StatusServiceUnavailable, Code: gen.ProblemCodeLocked, Title: "In use", Detail: "others are changing what this needs: try again in a moment", retryAfter: 5}
	case store.IsFull(err):
		return &problem{Status: http.StatusInsufficientStorage, Code: gen.ProblemCodeNoRoom, Title: "No room", Detail: "the disk of the database is full, so nothing of this was kept: make room, then try again", retryAfter: 60}
	case store.IsRefused(err):
		return &problem{Status: http.StatusServiceUnavailable, Code: gen.ProblemCodeDatabaseAway, Title: "Database closed", Detail: "the database does not let Wharf do this, so nothing of it was kept: whoever runs it has to look at its user's password and rights, and whether it may be written to", retryAfter: 60}
	case store.IsAway(err), errors.Is(err, context.DeadlineExceeded):
		return &problem{Status: http.StatusServiceUnavailable, Code: gen.ProblemCodeDatabaseAway, Title: "Database away", Detail: "the database does not answer: try again in a moment", retryAfter: 10}
	}
	return &problem{Status: http.StatusInternalServerError, Code: gen.ProblemCodeInternal, Title: "Internal error", Detail: "something went wrong in Wharf; the log says more"}
}
