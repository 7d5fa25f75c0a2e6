package server

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/clock"
	"zerokeel/core/forecast"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
)

// DrawTrim answers with what builders work out by hand.
func (s *Server) DrawTrim(c *echo.Context, id int64) error {
	in, err := body[api.CheckRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, set, err := s.rigParts(ctx, id)
	if err != nil {
		return err
	}
	settings, err := s.settingsOf(ctx, id, set, in.Parent, in.Settings)
	if err != nil {
		return err
	}
	h, fit, err := s.known(ctx, r, set)
	if err != nil {
		return err
	}
	model, err := fit.Model(settings)
	if err != nil {
		return err
	}
	tuning := model.Tuning()
	proven := set.Memory.RatedMTs
	for i := range h.trims {
		if h.trims[i].Standing == "proven" {
			if t, err := machine.Tune(set, h.trims[i].Settings.V); err == nil {
				proven = math.Max(proven, t.Memory.MTs)
			}
		}
	}
	out := api.Drawings{
		Plan:    clock.NewPlan(set.Processor, settings.Number("clock.base", set.Processor.BaseClockMHz), proven, set.Board.Steps("memory.rate")),
		Windows: []machine.Window{}, Curves: []api.CoreCurve{}, Corridor: []api.CorridorPoint{}, Entries: voltageEntries(h),
	}
	out.Plan.Derived = nonNil(out.Plan.Derived)
	if out.LoadLines, err = machine.LoadLines(set, settings); err != nil {
		return err
	}
	if set.Processor.Style == part.StyleWindow {
		for _, kind := range []load.Kind{load.Heavy, load.Mixed, load.Light} {
			w, err := model.BoostWindow(kind, r.AmbientC)
			if err != nil {
				return err
			}
			w.Points = slices.DeleteFunc(w.Points, func(p machine.WindowPoint) bool { return math.IsNaN(p.PowerW) || math.IsInf(p.PowerW, 0) })
			out.Windows = append(out.Windows, w)
		}
	}
	for core := range set.Processor.Cores() {
		if !tuning.On[core] {
			continue
		}
		cluster := set.Processor.ClusterOf(core)
		out.Curves = append(out.Curves, api.CoreCurve{Core: core, Kind: set.Processor.Clusters[cluster].Kind, MaxV: set.Processor.ClusterMaxV(cluster), Points: model.Curve(core, 40)})
	}
	own := tuning.Clocks
	own.Active = nil
	for active := 1; active <= set.Processor.Cores(); active++ {
		out.UsualRatios = append(out.UsualRatios, own.Top(set.Processor, 0, active, active, false)/own.ReferenceMHz)
	}
	if co := tuning.Corridor; co.On {
		const coldest, hottest, step = 20, 110, 5
		for t := coldest; t <= hottest; t += step {
			floor, ceiling := co.Bounds(float64(t))
			out.Corridor = append(out.Corridor, api.CorridorPoint{C: float64(t), FloorV: floor, CeilingV: ceiling})
		}
	}
	if b := set.Board.Bands; b != nil {
		out.Bands = &api.BandGrid{Mhz: b.MHz, ColdC: b.ColdC, HotC: b.HotC}
	}
	return c.JSON(http.StatusOK, out)
}

// settingsOf returns every setting of what is being edited: its own changes on those of its parent, on the delivery.
func (s *Server) settingsOf(ctx context.Context, rig int64, set *part.Set, parent *int64, changes trim.Settings) (trim.Settings, error) {
	settings := trim.Stock(set.Processor, set.Board)
	if parent != nil {
		t, err := s.trimOf(ctx, rig, *parent)
		if err != nil {
			return nil, err
		}
		settings = settings.With(t.Settings.V)
	}
	return settings.With(changes), nil
}

// ProposeEntry answers with what to enter for a wanted load voltage.
func (s *Server) ProposeEntry(c *echo.Context, id int64) error {
	in, err := body[api.EntryRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, set, err := s.rigParts(ctx, id)
	if err != nil {
		return err
	}
	settings, err := s.settingsOf(ctx, id, set, in.Parent, in.Settings)
	if err != nil {
		return err
	}
	_, fit, err := s.known(ctx, r, set)
	if err != nil {
		return err
	}
	entry, err := fit.EntryFor(settings, in.Volts, r.AmbientC)
	var far *forecast.ErrOutOfReach
	if errors.As(err, &far) {
		var f invalid.List
		f.Add("volts", fmt.Sprintf("give %.3f to %.3f V, or change ratios and load line first", far.Low, far.High), "%.3f V is out of reach", in.Volts)
		return f
	} else if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, entry)
}

// voltageEntries lists what was entered for the core voltage and what was then measured under load: what is typed is not
// what one gets.
func voltageEntries(h *history) []api.VoltageEntry {
	out := []api.VoltageEntry{}
	for i := range h.legs {
		l := &h.legs[i]
		measured := l.figure(channel.DeliveredVoltage)
		if !l.told() || math.IsNaN(measured) {
			continue
		}
		e := api.VoltageEntry{Trim: l.trim.ID, Load: string(l.Load), MeasuredV: measured, Entered: entered(l.trim.Settings.V)}
		if v, ok := enteredV(l.trim.Settings.V); ok {
			e.EnteredV = &v
		}
		if v := l.figure(channel.RequestedVoltage); !math.IsNaN(v) {
			e.RequestedV = &v
		}
		out = append(out, e)
	}
	return out
}

func enteredV(s trim.Settings) (float64, bool) {
	switch s.Word("voltage.core.mode") {
	case trim.Fixed:
		return s.Number("voltage.core.fixed", 0), true
	case trim.Adaptive:
		return s.Number("voltage.core.target", 0), true
	}
	return 0, false
}

func entered(s trim.Settings) string {
	v, ok := enteredV(s)
	if ok {
		return fmt.Sprintf("%s %.3f V", s.Word("voltage.core.mode"), v)
	}
	if x := s.Number("voltage.core.offset", 0); x != 0 {
		return "offset " + signed(part.Number(x), trim.Def{Signed: true}) + " mV"
	}
	if x := s.Number("curve.all", 0); x != 0 {
		return "curve " + signed(part.Number(x), trim.Def{Signed: true})
	}
	return "dynamic"
}
