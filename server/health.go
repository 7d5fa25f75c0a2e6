package server

import (
	"context"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
)

// readyWithin is how long the database may take to answer while this process counts as ready.
const readyWithin = 2 * time.Second

// live tells that this process runs: whoever watches it need not start it anew.
func (s *Server) live(c *echo.Context) error { return c.String(http.StatusOK, "it runs\n") }

// ready tells whether requests can be served, and if not, why: whoever divides them among processes waits until they can.
func (s *Server) ready(c *echo.Context) error {
	ctx, cancel := context.WithTimeout(c.Request().Context(), readyWithin)
	defer cancel()
	if err := s.shop.Ready(ctx); err != nil {
		return c.String(http.StatusServiceUnavailable, err.Error()+"\n")
	}
	return c.String(http.StatusOK, "it is ready\n")
}
