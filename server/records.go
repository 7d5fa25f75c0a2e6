package server

import (
	"context"
	"math"
	"sync"

	"zerokeel/core/channel"
	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// settledS is how long a leg must have run for its means to be those of a settled machine: warming up takes minutes, and
// cooling down at a slow fan longer.
var settledS = map[load.Kind]float64{load.Heavy: 240, load.Mixed: 240, load.Light: 240, load.Idle: 900}

// legOf is a finished leg with the trim that it ran under.
type legOf struct {
	store.Leg
	trim *store.Trim
}

// history is what a rig's trials have shown.
type history struct {
	trims []store.Trim
	legs  []legOf
}

func (s *Server) history(ctx context.Context, rig int64) (*history, error) {
	h := &history{}
	var err error
	if h.trims, err = s.store.Trims(ctx, rig); err != nil {
		return nil, err
	}
	trials, err := s.store.Trials(ctx, rig)
	if err != nil {
		return nil, err
	}
	ids, trimOf := make([]int64, len(trials)), map[int64]*store.Trim{}
	for i, t := range trials {
		ids[i] = t.ID
		for j := range h.trims {
			if h.trims[j].ID == t.TrimID {
				trimOf[t.ID] = &h.trims[j]
			}
		}
	}
	legs, err := s.store.Legs(ctx, ids...)
	if err != nil {
		return nil, err
	}
	for _, l := range legs {
		if t := trimOf[l.TrialID]; t != nil && l.Result.Valid {
			h.legs = append(h.legs, legOf{l, t})
		}
	}
	return h, nil
}

// figure returns the mean of a leg's figure, NaN if it has none.
func (l *legOf) figure(key string) float64 {
	for _, f := range l.Figures.V {
		if f.Key != key {
			continue
		}
		return f.Mean
	}
	return math.NaN()
}

// told reports whether the leg ran long enough, on all its cores, to say how the machine settles.
func (l *legOf) told() bool {
	return l.Result.V.Verdict == "held" && settledS[l.Load] > 0 && l.SeenS >= settledS[l.Load] && l.Yardstick == ""
}

func (h *history) records(ambientC float64) []forecast.Record {
	var out []forecast.Record
	for i := range h.legs {
		l := &h.legs[i]
		if !l.told() {
			continue
		}
		r := forecast.Record{
			Settings: l.trim.Settings.V, Load: l.Load, AmbientC: l.figure(channel.Ambient), MHz: l.figure(channel.MeanClock), PackageW: l.figure(channel.PackagePower),
			RequestV: l.figure(channel.RequestedVoltage), DeliveredV: l.figure(channel.DeliveredVoltage), HottestC: l.figure(channel.Temperature), CoolantC: l.figure(channel.Coolant),
		}
		if math.IsNaN(r.AmbientC) {
			r.AmbientC = ambientC
		}
		if l.Load == load.Idle {
			r.MHz = 0
		}
		out = append(out, r)
	}
	return out
}

// fits keeps the last fit of each rig: it is the same as long as no leg has ended since.
type fits struct {
	mu   sync.Mutex
	rigs map[int64]keptFit
}

type keptFit struct {
	legs   int
	newest int64
	set    string
	fit    *forecast.Fit
}

// forget drops every fit: a part sheet has changed.
func (f *fits) forget() {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.rigs = nil
}

// known returns a rig's history, and what it says of the rig beyond its sheets. A rig that is not stored yet has none.
func (s *Server) known(ctx context.Context, r *store.Rig, set *part.Set) (*history, *forecast.Fit, error) {
	h := &history{}
	if r.ID != 0 {
		var err error
		if h, err = s.history(ctx, r.ID); err != nil {
			return nil, nil, err
		}
	}
	return h, s.fit(r, set, h), nil
}

func (s *Server) fit(r *store.Rig, set *part.Set, h *history) *forecast.Fit {
	key := keptFit{legs: len(h.legs), set: r.Processor.String + "/" + r.Board.String + "/" + r.Cooler.String + "/" + r.Memory.String}
	for _, l := range h.legs {
		key.newest = max(key.newest, l.ID)
	}
	s.fits.mu.Lock()
	kept, known := s.fits.rigs[r.ID]
	s.fits.mu.Unlock()
	if known && kept.legs == key.legs && kept.newest == key.newest && kept.set == key.set {
		return kept.fit.On(set)
	}
	fit, err := forecast.FitRecords(set, h.records(r.AmbientC))
	if err != nil {
		s.log.Warn("the records of a rig cannot be fitted; its forecasts rest on the part sheets", "rig", r.Name, "error", err)
		fit = forecast.Prior(set)
	}
	key.fit = fit
	s.fits.mu.Lock()
	defer s.fits.mu.Unlock()
	if s.fits.rigs == nil {
		s.fits.rigs = map[int64]keptFit{}
	}
	s.fits.rigs[r.ID] = key
	return fit
}

// parentForecast returns the forecast of a parent: the stored one where it rests on the same records and room
// temperature.
func (s *Server) parentForecast(r *store.Rig, fit *forecast.Fit, t *store.Trim, settings trim.Settings) *forecast.Result {
	if t != nil && t.Forecast.Valid && t.Forecast.V.AmbientC == r.AmbientC && t.Forecast.V.Records == fit.Records && len(t.Forecast.V.Spreads) > 0 {
		return &t.Forecast.V
	}
	s.parents.mu.Lock()
	defer s.parents.mu.Unlock()
	key := parentKey{rig: r.ID, records: fit.Records, ambientC: r.AmbientC}
	if t != nil {
		key.trim = t.ID
	}
	if s.parents.key == key && s.parents.kept != nil && len(trim.Diff(s.parents.settings, settings)) == 0 {
		return s.parents.kept
	}
	f, err := fit.Forecast(settings, r.AmbientC)
	if err != nil {
		return nil
	}
	s.parents.key, s.parents.settings, s.parents.kept = key, settings, f
	return f
}

// parents keeps the last forecast of a parent: while its child is edited it is asked for at every keystroke.
type parents struct {
	mu       sync.Mutex
	key      parentKey
	settings trim.Settings // a draft may change while its child is edited
	kept     *forecast.Result
}

// forget drops the forecast: the records that it rests on have changed.
func (p *parents) forget() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.kept = nil
}

