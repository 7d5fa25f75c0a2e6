package trim

import "zerokeel/core/part"

// noModel says why the running system's own settings are not forecast.
const noModel = "the running system governs by it, which the models leave out"

// runningDefs are what a running system has beyond what firmware has.
var runningDefs = []Def{
	{Key: "system.ceiling", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "MHz", Words: []string{Auto},
		Neutral: choice(Auto), Name: "Highest clock in the running system", Meaning: "The running system asks no core for a higher clock.",
		Running: true},
	{Key: "system.floor", Group: GroupClocks, Scope: part.ScopeRig, Type: TypeNumber, Unit: "MHz", Words: []string{Auto},
		Neutral: choice(Auto), Name: "Lowest clock in the running system", Meaning: "The running system asks no core for a lower clock.",
		NoEffect: noModel, Running: true},
	{Key: "system.preference", Group: GroupPlatform, Scope: part.ScopeRig, Type: TypeChoice,
		Choices: []string{"default", "performance", "balance performance", "balance power", "power"}, Name: "Energy preference",
		Meaning: "Whether clocks rise and fall for the sake of speed or of energy.", NoEffect: noModel, Running: true},
}
