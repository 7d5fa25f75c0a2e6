package server

import (
	_ "embed"
	"html/template"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"
)

//go:embed page.html
var pageText string

var pageTemplate = template.Must(template.New("api").Parse(pageText))

// operation is a row of the page that describes the API.
type operation struct{ Method, Path, Summary, Tag string }

// page shows the API's operations to a person.
func (s *Server) page(c *echo.Context) error {
	var rows []operation
	for path, item := range s.doc.Paths.Map() {
		for method, op := range item.Operations() {
			rows = append(rows, operation{method, path, op.Summary, op.Tags[0]})
		}
	}
	slices.SortFunc(rows, func(a, b operation) int {
		return strings.Compare(a.Path+" "+a.Method, b.Path+" "+b.Method)
	})
	c.Response().Header().Set("Content-Type", "text/html; charset=utf-8")
	c.Response().WriteHeader(http.StatusOK)
	return pageTemplate.Execute(c.Response(), rows)
}
