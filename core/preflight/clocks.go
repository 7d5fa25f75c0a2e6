package preflight

import (
	"fmt"
	"math"

	"zerokeel/core/clock"
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
