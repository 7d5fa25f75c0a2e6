// Package forecast tells what a trim is expected to do before it is fitted. It starts from part sheets, taking the chip as
// a typical one of its model, and learns from the rig's own records where the rig strays from them. Every figure carries
// an interval.
package forecast

import (
	"errors"
	"fmt"
	"math"
	"sync"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/throughput"
	"zerokeel/core/trim"
)

// Loads lists the loads that are forecast, the heaviest first.
var Loads = []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}

// Result is a forecast: the settled machine under each of Loads, and the yardsticks' points.
type Result struct {
	AmbientC   float64         `json:"ambientC"`
	Records    int             `json:"records"` // of this rig that it rests on; 0 is the part sheets alone
	Loads      []machine.State `json:"loads"`
	Spreads    []Spread        `json:"spreads"` // of each of Loads
	AllCore    float64         `json:"allCore"`
	SingleCore float64         `json:"singleCore"`
}

// Spread is the half width of the 90 % interval of a load's figures.
type Spread struct {
	MHz      float64 `json:"mhz"`
	PackageW float64 `json:"packageW"`
	Volts    float64 `json:"volts"`
	HottestC float64 `json:"hottestC"`
}

// Load returns the forecast for one load.
func (r *Result) Load(kind load.Kind) (machine.State, bool) {
	for _, s := range r.Loads {
		if s.Load == kind {
			return s, true
		}
	}
	return machine.State{}, false
}

// FromSheets forecasts a trim from part sheets at an ambient temperature in °C. The error is a invalid.List when
// the board does not take the settings.
func FromSheets(set *part.Set, settings trim.Settings, ambientC float64) (*Result, error) {
	return Prior(set).Forecast(settings, ambientC)
}

// Forecast forecasts a trim at an ambient temperature in °C. The error is a invalid.List when the board does not take the
// settings.
func (f *Fit) Forecast(settings trim.Settings, ambientC float64) (*Result, error) {
	model, err := f.Model(settings)
	if err != nil {
		return nil, err
	}
	tuning := model.Tuning()
	nudged, err := f.nudged(model)
	if err != nil {
		return nil, fmt.Errorf("forecast: %w", err)
	}
	r := &Result{AmbientC: ambientC, Records: f.Records, Loads: make([]machine.State, len(Loads)), Spreads: make([]Spread, len(Loads))}
	failed := make([]error, len(Loads))
	var under sync.WaitGroup // at once: a page waits for it at every keystroke
	for i, kind := range Loads {
		under.Go(func() {
			s, err := model.SteadyInTurn(kind, ambientC)
			if err == nil {
				r.Loads[i] = s
				r.Spreads[i], err = f.spread(model, nudged, kind, &s)
			}
			if err != nil {
				failed[i] = fmt.Errorf("forecast %s load: %w", kind, err)
			}
		})
	}
	under.Wait()
	if err := errors.Join(failed...); err != nil {
		return nil, err
	}
	for i, kind := range Loads {
		s := r.Loads[i]
		switch kind {
		case load.Heavy:
			r.AllCore = throughput.AllCore(f.set.Processor, effective(s), tuning.SMT, &tuning.Memory)
		case load.Light:
			r.SingleCore = throughput.SingleCore(f.set.Processor, effective(s), &tuning.Memory)
		}
	}
	return r, nil
}

// nudged returns a model for each unknown, moved by half its standard deviation.
func (f *Fit) nudged(model *machine.Model) ([unknowns]*machine.Model, error) {
	var out [unknowns]*machine.Model
	for j := range unknowns {
		theta := append([]float64(nil), f.Theta...)
		theta[j] += f.nudge(j)
		var err error
		if out[j], err = model.Like(rig(f.set, theta)); err != nil {
			return out, err
		}
	}
	return out, nil
}

func (f *Fit) nudge(j int) float64 { return 0.5 * math.Sqrt(f.Cov[j*unknowns+j]) }

// What a figure strays by although the unknowns were known: sensors, and what the models leave out.
const (
	floorV   = 0.002
	floorC   = 0.5
	floorW   = 0.25
	floorMHz = 2
)

// ninety is the half width of a 90 % interval in standard deviations.
const ninety = 1.645

