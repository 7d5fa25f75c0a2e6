package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// GetMe tells who asks.
func (s *Server) GetMe(c *echo.Context) error {
	out, err := s.me(c, workshop.ActorOf(c.Request().Context()))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

func (s *Server) me(c *echo.Context, a workshop.Actor) (api.Me, error) {
	out := api.Me{Guarded: s.entry != nil, Name: a.Name, Role: api.MeRole(a.Role)}
	if s.entry == nil {
		return out, nil
	}
	if a.Kind != "" {
		out.Fingerprint = &s.fingerprint
		return out, nil
	}
	owned, err := s.shop.HasOwner(c.Request().Context())
	out.Unowned = !owned
	return out, err
}

// errOpen answers who would log in to a server that is not guarded.
var errOpen = echo.NewHTTPError(http.StatusConflict, "nobody logs in here: this server listens on loopback alone, for whoever sits at it")

// Login lets somebody in.
func (s *Server) Login(c *echo.Context) error {
	in, err := body[api.LoginRequest](c)
	if err != nil {
		return err
	}
	if s.entry == nil {
		return errOpen
	}
	if err := s.entry.try(c.Request(), in.Name); err != nil {
		return err
	}
	return s.trace(c, in.Name, func() error { return s.letIn(c, in.Name, in.Password, http.StatusOK) })
}

// letIn logs somebody in, and answers who that is.
func (s *Server) letIn(c *echo.Context, name, password string, status int) error {
	e, err := s.entry.enter(c.Request(), name, password)
	if err != nil {
		return err
	}
	actor, err := s.shop.Entered(c.Request().Context(), e)
	if err != nil {
		return err
	}
	if err := s.entry.begin(c, e); err != nil {
		return err
	}
	out, err := s.me(c, actor)
	if err != nil {
		return err
	}
	return c.JSON(status, out)
}

// Logout ends a login.
func (s *Server) Logout(c *echo.Context) error {
	if s.entry == nil {
		return gone(c, nil)
	}
	return gone(c, s.entry.end(c))
}

// MakeFirstOwner makes the first account, and logs its owner in.
func (s *Server) MakeFirstOwner(c *echo.Context) error {
	in, err := body[api.FirstOwnerRequest](c)
	if err != nil {
		return err
	}
	if s.entry == nil {
		return errOpen
	}
	if err := s.entry.try(c.Request(), in.Name); err != nil {
		return err
	}
	return s.trace(c, in.Name, func() error {
		if _, err := s.shop.MakeFirstOwner(c.Request().Context(), in.Code, in.Name, in.Password); err != nil {
			return err
		}
		return s.letIn(c, in.Name, in.Password, http.StatusCreated)
	})
}

// ChangePassword changes one's own password.
func (s *Server) ChangePassword(c *echo.Context) error {
	in, err := body[api.PasswordRequest](c)
	if err != nil {
		return err
	}
	if s.entry != nil {
		if err := s.entry.tries.take(ip(c.Request())); err != nil {
			return err
		}
	}
	return gone(c, s.shop.ChangePassword(c.Request().Context(), in.Before, in.Password))
}

// ListAccounts lists who may use the bench.
func (s *Server) ListAccounts(c *echo.Context) error {
	list, err := s.shop.Accounts(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiAccount))
}

// AddAccount gives somebody an account.
func (s *Server) AddAccount(c *echo.Context) error {
	in, err := body[api.AddAccountRequest](c)
	if err != nil {
		return err
	}
	a, err := s.shop.AddAccount(c.Request().Context(), workshop.NewAccount{Name: in.Name, Role: workshop.Role(in.Role), Password: in.Password})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiAccount(a))
}

// ChangeAccount changes an account.
func (s *Server) ChangeAccount(c *echo.Context, id int64) error {
	in, err := body[api.ChangeAccountRequest](c)
	if err != nil {
		return err
	}
	a, err := s.shop.ChangeAccount(c.Request().Context(), id, workshop.AccountChange{Role: (*workshop.Role)(in.Role), Password: in.Password,
		Closed: in.Closed})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiAccount(a))
}

func apiAccount(a *workshop.Account) api.Account {
	return api.Account{Version: workshop.VersionOfAccount(a), Id: a.ID, Name: a.Name, Role: a.Role, Closed: a.Closed, CreatedAt: a.CreatedAt}
}
