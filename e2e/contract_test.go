package e2e

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"slices"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"

	"wharf/api"
)

// contract stands between the service and everybody who calls it, and holds every answer
// against api/openapi.yaml.
type contract struct {
	router     routers.Router
	operations []string

	mu     sync.Mutex
	seen   map[string]bool
	breaks []string
}

var theContract = newContract()

func newContract() *contract {
	doc, err := openapi3.NewLoader().LoadFromData(api.Contract)
	if err != nil {
		panic(err)
	}
	router, err := gorillamux.NewRouter(doc)
	if err != nil {
		panic(err)
	}
	c := &contract{router: router, seen: map[string]bool{}}
	for _, item := range doc.Paths.Map() {
		for _, operation := range item.Operations() {
			c.operations = append(c.operations, operation.OperationID)
		}
	}
	slices.Sort(c.operations)
	return c
}

// inFrontOf starts a proxy to the service at the address, which keeps the last requests.
func (c *contract) inFrontOf(address string, last *lastRequests) *httptest.Server {
	target := &url.URL{Scheme: "http", Host: address}
	proxy := &httputil.ReverseProxy{
		Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(target)
			r.Out.Host = r.In.Host // as a browser asked for it
			if strings.HasPrefix(r.In.URL.Path, "/api/") {
				r.Out.Header.Del("Accept-Encoding") // the transport's own coding is undone before check
			}
		},
		ModifyResponse: func(resp *http.Response) error {
			last.add(resp)
			return c.check(resp)
		},
		ErrorHandler: func(w http.ResponseWriter, _ *http.Request, _ error) { panic(http.ErrAbortHandler) }, // as if it were not there
	}
	return httptest.NewServer(proxy)
}

// check holds one answer against the contract; what is not in it is left alone.
func (c *contract) check(resp *http.Response) error {
	route, params, err := c.router.FindRoute(resp.Request)
	if err != nil {
		return nil
	}
	if resp.Header.Get("Content-Type") == "text/event-stream" {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.seen[route.Operation.OperationID] = true
		return nil // it does not end; its events are read by the tests of it
	}
	body, err := io.ReadAll(resp.Body)
	if err != nil {
		return err
	}
	resp.Body = io.NopCloser(bytes.NewReader(body))
	err = openapi3filter.ValidateResponse(context.Background(), &openapi3filter.ResponseValidationInput{
		RequestValidationInput: &openapi3filter.RequestValidationInput{Request: resp.Request, PathParams: params, Route: route},
		Status:                 resp.StatusCode, Header: resp.Header, Body: io.NopCloser(bytes.NewReader(body)),
		Options: &openapi3filter.Options{IncludeResponseStatus: true, MultiError: true},
	})
	c.mu.Lock()
	defer c.mu.Unlock()
	if resp.StatusCode < 400 {
		c.seen[route.Operation.OperationID] = true
	}
	if err != nil {
		c.breaks = append(c.breaks, fmt.Sprintf("%s answers %d: %v", route.Operation.OperationID, resp.StatusCode, err))
	}
	return nil
}

// verdict says after a whole run what broke the contract and what was never exercised,
// and reports whether all is well.
func (c *contract) verdict(whole bool) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, b := range c.breaks {
		fmt.Fprintln(os.Stderr, "CONTRACT BROKEN: "+b)
	}
	var never []string
	for _, id := range c.operations {
		if !c.seen[id] {
			never = append(never, id)
		}
	}
	if whole {
		fmt.Printf("operations never exercised: %d %s\n", len(never), strings.Join(never, " "))
	}
	return len(c.breaks) == 0 && (!whole || len(never) == 0)
}
