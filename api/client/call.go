package client

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
)

// ProblemError is an error that the service answered with.
type ProblemError struct{ Problem }

func (e *ProblemError) Error() string {
	if e.Detail != nil && *e.Detail != "" {
		return *e.Detail
	}
	return e.Title
}

// maxAnswer is the most bytes of an answer that are read.
const maxAnswer = 64 << 20

// Decode reads the answer to a call of Client as a T; what the service answers instead
// is a *ProblemError.
func Decode[T any](resp *http.Response, err error) (T, error) {
	var v T
	if err != nil {
		return v, err
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(io.LimitReader(resp.Body, maxAnswer))
	if err != nil {
		return v, fmt.Errorf("the answer broke off: %w", err)
	}
	if resp.StatusCode >= 400 {
		p := &ProblemError{}
		if json.Unmarshal(body, &p.Problem) != nil || p.Title == "" {
			p.Title = fmt.Sprintf("the server answered %s, not as a Wharf service does: check its address", resp.Status)
		}
		p.Status = resp.StatusCode
		return v, p
	}
	if len(body) == 0 {
		return v, nil
	}
	if err := json.Unmarshal(body, &v); err != nil {
		return v, fmt.Errorf("the server does not answer as a Wharf service does: check its address: %w", err)
	}
	return v, nil
}
