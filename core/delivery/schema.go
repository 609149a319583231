package delivery

import _ "embed"

// Schema is the JSON schema (draft 2020-12) of specs.
//
//go:embed spec.schema.json
var Schema []byte
