package trim

import "zerokeel/core/part"

var notFixed = []When{{"voltage.core.mode", choice(Fixed)}}

var curveDefs = []Def{
	{Key: "curve.all", Group: GroupCurve, Scope: part.ScopeRig, Type: TypeNumber, Unit: "steps", Signed: true, Neutral: number(0),
		Unless: notFixed, Spec: specIs(number(0)), Name: "Curve offset, all cores",
		Meaning: "Shifts the voltage/frequency curve of every core; negative is less voltage."},
	{Key: "curve.cluster.*", Group: GroupCurve, Scope: part.ScopeCluster, Type: TypeNumber, Unit: "steps", Signed: true, Neutral: number(0),
		Unless: notFixed, Parts: severalClusters, Name: "Curve offset, cluster {n}",
		Meaning: "Shifts the curve of one cluster, on top of the offset for all cores."},
	{Key: "curve.core.*", Group: GroupCurve, Scope: part.ScopeCore, Type: TypeNumber, Unit: "steps", Signed: true, Neutral: number(0),
		Unless: notFixed, Name: "Curve offset, core {n}", Meaning: "Shifts the curve of one core, on top of the offset for all cores."},
	{Key: "curve.band.*.cold", Group: GroupCurve, Scope: part.ScopeBand, Type: TypeNumber, Unit: "steps", Signed: true, Neutral: number(0),
		Kin: "curve bands", Unless: notFixed, Name: "Curve band {n}, cold",
		Meaning: "Shifts the curve around this band's clock while the processor is cold."},
	{Key: "curve.band.*.hot", Group: GroupCurve, Scope: part.ScopeBand, Type: TypeNumber, Unit: "steps", Signed: true, Neutral: number(0),
		Kin: "curve bands", Unless: notFixed, Name: "Curve band {n}, hot",
		Meaning: "Shifts the curve around this band's clock while the processor is hot."},
	{Key: "curve.graphics", Group: GroupCurve, Scope: part.ScopeRig, Type: TypeNumber, Unit: "steps", Signed: true, Neutral: number(0),
		Name: "Curve offset, graphics", Meaning: "Shifts the curve of the integrated graphics.",
		NoEffect: "no load of these models runs on the graphics"},
}
