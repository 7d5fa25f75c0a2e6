// Package standin simulates a rig for demonstration, development and tests: a machine with a chip of its own, a
// board whose firmware speaks Redfish, and an agent that speaks the link protocol. From outside it is a rig like
// any other, except that it says it is simulated. Its faults follow from its physics: what the trim leaves of each
// core's reserve decides when, where and how it fails.
//
// Time runs faster than the wall clock by a speed factor, which the agent reports as its clock rate.
package standin

import (
	"fmt"
	"math"
	"math/rand/v2"

	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/memory"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
	"zerokeel/standin/stability"
)

// Format marks a stand-in's file.
const Format = "zerokeel.standin/1"

// Config describes a stand-in: its parts, and what is hidden from everyone else, the chip.
type Config struct {
	Format   string                    `json:"format"`
	Name     string                    `json:"name"`
	Parts    part.Set                  `json:"parts"`
	Seed     uint64                    `json:"seed"`
	AmbientC float64                   `json:"ambientC"`
	SwingC   float64                   `json:"swingC"`           // ambient rises and falls by this over a day
	Reserve  Reserve                   `json:"reserve"`          // of a typical core
	SpreadV  float64                   `json:"spreadV"`          // standard deviation between cores
	SlopeV   float64                   `json:"slopeV,omitempty"` // of the chip: volts for each of which its rate of faults falls by e; 0 draws one
	Weaker   map[int]Reserve           `json:"weaker"`           // by how much single cores fall short of it
	Uncore   UncoreReserve             `json:"uncore,omitzero"`  // beside the cores; what is 0 counts as usual
	Memory   float64                   `json:"memory,omitempty"` // how far beyond its rating the kit works, a share; 0 counts as 0.07
	Sensors  map[string]SensorOverride `json:"sensors,omitempty"`
	Strays   Strays                    `json:"strays,omitzero"`   // from the sheets, beside the chip
	Headers  []Header                  `json:"headers,omitempty"` // beside that of the cooler's fan, which is the first
}

// Header is a further one of the board. Speed is the number of the speed that what hangs on it tells, where it is not its own; without a
// fan nothing hangs on it.
type Header struct {
	Number int       `json:"number"`
	Speed  int       `json:"speed,omitempty"`
	Fan    *part.Fan `json:"fan,omitempty"`
	Duty   float64   `json:"duty"` // that the board drives it at
}

// Strays is machine.Adjust as a file spells it: natural logarithms of factors, and mΩ.
type Strays struct {
	Switched  map[load.Kind]float64 `json:"switched,omitempty"`
	DieR      float64               `json:"dieR,omitempty"`
	CoolerR   float64               `json:"coolerR,omitempty"`
	ExtraMOhm float64               `json:"extraMOhm,omitempty"`
	Fan       *part.Fan             `json:"fan,omitempty"` // of the cooler, as it really is
}

// made are the parts as they really are.
func (c *Config) made() *part.Set {
	if c.Strays.Fan == nil {
		return &c.Parts
	}
	out, cooler := c.Parts, *c.Parts.Cooler
	cooler.Fan = *c.Strays.Fan
	out.Cooler = &cooler
	return &out
}

func (c *Config) adjust() machine.Adjust {
	return machine.Adjust{Switched: c.Strays.Switched, DieR: c.Strays.DieR, CoolerR: c.Strays.CoolerR, ExtraMOhm: c.Strays.ExtraMOhm}
}

// UncoreReserve is stability.Uncore as a file spells it.
type UncoreReserve struct {
	Ring       float64 `json:"ringV,omitempty"`
	Fabric     float64 `json:"fabricV,omitempty"`
	Controller float64 `json:"controllerV,omitempty"`
}

// usualUncore is how far below their voltage as delivered ring, fabric and memory controller work as a rule.
const usualUncore = 0.085

func (u UncoreReserve) usual() stability.Uncore {
	or := func(v float64) float64 {
		if v == 0 {
			return usualUncore
		}
		return v
	}
	return stability.Uncore{Ring: or(u.Ring), Fabric: or(u.Fabric), Controller: or(u.Controller)}
}

// Reserve is stability.Reserve as a file spells it.
type Reserve struct {
	Heavy      float64 `json:"heavyV"`
	Light      float64 `json:"lightV"`
	Transition float64 `json:"transitionV"`
	Idle       float64 `json:"idleV"`
}

