// Package api has the HTTP contract as it is written.
package api

import _ "embed"

// OpenAPI is the contract, as YAML.
//
//go:embed openapi.yaml
var OpenAPI []byte
