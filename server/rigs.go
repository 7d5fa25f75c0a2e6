package server

import (
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"errors"
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/firmware/redfish"
	"zerokeel/live"
	"zerokeel/runner"
	"zerokeel/server/api"
	"zerokeel/store"
)

// defaultAmbientC is the room temperature assumed until it is told.
const defaultAmbientC = 22.0

// ListRigs answers with every rig.
func (s *Server) ListRigs(c *echo.Context) error {
	rigs, err := s.store.Rigs(c.Request().Context())
	if err != nil {
		return err
	}
	out := []api.Rig{}
	for i := range rigs {
		r, err := s.rig(c, &rigs[i])
		if err != nil {
			return err
		}
		out = append(out, *r)
	}
	return c.JSON(http.StatusOK, out)
}

// GetRig answers with one rig.
func (s *Server) GetRig(c *echo.Context, id int64) error {
	r, err := s.store.Rig(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out, err := s.rig(c, r)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// CreateRig adds a rig with its trim T0 and a token for its agent.
func (s *Server) CreateRig(c *echo.Context) error {
	in, err := body[api.CreateRigRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r := &store.Rig{Name: in.Name, AmbientC: defaultAmbientC}
	if in.AmbientC != nil {
		r.AmbientC = *in.AmbientC
	}
	if in.Simulated != nil {
		r.Simulated = *in.Simulated
	}
	first := &store.Trim{Name: "as found", Settings: store.AsJSON(trim.Settings{})}
	if in.Parts != nil {
		name := func(id string) sql.NullString { return sql.NullString{String: id, Valid: true} }
		r.Processor, r.Board, r.Cooler, r.Memory = name(in.Parts.Processor), name(in.Parts.Board), name(in.Parts.Cooler), name(in.Parts.Memory)
		set, err := s.store.PartSet(ctx, r)
		if errors.Is(err, store.ErrNotFound) {
			var f invalid.List
			f.Add("parts", "add the part sheets first, or correct the ids", "%v", err)
			return f
		} else if err != nil {
			return err
		}
		if err := set.Validate(); err != nil {
			return err
		}
		first.Name = "stock"
		if err := s.fill(ctx, first, r, set, trim.Stock(set.Processor, set.Board)); err != nil {
			return err
		}
	}
	if err := setFirmware(r, in.Firmware); err != nil {
		return err
	}
	token := rand.Text()
	r.TokenHash = hashToken(token)
	err = s.store.CreateRig(ctx, r, first, r.FirmwareAddress == "")
	if errors.Is(err, store.ErrTaken) {
		var f invalid.List
		f.Add("name", "choose another name", "there is a rig called %s already", r.Name)
		return f
	} else if err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "rig", Rig: r.ID})
	out, err := s.rig(c, r)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, api.CreatedRig{Rig: *out, Token: token})
}

func setFirmware(r *store.Rig, in *api.FirmwareAccess) error {
	if in == nil {
		return nil
	}
	if in.Address != "" {
		if _, err := redfish.New(in.Address, "", ""); err != nil {
			var f invalid.List
			f.Add("firmware.address", "give the address of the board's controller", "%v", err)
			return f
		}
	}
	r.FirmwareAddress = in.Address
	if in.User != nil {
		r.FirmwareUser = *in.User
	}
	if in.Password != nil {
		r.FirmwarePassword = *in.Password
	}
	return nil
}

// UpdateRig changes what a person knows of a rig.
func (s *Server) UpdateRig(c *echo.Context, id int64) error {
	in, err := body[api.UpdateRigRequest](c)
	if err != nil {
		return err
	}
	r, err := s.store.Rig(c.Request().Context(), id)
	if err != nil {
		return err
	}
	if in.AmbientC != nil {
		r.AmbientC = *in.AmbientC
	}
	if err := setFirmware(r, in.Firmware); err != nil {
		return err
	}
	if in.Refit != nil {
		r.Refit = *in.Refit
	}
	if err := s.store.UpdateRig(c.Request().Context(), r); err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "rig", Rig: id})
	return s.GetRig(c, id)
}

// RenewToken makes a new token.
func (s *Server) RenewToken(c *echo.Context, id int64) error {
	r, err := s.store.Rig(c.Request().Context(), id)
	if err != nil {
		return err
	}
	token := rand.Text()
	r.TokenHash = hashToken(token)
	if err := s.store.UpdateRig(c.Request().Context(), r); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"token": token})
}