// SensorOverride makes a channel read wrongly, as on some boards.
type SensorOverride struct {
	Scale float64 `json:"scale"`
	Shift float64 `json:"shift"`
}

// ParseConfig reads a stand-in's file. The error is a invalid.List.
func ParseConfig(text []byte) (*Config, error) {
	var c Config
	if faults := invalid.Decode(text, &c); len(faults) > 0 {
		return nil, faults
	}
	if err := c.validate(); err != nil {
		return nil, err
	}
	return &c, nil
}

func (c *Config) validate() error {
	var f invalid.List
	if c.Format != Format {
		f.Add("format", "this version reads "+Format, "%q is not a format known here", c.Format)
	}
	if c.Name == "" {
		f.Add("name", "give the stand-in a name", "the name is missing")
	}
	if !(c.AmbientC >= -10 && c.AmbientC <= 45) {
		f.Add("ambientC", "give -10 to 45 °C", "%g °C is out of range", c.AmbientC)
	}
	if err := c.Parts.Validate(); err != nil {
		f = append(f, err.(invalid.List).Under("parts")...)
		return f
	}
	for field, x := range map[string]float64{"dieR": c.Strays.DieR, "coolerR": c.Strays.CoolerR, "extraMOhm": c.Strays.ExtraMOhm} {
		if !(x >= -1 && x <= 1) {
			f.Add("strays."+field, "give -1 to 1", "%g is out of range", x)
		}
	}
	if !(c.SlopeV >= 0 && c.SlopeV <= 0.05) {
		f.Add("slopeV", "give up to 0.05 V, or leave it out", "%g is out of range", c.SlopeV)
	}
	if !(c.Memory >= -0.5 && c.Memory <= 0.5) {
		f.Add("memory", "give -0.5 to 0.5", "%g is out of range", c.Memory)
	}
	if x := c.Strays.Fan; x != nil {
		f = append(f, x.Validate().Under("strays.fan")...)
	}
	numbers := map[int]bool{1: true}
	for i := range c.Headers {
		h, at := &c.Headers[i], fmt.Sprintf("headers[%d]", i)
		if h.Number < 1 || h.Number > 16 || numbers[h.Number] {
			f.Add(at+".number", "number further headers from 2 to 16, each once", "header %d", h.Number)
		}
		numbers[h.Number] = true
		if !(h.Duty >= 0 && h.Duty <= 100) {
			f.Add(at+".duty", "give 0 to 100 %", "%g %% is out of range", h.Duty)
		}
		if h.Fan != nil {
			f = append(f, h.Fan.Validate().Under(at+".fan")...)
		}
	}
	for core := range c.Weaker {
		if core < 0 || core >= c.Parts.Processor.Cores() {
			f.Add("weaker", "name cores of the processor", "there is no core %d", core)
		}
	}
	return f.Err()
}

// usualMemory is how far beyond its rating a kit works as a rule.
const usualMemory = 0.07

// memoryMargin is the margin of the memory as it runs.
func (c *Config) memoryMargin(m *memory.Running) float64 {
	reserve := c.Memory
	if reserve == 0 {
		reserve = usualMemory
	}
	kit, _ := machine.KitOf(c.Parts.Memory)
	return stability.MemoryMargin(reserve, m.Slack(kit))
}

// hidden is what nobody outside knows of a chip.
type hidden struct {
	silicon.Chip
	cores  []stability.Core
	uncore stability.Uncore
}

// chip draws the chip: its curves and leakage, and each core's reserves.
func (c *Config) chip() hidden {
	r := rand.New(rand.NewPCG(c.Seed, 1))
	h := hidden{Chip: silicon.Draw(c.Parts.Processor, r)}
	h.cores = stability.DrawCores(stability.Reserve(c.Reserve), c.SpreadV, c.Parts.Processor.Cores(), r)
	for core := range h.cores {
		w, own := c.Weaker[core], &h.cores[core].Reserve
		own.Heavy -= w.Heavy
		own.Light -= w.Light
		own.Transition -= w.Transition
		own.Idle -= w.Idle
	}
	if c.SlopeV > 0 {
		mean := 0.0
		for core := range h.cores {
			mean += math.Log(h.cores[core].Law.ScaleV) / float64(len(h.cores))
		}
		for core := range h.cores {
			h.cores[core].Law.ScaleV *= c.SlopeV / math.Exp(mean)
		}
	}
	h.uncore = stability.DrawUncore(c.Uncore.usual(), r)
	return h
}
