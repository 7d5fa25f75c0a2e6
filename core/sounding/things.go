package sounding

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/clock"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/memory"
	"zerokeel/core/part"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
)

// thing is what an axis is about that is no core: a memory kit, a ring, a fabric. It has one limit, no core is named for its faults, and
// what is believed of it is told as shares of its clock as delivered. Deeper is faster.
type thing struct {
	name     string
	step     float64 // share of its clock as delivered, or of what a kit is rated for, a step
	prior    thingPrior
	regimes  []load.Regime
	mix      int                         // of how many equal parts of a day each regime is one
	read     func(trim.Settings) float64 // steps; NaN where settings tell nothing of it
	write    func(depth int) trim.Settings
	ratedMin float64  // for how many minutes of mixed use whoever made it vouches for what it is rated for; 0 for none
	apart    []string // settings, by the start of their keys, that do not matter to it while it holds
}

// thingPrior is what is believed of one, as shares: how much further than as delivered it goes, how far that strays, how steeply faults
// rise, and how much further still it starts.
type thingPrior struct{ beyond, stray, slope, start, startStray float64 }

// What is believed of kits beyond what they are rated for, of fabrics, and, in V, of rings.
var (
	kits    = thingPrior{0.05, 0.04, 0.0075, 0.03, 0.02}
	fabrics = thingPrior{0.07, 0.04, 0.006, 0.03, 0.02}
	rings   = thingPrior{0.08, 0.03, 0.006, 0.03, 0.02}
)

const thingSlopeSD = 0.6

// leastClock is the smallest step of a clock worth telling apart, as a share of it.
const leastClock = 0.012

// clockStep is a step of a board's setting, of a clock or rate, that is worth telling apart from what it is as delivered.
func clockStep(entry *part.BoardSetting, zero float64) float64 {
	return entry.Step * math.Max(1, math.Ceil(leastClock*zero/entry.Step-1e-9))
}

// mostBeyond is how far beyond what it is rated for a kit is tried, as a share.
const mostBeyond = 0.4

// kitRatedMin is for how long a kit's maker vouches for its rated profile: less than a processor's, whose controller has a say too.
const kitRatedMin = 7 * 24 * 60.0

// kitMix makes half of a day work on the memory: a fifth is, and the rest of it reads and writes too, if less hard.
const kitMix = 2

// thingRegimes are those in which a ring or a fabric may fail.
var thingRegimes = append(slices.Clone(Regimes), load.RegimeMemory)

// ofThing finishes the axis of a thing whose setting runs from a value as delivered down or up in steps.
func (a *Axis) ofThing(set *part.Set, t *thing, key string, zero, per float64) (*Axis, error) {
	entry, _ := set.Board.Lookup(key)
	a.thing, a.Each, a.Zero, a.Per = t, survey.EachChip, zero, per
	a.exercise, a.Cores, a.Keys = a.Cores, []int{0}, []string{key}
	deepest, shallowest := (entry.Max-zero)/per, (entry.Min-zero)/per
	if per > 0 { // less is deeper
		deepest, shallowest = shallowest, deepest
	}
	a.Min, a.Max = int(math.Ceil(math.Max(deepest, -mostBeyond/t.step)-1e-9)), int(math.Floor(math.Min(shallowest, mostBeyond/t.step)+1e-9))
	if a.Min >= a.Max || a.Min >= 0 {
		return nil, &None{fmt.Sprintf("the range of the %s on this board leaves nothing to look for", a.Name)}
	}
	return a, nil
}

// Thing is what the axis is about, where that is no core: "memory", "ring" or "fabric"; empty for cores.
func (a *Axis) Thing() string {
	if a.thing == nil {
		return ""
	}
	return a.thing.name
}

// memoryRate makes the axis of a kit's rate. Its timings follow in clocks, so that their times stay those that the kit is rated for.
func (a *Axis) memoryRate(set *part.Set, settings trim.Settings) (*Axis, error) {
	const key = "memory.rate"
	entry, offered := set.Board.Lookup(key)
	kit, kitRAS := machine.KitOf(set.Memory)
	if !offered || !a.byHand(set) || entry.Step <= 0 {
		return nil, &None{"this board does not let the memory rate be set"}
	}
	a.Name, a.Unit = MemoryRate.Name(), "MT/s"
	zero := entry.Nearest(kit.MTs)
	step := clockStep(&entry, zero)
	t := kitThing(step / kit.MTs)
	t.read = func(s trim.Settings) float64 {
		m, ok := a.running(set, s, settings)
		if !ok {
			return math.NaN()
		}
		x := (zero - m.MTs) / step
		same := m.MTs / kit.MTs // of clocks, for the same time
		if tight := m.Slack(memory.Kit{MTs: m.MTs, V: m.V, CL: same * kit.CL, RCD: same * kit.RCD, RP: same * kit.RP}); tight < -tighter {
			x = math.Min(x, tight*kit.MTs/step) // times beyond the kit's count as a rate that is as far beyond
		}
		return x
	}
	t.write = func(depth int) trim.Settings {
		m := memory.Running{MTs: entry.Nearest(zero - float64(depth)*step)}
		out := trim.Settings{"memory.profile": part.Choice(trim.ProfileManual), key: part.Number(m.MTs)}
		keep := map[string]float64{}
		for _, one := range m.Kept(kit, kitRAS) {
			keep[one.Name] = one.Keep
		}
		a.setTimings(set, out, keep)
		return a.sameVoltage(set, settings, out)
	}
	return a.ofThing(set, t, key, zero, -step)
}

