// Package sounding brings a rig's records and a survey together: which setting of its board is looked for core by core, what every
// trial so far says of it, and what a survey begins with there.
package sounding

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
)

// Axis is what a survey looks for on a machine: the setting of every core that moves its voltage, or the clock of what is no core, in
// steps.
type Axis struct {
	What  What
	Name  string      // of the setting
	Unit  string      // of the setting: "steps", "mV", "V" where it is a fixed voltage, "mΩ", "MT/s", "clocks", "×" or "MHz"
	Zero  float64     // of the setting's unit: what it is where it counts as 0 steps
	Each  survey.Each // what has one of its own
	StepV float64     // volts a step
	Per   float64     // of the setting's unit, a step
	Min   int         // the deepest that the board takes, in steps
	Max   int         // the shallowest
	Cores []int       // the processor's that are switched on; a survey numbers these from 0
	Keys  []string    // the setting of each of Cores
	zero  []string    // settings that stand for several cores, and are left at 0
	moved []string    // settings that all move together; nil for Keys

	lifts    []map[load.Regime]float64 // by core, and what lies beside them: see survey.Core
	gains    []map[load.Regime]float64 // likewise; nil where all of a step reaches them
	tightest int                       // of a fixed voltage: place of the core that gets least of it

	thing    *thing // what it is about, where that is no core: Cores are then a single one, 0
	exercise []int  // the processor's cores that work for a thing
}

// Work lists the processor's cores that work where a leg names some of the axis'.
func (a *Axis) Work(cores []int) []int {
	if a.thing != nil {
		return a.exercise
	}
	out := make([]int, len(cores))
	for i, c := range cores {
		out[i] = a.Cores[c]
	}
	return out
}

// None says why there is nothing to look for.
type None struct{ Why string }

func (n *None) Error() string { return n.Why }

// leastStepV is the smallest step worth telling apart.
const leastStepV = 0.0035

// Fixed reports whether it is a fixed voltage.
func (a *Axis) Fixed() bool { return len(a.Keys) > 0 && a.Keys[0] == fixedKey }

// AxisOf returns what is looked for on some parts beside given settings: curve offsets by core, cluster or for all, and where there
// are none the offset of the rail; or the voltage, where it is fixed. The error is a *None.
func AxisOf(set *part.Set, settings trim.Settings) (*Axis, error) {
	p, b := set.Processor, set.Board
	a := &Axis{Cores: on(set, settings)}
	if settings.Word("voltage.core.mode") == trim.Fixed {
		return a.fixed(set, settings)
	}
	counts := func(key string) bool { return trim.Offers(p, b, key) && trim.Inert(set, settings, key) == "" }
	for _, x := range []struct {
		pattern string
		each    survey.Each
		index   func(core int) int
	}{
		{"curve.core.*", survey.EachCore, func(core int) int { return core }},
		{"curve.cluster.*", survey.EachCluster, p.ClusterOf},
		{"curve.all", survey.EachChip, func(int) int { return 0 }},
	} {
		keys := make([]string, len(a.Cores))
		for i, core := range a.Cores {
			keys[i] = trim.At(x.pattern, x.index(core))
		}
		if len(keys) > 0 && !slices.ContainsFunc(keys, func(key string) bool { return !counts(key) }) && a.Each == "" {
			a.Name, a.Unit, a.Each, a.Keys, a.StepV, a.Per = "curve offset", "steps", x.each, keys, p.CurveStepV, 1
		}
	}
	if a.Each != "" {
		for _, key := range trim.Keys(p, b) {
			curve := key == "curve.all" || strings.HasPrefix(key, "curve.cluster.") || strings.HasPrefix(key, "curve.core.")
			if curve && !slices.Contains(a.Keys, key) {
				a.zero = append(a.zero, key)
			}
		}
		return a.within(b)
	}
	a.Each = survey.EachChip
	for _, core := range a.Cores {
		key := "voltage.core.offset"
		if p.Clusters[p.ClusterOf(core)].Kind == part.KindEfficiency && trim.Offers(p, b, "voltage.efficiency.offset") {
			key, a.Each = "voltage.efficiency.offset", survey.EachCluster
		}
		if !counts(key) {
			return nil, &None{"this board has neither curve offsets nor an offset of the core voltage that counts on this part"}
		}
		a.Keys = append(a.Keys, key)
	}
	a.Name, a.Unit, a.Per = "voltage offset", "mV", 1
	return a.within(b)
}

