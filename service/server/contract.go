package server

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/gin-gonic/gin"

	gen "wharf/api/server"
	"wharf/service/account"
	"wharf/service/store"
)

// maxBody is the most bytes that a request may send.
const maxBody = 1 << 20

// Keys of what the middleware leaves in the request's context.
const (
	keyRoute = "wharf.route"
	keyLogin = "wharf.login"
)

// contract checks requests against openapi.yaml.
type contract struct {
	router routers.Router
	colors []string // the palette, in the order in which feeds get them
}

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
	c := &contract{router: router}
	for _, color := range doc.Components.Schemas["Color"].Value.Enum {
		c.colors = append(c.colors, color.(string))
	}
	return c, nil
}

// validate refuses what the contract does not allow, naming the field.
func (c *contract) validate(s *server) gin.HandlerFunc {
	return func(g *gin.Context) {
		route, params, err := c.router.FindRoute(g.Request)
		if err != nil {
			s.fail(g, &problem{Status: http.StatusNotFound, Code: gen.ProblemCodeNotFound, Title: "Not found", Detail: "there is nothing at this address"})
			return
		}
		g.Set(keyRoute, route)
		if g.Request.Body != http.NoBody {
			most := int64(maxBody)
			if _, files := route.Operation.Extensions["x-takes-files"]; files {
				most += s.MaxFeedBytes/3*4 + 4 // a file in Base64
			}
			g.Request.Body = http.MaxBytesReader(g.Writer, g.Request.Body, most)
			if p := s.readWhole(g.Request); p != nil {
				s.fail(g, p)
				return
			}
		}
		err = openapi3filter.ValidateRequest(g.Request.Context(), &openapi3filter.RequestValidationInput{
			Request: g.Request, PathParams: params, Route: route,
			Options: &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, MultiError: true},
		})
		if err != nil {
			s.fail(g, contractProblem(err, bodyOf(route)))
		}
	}
}

// readWhole reads the body of a request, and refuses what would be read in part, or kept as something else
// than it looks like.
func (s *server) readWhole(r *http.Request) error {
	text, err := io.ReadAll(r.Body)
	if err != nil {
		return contractProblem(err, nil)
	}
	r.Body = io.NopCloser(bytes.NewReader(text))
	var one json.RawMessage
	d := json.NewDecoder(bytes.NewReader(text))
	if d.Decode(&one) == nil {
		if _, err := d.Token(); !errors.Is(err, io.EOF) {
			return badRequest("there is text after the end of the request's JSON: send one value")
		}
	}
	if hasNUL(one) {
		return badRequest("a text holds the character NUL, which nothing is called by: leave it out")
	}
	return nil
}

// hasNUL reports whether a text of a JSON value, or the name of a field, holds NUL.
func hasNUL(text []byte) bool {
	d := json.NewDecoder(bytes.NewReader(text))
	for {
		token, err := d.Token()
		if err != nil {
			return false
		}
		if s, ok := token.(string); ok && strings.ContainsRune(s, 0) {
			return true
		}
	}
}

// bodyOf is the schema of what an operation is sent, or nil.
func bodyOf(route *routers.Route) *openapi3.Schema {
	if route.Operation.RequestBody == nil {
		return nil
	}
	media := route.Operation.RequestBody.Value.GetMediaType("application/json")
	if media == nil || media.Schema == nil {
		return nil
	}
	return media.Schema.Value
}

// contractProblem says in short what a request does wrong, to somebody who fills in a form.
func contractProblem(err error, body *openapi3.Schema) *problem {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return &problem{Status: http.StatusRequestEntityTooLarge, Code: gen.ProblemCodeTooLarge, Title: "Too large", Detail: "a request has at most 1 MB"}
	}
	p := badRequest("")
	collect(err, body, p)
	switch {
	case len(p.Errors) > 0:
		said := make([]string, len(p.Errors))
		for i, e := range p.Errors {
			said[i] = e.Field + ": " + e.Message
		}
		p.Title, p.Detail = "A value is not right", strings.Join(said, "; ")
	case p.Detail == "":
		p.Detail = "the request is not in the form that the contract asks for (see /api/v1/openapi.yaml)"
	}
	return p
}

// unknownField is how the validator says that a field is not in the contract.
var unknownField = regexp.MustCompile(`^property "(.*)" is unsupported$`)