type parentKey struct {
	rig, trim int64
	records   int
	ambientC  float64
}

// preflightRecords gathers what preflight is to know of the rig and of its kind.
func (s *Server) preflightRecords(ctx context.Context, r *store.Rig, set *part.Set, parent *store.Trim, h *history) (preflight.Records, error) {
	out := preflight.Records{Failed: map[int]float64{}, Fleet: map[string][]float64{}, Firmware: r.FirmwareVersion}
	for i := range h.trims {
		t := &h.trims[i]
		if t.Standing != store.StandingProven {
			continue
		}
		if tuning, err := machine.Tune(set, t.Settings.V); err == nil {
			out.ProvenMTs = math.Max(out.ProvenMTs, tuning.Memory.MTs)
		}
	}
	for i := range h.trims {
		t := &h.trims[i]
		if t.Standing != store.StandingFailed || t.Core < 0 || t.Core >= set.Processor.Cores() {
			continue
		}
		steps := t.Settings.V.Number("curve.all", 0) + t.Settings.V.Number(trim.At("curve.cluster.*", set.Processor.ClusterOf(t.Core)), 0) + t.Settings.V.Number(trim.At("curve.core.*", t.Core), 0)
		if before, known := out.Failed[t.Core]; steps < 0 && (!known || steps > before) {
			out.Failed[t.Core] = steps
		}
	}
	if parent != nil {
		out.ParentUnproven = parent.Standing != store.StandingProven && parent.Number != 0
		out.MemoryUnproven = !memoryProven(h, parent)
		fittings, err := s.store.Fittings(ctx, r.ID)
		if err != nil {
			return out, err
		}
		for _, f := range fittings {
			if f.TrimID == parent.ID && f.State == store.FitInForce {
				out.ParentFirmware = f.Version
				break
			}
		}
	}
	rigs, err := s.store.Rigs(ctx)
	if err != nil {
		return out, err
	}
	for i := range rigs {
		other := &rigs[i]
		if other.ID == r.ID || !other.TrimInForce.Valid || other.Processor != r.Processor {
			continue
		}
		t, err := s.store.Trim(ctx, other.TrimInForce.Int64)
		if err != nil {
			return out, err
		}
		for key, v := range t.Settings.V {
			if x, ok := v.Number(); ok {
				out.Fleet[key] = append(out.Fleet[key], x)
			}
		}
	}
	return out, nil
}

// memoryProven reports whether a trim with the same memory settings has held a proof.
func memoryProven(h *history, t *store.Trim) bool {
	for i := range h.trims {
		other := &h.trims[i]
		if other.Standing != store.StandingProven {
			continue
		}
		same := true
		for _, c := range trim.Diff(other.Settings.V, t.Settings.V) {
			if def, _, _ := trim.Find(c.Key); def.Group == trim.GroupMemory {
				same = false
			}
		}
		if same {
			return true
		}
	}
	return false
}
