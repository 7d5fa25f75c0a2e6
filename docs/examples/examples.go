// Package examples holds the part sheets and trims of the documentation, which are those of the demo's rigs.
package examples

import "embed"

//go:embed *.json
var Files embed.FS