// kitThing is a memory kit, whose setting has steps of such a share.
func kitThing(step float64) *thing {
	return &thing{name: "memory", step: step, prior: kits, regimes: []load.Regime{load.RegimeMemory}, mix: kitMix, ratedMin: kitRatedMin,
		apart: noMemory}
}

// tighter is how much less than its time a timing may have and count as having it.
const tighter = 0.005

// noMemory are settings that do not matter to a memory kit that holds.
var noMemory = []string{"curve.", "voltage.core.", "voltage.efficiency.", "clock.ratio", "clock.boost", "clock.active",
	"clock.lift", "loadline."}

var timingKeys = map[string]string{"CL": "memory.cl", "tRCD": "memory.rcd", "tRP": "memory.rp", "tRAS": "memory.ras"}

// byHand reports whether a board lets memory be set by hand.
func (a *Axis) byHand(set *part.Set) bool {
	entry, ok := set.Board.Lookup("memory.profile")
	_, spelt := entry.Values[trim.ProfileManual]
	return ok && spelt && trim.Offers(set.Processor, set.Board, "memory.cl")
}

// setTimings puts clocks on the timings that a board offers, as near as it comes without being tighter.
func (a *Axis) setTimings(set *part.Set, out trim.Settings, clocks map[string]float64) {
	for name, key := range timingKeys {
		entry, ok := set.Board.Lookup(key)
		x, told := clocks[name]
		if !ok || !told || !trim.Offers(set.Processor, set.Board, key) {
			continue
		}
		near := entry.Nearest(x)
		if near < x {
			near = entry.Nearest(near + entry.Step)
		}
		out[key] = part.Number(near)
	}
}

// sameVoltage keeps the kit at the voltage that it has under some settings, which a rated profile brings by itself.
func (a *Axis) sameVoltage(set *part.Set, settings, out trim.Settings) trim.Settings {
	const key = "memory.voltage"
	entry, ok := set.Board.Lookup(key)
	if tuned, err := machine.Tune(set, settings); err == nil && ok && trim.Offers(set.Processor, set.Board, key) {
		v := math.Max(tuned.Memory.V, set.Memory.V)
		if near := entry.Nearest(v); near < v-1e-9 {
			v = entry.Nearest(near + entry.Step)
		}
		out[key] = part.Number(entry.Nearest(v))
	}
	return out
}

// running is the kit as it runs with some settings; false where it gets another voltage than beside those that stay, or runs otherwise.
func (a *Axis) running(set *part.Set, s, rest trim.Settings) (*memory.Running, bool) {
	now, err := machine.Tune(set, s)
	if err != nil {
		return nil, false
	}
	beside, err := machine.Tune(set, rest)
	if err != nil {
		return nil, false
	}
	const sameV = 0.0051
	m, o := &now.Memory, &beside.Memory
	return m, math.Abs(m.V-math.Max(o.V, set.Memory.V)) < sameV && m.TwoT == o.TwoT && m.Half == o.Half
}

// timings makes the axis of a kit's timings at the rate that is set: clocks of CL, and the others in proportion.
func (a *Axis) timings(set *part.Set, settings trim.Settings) (*Axis, error) {
	const key = "memory.cl"
	entry, offered := set.Board.Lookup(key)
	tuned, err := machine.Tune(set, settings)
	if !offered || !a.byHand(set) || err != nil {
		return nil, &None{"this board does not let the memory's timings be set"}
	}
	kit, kitRAS := machine.KitOf(set.Memory)
	m := tuned.Memory
	clocks := map[string]float64{}
	for _, one := range m.Kept(kit, kitRAS) {
		clocks[one.Name] = one.Keep
	}
	cl := entry.Nearest(clocks["CL"])
	a.Name, a.Unit = Timings.Name(), "clocks"
	t := kitThing(1 / cl)
	if m.MTs > kit.MTs+1 {
		t.ratedMin = 0
	}
	t.read = func(s trim.Settings) float64 {
		now, ok := a.running(set, s, settings)
		if !ok || math.Abs(now.MTs-m.MTs) > 1 {
			return math.NaN()
		}
		tightest := now.CL / cl // where others are tighter than in proportion, these count
		for name, x := range map[string]float64{"tRCD": now.RCD, "tRP": now.RP} {
			tightest = math.Min(tightest, x/clocks[name])
		}
		return cl * (tightest - 1)
	}
	t.write = func(depth int) trim.Settings {
		out := trim.Settings{"memory.profile": part.Choice(trim.ProfileManual)}
		share, tight := 1+float64(depth)/cl, map[string]float64{}
		for name, x := range clocks {
			tight[name] = math.Ceil(x*share - 1e-6)
		}
		tight["CL"] = cl + float64(depth)
		a.setTimings(set, out, tight)
		if rate, ok := set.Board.Lookup("memory.rate"); ok {
			out["memory.rate"] = part.Number(rate.Nearest(m.MTs))
		}
		return a.sameVoltage(set, settings, out)
	}
	return a.ofThing(set, t, key, cl, 1)
}