func hashToken(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// link takes the link of a rig's agent, which shows its token.
func (s *Server) link(c *echo.Context) error {
	const scheme = "Bearer "
	given := c.Request().Header.Get("Authorization")
	if len(given) <= len(scheme) || given[:len(scheme)] != scheme {
		return echo.NewHTTPError(http.StatusUnauthorized, "show the rig's token: Authorization: Bearer …")
	}
	r, err := s.store.RigByToken(c.Request().Context(), hashToken(given[len(scheme):]))
	if errors.Is(err, store.ErrNotFound) {
		return echo.NewHTTPError(http.StatusUnauthorized, "no rig has this token; copy it from the rig's page again")
	} else if err != nil {
		return err
	}
	s.runner.Hub().Serve(c.Response(), c.Request(), r.ID, r.Name)
	return nil
}

// rig tells a rig as the API does.
func (s *Server) rig(c *echo.Context, r *store.Rig) (*api.Rig, error) {
	ctx := c.Request().Context()
	status := s.runner.Hub().Status(r.ID)
	out := &api.Rig{
		Id: r.ID, Name: r.Name, Simulated: r.Simulated || status.Hello.Simulated, Linked: status.Linked, AmbientC: r.AmbientC,
		FirmwareAddress: r.FirmwareAddress, Refit: r.Refit, Drift: nonNil(r.Drift.V), FirmwareVersion: r.FirmwareVersion, Quirks: []string{}, Raised: []string{}, Vitals: []api.Vital{}, CoreGroups: []api.CoreGroup{}, Limits: []api.LimitAudit{}, Stock: []api.Figure{},
	}
	if r.TrimInForce.Valid {
		out.TrimInForce = &r.TrimInForce.Int64
	}
	if r.LostTrim.Valid {
		out.LostTrim = &r.LostTrim.Int64
	}
	if status.Linked {
		out.Vitals = s.vitals.of(r.ID, r.Channels.V)
	}
	if f := r.Facts.V; r.Facts.Valid {
		out.Facts = &api.RigFacts{Host: f.Host, System: f.System, Kernel: f.Kernel, Processor: f.Processor, Cores: f.Cores, Threads: f.Threads, MemoryMB: f.MemoryMB, Microcode: f.Microcode, Channels: len(r.Channels.V)}
		out.Cores = f.Cores
	}
	set, err := s.store.PartSet(ctx, r)
	switch {
	case err == nil:
		out.Parts = &api.PartNames{Processor: set.Processor.String(), Board: set.Board.String(), Cooler: set.Cooler.String(), Memory: set.Memory.String()}
		out.CanFit, out.Cores, out.Limits = r.FirmwareAddress != "", set.Processor.Cores(), audit(set)
		out.ByHand = r.FirmwareAddress == ""
		for _, q := range set.Board.Quirks {
			out.Quirks = append(out.Quirks, q.Text)
		}
		for i, cl := range set.Processor.Clusters {
			out.CoreGroups = append(out.CoreGroups, api.CoreGroup{Name: cl.Name, First: set.Processor.FirstCore(i), Cores: cl.Cores})
		}
	case !errors.Is(err, store.ErrNotFound):
		return nil, err
	}
	right, err := runner.RightOf(ctx, s.store, r)
	if err != nil {
		return nil, err
	}
	for i, v := range out.Vitals {
		out.Vitals[i].Value = right.Of(v.Key).Apply(v.Value)
	}
	if err := s.doing(c, out, r); err != nil {
		return nil, err
	}
	watches, err := s.store.Watches(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	for _, w := range watches {
		if w.State.V.Raised {
			out.Raised = append(out.Raised, w.Rule.V.Message)
		}
	}
	out.Stock, err = s.baseline(c, r)
	return out, err
}

// audit compares the maker's limits with those that the board puts in force as delivered.
func audit(set *part.Set) []api.LimitAudit {
	out := []api.LimitAudit{}
	tuning, err := machine.Tune(set, nil)
	if err != nil {
		return out
	}
	l := &tuning.Limits
	for _, one := range []struct {
		key   string
		board float64
	}{
		{"limit.ppt", l.SustainedW}, {"limit.tdc", l.SustainedA}, {"limit.edc", l.PeakA},
		{"limit.pl1", l.SustainedW}, {"limit.pl2", l.ShortW}, {"limit.tau", l.WindowS}, {"limit.iccMax", l.PeakA}, {"limit.temperature", l.TemperatureC},
	} {
		def, index, _ := trim.Find(one.key)
		if def.Parts != nil && !def.Parts(set.Processor) {
			continue
		}
		maker, _ := def.Spec(set.Processor, index).Number()
		row := api.LimitAudit{Key: one.key, Name: def.Name, Unit: def.Unit, Maker: maker, Exceeds: one.board > maker}
		if !math.IsInf(one.board, 1) {
			row.Board = &one.board
		}
		out = append(out, row)
	}
	return out
}

// doing tells in a word what a rig does, and the standing of its trim in force.
func (s *Server) doing(c *echo.Context, out *api.Rig, r *store.Rig) error {
	ctx := c.Request().Context()
	out.State = "idle"
	if !out.Linked {
		out.State = "not linked"
	}
	fittings, err := s.store.OpenFittings(ctx)
	if err != nil {
		return err
	}
	for _, f := range fittings {
		if f.RigID == r.ID {
			out.State = "fitting"
		}
	}
	trials, err := s.store.OpenTrials(ctx)
	if err != nil {
		return err
	}
	for _, t := range trials {
		if t.RigID != r.ID {
			continue
		}
		switch {
		case t.State != store.TrialRunning:
			out.State = "recovering"
		case !out.Linked:
			out.State = "silent"
		default:
			out.State = "on trial"
		}
	}
	if r.TrimInForce.Valid {
		t, err := s.store.Trim(ctx, r.TrimInForce.Int64)
		if err != nil {
			return err
		}
		out.Standing = string(t.Standing)
	}
	return nil
}

// baseline returns the figures of the first heavy leg that held under T0.
func (s *Server) baseline(c *echo.Context, r *store.Rig) ([]api.Figure, error) {
	ctx := c.Request().Context()
	trims, err := s.store.Trims(ctx, r.ID)
	if err != nil || len(trims) == 0 {
		return []api.Figure{}, err
	}
	trials, err := s.store.Trials(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	for i := len(trials) - 1; i >= 0; i-- {
		if trials[i].TrimID != trims[0].ID || trials[i].Purpose != store.PurposeProof {
			continue
		}
		legs, err := s.store.Legs(ctx, trials[i].ID)
		if err != nil {
			return nil, err
		}
		for _, l := range legs {
			if l.Load == load.Heavy && l.Result.V.Verdict == "held" {
				return figures(l.Figures.V), nil
			}
		}
	}
	return []api.Figure{}, nil
}

func figures(list []channel.Figure) []api.Figure {
	out := make([]api.Figure, len(list))
	for i, f := range list {
		out[i] = api.Figure{Key: f.Key, Label: f.Label, Unit: f.Unit, Mean: f.Mean, Peak: f.Peak}
	}
	return out
}
