// Package outbound makes the requests that the server makes on somebody's order: to boards, and to those who receive the notices of
// watches. Whoever may name an address must not reach through it what he could not reach himself, so a request goes to the host
// that was named and no other, and never to the server itself, nor to addresses that a network keeps for its own machinery.
package outbound

import (
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"sync"
	"syscall"
	"time"
)

// ErrForbidden reports a request that is not made on anybody's order.
var ErrForbidden = errors.New("requests are not sent there")

// maxHeader bounds the header of an answer, in bytes, and maxRedirects how often a host may send a request on to itself.
const (
	maxHeader    = 64 << 10
	maxRedirects = 3
)

// Guard makes clients, and knows where the server itself listens. The zero value is ready for use.
type Guard struct {
	mu  sync.Mutex
	own map[uint16]bool // ports
}

// Own notes an address at which the server itself listens.
func (g *Guard) Own(a net.Addr) {
	if tcp, ok := a.(*net.TCPAddr); ok {
		g.mu.Lock()
		defer g.mu.Unlock()
		if g.own == nil {
			g.own = map[uint16]bool{}
		}
		g.own[tcp.AddrPort().Port()] = true
	}
}

// Client returns a client of which a whole request takes at most some time.
func (g *Guard) Client(within time.Duration) *http.Client {
	dialer := &net.Dialer{Timeout: within, Control: g.check}
	return &http.Client{Timeout: within, CheckRedirect: redirect, Transport: &http.Transport{DialContext: dialer.DialContext,
		ForceAttemptHTTP2: true, MaxResponseHeaderBytes: maxHeader, MaxIdleConnsPerHost: 2, IdleConnTimeout: time.Minute,
		TLSHandshakeTimeout: within}}
}

// check looks at an address once its name has been resolved, so that no name can hide it.
func (g *Guard) check(_, address string, _ syscall.RawConn) error {
	at, err := netip.ParseAddrPort(address)
	if err != nil {
		return fmt.Errorf("%w: %s is no address", ErrForbidden, address)
	}
	ip := at.Addr().Unmap()
	switch {
	case ip.IsUnspecified(), ip.IsMulticast(), ip.IsLinkLocalUnicast(), ip == netip.AddrFrom4([4]byte{255, 255, 255, 255}):
		return fmt.Errorf("%w: %s is no machine's own address", ErrForbidden, ip)
	}
	g.mu.Lock()
	port := g.own[at.Port()]
	g.mu.Unlock()
	if port && isHere(ip) {
		return fmt.Errorf("%w: %s is this server itself", ErrForbidden, at)
	}
	return nil
}

// isHere reports whether an address is one of this machine's.
func isHere(ip netip.Addr) bool {
	if ip.IsLoopback() {
		return true
	}
	list, err := net.InterfaceAddrs()
	if err != nil {
		return true // rather not
	}
	for _, a := range list {
		if n, ok := a.(*net.IPNet); ok {
			if own, ok := netip.AddrFromSlice(n.IP); ok && own.Unmap() == ip {
				return true
			}
		}
	}
	return false
}

func redirect(next *http.Request, before []*http.Request) error {
	first := before[0].URL
	if next.URL.Host != first.Host || next.URL.Scheme != first.Scheme {
		return fmt.Errorf("%w: %s sends the request on to another host", ErrForbidden, first.Host)
	}
	if len(before) > maxRedirects {
		return fmt.Errorf("%s sends the request on and on", first.Host)
	}
	return nil
}

// Parse reads an address to which requests shall go: of HTTP, with a host, and without a login, which would be shown with it.
func Parse(address string) (*url.URL, error) {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "":
		return nil, errors.New("it is no address such as https://10.0.0.5")
	case u.User != nil:
		return nil, errors.New("it holds a login; give that in fields of its own, where it is kept from view")
	}
	return u, nil
}