// loadOf names the load of the unknowns that count for one only.
var loadOf = map[int]load.Kind{heavyC: load.Heavy, mixedC: load.Mixed, lightC: load.Light, idleC: load.Idle}

// spread carries the uncertainty of the unknowns to the figures. Where a limiter holds the clock, the clock gives way so
// that the limited figure stays: by the implicit function theorem dMHz/dθ = −(∂q/∂θ)/(∂q/∂MHz) for the limited q.
func (f *Fit) spread(model *machine.Model, nudged [unknowns]*machine.Model, kind load.Kind, s *machine.State) (Spread, error) {
	mhz := s.MeanMHz
	at, err := model.SettleAt(kind, mhz, s.AmbientC, machine.At{})
	if err != nil {
		return Spread{}, err
	}
	step := model.Bins().StepMHz
	var slope machine.At // by MHz
	held := s.Limiter != govern.Ratio && s.Limiter != govern.None && s.Limiter != govern.Voltage
	if held {
		below, err := model.SettleAt(kind, mhz-step, s.AmbientC, at)
		if err != nil {
			return Spread{}, err
		}
		slope = scaled(minus(at, below), 1/math.Max(1, at.MHz-below.MHz))
	}
	limited := func(a machine.At) float64 {
		switch s.Limiter {
		case govern.Temperature:
			return a.HottestC
		case govern.PeakCurrent, govern.SustainedCurrent:
			return a.Amps
		}
		return a.PackageW
	}
	var by [unknowns]machine.At
	for j := range unknowns {
		if of, one := loadOf[j]; one && of != kind {
			continue
		}
		moved, err := nudged[j].SettleAt(kind, mhz, s.AmbientC, at)
		if err != nil {
			return Spread{}, err
		}
		by[j] = scaled(minus(moved, at), 1/f.nudge(j))
		by[j].MHz = 0
		if q := limited(slope); held && q > 0 {
			give := -limited(by[j]) / q
			by[j] = plus(by[j], scaled(slope, give))
			by[j].MHz = give
		}
	}
	variance := func(of func(machine.At) float64) float64 {
		sum := 0.0
		for i := range unknowns {
			for j := range unknowns {
				sum += of(by[i]) * f.Cov[i*unknowns+j] * of(by[j])
			}
		}
		return math.Max(0, sum)
	}
	// A held clock stands anywhere in its bin.
	bin := 0.0
	if held {
		bin = step / math.Sqrt(6)
	}
	half := func(variance, slope, floor float64) float64 {
		return ninety * math.Sqrt(variance+slope*slope*bin*bin+floor*floor*f.Stray*f.Stray)
	}
	return Spread{
		MHz:      half(variance(func(a machine.At) float64 { return a.MHz }), 1, floorMHz),
		PackageW: half(variance(func(a machine.At) float64 { return a.PackageW }), slope.PackageW, floorW),
		Volts:    half(variance(func(a machine.At) float64 { return a.DeliveredV }), slope.DeliveredV, floorV),
		HottestC: half(variance(func(a machine.At) float64 { return a.HottestC }), slope.HottestC, floorC),
	}, nil
}

// The figures of two states, added, subtracted and scaled.

func plus(a, b machine.At) machine.At {
	return machine.At{MHz: a.MHz + b.MHz, RequestV: a.RequestV + b.RequestV, DeliveredV: a.DeliveredV + b.DeliveredV,
		PackageW: a.PackageW + b.PackageW, HottestC: a.HottestC + b.HottestC, CoolantC: a.CoolantC + b.CoolantC, Amps: a.Amps + b.Amps}
}

func minus(a, b machine.At) machine.At { return plus(a, scaled(b, -1)) }

func scaled(a machine.At, x float64) machine.At {
	return machine.At{MHz: x * a.MHz, RequestV: x * a.RequestV, DeliveredV: x * a.DeliveredV, PackageW: x * a.PackageW,
		HottestC: x * a.HottestC, CoolantC: x * a.CoolantC, Amps: x * a.Amps}
}

func effective(s machine.State) []float64 {
	mhz := make([]float64, len(s.Cores))
	for i, c := range s.Cores {
		mhz[i] = c.EffectiveMHz
	}
	return mhz
}
