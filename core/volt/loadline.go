package volt

import (
	"errors"
	"math"
)

// Draw is the current that the cores draw at a die voltage v:
//
//	I(v) = G·v + L·exp(α·(v − V0))
//
// the switching current (G = Σ activity·capacitance·clock, in siemens) and the leakage (L in amperes, at the
// cores' present temperatures).
type Draw struct {
	G     float64
	L     float64
	Alpha float64
	V0    float64
}

// At returns the current and its derivative at v.
func (d Draw) At(v float64) (amps, slope float64) {
	leak := d.L * math.Exp(d.Alpha*(v-d.V0))
	return d.G*v + leak, d.G + d.Alpha*leak
}

// LeastV is the voltage below which nothing is switched at all.
const LeastV = 0.05

// ErrCollapse reports that the load line leaves no voltage at which the cores could run.
var ErrCollapse = errors.New("no operating point: the droop under this load exceeds the requested voltage")

// Deliver returns the voltage at the die, and the current, for a requested voltage and the resistance of the
// load line. It solves V = request − R·I(V).
//
// F(V) = V − request + R·I(V) is rising and convex for R ≥ 0, so Newton's method started at the request comes
// down to the root without passing it; the error is below 1 µV. R must be zero or more.
func Deliver(request, ohms float64, d Draw) (volts, amps float64, err error) {
	v := request
	for range 40 {
		i, slope := d.At(v)
		step := (v - request + ohms*i) / (1 + ohms*slope)
		v -= step
		if math.Abs(step) < 1e-7 {
			i, _ = d.At(v)
			if v <= LeastV {
				break
			}
			return v, i, nil
		}
		if math.IsNaN(v) || v < -request {
			break
		}
	}
	return 0, 0, ErrCollapse
}

// Feed is one group of cores behind a shared load line: what it asks for, and what it draws. A feed that asks for nothing
// is off.
type Feed struct {
	RequestV float64
	Draw     Draw
}

// DeliverAll returns by how much the voltage droops, and the current in all, when several feeds with requests of their
// own share one load line: D = R·Σ I_k(request_k − D). The error of D is below 1 µV.
//
// ohms may be negative, down to −MaxLiftOhms, where the processor asks for more than the line takes (an AC load line
// above the board's own): then the voltage rises with the load.
func DeliverAll(feeds []Feed, ohms float64) (droop, amps float64, err error) {
	lowest := math.Inf(1)
	for _, f := range feeds {
		if f.RequestV > 0 {
			lowest = math.Min(lowest, f.RequestV)
		}
	}
	for range 60 {
		sum, slope := 0.0, 0.0
		for i := range feeds {
			a, da := feeds[i].Draw.At(feeds[i].RequestV - droop)
			sum, slope = sum+a, slope+da
		}
		step := (droop - ohms*sum) / (1 + ohms*slope)
		droop -= step
		if math.Abs(step) < 1e-7 {
			if lowest-droop <= LeastV {
				break
			}
			amps = 0
			for i := range feeds {
				a, _ := feeds[i].Draw.At(feeds[i].RequestV - droop)
				amps += a
			}
			return droop, amps, nil
		}
		if math.IsNaN(droop) || droop > 2*lowest || droop < -lowest {
			break
		}
	}
	return 0, 0, ErrCollapse
}

// MaxLiftOhms is the largest resistance by which a request may outdo the load line.
const MaxLiftOhms = 2e-3

// Transient returns the lowest and highest voltage that a sudden change of load between the currents low and
// high causes, on a load line of the given slope and step impedance (both in ohms): the dip when the load
// attacks, and the overshoot when it ends.
func Transient(request, ohms, stepOhms, low, high float64) (dip, overshoot float64) {
	change := (high - low) * stepOhms
	return request - high*ohms - change, request - low*ohms + change
}
