package server

import (
	"errors"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
)

// TestBrokenOffLooksBroken: an answer that was begun and cannot be ended does not look complete to whoever reads it, while one that
// never began says what is wrong.
func TestBrokenOffLooksBroken(t *testing.T) {
	s := &Server{log: slog.New(slog.DiscardHandler)}
	e := echo.NewWithConfig(echo.Config{Logger: s.log, HTTPErrorHandler: s.problem})
	e.Use(middleware.Recover(), shield, patient(partWithin))
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

// TestTheOtherEndFallsSilent: a body that does not come, whether or not anybody wants it, and an answer that nobody reads, end with
// their connection.
func TestTheOtherEndFallsSilent(t *testing.T) {
	ended := make(chan error, 1)
	e := echo.New()
	e.Use(patient(50 * time.Millisecond))
	e.POST("/wanted", func(c *echo.Context) error {
		_, err := io.ReadAll(c.Request().Body)
		ended <- err
		return c.NoContent(http.StatusBadRequest)
	})
	e.POST("/unwanted", func(c *echo.Context) error {
		ended <- errors.New("of no interest")
		return c.NoContent(http.StatusNotFound)
	})
	e.POST("/answer", func(c *echo.Context) error {
		_, err := c.Response().Write(make([]byte, 64<<20))
		ended <- err
		return err
	})
	srv := httptest.NewServer(e)
	defer srv.Close()
	for path, begun := range map[string]string{"/wanted": "Content-Length: 900\r\n\r\n{", "/unwanted": "Content-Length: 900\r\n\r\n{",
		"/answer": "Content-Length: 0\r\n\r\n"} {
		conn, err := net.Dial("tcp", srv.Listener.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = conn.Close() }()
		_ = conn.SetDeadline(time.Now().Add(time.Minute))
		_, _ = io.WriteString(conn, "POST "+path+" HTTP/1.1\r\nHost: localhost\r\n"+begun)
		if err := <-ended; err == nil {
			t.Errorf("%s: it ended well", path)
		}
		if _, err := io.Copy(io.Discard, conn); errors.Is(err, os.ErrDeadlineExceeded) {
			t.Errorf("%s: the connection is still there", path)
		}
	}
}
