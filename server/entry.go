package server

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"

	"zerokeel/workshop"
)

// loginName is the cookie of a login. By its prefix a browser takes it over TLS alone, and sends it to this server alone.
const loginName = "__Host-zerokeel"

// loginLife is how long one stays logged in: trials go on for days, and their pages with them.
const loginLife = 7 * 24 * time.Hour

// What a login holds.
const (
	loginAccount = "account"
	loginVersion = "version"
)

// Bounds of logging in, of one address and of one name at that address, and of everything else that one person, or one address,
// asks: so many at once, and then one in each time.
const (
	triesAtOnce, triesEvery             = 30, 4 * time.Second
	nameTriesAtOnce, nameTriesEvery     = 6, 15 * time.Second
	requestsAtOnce, requestsEvery       = 400, 20 * time.Millisecond
	keptLimits                      int = 4096
)

// entry is where people come in to a guarded server. Who they are is told by the cookie of a login or, for scripts, by name and
// password with each request.
type entry struct {
	shop             *workshop.Workshop
	logins           *scs.SessionManager
	tries, nameTries *limits
	requests         *limits
}

func newEntry(shop *workshop.Workshop) *entry {
	e := &entry{shop: shop, logins: scs.New(), tries: newLimits(triesAtOnce, triesEvery),
		nameTries: newLimits(nameTriesAtOnce, nameTriesEvery), requests: newLimits(requestsAtOnce, requestsEvery)}
	e.logins.Store, e.logins.Lifetime, e.logins.HashTokenInStore = shop.Logins(), loginLife, true
	return e
}

// who says who acts: on an open server, which listens on loopback alone, whoever asks is the bench's owner; on a guarded one who has
// logged in, or nobody.
func (s *Server) who(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		switch {
		case s.entry == nil:
			c.SetRequest(r.WithContext(workshop.As(r.Context(), workshop.Owner)))
		case strings.HasPrefix(r.URL.Path, "/api/") || r.URL.Path == "/metrics":
			actor, err := s.entry.actor(r)
			if err != nil {
				return err
			}
			key := ip(r)
			if actor.Account != 0 {
				key = fmt.Sprint(actor.Account)
			}
			if err := s.entry.requests.take(key); err != nil {
				return err
			}
			if actor.Kind != "" {
				c.SetRequest(r.WithContext(workshop.As(r.Context(), actor)))
			}
		}
		return next(c)
	}
}

// actor returns who makes a request; the zero Actor for nobody.
func (e *entry) actor(r *http.Request) (workshop.Actor, error) {
	var in workshop.Entry
	if name, password, given := r.BasicAuth(); given {
		var err error
		if err = e.try(r, name); err != nil {
			return workshop.Actor{}, err
		}
		if in, err = e.enter(r, name, password); err != nil {
			return workshop.Actor{}, errors.Join(err, e.refused(r, name, err))
		}
	} else if cookie, err := r.Cookie(loginName); err == nil {
		ctx, err := e.logins.Load(r.Context(), cookie.Value)
		if err != nil {
			return workshop.Actor{}, err
		}
		in = workshop.Entry{Account: e.logins.GetInt64(ctx, loginAccount), Version: e.logins.GetInt64(ctx, loginVersion)}
	}
	if in.Account == 0 {
		return workshop.Actor{}, nil
	}
	actor, err := e.shop.Entered(r.Context(), in)
	if errors.Is(err, workshop.ErrNobody) {
		return workshop.Actor{}, nil
	}
	return actor, err
}

// try counts one more try of a name and a password: they may not be guessed without end.
func (e *entry) try(r *http.Request, name string) error {
	if err := e.tries.take(ip(r)); err != nil {
		return err
	}
	return e.nameTries.take(nameHere(r, name))
}

// enter checks a name and a password that were tried. Whoever has them may begin anew.
func (e *entry) enter(r *http.Request, name, password string) (workshop.Entry, error) {
	in, err := e.shop.Enter(r.Context(), name, password)
	if err == nil { // a script does so with each request; other names stay bounded by themselves
		e.tries.forget(ip(r))
		e.nameTries.forget(nameHere(r, name))
	}
	return in, err
}

// refused notes that a script could not log in.
func (e *entry) refused(r *http.Request, name string, why error) error {
	trace, err := e.shop.Begin(r.Context(), name, ip(r), "login", r.URL.Path)
	if err != nil {
		return err
	}
	return e.shop.End(r.Context(), trace, problemOf(why).Status)
}

func nameHere(r *http.Request, name string) string {
	return ip(r) + " " + strings.ToLower(strings.TrimSpace(name))
}

// begin logs somebody in: by a new login, whatever cookie came.
func (e *entry) begin(c *echo.Context, in workshop.Entry) error {
	ctx, err := e.logins.Load(c.Request().Context(), "")
	if err != nil {
		return err
	}
	e.logins.Put(ctx, loginAccount, in.Account)
	e.logins.Put(ctx, loginVersion, in.Version)
	token, ends, err := e.logins.Commit(ctx)
	if err != nil {
		return err
	}
	setCookie(c, token, ends)
	return nil
}

// end logs whoever asks out.
func (e *entry) end(c *echo.Context) error {
	cookie, err := c.Request().Cookie(loginName)
	if err != nil {
		return nil
	}
	ctx, err := e.logins.Load(c.Request().Context(), cookie.Value)
	if err != nil {
		return err
	}
	if err := e.logins.Destroy(ctx); err != nil {
		return err
	}
	setCookie(c, "", time.Unix(1, 0))
	return nil
}

func setCookie(c *echo.Context, token string, ends time.Time) {
	http.SetCookie(c.Response(), &http.Cookie{Name: loginName, Value: token, Path: "/", Expires: ends, Secure: true, HttpOnly: true,
		SameSite: http.SameSiteStrictMode})
}

// still reports whether whoever opened a stream may go on reading it.
func (s *Server) still(ctx context.Context, r *http.Request) bool {
	if s.entry == nil {
		return true
	}
	if _, _, given := r.BasicAuth(); given {
		a := workshop.ActorOf(ctx)
		return a.Kind != ""
	}
	actor, err := s.entry.actor(r)
	return err != nil || actor.Kind != "" // a database that is away ends nothing
}

// ip is the address that a request came from.
func ip(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}