// ring makes the axis of the ring's ratio.
func (a *Axis) ring(set *part.Set, settings trim.Settings) (*Axis, error) {
	const key = "clock.ring"
	p := set.Processor
	entry, offered := set.Board.Lookup(key)
	if !offered || !counts(set, settings, key) || p.Ring == nil {
		return nil, &None{"this part has no ring whose clock can be set"}
	}
	base := trim.Stock(p, set.Board).With(settings).Number("clock.base", p.BaseClockMHz)
	perV := p.Ring.VPerGHz * base / 1000 // a step needs so many volts more
	if perV <= 0 {
		return nil, &None{"the sheet does not tell how much voltage this ring needs for its clock"}
	}
	a.Name, a.Unit = Ring.Name(), "×"
	zero := entry.Nearest(p.Ring.MHz / base)
	t := &thing{name: "ring", step: perV, prior: rings, regimes: thingRegimes, mix: len(thingRegimes)}
	t.read = func(s trim.Settings) float64 { return zero - s.Number(key, zero) }
	t.write = func(depth int) trim.Settings { return trim.Settings{key: part.Number(zero - float64(depth))} }
	return a.ofThing(set, t, key, zero, -1)
}

// fabric makes the axis of the fabric's clock.
func (a *Axis) fabric(set *part.Set, settings trim.Settings) (*Axis, error) {
	const key = "memory.fabric"
	p := set.Processor
	entry, offered := set.Board.Lookup(key)
	tuned, err := machine.Tune(set, settings.With(trim.Settings{key: part.Choice(trim.Auto)}))
	if !offered || !counts(set, settings, key) || entry.Step <= 0 || err != nil || p.Uncore.FabricMHz <= 0 {
		return nil, &None{"this part has no fabric whose clock can be set"}
	}
	a.Name, a.Unit = Fabric.Name(), "MHz"
	auto := func(s trim.Settings) float64 {
		now, err := machine.Tune(set, s)
		if err != nil {
			return math.NaN()
		}
		return now.Rest.FabricMHz
	}
	most := math.Max(clock.FabricMHz(p, tuned.Memory.MTs), p.Uncore.FabricMHz)
	zero := entry.Nearest(math.Max(most, p.Uncore.FabricMax))
	step := clockStep(&entry, zero)
	t := &thing{name: "fabric", step: step / zero, prior: fabrics, regimes: thingRegimes, mix: len(thingRegimes)}
	t.read = func(s trim.Settings) float64 { return (zero - auto(s)) / step }
	t.write = func(depth int) trim.Settings {
		return trim.Settings{key: part.Number(entry.Nearest(zero - float64(depth)*step))}
	}
	return a.ofThing(set, t, key, zero, -step)
}

// setup is what a survey of a thing begins with.
func (t *thing) setup(a *Axis, prior survey.Prior, risk24h float64) survey.Setup {
	return survey.Setup{Each: a.Each, Cores: []survey.Core{{}}, MinSteps: a.Min, MaxSteps: a.Max, Regimes: t.regimes, Mix: t.mix,
		Prior: prior, Costs: Costs, Risk24h: risk24h}
}

// survey is what is believed of a thing before anything was tried, in steps.
func (p *thingPrior) survey(step float64) survey.Prior {
	const least = 0.1 // steps that a survey can tell apart
	return survey.Prior{LimitMean: -p.beyond / step, ChipSD: math.Max(least, p.stray/step), CoreSD: math.Max(least, 0.2*p.stray/step),
		Slope: p.slope / step, SlopeSD: thingSlopeSD, Start: -p.start / step, StartSD: p.startStray / step}
}

// alike reports whether what a trial of some settings showed can be told of others, the axis apart: whatever else may fail must be the
// same, but for what does not matter as long as nothing fails.
func (t *thing) alike(s, other trim.Settings, failed bool) bool {
	never := []string{"limit.", "fan."}
	return !slices.ContainsFunc(trim.Diff(s, other), func(c trim.Change) bool {
		starts := func(start string) bool { return strings.HasPrefix(c.Key, start) }
		return !slices.ContainsFunc(never, starts) && (failed || !slices.ContainsFunc(t.apart, starts))
	})
}
