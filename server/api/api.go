// Package api holds the types and routes of the JSON API, generated from its description openapi.yaml. The same
// file makes the front end's types, so that the three cannot drift apart unseen.
package api

import _ "embed"

//go:generate go tool -modfile=../../tools/go.mod oapi-codegen -config oapi-codegen.yaml openapi.yaml

// Description is openapi.yaml.
//
//go:embed openapi.yaml
var Description []byte