func collect(err error, body *openapi3.Schema, p *problem) {
	var several openapi3.MultiError
	var request *openapi3filter.RequestError
	var schema *openapi3.SchemaError
	switch {
	case errors.As(err, &request) && request.Parameter != nil:
		message := "this cannot be read"
		if errors.As(request.Err, &schema) {
			message = wrong(schema, "")
		} else if s := request.Parameter.Schema; s != nil && s.Value != nil {
			message = shape(s.Value)
		}
		p.add(request.Parameter.Name, message)
	case errors.As(err, &request) && !errors.As(request.Err, &several) && !errors.As(request.Err, &schema):
		p.Detail = "the body is not the JSON that is asked for"
		if request.Err != nil && strings.Contains(request.Err.Error(), "Content-Type") {
			p.Detail = "send JSON, with the header Content-Type: application/json"
		}
	case errors.As(err, &several):
		for _, one := range several {
			collect(one, body, p)
		}
	case errors.As(err, &schema):
		path := schema.JSONPointer()
		field := strings.Join(path, ".")
		if parts := unknownField.FindStringSubmatch(schema.Reason); parts != nil {
			p.add(strings.TrimPrefix(field+"."+parts[1], "."), "there is no such field")
			return
		}
		p.add(field, wrong(schema, asked(body, path)))
	}
}

// add tells what is wrong with a field, once.
func (p *problem) add(field, message string) {
	if !slices.ContainsFunc(p.Errors, func(e fieldError) bool { return e.Field == field }) {
		p.Errors = append(p.Errors, fieldError{field, message})
	}
}

// asked is what the contract has to ask a person for who left the field empty (x-ask of the
// object that it belongs to).
func asked(body *openapi3.Schema, path []string) string {
	for i, name := range path {
		if body == nil {
			return ""
		}
		if i == len(path)-1 {
			asks, _ := body.Extensions["x-ask"].(map[string]any)
			text, _ := asks[name].(string)
			return text
		}
		next := body.Properties[name]
		if next == nil {
			return ""
		}
		body = next.Value
	}
	return ""
}

// wrong says what is wrong with a value; ask is what to say where there is none.
func wrong(e *openapi3.SchemaError, ask string) string {
	text, isText := e.Value.(string)
	empty := e.SchemaField == "required" || e.Value == nil || isText && strings.TrimSpace(text) == ""
	switch {
	case empty && ask != "":
		return ask
	case empty:
		return "this is missing"
	case e.SchemaField == "minLength" && e.Schema.MinLength > 1:
		return fmt.Sprintf("use %d characters or more", e.Schema.MinLength)
	case e.SchemaField == "maxLength":
		return fmt.Sprintf("use at most %d characters", *e.Schema.MaxLength)
	}
	return shape(e.Schema)
}

// shape says what a value must be.
func shape(s *openapi3.Schema) string {
	switch {
	case len(s.Enum) > 0:
		words := make([]string, len(s.Enum))
		for i, v := range s.Enum {
			words[i] = fmt.Sprint(v)
		}
		return "use one of " + strings.Join(words, ", ")
	case s.Min != nil && s.Max != nil:
		return fmt.Sprintf("use a whole number from %.0f to %.0f", *s.Min, *s.Max)
	case s.Min != nil:
		return fmt.Sprintf("use a whole number from %.0f on", *s.Min)
	case s.Type.Is("integer"):
		return "use a whole number"
	case s.Format == "date":
		return "use a day, as 2026-07-03"
	case s.Type.Is("boolean"):
		return "use true or false"
	case s.Type.Is("string"):
		return "use a text"
	}
	return "this cannot be read"
}

// reads are the operations that read a feed while somebody waits, and endless is the one that
// has no end.
var reads = map[string]bool{"createFeed": true, "tryLinks": true, "editFeed": true, "createReading": true}

const endless = "streamChanges"

// bound ends an operation that takes too long, such as one that waits for a database that
// hangs.
func (s *server) bound(g *gin.Context) {
	operation := g.MustGet(keyRoute).(*routers.Route).Operation.OperationID
	if s.RequestTimeout <= 0 || operation == endless {
		return
	}
	limit := s.RequestTimeout
	if reads[operation] {
		limit += s.ReadingTimeout
	}
	ctx, cancel := context.WithTimeout(g.Request.Context(), limit)
	defer cancel()
	g.Request = g.Request.WithContext(ctx)
	g.Next()
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
	ctx, cancel := context.WithTimeout(g.Request.Context(), cmp.Or(s.QueryTimeout, store.DefaultQueryTimeout))
	defer cancel()
	who, err := s.who(ctx, g)
	if err != nil {
		s.fail(g, err)
		return
	}
	g.Set(keyLogin, who)
}

func (s *server) who(ctx context.Context, g *gin.Context) (account.Login, error) {
	if header := g.GetHeader("Authorization"); header != "" {
		token, ok := strings.CutPrefix(header, "Bearer ")
		if !ok {
			return account.Login{}, account.ErrUnknown
		}
		return s.Accounts.Who(ctx, strings.TrimSpace(token), store.TokenSession)
	}
	cookie, err := g.Cookie(sessionCookie)
	if err != nil {
		return account.Login{}, account.ErrUnknown
	}
	return s.Accounts.Who(ctx, cookie, store.BrowserSession)
}

// accountOf is the account that authenticate found.
func accountOf(ctx context.Context) store.Account {
	l, _ := ctx.Value(keyLogin).(account.Login)
	return l.Account
}
