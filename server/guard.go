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
// was bent to this address), requests that name a foreign origin, and bodies that are no JSON.
func guard(hosts []string) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			r := c.Request()
			if !known(r.Host, hosts) {
				return echo.NewHTTPError(http.StatusMisdirectedRequest, "this server is not addressed by that name; use 127.0.0.1 or localhost, or start it with --host")
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
			if kind := r.Header.Get("Content-Type"); hasBody && !strings.HasPrefix(kind, "application/json") {
				return echo.NewHTTPError(http.StatusUnsupportedMediaType, "send the body as application/json")
			}
			return next(c)
		}
	}
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
