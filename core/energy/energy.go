// Package energy reckons what configurations draw from the wall in a year of use, and what that costs. Watts, hours, kWh.
package energy

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/stat/distuv"

	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/stat"
)

// Loads are the kinds of use that a day is made of, each by the load that stands for it: at rest, light work, work like a game's, and
// everything at once.
var Loads = []load.Kind{load.Idle, load.Light, load.Mixed, load.Heavy}

// Words say what they are.
var Words = map[load.Kind]string{load.Idle: "idle", load.Light: "light", load.Mixed: "game-like", load.Heavy: "full load"}

// Hours are those of a day that a machine spends under each load; for the rest it is off.
type Hours map[load.Kind]float64

// Usual is the day of a machine that somebody works and plays on.
var Usual = Hours{load.Idle: 4, load.Light: 3, load.Mixed: 2, load.Heavy: 0.5}

// Validate lists what no day can be.
func (h Hours) Validate() (f invalid.List) {
	sum := 0.0
	for _, kind := range Loads {
		x := h[kind]
		if !(x >= 0 && x <= 24) {
			f.Add("hours."+string(kind), "give 0 to 24 hours a day", "%g hours cannot be", x)
		}
		sum += x
	}
	if len(f) == 0 && sum > 24 {
		f.Add("hours", "take some away", "they come to %g hours, more than a day has", sum)
	}
	return f
}

// Source is where the watts at the wall come from.
type Source string

const (
	Meter Source = "a meter on the rig"
	Log   Source = "the log of another recorder"
	Read  Source = "readings of some moments"
	Sheet Source = "reckoned by the board's sheet from package power"
	// Forecast draws were not measured under a load at all.
	Forecast Source = "a forecast, not measured"
)

// What a source's scale is wrong by, as a standard deviation: of all draws of one source on one machine alike.
var scaleSD = map[Source]float64{Meter: 0.015, Log: 0.02, Read: 0.02, Sheet: 0.06, Forecast: 0.03}

// restSD is by how many watts a sheet is wrong about what everything beside the processor draws, and about a supply that is hardly
// loaded, likewise.
const restSD = 12.0

// Draw is what a machine settles at under a load, at the wall.
type Draw struct {
	W, SD  float64 // SD without what its source is wrong by
	Source Source
}

// Machine is what one configuration draws by load; Rig tells which machine it ran on, and so whose meter or sheet it goes by.
type Machine struct {
	Rig   int64
	Draws map[load.Kind]Draw
}

// Year is what a year comes to. Where the draw under a load is not known under which there are hours, it lacks these, and there is no
// figure.
type Year struct {
	KWh, Half float64 // Half of the 95 % interval
	Lacks     []load.Kind
	Sources   []Source
}

// Known reports whether there is a figure.
func (y *Year) Known() bool { return len(y.Lacks) == 0 }

const days = 365.0

// kWh is what watts for some hours a day come to in a year.
func kWh(watts, hours float64) float64 { return watts * hours * days / 1000 }

// Of returns what a year of such days comes to.
func (m *Machine) Of(hours Hours) Year {
	var y Year
	own, on := 0.0, 0.0
	bySource := map[Source]float64{}
	for _, kind := range Loads {
		h := hours[kind]
		d, known := m.Draws[kind]
		switch {
		case h == 0:
			continue
		case !known:
			y.Lacks = append(y.Lacks, kind)
			continue
		}
		y.KWh += kWh(d.W, h)
		own += kWh(d.SD, h) // days are common to all loads, so they do not cancel
		bySource[d.Source] += kWh(d.W, h)
		if d.Source == Sheet {
			on += h
		}
		if !slices.Contains(y.Sources, d.Source) {
			y.Sources = append(y.Sources, d.Source)
		}
	}
	variance := own*own + math.Pow(kWh(restSD, on), 2)
	for source, x := range bySource {
		variance += math.Pow(scaleSD[source]*x, 2)
	}
	y.Half = z(1) * math.Sqrt(variance)
	if !y.Known() {
		y.KWh, y.Half = math.NaN(), math.NaN()
	}
	return y
}

// Saving is what a configuration draws less than another in a year, below 0 where it draws more.
type Saving struct {
	Known     bool
	KWh, Half float64 // Half of the 95 % interval of several savings together
	Shown     bool    // it is more than doubt
}

// Against returns what a configuration saves against another, as one of several that are told together. On one machine what its meter
// or sheet is wrong by counts for the difference alone.
func (m *Machine) Against(base *Machine, hours Hours, several int) Saving {
	a, b := base.Of(hours), m.Of(hours)
	if !a.Known() || !b.Known() {
		return Saving{KWh: math.NaN(), Half: math.NaN()}
	}
	s := Saving{Known: true, KWh: a.KWh - b.KWh}
	own, scale, rest := 0.0, map[Source]float64{}, 0.0
	apart := 0.0 // variance of what two machines are wrong by, each for itself
	for _, kind := range Loads {
		h := hours[kind]
		if h == 0 {
			continue
		}
		x, y := base.Draws[kind], m.Draws[kind]
		own += kWh(math.Hypot(x.SD, y.SD), h)
		if base.Rig == m.Rig && x.Source == y.Source {
			scale[x.Source] += kWh(x.W-y.W, h)
			continue
		}
		for _, d := range []Draw{x, y} {
			apart += math.Pow(scaleSD[d.Source]*kWh(d.W, h), 2)
			if d.Source == Sheet {
				rest += h
			}
		}
	}
	variance := own*own + apart + math.Pow(kWh(restSD, rest), 2)
	for source, x := range scale {
		variance += math.Pow(scaleSD[source]*x, 2)
	}
	s.Half = z(several) * math.Sqrt(variance)
	s.Shown = math.Abs(s.KWh) > s.Half
	return s
}

// z is the half width of a 95 % interval of several figures together, in standard deviations.
func z(several int) float64 {
	return distuv.UnitNormal.Quantile(1 - (1-stat.Confidence)/2/float64(max(1, several)))
}

// PayBack is after how many years a saving has paid for what it cost.
type PayBack struct{ Years, Low, High float64 } // +Inf for never

// After returns when a cost is paid back by a saving of so much a year, with its doubt.
func After(cost, saving, half float64) PayBack {
	years := func(x float64) float64 {
		if x <= 0 {
			return math.Inf(1)
		}
		return cost / x
	}
	return PayBack{years(saving), years(saving + half), years(saving - half)}
}

// Words says it, as far as it can be said.
func (p PayBack) Words() string {
	switch {
	case math.IsInf(p.High, 1):
		return "no saving is shown that would pay for it"
	case p.High > 50:
		return "it pays for itself only after more than 50 years"
	}
	return fmt.Sprintf("it pays for itself after %.1f years (%.1f to %.1f)", p.Years, p.Low, p.High)
}

// Lacking says in words what is not known of a year.
func (y *Year) Lacking() string {
	var words []string
	for _, kind := range y.Lacks {
		words = append(words, Words[kind])
	}
	if len(words) == 0 {
		return ""
	}
	return "the draw was not measured: " + strings.Join(words, ", ")
}
