package trim

import (
	"fmt"

	"zerokeel/core/part"
	"zerokeel/core/volt"
)

// How a rail's voltage is asked for.
const (
	Dynamic  = "dynamic"  // along the voltage/frequency curve
	Adaptive = "adaptive" // as dynamic, and to a target above the highest fused ratio
	Fixed    = "fixed"    // the same whatever the clock, idle included
)

// rail returns the settings of one rail. modes lists what it can do beside dynamic.
func rail(key, name string, has func(*part.Processor) bool, modes ...string) []Def {
	at := func(end string) string { return fmt.Sprintf("voltage.%s.%s", key, end) }
	is := func(mode string) []When { return []When{{at("mode"), choice(mode)}} }
	offset := Def{Key: at("offset"), Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "mV", Signed: true,
		Neutral: number(0), Parts: has, Spec: specIs(number(0)), Name: name + " voltage offset",
		Meaning: "Adds to the voltage at every clock; negative is less voltage."}
	if len(modes) == 0 {
		return []Def{offset}
	}
	offset.Unless = is(Fixed)
	defs := []Def{
		{Key: at("mode"), Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeChoice, Choices: append([]string{Dynamic}, modes...),
			Neutral: choice(Dynamic), Kin: key + " voltage", Parts: has, Name: name + " voltage",
			Meaning: "How this voltage is asked for: along the curve, to a target of one's own at the top, or the same at every clock."},
		offset,
	}
	for _, mode := range modes {
		switch mode {
		case Adaptive:
			defs = append(defs, Def{Key: at("target"), Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "V",
				Kin: key + " voltage", Only: is(Adaptive), Parts: has, Name: name + " voltage target",
				Meaning: "Voltage at the highest ratio; below the highest fused ratio the curve counts."})
		case Fixed:
			defs = append(defs, Def{Key: at("fixed"), Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "V",
				Kin: key + " voltage", Only: is(Fixed), Parts: has, Name: name + " voltage fixed at",
				Meaning: "Voltage at every clock, idle included."})
		}
	}
	return defs
}

func hasRing(p *part.Processor) bool { return p.Ring != nil }

func hasSoC(p *part.Processor) bool { return p.Uncore.SoCV > 0 }

var onlyCorridor = []When{{"voltage.corridor", part.Switch(true)}}

var voltageDefs = concat(
	rail("core", "Core", nil, Adaptive, Fixed),
	rail("efficiency", "E-core", hasKind(part.KindEfficiency)),
	rail("ring", "Ring", hasRing, Fixed),
	rail("soc", "SoC", hasSoC, Fixed),
	rail("controller", "Memory controller", hasSoC, Fixed),
	[]Def{
		{Key: "voltage.lightLift", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "mV", Neutral: number(0),
			Unless: []When{{"voltage.core.mode", choice(Fixed)}}, Name: "Light-load lift",
			Meaning: "Adds to the core voltage while few cores are active."},
		{Key: "voltage.ceiling", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "V", Words: []string{Auto},
			Neutral: choice(Auto), Spec: spec(func(p *part.Processor) float64 { return p.VoltageMaxV }), Name: "Voltage ceiling",
			Meaning: "The voltage above which no higher clock is given."},
		{Key: "voltage.corridor", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeSwitch, Neutral: part.Switch(false), Kin: "corridor",
			Name: "Voltage corridor", Meaning: "Holds the core voltage between a floor and a ceiling that follow the temperature."},
		{Key: "voltage.corridor.coldC", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "°C", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor, cold at", Meaning: "Temperature up to which the cold floor counts, and the cold ceiling if it has no point of its own."},
		{Key: "voltage.corridor.hotC", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "°C", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor, hot at", Meaning: "Temperature from which the hot floor counts, and the hot ceiling if it has no point of its own."},
		{Key: "voltage.corridor.ceilingColdC", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "°C", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor ceiling, cold at", Meaning: "Temperature up to which the cold ceiling counts."},
		{Key: "voltage.corridor.ceilingHotC", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "°C", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor ceiling, hot at", Meaning: "Temperature from which the hot ceiling counts."},
		{Key: "voltage.corridor.floorCold", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "V", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor floor, cold", Meaning: "Lowest core voltage when cold."},
		{Key: "voltage.corridor.floorHot", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "V", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor floor, hot", Meaning: "Lowest core voltage when hot."},
		{Key: "voltage.corridor.ceilingCold", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "V", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor ceiling, cold", Meaning: "Highest core voltage when cold."},
		{Key: "voltage.corridor.ceilingHot", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "V", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor ceiling, hot", Meaning: "Highest core voltage when hot."},
		{Key: "voltage.corridor.reach", Group: GroupVoltage, Scope: part.ScopeRig, Type: TypeNumber, Unit: "mV", Kin: "corridor",
			Only: onlyCorridor, Name: "Corridor reach", Meaning: "How far floor and ceiling may move the voltage at most."},
	},
)

func concat(lists ...[]Def) []Def {
	var all []Def
	for _, l := range lists {
		all = append(all, l...)
	}
	return all
}

// Corridor returns the voltage corridor of the settings. A board may have one cold and one hot point for floor and ceiling
// together, or points of their own for the ceiling.
func (s Settings) Corridor() volt.Corridor {
	at := func(end string, fallback float64) float64 { return s.Number("voltage.corridor."+end, fallback) }
	floor := volt.Edge{ColdC: at("coldC", 0), HotC: at("hotC", 0), Cold: at("floorCold", 0), Hot: at("floorHot", 0)}
	ceiling := volt.Edge{ColdC: at("ceilingColdC", floor.ColdC), HotC: at("ceilingHotC", floor.HotC),
		Cold: at("ceilingCold", 0), Hot: at("ceilingHot", 0)}
	return volt.Corridor{On: s.Switch("voltage.corridor", false), Floor: floor, Ceiling: ceiling, Reach: at("reach", 0) / 1000}
}
