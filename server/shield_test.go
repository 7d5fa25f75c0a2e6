package server

import (
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
)

// TestBrokenOffLooksBroken: an answer that was begun and cannot be ended does not look complete to whoever reads it, while one that
// never began says what is wrong.
func TestBrokenOffLooksBroken(t *testing.T) {
	s := &Server{log: slog.New(slog.DiscardHandler)}
	e := echo.NewWithConfig(echo.Config{Logger: s.log, HTTPErrorHandler: s.problem})
	e.Use(middleware.Recover(), shield, patient)
	e.GET("/*", func(c *echo.Context) error {
		if c.Request().URL.Path == "/begun" {
			c.Response().WriteHeader(http.StatusOK)
			_, _ = io.WriteString(c.Response(), strings.Repeat("time,value\n", 1000))
		}
		return errors.New("the database went away")
	})
	srv := httptest.NewServer(e)
	defer srv.Close()
	for path, whole := range map[string]bool{"/begun": false, "/never": true} {
		response, err := http.Get(srv.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(response.Body)
		_ = response.Body.Close()
		if (err == nil) != whole || whole && response.StatusCode != http.StatusInternalServerError {
			t.Errorf("%s: %d, %d bytes, %v", path, response.StatusCode, len(text), err)
		}
		if h := response.Header; !strings.Contains(h.Get("Content-Security-Policy"), "script-src 'self'; ") ||
			!strings.Contains(h.Get("Content-Security-Policy"), "frame-ancestors 'none'") || h.Get("X-Content-Type-Options") != "nosniff" ||
			h.Get("Referrer-Policy") != "no-referrer" {
			t.Errorf("%s: %v", path, h)
		}
	}
}
