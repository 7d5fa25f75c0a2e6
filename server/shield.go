package server

import (
	"io"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
)

// policy is what the pages may load and do: their own files, and nothing from elsewhere. Styles alone may stand in a page, since
// components place themselves by them.
const policy = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; " +
	"connect-src 'self'; manifest-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"

// shield tells browsers what no answer of this server may be used for.
func shield(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		return next(c)
	}
}

// Times that senders have: for the header of a request, for each part of its body, and until their next request.
const (
	headerWithin = 10 * time.Second
	partWithin   = 20 * time.Second
	idleWithin   = 2 * time.Minute
)

// patient ends requests whose body does not come: each part of it has its time, however long the whole is.
func patient(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if r := c.Request(); r.Body != nil && r.ContentLength != 0 {
			r.Body = &timedBody{r.Body, http.NewResponseController(c.Response())}
		}
		return next(c)
	}
}

type timedBody struct {
	io.ReadCloser
	of *http.ResponseController
}

func (b *timedBody) Read(p []byte) (int, error) {
	_ = b.of.SetReadDeadline(time.Now().Add(partWithin)) // a connection that has none is a test's
	n, err := b.ReadCloser.Read(p)
	if err != nil {
		_ = b.of.SetReadDeadline(time.Time{}) // the server watches the connection from here on
	}
	return n, err
}
