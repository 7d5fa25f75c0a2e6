package trim

import "zerokeel/core/part"

var (
	onlyGuarded = []When{{"limit.temperatureOn", part.Switch(true)}}
	overridden  = []When{{"limit.beyondSpec", part.Switch(true)}, {"limit.beyondSpec", choice(PowerOnly)}}
	noLimit     = []string{Auto, Unlimited}
)

// PowerOnly is the position of limit.beyondSpec in which the board's own limits take the place of those of power and current,
// and not that of the temperature.
const PowerOnly = "power only"

// Beyond reports whether the board's own limits take the place of those entered: of power and current, and of temperature.
func (s Settings) Beyond() (power, temperature bool) {
	temperature = s.Switch("limit.beyondSpec", false)
	return temperature || s.Word("limit.beyondSpec") == PowerOnly, temperature
}

var limitDefs = []Def{
	{Key: "limit.beyondSpec", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeSwitch, Choices: []string{PowerOnly},
		Neutral: part.Switch(false), Spec: specIs(part.Switch(false)), Name: "Board limits beyond the maker's",
		Meaning: "Lets the board put its own, higher limits in place of those that stand here; some boards can keep the temperature limit."},
	{Key: "limit.ppt", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "W", Words: noLimit, Unless: overridden,
		Parts: hasStyle(part.StyleCeiling), Spec: spec(func(p *part.Processor) float64 { return p.Limits.PPTW }), Name: "PPT",
		Meaning: "Package power that the processor may draw."},
	{Key: "limit.tdc", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "A", Words: noLimit, Unless: overridden,
		Parts: hasStyle(part.StyleCeiling), Spec: spec(func(p *part.Processor) float64 { return p.Limits.TDCA }), Name: "TDC",
		Meaning: "Current that the regulator may deliver for long."},
	{Key: "limit.edc", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "A", Words: noLimit, Unless: overridden,
		Parts: hasStyle(part.StyleCeiling), Spec: spec(func(p *part.Processor) float64 { return p.Limits.EDCA }), Name: "EDC",
		Meaning: "Current that the regulator may deliver for a moment."},
	{Key: "limit.endurance", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "×", Neutral: number(1),
		Parts: hasStyle(part.StyleCeiling), Spec: specIs(number(1)), Name: "Endurance factor",
		Meaning: "Relaxes the guard that holds the voltage down for the sake of the part's life."},
	{Key: "limit.pl1", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "W", Words: noLimit, Unless: overridden,
		Parts: hasStyle(part.StyleWindow), Spec: spec(func(p *part.Processor) float64 { return p.Limits.PL1W }), Name: "PL1",
		Meaning: "Package power that may be drawn on average over the time window."},
	{Key: "limit.pl2", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "W", Words: noLimit, Unless: overridden,
		Parts: hasStyle(part.StyleWindow), Spec: spec(func(p *part.Processor) float64 { return p.Limits.PL2W }), Name: "PL2",
		Meaning: "Package power that may be drawn while the average lies below PL1."},
	{Key: "limit.tau", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "s", Words: []string{Auto}, Unless: overridden,
		Parts: hasStyle(part.StyleWindow), Spec: spec(func(p *part.Processor) float64 { return p.Limits.TauS }), Name: "Tau",
		Meaning: "Length of the time window over which power is averaged."},
	{Key: "limit.iccMax", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "A", Words: noLimit, Unless: overridden,
		Parts: hasStyle(part.StyleWindow), Spec: spec(func(p *part.Processor) float64 { return p.Limits.ICCMaxA }), Name: "ICCmax",
		Meaning: "Current that the processor may draw at any moment."},
	{Key: "limit.temperatureOn", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeSwitch, Spec: specIs(part.Switch(true)),
		Name: "Temperature limit", Meaning: "Lowers the clock before the processor passes the temperature limit."},
	{Key: "limit.temperature", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "°C",
		Words: []string{Auto}, Only: onlyGuarded, Spec: spec(func(p *part.Processor) float64 { return p.Limits.TemperatureC }),
		Name: "Temperature limit at", Meaning: "The temperature that the hottest core may reach."},
	{Key: "limit.trip", Group: GroupLimits, Scope: part.ScopeRig, Type: TypeNumber, Unit: "°C", Words: []string{Auto},
		Neutral: choice(Auto), Spec: spec((*part.Processor).HardTripC), Name: "Hard trip",
		Meaning: "The temperature at which the machine switches itself off."},
}
