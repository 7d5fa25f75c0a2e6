package preflight

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/clock"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// rateTolerance is the share by which a derived rate may pass a proven one: base clocks are exact to a part in a thousand.
const rateTolerance = 0.002

// provenMTs is the highest memory rate that may be taken for safe: what held on this rig, or the kit's own.
func (in *Input) provenMTs() float64 {
	return math.Max(in.Records.ProvenMTs, in.Set.Memory.RatedMTs)
}

// referenceMovesMemory reports a base clock that was raised while memory and fabric, which hang on it, were left alone.
func referenceMovesMemory(in *Input) []Finding {
	now, before := in.now, in.before
	if now == nil || !in.changed("clock.base") || now.Memory.MTs <= before.Memory.MTs*(1+rateTolerance) {
		return nil
	}
	for _, key := range []string{"memory.profile", "memory.rate", "memory.fabric"} {
		if in.offers(key) && in.changed(key) {
			return nil // re-derived; whether well is for the next rules
		}
	}
	fix := trim.Settings(nil)
	plan := clock.NewPlan(in.Set.Processor, machine.Asked(in.Set, in.Settings), in.provenMTs(),
		in.Set.Board.Steps("memory.rate"))
	if plan.MemorySetting > 0 && in.offers("memory.rate") {
		fix = trim.Settings{"memory.profile": part.Choice(trim.ProfileManual), "memory.rate": part.Number(plan.MemorySetting)}
	}
	return one(Caution, []string{"clock.base"}, fix, "Derive memory and fabric anew from the base clock; the clock plan shows how.",
		"The base clock also moves the memory from %.0f to %.0f MT/s.", before.Memory.MTs, now.Memory.MTs)
}

// memoryBeyondProven reports a memory rate that neither the kit promises nor this rig has proven.
func memoryBeyondProven(in *Input) []Finding {
	now, before := in.now, in.before
	if now == nil || now.Memory.MTs <= in.provenMTs()*(1+rateTolerance) || now.Memory.MTs <= before.Memory.MTs {
		return nil
	}
	fields := []string{}
	for _, key := range []string{"memory.profile", "memory.rate", "clock.base"} {
		if in.offers(key) && in.changed(key) {
			fields = append(fields, key)
		}
	}
	return one(Caution, fields, nil, fmt.Sprintf("Stay at %.0f MT/s, or prove the memory alone first.", in.provenMTs()),
		"The memory runs at %.0f MT/s, beyond the %.0f MT/s that are proven.", now.Memory.MTs, in.provenMTs())
}

// memoryUnproven reports that the processor is tuned on memory that was never proven: its faults will be blamed on the
// processor.
func memoryUnproven(in *Input) []Finding {
	if !in.Records.MemoryUnproven || in.Settings.Word("memory.profile") == trim.ProfileSafe {
		return nil
	}
	var fields []string
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		def, _, _ := trim.Find(c.Key)
		switch def.Group {
		case trim.GroupClocks, trim.GroupVoltage, trim.GroupLoadLine, trim.GroupCurve:
			fields = append(fields, c.Key)
		}
	}
	if len(fields) == 0 {
		return nil
	}
	return one(Caution, fields, nil, "Prove the memory by itself first.",
		"The memory settings of the parent were never proven; their faults would be blamed on the processor.")
}

// clockUpCurveKept reports a clock that was raised while the voltage stays lowered as it was for less.
func clockUpCurveKept(in *Input) []Finding {
	now, before := in.now, in.before
	if now == nil {
		return nil
	}
	p := in.Set.Processor
	for core := range p.Cores() {
		if !now.On[core] || !before.On[core] {
			continue
		}
		top, was := now.Clocks.Top(p, core, clock.Alone, false), before.Clocks.Top(p, core, clock.Alone, false)
		if top > was+1 && now.Mode == trim.Dynamic && now.OffsetV[core] < 0 && now.OffsetV[core] <= before.OffsetV[core] {
			fields := []string{}
			for _, c := range trim.Diff(in.Parent, in.Settings) {
				if def, _, _ := trim.Find(c.Key); def.Group == trim.GroupClocks {
					fields = append(fields, c.Key)
				}
			}
			return one(Caution, fields, nil, "Relax the curve or the voltage offset by some steps, and go deeper again once the clock holds.",
				"Core %d may go %.0f MHz higher on a curve that is lowered as before: %.0f mV below its fused voltage.", core, top-was,
				-1000*now.OffsetV[core])
		}
	}
	return nil
}

