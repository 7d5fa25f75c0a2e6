package channel

import "zerokeel/core/govern"

// Scope is what a channel's figure belongs to.
type Scope string

const (
	ScopeMachine Scope = "machine" // the whole of it, or its surroundings
	ScopePackage Scope = "package" // the processor as a whole
	ScopeCore    Scope = "core"
	ScopeCluster Scope = "cluster"
	ScopeFan     Scope = "fan"
)

// Sum is how a channel is summed up over a time.
type Sum string

const (
	SumMean  Sum = "mean"  // mean of the steady part, and the peak
	SumShare Sum = "share" // the category that held for the longest time
	SumNone  Sum = "none"  // a count, of which no mean tells anything
)

// Def says what a channel, or one for each core or fan, is.
type Def struct {
	Pattern    string   `json:"pattern"` // its key; a star stands for the number of a core or fan
	Quantity   string   `json:"quantity"`
	Unit       string   `json:"unit"`
	Label      string   `json:"label"` // with %d for the number
	Scope      Scope    `json:"scope"`
	Sum        Sum      `json:"sum"`
	Categories []string `json:"categories,omitempty"` // names of its values from 0 on, of a categorical one
	Derived    bool     `json:"derived,omitempty"`    // computed here from others, never told by a rig
}

// Keys and patterns of the channels that the application gives a meaning to.
const (
	PackagePower     = "power.package"
	WallPower        = "power.wall"
	CoreCurrent      = "current.core"
	RequestedVoltage = "voltage.core.requested"
	DeliveredVoltage = "voltage.core.delivered"
	AloneVoltage     = "voltage.core.requested.alone.*"

	Temperature     = "temperature.package" // of the hottest core
	Coolant         = "temperature.coolant"
	VRM             = "temperature.vrm"
	Ambient         = "temperature.ambient"
	AboveAmbient    = "temperature.above"
	StartOfRun      = "temperature.start"
	CoreTemperature = "temperature.core.*"
	CoresAbove      = "temperature.cores.above"

	RequestedClock = "clock.requested.core.*"
	EffectiveClock = "clock.effective.core.*"
	MeanClock      = "clock.effective.mean"
	LowestClock    = "clock.effective.lowest"
	HighestClock   = "clock.effective.highest"
	ClusterClock   = "clock.effective.cluster.*"

	Rate     = "rate.core.*"
	MeanRate = "rate.mean"
	Work     = "work.core.*"
	CoreLoad = "load.core.*"
	MeanLoad = "load.mean"
	Memory   = "memory.used"

	BoostWindow = "boost.window"

	FanSpeed = "speed.fan.*"
	FanDuty  = "duty.fan.*"
	Noise    = "noise"

	Limiter          = "limiter"
	CoreThrottled    = "throttled.core.*"
	PackageThrottled = "throttled.package"
)

