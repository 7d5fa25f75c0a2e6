package server

import (
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"
)

// guard refuses what a page from elsewhere could make a browser send: requests for another host name (a name that
// was bent to this address), requests that name a foreign origin, and bodies of a kind that a form could send.
func guard(hosts []string) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			r := c.Request()
			if !known(r.Host, hosts) {
				return echo.NewHTTPError(http.StatusMisdirectedRequest,
					"this server is not addressed by that name; use 127.0.0.1 or localhost, or start it with --host")
			}
			if origin := r.Header.Get("Origin"); origin != "" {
				u, err := url.Parse(origin)
				if err != nil || u.Host != r.Host {
					return echo.NewHTTPError(http.StatusForbidden, "pages from elsewhere may not use this bench")
				}
			}
			if r.Header.Get("Sec-Fetch-Site") == "cross-site" && r.Method != http.MethodGet {
				return echo.NewHTTPError(http.StatusForbidden, "pages from elsewhere may not use this bench")
			}
			hasBody := r.ContentLength != 0 && r.Method != http.MethodGet && r.Method != http.MethodHead
			if hasBody && !isJSON(r) && !isStreamed(r) {
				return echo.NewHTTPError(http.StatusUnsupportedMediaType,
					"send the body as application/json, a table as text/csv, or an archive as application/zip")
			}
			return next(c)
		}
	}
}

func isJSON(r *http.Request) bool {
	return strings.HasPrefix(r.Header.Get("Content-Type"), "application/json")
}

// isStreamed reports whether a body is a table or an archive, which its own handler reads piece by piece.
func isStreamed(r *http.Request) bool {
	kind := kindOf(r)
	return kind == "text/csv" || kind == "application/zip"
}

// kindOf is what a request says that its body is.
func kindOf(r *http.Request) string {
	kind, _, _ := strings.Cut(r.Header.Get("Content-Type"), ";")
	return strings.TrimSpace(kind)
}

func known(hostPort string, hosts []string) bool {
	host := hostPort
	if h, _, err := net.SplitHostPort(hostPort); err == nil {
		host = h
	}
	host = strings.Trim(host, "[]")
	if host == "localhost" || slices.Contains(hosts, host) {
		return true
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}
