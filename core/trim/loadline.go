package trim

import "zerokeel/core/part"

// Positions of the VRM phase mode.
const (
	PhasesSaving = "saving"
	PhasesNormal = "normal"
	PhasesAll    = "all"
)

var loadLineDefs = []Def{
	{Key: "loadline.level", Group: GroupLoadLine, Scope: part.ScopeRig, Type: TypeNumber, Name: "Load-line calibration",
		Meaning: "How much the core voltage droops under current; a flat load line overshoots when load ends."},
	{Key: "loadline.ac", Group: GroupLoadLine, Scope: part.ScopeRig, Type: TypeNumber, Unit: "mΩ", Words: []string{Auto},
		Neutral: choice(Auto), Parts: hasStyle(part.StyleWindow), Name: "AC load line",
		Meaning: "The droop that the processor expects and asks more voltage for."},
	{Key: "loadline.dc", Group: GroupLoadLine, Scope: part.ScopeRig, Type: TypeNumber, Unit: "mΩ", Words: []string{Auto},
		Neutral: choice(Auto), Parts: hasStyle(part.StyleWindow), Name: "DC load line",
		Meaning: "The droop from which the processor works out its own power; a wrong one makes it report too little or too much."},
	{Key: "loadline.phases", Group: GroupLoadLine, Scope: part.ScopeRig, Type: TypeChoice,
		Choices: []string{PhasesSaving, PhasesNormal, PhasesAll}, Neutral: choice(PhasesNormal), Name: "VRM phase mode",
		Meaning: "How many phases of the regulator work at little load."},
	{Key: "loadline.switching", Group: GroupLoadLine, Scope: part.ScopeRig, Type: TypeNumber, Unit: "kHz", Words: []string{Auto},
		Neutral: choice(Auto), Name: "VRM switching frequency",
		Meaning: "Faster switching answers steps of load better, and warms the regulator."},
	{Key: "loadline.capability", Group: GroupLoadLine, Scope: part.ScopeRig, Type: TypeNumber, Unit: "%", Neutral: number(100),
		Name: "VRM current capability", Meaning: "Current at which the regulator protects itself, against its usual one."},
}