// fewCores reports a processor of which less than half is left.
func fewCores(in *Input) []Finding {
	now := in.now
	if now == nil {
		return nil
	}
	on := 0
	for _, x := range now.On {
		if x {
			on++
		}
	}
	if 2*on >= len(now.On) {
		return nil
	}
	return one(Caution, []string{}, nil, "Switch cores on again unless this is a test of single cores.",
		"Only %d of %d cores are switched on.", on, len(now.On))
}

// memoryTighterThanKit reports timings that are shorter, as times, than the kit is rated for at its voltage.
func memoryTighterThanKit(in *Input) []Finding {
	now, kit := in.now, in.Set.Memory
	if now == nil || in.Settings.Word("memory.profile") != trim.ProfileManual {
		return nil
	}
	or := func(clocks, otherwise int) float64 {
		if clocks == 0 {
			return float64(otherwise)
		}
		return float64(clocks)
	}
	const tolerance = 0.01
	ns := func(clocks, mts float64) float64 { return 2000 * clocks / mts }
	m := &now.Memory
	for _, t := range []struct {
		key, name    string
		given, rated float64
	}{{"memory.cl", "CL", m.CL, float64(kit.CL)}, {"memory.rcd", "tRCD", m.RCD, or(kit.RCD, kit.CL)},
		{"memory.rp", "tRP", m.RP, or(kit.RP, kit.CL)}} {
		given, rated := ns(t.given, m.MTs), ns(t.rated, kit.RatedMTs)
		if given >= rated*(1-tolerance) || !in.changed(t.key) && !in.changed("memory.rate") && !in.changed("memory.profile") {
			continue
		}
		return one(Caution, []string{t.key}, nil, fmt.Sprintf("Give %.0f clocks or more, or prove the memory alone.",
			math.Ceil(rated*m.MTs/2000-1e-9)),
			"%s of %g at %.0f MT/s is %.1f ns; the kit is rated for %.1f ns.", t.name, t.given, m.MTs, given, rated)
	}
	return nil
}

// ratioNotReached notes a ratio set by hand that a limit will not allow under heavy load.
func ratioNotReached(in *Input) []Finding {
	p := in.Set.Processor
	if in.now == nil || in.Forecast == nil {
		return nil
	}
	var fields []string
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		if strings.HasPrefix(c.Key, "clock.ratio.") {
			fields = append(fields, c.Key)
		}
	}
	for _, s := range in.states() {
		if s.Load != load.Heavy || len(fields) == 0 || s.Limiter == govern.Ratio {
			continue
		}
		for core, c := range s.Cores {
			cluster := p.ClusterOf(core)
			awake := clock.Awake{Here: p.Clusters[cluster].Cores, Kind: p.Cores(), All: p.Cores()}
			asked := in.now.Clocks.Top(p, core, awake, true)
			mine := slices.ContainsFunc(fields, func(key string) bool { return sets(key, p, core) })
			if !c.Active || !mine || c.EffectiveMHz > asked-p.RatioStep*in.now.Clocks.ReferenceMHz {
				continue
			}
			return one(Note, fields, nil, "Raise the limit that holds it, lower the voltage, or ask for less.",
				"%.0f MHz asked of core %d, %.0f expected under heavy load: %s.", asked, core, c.EffectiveMHz, s.Limiter)
		}
	}
	return nil
}

// sets reports whether a ratio's key is about a core.
func sets(key string, p *part.Processor, core int) bool {
	cluster := p.ClusterOf(core)
	efficient := p.Clusters[cluster].Kind == part.KindEfficiency
	switch key {
	case "clock.ratio.all", "clock.ratio.p":
		return !efficient
	case "clock.ratio.e":
		return efficient
	}
	return key == trim.At("clock.ratio.core.*", core) || key == trim.At("clock.ratio.cluster.*", cluster)
}

// rowNeverActs reports a ratio by active cores for more cores than can be active: performance cores are counted.
func rowNeverActs(in *Input) []Finding {
	p := in.Set.Processor
	counted := 0
	for _, c := range p.Clusters {
		if c.Kind == part.KindPerformance {
			counted += c.Cores
		}
	}
	var fields []string
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		if pattern, n := part.Pattern(c.Key); pattern == "clock.active.*" && n > counted {
			if _, ok := c.To.Number(); ok {
				fields = append(fields, c.Key)
			}
		}
	}
	if len(fields) == 0 {
		return nil
	}
	return one(Note, fields, nil, fmt.Sprintf("Set the rows up to %d.", counted),
		"%s never acts: the rows count performance cores, and there are %d.", name(fields[0]), counted)
}
