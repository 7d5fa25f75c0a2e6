// Package web holds the built front end.
package web

import "embed"

// Dist is what the front end's build left in web/dist; without a build it holds no index.html.
//
//go:embed all:dist
var Dist embed.FS
