package server

import (
	"context"
	"errors"
	"net/http"
	"regexp"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/gin-gonic/gin"

	"wharf/service/account"
	"wharf/service/store"
)

// Bounds of what a request may send: its bytes, and the time that they may take.
const (
	maxBody     = 1 << 20
	bodyTimeout = time.Minute
)

// Keys of what the middleware leaves in the request's context.
const (
	keyRoute = "wharf.route"
	keyLogin = "wharf.login"
)

// contract checks requests against openapi.yaml.
type contract struct{ router routers.Router }

func newContract(text []byte) (*contract, error) {
	doc, err := openapi3.NewLoader().LoadFromData(text)
	if err != nil {
		return nil, err
	}
	if err := doc.Validate(context.Background()); err != nil {
		return nil, err
	}
	router, err := gorillamux.NewRouter(doc)
	if err != nil {
		return nil, err
	}
	return &contract{router}, nil
}

// validate refuses what the contract does not allow, naming the field.
func (c *contract) validate(s *server) gin.HandlerFunc {
	return func(g *gin.Context) {
		route, params, err := c.router.FindRoute(g.Request)
		if err != nil {
			s.fail(g, &problem{Status: http.StatusNotFound, Title: "Not found", Detail: "there is nothing at this address"})
			return
		}
		g.Set(keyRoute, route)
		if g.Request.Body != http.NoBody {
			g.Request.Body = http.MaxBytesReader(g.Writer, g.Request.Body, maxBody)
			// The body is read whole while it is validated; what is done then may take longer.
			// A writer without deadlines is a test's.
			control := http.NewResponseController(g.Writer)
			_ = control.SetReadDeadline(time.Now().Add(bodyTimeout))
			defer func() { _ = control.SetReadDeadline(time.Time{}) }()
		}
		err = openapi3filter.ValidateRequest(g.Request.Context(), &openapi3filter.RequestValidationInput{
			Request: g.Request, PathParams: params, Route: route,
			Options: &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, MultiError: true},
		})
		if err != nil {
			s.fail(g, contractProblem(err))
		}
	}
}

// contractProblem says in short what a request does wrong.
func contractProblem(err error) *problem {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return &problem{Status: http.StatusRequestEntityTooLarge, Title: "Too large", Detail: "a request has at most 1 MB"}
	}
	p := badRequest("")
	collect(err, p)
	switch {
	case len(p.Errors) > 0:
		p.Title, p.Detail = "A value is not right", p.Errors[0].Field+": "+p.Errors[0].Message
	case p.Detail == "":
		p.Detail = "the request is not in the form that the contract asks for (see /api/v1/openapi.yaml)"
	}
	return p
}

// unknownField is how the validator says that a field is not in the contract.
var unknownField = regexp.MustCompile(`^property "(.*)" is unsupported$`)

func collect(err error, p *problem) {
	var several openapi3.MultiError
	var request *openapi3filter.RequestError
	var schema *openapi3.SchemaError
	switch {
	case errors.As(err, &request) && request.Parameter != nil:
		message := request.Reason
		if errors.As(request.Err, &schema) {
			message = schema.Reason
		}
		p.Errors = append(p.Errors, fieldError{request.Parameter.Name, orElse(message, "this cannot be read")})
	case errors.As(err, &request) && !errors.As(request.Err, &several) && !errors.As(request.Err, &schema):
		p.Detail = "the body is not the JSON that is asked for"
		if request.Err != nil && strings.Contains(request.Err.Error(), "Content-Type") {
			p.Detail = "send JSON, with the header Content-Type: application/json"
		}
	case errors.As(err, &several):
		for _, one := range several {
			collect(one, p)
		}
	case errors.As(err, &schema):
		field := strings.Join(schema.JSONPointer(), ".")
		if parts := unknownField.FindStringSubmatch(schema.Reason); parts != nil {
			p.Errors = append(p.Errors, fieldError{strings.TrimPrefix(field+"."+parts[1], "."), "there is no such field"})
			return
		}
		p.Errors = append(p.Errors, fieldError{field, schema.Reason})
	}
}

func orElse(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

// sessionCookie is the name of the browser's cookie.
const sessionCookie = "wharf_session"

// authenticate finds out who asks, and refuses strangers where the contract asks for a
// login.
func (s *server) authenticate(g *gin.Context) {
	route := g.MustGet(keyRoute).(*routers.Route)
	if open := route.Operation.Security; open != nil && len(*open) == 0 {
		return
	}
	who, err := s.who(g)
	if err != nil {
		s.fail(g, err)
		return
	}
	g.Set(keyLogin, who)
}

func (s *server) who(g *gin.Context) (account.Login, error) {
	if header := g.GetHeader("Authorization"); header != "" {
		token, ok := strings.CutPrefix(header, "Bearer ")
		if !ok {
			return account.Login{}, account.ErrUnknown
		}
		return s.Accounts.Who(g.Request.Context(), strings.TrimSpace(token), store.TokenSession)
	}
	cookie, err := g.Cookie(sessionCookie)
	if err != nil {
		return account.Login{}, account.ErrUnknown
	}
	return s.Accounts.Who(g.Request.Context(), cookie, store.BrowserSession)
}

// accountOf is the account that authenticate found.
func accountOf(ctx context.Context) store.Account {
	l, _ := ctx.Value(keyLogin).(account.Login)
	return l.Account
}
