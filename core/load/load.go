// Package load names the kinds of load that a rig can run, what each asks of a processor, and the stability regime in
// which it looks for faults. Heavy load finds too little voltage at high current, light load too little at the highest
// clock, sudden changes and idling what both miss, and memory load what is no fault of the cores at all.
package load

// Kind is a kind of load. The zero Kind is not valid.
type Kind string

const (
	Idle           Kind = "idle"            // next to nothing, with signs of life
	Light          Kind = "light"           // one core at a time at the highest clock, scalar code, short pauses
	Mixed          Kind = "mixed"           // all cores, every kind of work, changing at random moments
	Heavy          Kind = "heavy"           // all cores, wide vector multiply-add
	Transform      Kind = "transform"       // all cores, big numbers squared through a transform, within the caches
	TransformLarge Kind = "transform-large" // the same, beyond the caches
	Integer        Kind = "integer"         // all cores, whole numbers and branches
	Memory         Kind = "memory"          // all cores, patterns over a share of the memory
	Transition     Kind = "transition"      // bursts from idle on one, some, all cores
)

// Kinds lists every kind, in the order of the stress ladder.
var Kinds = []Kind{Heavy, Transform, TransformLarge, Integer, Memory, Mixed, Light, Transition, Idle}

// character is what there is to know of a kind.
type character struct {
	class  Kind    // the kind that switches the processor alike, of those that part sheets tell of
	share  float64 // of that kind's activity
	regime Regime
	wide   bool // wide vectors
	finds  string
}

var characters = map[Kind]character{
	Heavy:          {Heavy, 1, RegimeHeavy, true, "too little voltage at high current, overheating, a load line that sags"},
	Transform:      {Heavy, 0.9, RegimeHeavy, true, "too little voltage at high current, errors in the second-level cache"},
	TransformLarge: {Mixed, 0.95, RegimeMemory, true, "errors on the way from the memory to the cores, fabric or ring too fast"},
	Integer:        {Mixed, 0.9, RegimeHeavy, false, "too little voltage for branches, loads and stores at a higher clock than vectors allow"},
	Memory:         {Mixed, 0.7, RegimeMemory, false, "memory beyond what it stands: rate, timings, controller voltage"},
	Mixed:          {Mixed, 1, RegimeHeavy, false, "faults at changes of work that one steady load never makes"},
	Light:          {Light, 1, RegimeLight, false, "too little voltage at the highest clock, core by core"},
	Transition:     {Transition, 1, RegimeTransition, false, "freezes when load comes or goes: droop, overshoot, waking from sleep"},
	Idle:           {Idle, 1, RegimeIdle, false, "freezes and restarts at the lowest voltage, hours after everything passed"},
}

// Valid reports whether k is one of Kinds.
func (k Kind) Valid() bool { _, known := characters[k]; return known }

// OneCore reports whether the load runs on one core at a time.
func (k Kind) OneCore() bool { return k == Light }

// WideVectors reports whether the load computes with the widest vectors, for which the clock may be lowered.
func (k Kind) WideVectors() bool { return characters[k].wide }

// Class returns the kind, of those that part sheets tell of, that switches a processor alike, and how much of its
// activity k has.
func (k Kind) Class() (Kind, float64) { c := characters[k]; return c.class, c.share }

// Classes lists the kinds that part sheets tell of.
var Classes = []Kind{Heavy, Mixed, Light, Transition, Idle}

// Finds says in words what faults the load is made to find.
func (k Kind) Finds() string { return characters[k].finds }

// Regime is a way in which a core can be driven to its limit.
type Regime string

const (
	RegimeHeavy      Regime = "heavy"      // high current on many cores
	RegimeLight      Regime = "light"      // highest clock on few cores
	RegimeTransition Regime = "transition" // idle to load and back
	RegimeIdle       Regime = "idle"       // lowest clock and voltage, for hours
	RegimeMemory     Regime = "memory"     // the memory, its controller and the fabric
)

// Regime returns the regime that the load probes.
func (k Kind) Regime() Regime { return characters[k].regime }

// BurstS is the length in seconds of the bursts, and of the pauses between, by which models follow a transition load.
// The period does not divide a second, so that figures taken once a second meet bursts and pauses alike.
const BurstS = 0.35

// Bursting reports whether a modelled transition load is in its burst at t seconds after its start.
func Bursting(t float64) bool { return int(t/BurstS)%2 == 0 }
