// Package contract has the Go side of api/openapi.yaml, made by oapi-codegen.
package contract

//go:generate go tool oapi-codegen -config config.yaml ../../../api/openapi.yaml
