package trim

import "zerokeel/core/part"

// What a fan follows.
const (
	SourceCore    = "core"
	SourceCoolant = "coolant"
)

// Positions of the pump.
const (
	PumpQuiet    = "quiet"
	PumpBalanced = "balanced"
	PumpFull     = "full"
	PumpCurve    = "curve" // follows the fan curve, which a pump should not
)

var coolingDefs = []Def{
	{Key: "fan.source", Group: GroupCooling, Scope: part.ScopeRig, Type: TypeChoice, Choices: []string{SourceCore, SourceCoolant},
		Neutral: choice(SourceCore), Name: "Fan follows", Meaning: "The temperature that the fan curve is read at."},
	{Key: "fan.point.*.temperature", Group: GroupCooling, Scope: part.ScopeFanPoint, Type: TypeNumber, Unit: "°C", Words: []string{Auto},
		Kin: "fan curve", Name: "Fan point {n} temperature", Meaning: "Temperature at which the fan runs at this point's duty."},
	{Key: "fan.point.*.duty", Group: GroupCooling, Scope: part.ScopeFanPoint, Type: TypeNumber, Unit: "%", Words: []string{Auto},
		Kin: "fan curve", Name: "Fan point {n} duty", Meaning: "Fan duty at this point's temperature; between points it runs along a straight line."},
	{Key: "fan.start", Group: GroupCooling, Scope: part.ScopeRig, Type: TypeNumber, Unit: "%", Neutral: number(0), Name: "Fan start duty",
		Meaning: "The fan stands below this duty."},
	{Key: "fan.response", Group: GroupCooling, Scope: part.ScopeRig, Type: TypeNumber, Unit: "s", Neutral: number(0),
		Name: "Fan response delay", Meaning: "How long the fan waits before it follows, so that short spikes do not make it howl."},
	{Key: "fan.smoothing", Group: GroupCooling, Scope: part.ScopeRig, Type: TypeNumber, Unit: "s", Words: []string{Auto},
		Name: "Fan smoothing", Meaning: "Time over which the temperature is averaged for the fan."},
	{Key: "pump.mode", Group: GroupCooling, Scope: part.ScopeRig, Type: TypeChoice,
		Choices: []string{PumpQuiet, PumpBalanced, PumpFull, PumpCurve}, Name: "Pump mode",
		Meaning: "Speed of the loop's pump; a constant one is best."},
}
