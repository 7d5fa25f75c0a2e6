package trim

import "zerokeel/core/part"

var onlyBoost = []When{{"clock.boost", part.Switch(true)}}

func hasKind(kind string) func(*part.Processor) bool {
	return func(p *part.Processor) bool { return p.HasKind(kind) }
}

func severalClusters(p *part.Processor) bool { return len(p.Clusters) > 1 }

var clockDefs = []Def{
	{Key: "clock.base", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "MHz",
		Spec: spec(func(p *part.Processor) float64 { return p.BaseClockMHz }), Name: "Base clock",
		Meaning: "The clock from which memory, fabric, ring and, unless separated, the cores derive theirs."},
	{Key: "clock.reference", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "MHz", Words: []string{Auto},
		Neutral: choice(Auto), Spec: specIs(choice(Auto)), Name: "Core reference clock",
		Meaning: "A clock for the cores alone, so that memory and fabric stay where they are."},
	{Key: "clock.boost", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeSwitch, Neutral: part.Switch(true),
		Spec: specIs(part.Switch(true)), Name: "Boost", Meaning: "Lets the clock rise above the base clock that the maker promises."},
	{Key: "clock.boostOffset", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "MHz", Neutral: number(0), Only: onlyBoost,
		Parts: hasStyle(part.StyleCeiling), Spec: specIs(number(0)), Name: "Boost ceiling offset",
		Meaning: "Raises or lowers the clock ceiling of every core."},
	{Key: "clock.ratio.all", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "×", Words: []string{Auto},
		Neutral: choice(Auto), Name: "All-core ratio", Meaning: "Fixes the ratio of every core, whatever the number of active ones."},
	{Key: "clock.ratio.p", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "×", Words: []string{Auto},
		Neutral: choice(Auto), Parts: hasKind(part.KindEfficiency), Name: "P-core ratio", Meaning: "Highest ratio of the performance cores."},
	{Key: "clock.ratio.e", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "×", Words: []string{Auto},
		Neutral: choice(Auto), Parts: hasKind(part.KindEfficiency), Name: "E-core ratio", Meaning: "Highest ratio of the efficiency cores."},
	{Key: "clock.active.*", Group: GroupClocks, Scope: part.ScopeActive, Type: TypeNumber, Unit: "×", Words: []string{Auto},
		Neutral: choice(Auto), Kin: "active-core ratios", Unless: onlyBoostOff, Name: "Ratio, {n} active",
		Meaning: "Highest ratio while this many cores are active."},
	{Key: "clock.lift", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "×", Neutral: number(0), Unless: onlyBoostOff,
		Name: "Active-core lift", Meaning: "Adds to the ratio for every number of active cores."},
	{Key: "clock.ratio.cluster.*", Group: GroupClocks, Scope: part.ScopeCluster, Type: TypeNumber, Unit: "×", Words: []string{Auto},
		Neutral: choice(Auto), Parts: severalClusters, Name: "Ratio, cluster {n}", Meaning: "Highest ratio of the cores of one cluster."},
	{Key: "clock.ratio.core.*", Group: GroupClocks, Scope: part.ScopeCore, Type: TypeNumber, Unit: "×", Words: []string{Auto},
		Neutral: choice(Auto), Name: "Ratio, core {n}", Meaning: "Highest ratio of one core."},
	{Key: "clock.ring", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "×", Words: []string{Auto}, Neutral: choice(Auto),
		Parts: func(p *part.Processor) bool { return p.Ring != nil }, Name: "Ring ratio",
		Meaning: "Ratio of the interconnect of cores and cache."},
	{Key: "clock.vectorOffset", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "×", Neutral: number(0),
		Name: "Vector ratio offset", Meaning: "Takes this off the ratio while wide vector code runs."},
	{Key: "clock.clusterOn.*", Group: GroupClocks, Scope: part.ScopeCluster, Type: TypeSwitch, Neutral: part.Switch(true),
		Parts: severalClusters, Name: "Cluster {n} switched on", Meaning: "Switches a whole cluster of cores off."},
	{Key: "clock.coreOn.*", Group: GroupClocks, Scope: part.ScopeCore, Type: TypeSwitch, Neutral: part.Switch(true),
		Name: "Core {n} switched on", Meaning: "Switches a core off."},
}

var onlyBoostOff = []When{{"clock.boost", part.Switch(false)}}
