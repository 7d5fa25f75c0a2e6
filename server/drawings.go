package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/memory"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// DrawTrim answers with what builders work out by hand.
func (s *Server) DrawTrim(c *echo.Context, id int64) error {
	in, err := body[api.CheckRequest](c)
	if err != nil {
		return err
	}
	d, err := s.shop.Draw(c.Request().Context(), id, deref(in.Parent), in.Settings)
	if err != nil {
		return err
	}
	out := api.Drawings{Plan: d.Plan, Windows: nonNil(d.Windows), LoadLines: d.LoadLines, UsualRatios: d.UsualRatios,
		Curves: each(d.Curves, apiCurve), Corridor: each(d.Corridor, apiCorridor), Entries: each(d.Entries, apiVoltageEntry)}
	out.Plan.Derived = nonNil(out.Plan.Derived)
	out.Memory = api.MemoryAid{Mts: d.Memory.MTs, Timings: nonNil(d.Memory.Timings), Proven: each(d.Memory.Proven, apiProvenMemory)}
	if b := d.Bands; b != nil {
		out.Bands = &api.BandGrid{Mhz: b.MHz, ColdC: b.ColdC, HotC: b.HotC}
	}
	return c.JSON(http.StatusOK, out)
}

func apiProvenMemory(m *memory.Running) api.ProvenMemory {
	return api.ProvenMemory{Mts: m.MTs, Cl: m.CL, Rcd: m.RCD, Rp: m.RP, V: some(m.V)}
}

func apiCurve(x *workshop.CoreCurve) api.CoreCurve {
	return api.CoreCurve{Core: x.Core, Kind: x.Kind, MaxV: x.MaxV, Points: x.Points}
}

func apiCorridor(x *workshop.CorridorPoint) api.CorridorPoint {
	return api.CorridorPoint{C: x.C, FloorV: x.FloorV, CeilingV: x.CeilingV}
}

func apiVoltageEntry(x *workshop.VoltageEntry) api.VoltageEntry {
	return api.VoltageEntry{Trim: x.Trim, Load: string(x.Load), Entered: x.Entered, EnteredV: x.EnteredV, RequestedV: x.RequestedV,
		MeasuredV: x.MeasuredV}
}

// ProposeEntry answers with what to enter for a wanted load voltage.
func (s *Server) ProposeEntry(c *echo.Context, id int64) error {
	in, err := body[api.EntryRequest](c)
	if err != nil {
		return err
	}
	entry, err := s.shop.ProposeEntry(c.Request().Context(), id, deref(in.Parent), in.Settings, in.Volts)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, entry)
}
