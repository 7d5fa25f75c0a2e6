// Package forecast tells what a trim is expected to do before it is fitted. It starts from part sheets, taking the chip as
// a typical one of its model, and learns from the rig's own records where the rig strays from them. Every figure carries
// an interval.
package forecast

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Loads lists the loads that are forecast, the heaviest first.
var Loads = []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}

// Result is a forecast: the settled machine under each of Loads, and the scores of Yardsticks.
type Result struct {
	AmbientC float64         `json:"ambientC"`
	Records  int             `json:"records"` // of this rig that it rests on; 0 is the part sheets alone
	Loads    []machine.State `json:"loads"`
	Spreads  []Spread        `json:"spreads"` // of each of Loads
	Scores   []Score         `json:"scores"`  // of each of Yardsticks of which something is known
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

// In returns the forecast as it would have been in other rooms, in °C by load, as long as these differ by a few degrees: what stands
// above its room moves with it, but for a figure that a limit holds.
func (r *Result) In(rooms map[load.Kind]float64) *Result {
	out := *r
	out.Loads = slices.Clone(r.Loads)
	for i := range out.Loads {
		s := &out.Loads[i]
		room, known := rooms[s.Load]
		if !known || math.IsNaN(room) {
			continue
		}
		warmer := room - s.AmbientC
		s.AmbientC, s.CoolantC, s.VRMC = room, s.CoolantC+warmer, s.VRMC+warmer
		if s.Limiter != govern.Temperature {
			s.HottestC, s.DieC = s.HottestC+warmer, s.DieC+warmer
		}
	}
	return &out
}

// FromSheets forecasts a trim from part sheets at an ambient temperature in °C. The error is a invalid.List when
// the board does not take the settings.
func FromSheets(set *part.Set, settings trim.Settings, ambientC float64) (*Result, error) {
	return Prior(set).Forecast(settings, ambientC)
}

// Forecast forecasts a trim at an ambient temperature in °C. The error is a invalid.List when the board does not take the
// settings.
func (f *Fit) Forecast(settings trim.Settings, ambientC float64) (*Result, error) {
	v, err := f.view(settings, ambientC)
	if err != nil {
		return nil, err
	}
	r := f.settled(v)
	if r.Scores, err = f.scores(v); err != nil {
		return nil, err
	}
	return r, nil
}

// Settled is Forecast without scores, for those who ask for many trims.
func (f *Fit) Settled(settings trim.Settings, ambientC float64) (*Result, error) {
	v, err := f.view(settings, ambientC)
	if err != nil {
		return nil, err
	}
	return f.settled(v), nil
}

func (f *Fit) settled(v *view) *Result {
	r := &Result{AmbientC: v.ambientC, Records: f.Records}
	for i := range v.loads {
		r.Loads, r.Spreads = append(r.Loads, v.loads[i].state), append(r.Spreads, v.loads[i].spread)
	}
	return r
}

// view is what a fit makes of a trim under every load.
type view struct {
	model    *machine.Model
	ambientC float64
	loads    []viewed // as Loads
}

// viewed is what is expected of one load, and what the models alone say of its clock.
type viewed struct {
	state            machine.State
	spread           Spread
	at               place
	modelMHz, topMHz float64
	byUnknown        [unknowns]machine.At
}

func (v *view) of(kind load.Kind) *viewed { return &v.loads[slices.Index(Loads, kind)] }

func (f *Fit) view(settings trim.Settings, ambientC float64) (*view, error) {
	model, err := f.Model(settings)
	if err != nil {
		return nil, err
	}
	nudged, err := f.nudged(model)
	if err != nil {
		return nil, fmt.Errorf("forecast: %w", err)
	}
	v := &view{model: model, ambientC: ambientC, loads: make([]viewed, len(Loads))}
	failed := make([]error, len(Loads))
	var under sync.WaitGroup // at once: a page waits for it at every keystroke
	for i, kind := range Loads {
		under.Go(func() {
			var err error
			one := &v.loads[i]
			if one.state, err = model.SteadyInTurn(kind, ambientC); err == nil {
				err = f.expect(model, &nudged, one)
			}
			if err != nil {
				failed[i] = fmt.Errorf("forecast %s load: %w", kind, err)
			}
		})
	}
	under.Wait()
	return v, errors.Join(failed...)
}

// nudged returns a model for each unknown that models know of, moved by half its standard deviation.
func (f *Fit) nudged(model *machine.Model) ([models]*machine.Model, error) {
	var out [models]*machine.Model
	for j := range models {
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
