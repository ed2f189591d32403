// Package api holds the contract of the service, openapi.yaml, and what is generated
// from it: server types and routes in api/server, the Go client in api/client. The
// console's types come from the same file.
package api

import _ "embed"

//go:generate go tool oapi-codegen -config server.cfg.yaml openapi.yaml
//go:generate go tool oapi-codegen -config client.cfg.yaml openapi.yaml

// Contract is openapi.yaml as it was when the program was built.
//
//go:embed openapi.yaml
var Contract []byte
