package channel

import "math"

// Quantity is what a channel is a figure of.
type Quantity struct {
	Name string
	// From and To bound what a figure in the quantity's usual unit may be: beyond lies the nonsense that sensors give when
	// they are not connected, or just waking.
	From, To float64
	// NoZero: a figure of exactly zero is such nonsense too.
	NoZero bool
	sum    Sum
}

// Names of quantities.
const (
	temperature = "temperature"
	voltage     = "voltage"
	clock       = "clock"
	power       = "power"
	current     = "current"
	speed       = "speed"
	duty        = "duty"
	loading     = "load"
	rate        = "rate"
	work        = "work"
	limiter     = "limiter"
	throttling  = "throttling"
	time        = "time"
	loudness    = "noise"
)

var anything = Quantity{From: math.Inf(-1), To: math.Inf(1), sum: SumMean}

// Quantities lists those that the application knows. Bounds are wider than anything that a desktop machine shows: no
// sensor in it reads below -60 °C or above 160 °C, no rail has 30 V, no core 20 GHz, nothing in it draws 100 kW.
var Quantities = []Quantity{
	{Name: temperature, From: -60, To: 160, NoZero: true, sum: SumMean}, // °C
	{Name: voltage, From: 0, To: 30, sum: SumMean},                      // V
	{Name: clock, From: 0, To: 20000, NoZero: true, sum: SumMean},       // MHz
	{Name: power, From: 0, To: 1e5, sum: SumMean},                       // W
	{Name: current, From: 0, To: 1e5, sum: SumMean},                     // A
	{Name: speed, From: 0, To: 1e5, sum: SumMean},                       // rpm
	{Name: duty, From: 0, To: 100, sum: SumMean},                        // %
	{Name: loading, From: 0, To: 100, sum: SumMean},                     // %
	{Name: rate, From: 0, To: math.Inf(1), sum: SumMean},                // Gop/s
	{Name: work, From: 0, To: math.Inf(1), sum: SumNone},                // counts
	{Name: limiter, From: 0, To: 1000, sum: SumShare},                   // categories
	{Name: throttling, From: 0, To: math.Inf(1), sum: SumMean},          // counts since the figure before
	{Name: time, From: 0, To: math.Inf(1), sum: SumMean},                // s
	{Name: loudness, From: 0, To: 200, sum: SumMean},                    // dB(A)
}

// QuantityOf returns a quantity by its name; one that is not known has no bounds.
func QuantityOf(name string) Quantity {
	for _, q := range Quantities {
		if q.Name == name {
			return q
		}
	}
	q := anything
	q.Name = name
	return q
}

// Plausible reports whether a sensor may show x, in the quantity's usual unit.
func (q Quantity) Plausible(x float64) bool {
	return x >= q.From && x <= q.To && !(q.NoZero && x == 0)
}
