package server

import (
	"io"
	"net/http"
	"slices"
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

// Times that the other end has: for the header of a request, for each part of its body and of the answer, and until its next
// request.
const (
	headerWithin = 10 * time.Second
	partWithin   = 20 * time.Second
	idleWithin   = 2 * time.Minute
)

// partBytes is how much of an answer is one part.
const partBytes = 64 << 10

// patient ends requests whose body does not come, and answers that nobody reads: each part has its time, however long the whole is.
func patient(within time.Duration) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			of := patience{http.NewResponseController(c.Response()), within}
			if r := c.Request(); r.Body != nil && r.ContentLength != 0 {
				body := &timedBody{ReadCloser: r.Body, of: of}
				r.Body = body
				defer body.leave()
			}
			_ = of.SetWriteDeadline(time.Time{}) // of the answer before
			c.SetResponse(&timedAnswer{c.Response(), of})
			err := next(c)
			of.write() // what is not sent yet
			return err
		}
	}
}

// patience is with the other end of a connection; one that has no deadlines is a test's.
type patience struct {
	*http.ResponseController
	within time.Duration
}

func (p patience) read() { _ = p.SetReadDeadline(time.Now().Add(p.within)) }

func (p patience) write() { _ = p.SetWriteDeadline(time.Now().Add(p.within)) }

type timedBody struct {
	io.ReadCloser
	of  patience
	err error // that ended it
}

func (b *timedBody) Read(p []byte) (int, error) {
	if b.err != nil {
		return 0, b.err
	}
	b.of.read()
	n, err := b.ReadCloser.Read(p)
	if b.err = err; err == io.EOF {
		_ = b.of.SetReadDeadline(time.Time{}) // the server watches the connection from here on
	}
	return n, err
}

// leave bounds for how long the server waits for the rest of a body that nobody has read to its end: it wants to use the connection
// for the next request.
func (b *timedBody) leave() {
	if b.err == nil {
		b.of.read()
	}
}

type timedAnswer struct {
	http.ResponseWriter
	of patience
}

// Unwrap is for http.ResponseController.
func (a *timedAnswer) Unwrap() http.ResponseWriter { return a.ResponseWriter }

func (a *timedAnswer) Write(p []byte) (int, error) {
	if len(p) == 0 {
		return a.ResponseWriter.Write(p) // the answer begins
	}
	done := 0
	for part := range slices.Chunk(p, partBytes) {
		a.of.write()
		n, err := a.ResponseWriter.Write(part)
		if done += n; err != nil {
			return done, err
		}
	}
	return done, nil
}
