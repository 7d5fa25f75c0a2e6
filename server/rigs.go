package server

import (
	"errors"
	"math"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListRigs answers with every rig.
func (s *Server) ListRigs(c *echo.Context) error {
	rigs, err := s.shop.Rigs(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(rigs, apiRig))
}

// GetRig answers with one rig.
func (s *Server) GetRig(c *echo.Context, id int64) error {
	r, err := s.shop.Rig(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := apiRig(r)
	tagged(c, out.Version)
	return c.JSON(http.StatusOK, out)
}

// GetBaseline answers with what a rig is and did as delivered.
func (s *Server) GetBaseline(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	r, err := s.shop.Rig(ctx, id)
	if err != nil {
		return err
	}
	b, err := s.shop.Baseline(ctx, r)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.Baseline{Limits: each(b.Limits, apiLimit), Stock: each(b.Figures, apiFigure)})
}

// CreateRig adds a rig with its trim T0 and a token for its agent.
func (s *Server) CreateRig(c *echo.Context) error {
	in, err := body[api.CreateRigRequest](c)
	if err != nil {
		return err
	}
	new := workshop.NewRig{Name: in.Name, Note: deref(in.Note), Goal: workshop.Goal(deref(in.Goal)), Simulated: deref(in.Simulated),
		InSystem: deref(in.InSystem), AmbientC: in.AmbientC, Firmware: access(in.Firmware)}
	if p := in.Parts; p != nil {
		new.Parts = &workshop.PartIDs{Processor: p.Processor, Board: p.Board, Cooler: p.Cooler, Memory: p.Memory}
	}
	r, token, err := s.shop.MakeRig(c.Request().Context(), new)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, api.CreatedRig{Rig: apiRig(r), Token: token})
}

func access(in *api.FirmwareAccess) *workshop.FirmwareAccess {
	if in == nil {
		return nil
	}
	return &workshop.FirmwareAccess{Address: in.Address, User: in.User, Password: in.Password}
}

// UpdateRig changes what a person knows of a rig.
func (s *Server) UpdateRig(c *echo.Context, id int64) error {
	in, err := body[api.UpdateRigRequest](c)
	if err != nil {
		return err
	}
	r, err := s.shop.ChangeRig(c.Request().Context(), id, workshop.RigChange{Name: in.Name, Retired: in.Retired, AmbientC: in.AmbientC,
		Refit: in.Refit, Note: in.Note, Goal: (*workshop.Goal)(in.Goal), Firmware: access(in.Firmware)})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiRig(r))
}

// RenewToken makes a new token.
func (s *Server) RenewToken(c *echo.Context, id int64) error {
	token, err := s.shop.RenewToken(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"token": token})
}

// link takes the link of a rig's agent, which shows its token.
func (s *Server) link(c *echo.Context) error {
	const scheme = "Bearer "
	token, given := strings.CutPrefix(c.Request().Header.Get("Authorization"), scheme)
	if !given || token == "" {
		return echo.NewHTTPError(http.StatusUnauthorized, "show the rig's token: Authorization: Bearer …")
	}
	id, name, err := s.shop.RigByToken(c.Request().Context(), token)
	if errors.Is(err, workshop.ErrBadToken) {
		return echo.NewHTTPError(http.StatusUnauthorized, "no rig has this token; copy it from the rig's page again")
	} else if err != nil {
		return err
	}
	s.shop.Hub().Serve(c.Response(), c.Request(), id, name)
	return nil
}

func apiRig(r *workshop.Rig) api.Rig {
	out := api.Rig{Version: workshop.VersionOfRig(&r.Rig),
		Id: r.ID, Name: r.Name, Simulated: r.Simulated, Linked: r.Linked, State: r.State, AmbientC: r.AmbientC, Standing: string(r.Standing),
		CanFit: r.CanFit(), ByHand: r.ByHand(), Cores: r.Cores(), FirmwareAddress: r.FirmwareAddress, FirmwareVersion: r.FirmwareVersion,
		Refit: r.Refit, Note: r.Note, Goal: string(r.Goal), Retired: r.Retired, InSystem: r.InSystem, Sketched: r.Set != nil && r.Set.Sketched(),
		Asked: r.Asked, Powers: r.Powers,
		Drift: nonNil(r.Drift.V), Quirks: []string{}, Raised: nonNil(r.Raised), Vitals: each(r.Vitals, apiVital), CoreGroups: []api.CoreGroup{},
		TrimInForce: id(r.TrimInForce.Int64), LostTrim: id(r.LostTrim.Int64),
	}
	if r.AbsentSince.Valid && r.State == string(r.Absence) {
		out.AbsentSince = &r.AbsentSince.Time
	}
	if f := r.Facts.V; r.Facts.Valid {
		out.Facts = &api.RigFacts{Host: f.Host, System: f.System, Kernel: f.Kernel, Processor: f.Processor, Cores: f.Cores, Threads: f.Threads,
			MemoryMB: f.MemoryMB, Microcode: f.Microcode, Board: f.Board, Firmware: f.Firmware, Modules: []string{}, Channels: len(r.Channels.V)}
		for _, m := range f.Modules {
			out.Facts.Modules = append(out.Facts.Modules, m.String())
		}
	}
	if set := r.Set; set != nil {
		out.Parts = &api.PartNames{Processor: set.Processor.String(), Board: set.Board.String(), Cooler: set.Cooler.String(),
			Memory: set.Memory.String()}
		out.PartIds = &api.PartNames{Processor: set.Processor.ID, Board: set.Board.ID, Cooler: set.Cooler.ID, Memory: set.Memory.ID}
		for _, q := range set.Board.Quirks {
			out.Quirks = append(out.Quirks, q.Text)
		}
		for i, cl := range set.Processor.Clusters {
			out.CoreGroups = append(out.CoreGroups, api.CoreGroup{Name: cl.Name, First: set.Processor.FirstCore(i), Cores: cl.Cores})
		}
	}
	return out
}

func apiVital(v *workshop.Vital) api.Vital {
	return api.Vital{Key: v.Key, Label: v.Label, Unit: v.Unit, Value: v.Value}
}

func apiLimit(l *workshop.LimitAudit) api.LimitAudit {
	out := api.LimitAudit{Key: l.Key, Name: l.Name, Unit: l.Unit, Maker: l.Maker, Exceeds: l.Exceeds}
	if !math.IsInf(l.Board, 1) {
		out.Board = &l.Board
	}
	return out
}
