// Package ladder holds the templates of trials: which loads run one after another, on which cores, for how long, and what
// that is made to find. A template knows no machine; Legs fits it to one.
package ladder

import (
	_ "embed"
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/core/load"
)

// Template is a ladder.
type Template struct {
	Name   string `json:"name"`
	Note   string `json:"note"`             // when to use it
	Repeat int    `json:"repeat,omitempty"` // times that all steps run; 0 counts as 1
	GoOn   bool   `json:"goOn,omitempty"`   // after a fault that the machine survives
	Steps  []Step `json:"steps"`
}

// Step is a load of a template. Of Seconds and PerCoreS one is given.
type Step struct {
	Load     load.Kind `json:"load"`
	Seconds  float64   `json:"seconds,omitempty"`
	PerCoreS float64   `json:"perCoreS,omitempty"` // for each core that it runs on
	Cores    []int     `json:"cores,omitempty"`    // all that run, if none is named
	Width    string    `json:"width,omitempty"`    // of the vectors: widest, portable, 256, 512
	MemoryMB int       `json:"memoryMB,omitempty"` // of a memory load; 0 leaves it to the rig
	AbortC   float64   `json:"abortC,omitempty"`   // ends the leg; 0 leaves it to the rig
	TargetC  float64   `json:"targetC,omitempty"`  // the load is held back above it; 0 for full load
}

// Leg is a step fitted to a machine.
type Leg struct {
	Step
	Cores   []int
	Seconds float64
}

// Bounds of a template.
const (
	MaxLegs    = 500
	MaxSeconds = 7 * 86400.0 // of all legs together
	MinSeconds = 5.0
	maxName    = 80
)

//go:embed templates.json
var delivered []byte

// Delivered returns the templates that come with the application, by their ids.
func Delivered() map[string]Template {
	var out map[string]Template
	if faults := invalid.Decode(delivered, &out); len(faults) > 0 {
		panic(fmt.Sprintf("ladder: templates.json: %v", faults))
	}
	return out
}

// Parse reads a template. The error is a invalid.List.
func Parse(text []byte) (Template, error) {
	var t Template
	if faults := invalid.Decode(text, &t); len(faults) > 0 {
		return Template{}, faults
	}
	if faults := t.Validate(); len(faults) > 0 {
		return Template{}, faults
	}
	return t, nil
}

// Validate lists what is wrong with a template, whatever the machine.
func (t *Template) Validate() invalid.List {
	var f invalid.List
	if name := strings.TrimSpace(t.Name); name == "" || len([]rune(name)) > maxName {
		f.Add("name", fmt.Sprintf("give 1 to %d characters", maxName), "%.20q is no name", t.Name)
	}
	if t.Repeat < 0 || t.Repeat > MaxLegs {
		f.Add("repeat", fmt.Sprintf("give 1 to %d", MaxLegs), "%d times is out of range", t.Repeat)
	}
	if len(t.Steps) == 0 {
		f.Add("steps", "add at least one", "the ladder has no step")
	}
	if n := len(t.Steps) * max(1, t.Repeat); n > MaxLegs {
		f.Add("steps", fmt.Sprintf("keep to %d legs in all, repetitions included", MaxLegs), "it makes %d legs", n)
		return f
	}
	for i := range t.Steps {
		f = append(f, t.Steps[i].Validate().Under(fmt.Sprintf("steps[%d]", i))...)
	}
	return f
}

