// Package load names the kinds of load that a rig can run, what each asks of a processor, and the
// stability regime in which it looks for faults. Heavy load finds too little voltage at high current,
// light load too little at the highest clock, sudden changes and idling what both miss.
package load

// Kind is a kind of load. The zero Kind is not valid.
type Kind string

const (
	Idle       Kind = "idle"       // nothing but the operating system
	Light      Kind = "light"      // one core at a time at the highest clock, scalar code
	Mixed      Kind = "mixed"      // all cores, a light instruction mix
	Heavy      Kind = "heavy"      // all cores, wide vector multiply-add
	Transition Kind = "transition" // all cores, bursts from idle
)

// Kinds lists every kind, in the order of the stress ladder.
var Kinds = []Kind{Heavy, Mixed, Light, Transition, Idle}

// Valid reports whether k is one of Kinds.
func (k Kind) Valid() bool {
	switch k {
	case Idle, Light, Mixed, Heavy, Transition:
		return true
	}
	return false
}

// OneCore reports whether the load runs on one core at a time.
func (k Kind) OneCore() bool { return k == Light }

// Regime is a way in which a core can be driven to its limit.
type Regime string

const (
	RegimeHeavy      Regime = "heavy"      // high current on many cores
	RegimeLight      Regime = "light"      // highest clock on few cores
	RegimeTransition Regime = "transition" // idle to load and back
	RegimeIdle       Regime = "idle"       // lowest clock and voltage, for hours
)

// Regime returns the regime that the load probes.
func (k Kind) Regime() Regime {
	switch k {
	case Light:
		return RegimeLight
	case Transition:
		return RegimeTransition
	case Idle:
		return RegimeIdle
	default:
		return RegimeHeavy
	}
}

// The shape of a transition load: bursts of BurstS seconds, as long apart. The period does not divide a second, so
// that figures taken once a second meet bursts and pauses alike.
const BurstS = 0.35

// Bursting reports whether a transition load is in its burst at t seconds after its start.
func Bursting(t float64) bool { return int(t/BurstS)%2 == 0 }