// on lists the cores that settings leave switched on.
func on(set *part.Set, settings trim.Settings) []int {
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return machine.AllCores(set.Processor.Cores())
	}
	var out []int
	for core, is := range tuning.On {
		if is {
			out = append(out, core)
		}
	}
	return out
}

// within takes the range and the step from the board.
func (a *Axis) within(b *part.Board) (*Axis, error) {
	a.Min, a.Max = math.MinInt, math.MaxInt
	for _, key := range a.Keys {
		entry, _ := b.Lookup(key)
		if a.Unit == "mV" {
			step := math.Max(entry.Step, 1)
			a.Per = step * math.Ceil(1000*leastStepV/step)
			a.StepV = a.Per / 1000
		}
		a.Min, a.Max = max(a.Min, int(math.Ceil(entry.Min/a.Per))), min(a.Max, int(math.Floor(entry.Max/a.Per)))
	}
	if a.Min >= a.Max || !(a.StepV > 0) {
		return nil, &None{fmt.Sprintf("the range of %s on this board leaves nothing to look for", a.Name)}
	}
	return a, nil
}

// Depths returns by how many steps settings move each of the axis' cores; negative is deeper.
func (a *Axis) Depths(p *part.Processor, settings trim.Settings) []int {
	out := make([]int, len(a.Cores))
	if a.thing != nil {
		if x := a.thing.read(settings); !math.IsNaN(x) {
			out[0] = int(math.Round(x))
		}
		return out
	}
	for i, core := range a.Cores {
		x := (settings.Number(a.Keys[i], a.Zero) - a.Zero) / a.Per
		if a.Unit == "steps" && a.moved == nil {
			x = settings.CurveSteps(p, core)
		}
		out[i] = int(math.Round(x))
	}
	return out
}

// Changes returns what to change of any settings to bring the axis' cores to some depths, in steps.
func (a *Axis) Changes(depths []int) trim.Settings {
	if a.thing != nil {
		return a.thing.write(depths[0])
	}
	out := trim.Settings{}
	for _, key := range a.zero {
		out[key] = part.Number(0)
	}
	for _, key := range a.moved {
		out[key] = part.Number(a.At(depths[0]))
	}
	for i, key := range a.Keys {
		out[key] = part.Number(a.At(depths[i]))
	}
	return out
}

// At is the setting at a depth, in its unit.
func (a *Axis) At(depth int) float64 {
	const digits = 1e6 // no step is finer
	return math.Round((a.Zero+float64(depth)*a.Per)*digits) / digits
}

// Say writes a depth as boards show it.
func (a *Axis) Say(depth int) string {
	text := strings.Replace(fmt.Sprintf("%g", a.At(depth)), "-", "−", 1)
	if a.Unit != "steps" {
		text += " " + a.Unit
	}
	return text
}

// SayAll writes the depths of all cores, those alike together.
func (a *Axis) SayAll(depths []int) string {
	if a.Fixed() || a.thing != nil || a.gains != nil {
		return a.Say(depths[0])
	}
	if !slices.ContainsFunc(depths, func(x int) bool { return x != depths[0] }) {
		return "all " + a.Say(depths[0])
	}
	words := make([]string, len(depths))
	for i, x := range depths {
		words[i] = a.Say(x)
	}
	if a.Each == survey.EachCore {
		return strings.Join(words, " ")
	}
	var short []string
	for i, w := range words {
		if i == 0 || a.Keys[i] != a.Keys[i-1] {
			short = append(short, w)
		}
	}
	return strings.Join(short, " / ")
}