// Validate lists what is wrong with a step, whatever the machine.
func (s *Step) Validate() invalid.List {
	var f invalid.List
	if !s.Load.Valid() {
		f.Add("load", fmt.Sprintf("use one of %q", load.Kinds), "%.20q is no load", s.Load)
	}
	switch {
	case (s.Seconds != 0) == (s.PerCoreS != 0):
		f.Add("seconds", "give either seconds, or perCoreS for each core", "the step has both times, or neither")
	case s.Seconds != 0:
		within(&f, "seconds", s.Seconds, MinSeconds, MaxSeconds, "s")
	default:
		within(&f, "perCoreS", s.PerCoreS, 1, 86400, "s")
	}
	seen := map[int]bool{}
	for _, c := range s.Cores {
		if c < 0 || seen[c] {
			f.Add("cores", "name each core once, from 0", "core %d is no core or stands twice", c)
		}
		seen[c] = true
	}
	switch s.Width {
	case "", "widest", "portable", "256", "512":
	default:
		f.Add("width", "use widest, portable, 256 or 512", "%.20q is no width", s.Width)
	}
	if s.MemoryMB < 0 || s.MemoryMB > 1<<24 || (s.MemoryMB > 0 && s.Load != load.Memory) {
		f.Add("memoryMB", "give MB for a memory load, or leave it out", "%d MB for the %s load", s.MemoryMB, s.Load)
	}
	if s.AbortC != 0 {
		within(&f, "abortC", s.AbortC, 40, 120, "°C")
	}
	if s.TargetC != 0 {
		within(&f, "targetC", s.TargetC, 30, 110, "°C")
		if s.AbortC != 0 && s.TargetC > s.AbortC {
			f.Add("targetC", "give less than the abort limit", "%g °C lies above the abort limit of %g °C", s.TargetC, s.AbortC)
		}
	}
	return f
}

func within(f *invalid.List, field string, x, low, high float64, unit string) {
	if !(x >= low && x <= high) {
		f.Add(field, fmt.Sprintf("give %g to %g %s", low, high, unit), "%g %s is out of range", x, unit)
	}
}

// Legs fits a template to a machine with these cores running. The error is a invalid.List.
func (t *Template) Legs(running []int) ([]Leg, error) {
	f := t.Validate()
	if len(f) > 0 {
		return nil, f
	}
	var legs []Leg
	total := 0.0
	for range max(1, t.Repeat) {
		for i, s := range t.Steps {
			l := Leg{Step: s, Cores: s.Cores, Seconds: s.Seconds}
			if len(l.Cores) == 0 {
				l.Cores = running
			}
			for _, c := range s.Cores {
				if !slices.Contains(running, c) {
					f.Add(fmt.Sprintf("steps[%d].cores", i), "name cores that run", "core %d does not run here", c)
				}
			}
			if len(l.Cores) == 0 {
				f.Add(fmt.Sprintf("steps[%d].cores", i), "switch cores on", "no core runs")
			}
			if s.PerCoreS > 0 {
				l.Seconds = math.Max(MinSeconds, s.PerCoreS*float64(len(l.Cores)))
			}
			total += l.Seconds
			legs = append(legs, l)
		}
		if len(f) > 0 {
			return nil, f
		}
	}
	if total > MaxSeconds {
		f.Add("steps", "shorten it to a week", "it takes %.0f hours", total/3600)
		return nil, f
	}
	return legs, nil
}

// MostTurnS is the longest time in seconds that a load which goes from core to core stays on one.
const MostTurnS = 240.0

// TurnS returns how long such a load stays on each of some cores in a leg of some seconds: as long as it may, in whole rounds, so
// that every core gets its share.
func TurnS(seconds float64, cores int) float64 {
	each := seconds / float64(max(1, cores))
	return each / math.Max(1, math.Ceil(each/MostTurnS))
}

// Seconds returns how long a template takes on a machine with so many cores.
func (t *Template) Seconds(cores int) float64 {
	total := 0.0
	for _, s := range t.Steps {
		n := cores
		if len(s.Cores) > 0 {
			n = len(s.Cores)
		}
		total += s.Seconds
		if s.PerCoreS > 0 {
			total += math.Max(MinSeconds, s.PerCoreS*float64(n))
		}
	}
	return total * float64(max(1, t.Repeat))
}

// Regimes lists the regimes that a template probes, and those it leaves out.
func (t *Template) Regimes() (probes, leaves []load.Regime) {
	probed := map[load.Regime]bool{}
	for _, s := range t.Steps {
		probed[s.Load.Regime()] = true
	}
	for _, r := range []load.Regime{load.RegimeHeavy, load.RegimeLight, load.RegimeTransition, load.RegimeIdle, load.RegimeMemory} {
		if probed[r] {
			probes = append(probes, r)
		} else {
			leaves = append(leaves, r)
		}
	}
	return probes, leaves
}