// Registry lists every channel that the application gives a meaning to.
var Registry = []Def{
	{Pattern: PackagePower, Quantity: power, Unit: "W", Label: "Package power", Scope: ScopePackage, Sum: SumMean},
	{Pattern: WallPower, Quantity: power, Unit: "W", Label: "Wall power", Scope: ScopeMachine, Sum: SumMean},
	{Pattern: CoreCurrent, Quantity: current, Unit: "A", Label: "Core current", Scope: ScopePackage, Sum: SumMean},
	{Pattern: RequestedVoltage, Quantity: voltage, Unit: "V", Label: "Core voltage requested", Scope: ScopePackage, Sum: SumMean},
	{Pattern: DeliveredVoltage, Quantity: voltage, Unit: "V", Label: "Core voltage delivered", Scope: ScopePackage, Sum: SumMean},
	{Pattern: AloneVoltage, Quantity: voltage, Unit: "V", Label: "Core %d requested alone", Scope: ScopeCore, Sum: SumMean, Derived: true},

	{Pattern: Temperature, Quantity: temperature, Unit: "°C", Label: "Hottest core", Scope: ScopePackage, Sum: SumMean},
	{Pattern: Coolant, Quantity: temperature, Unit: "°C", Label: "Coolant", Scope: ScopeMachine, Sum: SumMean},
	{Pattern: VRM, Quantity: temperature, Unit: "°C", Label: "VRM", Scope: ScopeMachine, Sum: SumMean},
	{Pattern: Ambient, Quantity: temperature, Unit: "°C", Label: "Ambient", Scope: ScopeMachine, Sum: SumMean},
	{Pattern: AboveAmbient, Quantity: temperature, Unit: "K", Label: "Hottest core above ambient", Scope: ScopePackage, Sum: SumMean,
		Derived: true},
	{Pattern: CoresAbove, Quantity: temperature, Unit: "K", Label: "Mean core above ambient", Scope: ScopePackage, Sum: SumMean,
		Derived: true},
	{Pattern: StartOfRun, Quantity: temperature, Unit: "°C", Label: "Hottest core at the start", Scope: ScopePackage, Sum: SumMean,
		Derived: true},
	{Pattern: CoreTemperature, Quantity: temperature, Unit: "°C", Label: "Core %d", Scope: ScopeCore, Sum: SumMean},

	{Pattern: RequestedClock, Quantity: clock, Unit: "MHz", Label: "Core %d clock requested", Scope: ScopeCore, Sum: SumMean},
	{Pattern: EffectiveClock, Quantity: clock, Unit: "MHz", Label: "Core %d clock effective", Scope: ScopeCore, Sum: SumMean},
	{Pattern: MeanClock, Quantity: clock, Unit: "MHz", Label: "Effective clock", Scope: ScopePackage, Sum: SumMean, Derived: true},
	{Pattern: LowestClock, Quantity: clock, Unit: "MHz", Label: "Effective clock, lowest core", Scope: ScopePackage, Sum: SumMean,
		Derived: true},

	{Pattern: HighestClock, Quantity: clock, Unit: "MHz", Label: "Effective clock, highest core", Scope: ScopePackage, Sum: SumMean,
		Derived: true},
	{Pattern: ClusterClock, Quantity: clock, Unit: "MHz", Label: "Effective clock, cluster %d", Scope: ScopeCluster, Sum: SumMean,
		Derived: true},

	{Pattern: Rate, Quantity: rate, Unit: "Gop/s", Label: "Core %d rate", Scope: ScopeCore, Sum: SumMean},
	{Pattern: MeanRate, Quantity: rate, Unit: "Gop/s", Label: "Rate, mean of the cores", Scope: ScopePackage, Sum: SumMean, Derived: true},
	{Pattern: Work, Quantity: work, Label: "Core %d work", Scope: ScopeCore, Sum: SumNone},
	{Pattern: CoreLoad, Quantity: loading, Unit: "%", Label: "Core %d load", Scope: ScopeCore, Sum: SumMean},
	{Pattern: MeanLoad, Quantity: loading, Unit: "%", Label: "Load of all cores", Scope: ScopeMachine, Sum: SumMean},
	{Pattern: Memory, Quantity: loading, Unit: "%", Label: "Memory in use", Scope: ScopeMachine, Sum: SumMean},

	{Pattern: BoostWindow, Quantity: time, Unit: "s", Label: "Boost window", Scope: ScopePackage, Sum: SumMean, Derived: true},

	{Pattern: FanSpeed, Quantity: speed, Unit: "rpm", Label: "Fan %d", Scope: ScopeFan, Sum: SumMean},
	{Pattern: FanDuty, Quantity: duty, Unit: "%", Label: "Fan %d duty", Scope: ScopeFan, Sum: SumMean},

	{Pattern: Noise, Quantity: loudness, Unit: "dB(A)", Label: "Noise, by the cooler's sheet", Scope: ScopeMachine, Sum: SumMean,
		Derived: true},

	{Pattern: Limiter, Quantity: limiter, Label: "Limiter", Scope: ScopePackage, Sum: SumShare, Categories: limiters()},
	{Pattern: CoreThrottled, Quantity: throttling, Label: "Core %d slowed for heat", Scope: ScopeCore, Sum: SumMean},
	{Pattern: PackageThrottled, Quantity: throttling, Label: "Package slowed for heat", Scope: ScopePackage, Sum: SumMean},
}

var byPattern = func() map[string]int {
	out := map[string]int{}
	for i, d := range Registry {
		out[d.Pattern] = i
	}
	return out
}()

func limiters() []string {
	out := make([]string, len(govern.Limiters))
	for i, l := range govern.Limiters {
		out[i] = string(l)
	}
	return out
}
