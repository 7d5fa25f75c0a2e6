// Package server is the HTTP side of Zero Keel: the JSON API described in server/api/openapi.yaml, the stream of live
// events, the rigs' links, and the front end. It listens on loopback unless told otherwise, and refuses requests that
// a page from elsewhere makes.
package server

import (
	"context"
	"crypto/tls"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// Server serves one bench.
type Server struct {
	shop        *workshop.Workshop
	log         *slog.Logger
	front       fs.FS
	doc         *openapi3.T
	entry       *entry // nil where whoever asks is the owner
	tls         *tls.Config
	fingerprint string
	answers     answers

	closed context.Context // ends the event streams before the server shuts down
	close  context.CancelFunc
}

// Config says what a server needs. Front holds the built front end, with index.html at its top. Hosts are the names,
// beside loopback's, under which it may be addressed.
type Config struct {
	Shop  *workshop.Workshop
	Log   *slog.Logger
	Front fs.FS
	Hosts []string
	// Guarded makes whoever asks log in, over TLS; nil is for loopback alone, where whoever asks is the bench's owner.
	Guarded *Guarded
}

// Guarded says how a server is reached beyond loopback. Fingerprint is by what agents know it; empty where its certificate is of an
// authority that machines trust.
type Guarded struct {
	TLS         *tls.Config
	Fingerprint string
}

// maxBody is the largest request body, maxStream the largest table or archive, which is read piece by piece.
const (
	maxBody   = 4 << 20
	maxStream = 4 << 30
)

// bodyLimit bounds request bodies by what they are.
func bodyLimit() echo.MiddlewareFunc {
	small, large := middleware.BodyLimit(maxBody), middleware.BodyLimit(maxStream)
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		ofJSON, streamed := small(next), large(next)
		return func(c *echo.Context) error {
			if isStreamed(c.Request()) {
				return streamed(c)
			}
			return ofJSON(c)
		}
	}
}

// New returns a server and its handler.
func New(cfg Config) (*Server, http.Handler, error) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Description)
	if err != nil {
		return nil, nil, fmt.Errorf("read the API's description: %w", err)
	}
	s := &Server{shop: cfg.Shop, log: cfg.Log, front: cfg.Front, doc: doc}
	if g := cfg.Guarded; g != nil {
		s.entry, s.tls, s.fingerprint = newEntry(cfg.Shop), g.TLS, g.Fingerprint
	}
	s.closed, s.close = context.WithCancel(context.Background())
	validate, err := s.validator()
	if err != nil {
		return nil, nil, err
	}
	e := echo.NewWithConfig(echo.Config{Logger: cfg.Log, HTTPErrorHandler: s.problem})
	e.Use(middleware.Recover(), s.counted, shield, patient(partWithin), guard(cfg.Hosts), s.who, bodyLimit(), shallow, validate,
		s.once, s.traced, matched)
	api.RegisterHandlers(e, s)
	e.GET("/api", s.page)
	e.GET("/api/openapi.json", s.description)
	e.GET("/metrics", s.metrics)
	e.GET("/health/live", s.live)
	e.GET("/health/ready", s.ready)
	e.GET(link.Path, s.link)
	e.GET(programPath, s.program)
	e.Match([]string{http.MethodGet, http.MethodHead}, "/*", s.frontEnd)
	return s, e, nil
}

// Serve answers on a listener until the context ends.
func (s *Server) Serve(ctx context.Context, l net.Listener, h http.Handler) error {
	srv := &http.Server{Handler: h, ReadHeaderTimeout: headerWithin, IdleTimeout: idleWithin, MaxHeaderBytes: 64 << 10, TLSConfig: s.tls,
		ErrorLog: slog.NewLogLogger(s.log.Handler(), slog.LevelDebug)}
	s.shop.Out().Own(l.Addr())
	done := make(chan error, 1)
	go func() {
		if s.tls == nil {
			done <- srv.Serve(l)
		} else {
			done <- srv.ServeTLS(l, "", "")
		}
	}()
	select {
	case err := <-done:
		return fmt.Errorf("serve: %w", err)
	case <-ctx.Done():
	}
	s.close()
	s.shop.Hub().Close()
	grace, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	if err := srv.Shutdown(grace); err != nil {
		_ = srv.Close() // links of rigs stay open until they are cut
	}
	return nil
}

// description serves the API's description as JSON.
func (s *Server) description(c *echo.Context) error { return c.JSON(http.StatusOK, s.doc) }

// frontEnd serves the pages and their files. Unknown paths without a dot are pages of the application itself.
func (s *Server) frontEnd(c *echo.Context) error {
	name := strings.Trim(c.Request().URL.Path, "/")
	switch {
	case name == "api" || strings.HasPrefix(name, "api/"):
		return echo.NewHTTPError(http.StatusNotFound, "there is no such resource; /api lists them all")
	case name == "" || !strings.Contains(name, "."):
		name = "index.html"
	}
	if _, err := fs.Stat(s.front, name); err != nil {
		if name == "index.html" {
			return echo.NewHTTPError(http.StatusNotFound, "the front end is not built; run ./keel demo, or npm run build in web/")
		}
		return echo.NewHTTPError(http.StatusNotFound, "there is no such file")
	}
	if strings.HasPrefix(name, "assets/") {
		c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	http.ServeFileFS(c.Response(), c.Request(), s.front, name)
	return nil
}

var _ api.ServerInterface = (*Server)(nil)
