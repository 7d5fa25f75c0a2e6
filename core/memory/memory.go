// Package memory holds what a memory kit does at a rate and timings: how long a first word takes, and by how much work
// that waits for memory is slowed down. MT/s, MHz, clocks, ns.
package memory

import "math"

// Running is a kit as it runs. Timings are in clocks of half the transfer rate.
type Running struct {
	MTs             float64
	CL, RCD, RP     float64
	RAS             float64
	V               float64 // supply
	TwoT            bool    // a command stands for two clocks
	Half            bool    // the controller runs at half the kit's clock
	PowerDown       bool    // idle ranks sleep
	FabricMHz       float64 // 0 where there is none
	FabricNominal   float64 // at which the fabric costs nothing
	RingMHz, RingAt float64 // ring clock and the one at which it costs nothing; 0 where there is none
}

// Shares of a mean access that each primary timing makes up: most reads meet an open row, some have to open one, few to
// close another first. A row cycle (tRAS) counts against its usual 2.2 × CL.
const (
	shareCL, shareRCD, shareRP, shareRAS = 0.60, 0.25, 0.10, 0.05
	rasPerCL                             = 2.2
)

// DefaultRAS returns the usual tRAS for a CL.
func DefaultRAS(cl float64) float64 { return rasPerCL * cl }

// LatencyNS returns the mean time of the kit's part of a first word. With tRCD and tRP equal to CL and the usual tRAS it
// is CL ÷ (MT/s ÷ 2).
func (m *Running) LatencyNS() float64 {
	clocks := shareCL*m.CL + shareRCD*m.RCD + shareRP*m.RP + shareRAS*m.RAS/rasPerCL
	ns := clocks / (m.MTs / 2) * 1000
	if m.TwoT {
		ns *= 1.015
	}
	if m.Half {
		ns *= 1.12
	}
	if m.PowerDown {
		ns *= 1.01
	}
	if m.FabricMHz > 0 && m.FabricNominal > 0 {
		ns *= 0.8 + 0.2*m.FabricNominal/m.FabricMHz
	}
	if m.RingMHz > 0 && m.RingAt > 0 {
		ns *= 0.9 + 0.1*m.RingAt/m.RingMHz
	}
	return ns
}

// The kit against which slowness is counted: 6000 MT/s, and its CL of 32 in ns.
const (
	referenceMTs = 6000.0
	referenceNS  = 32.0 / (referenceMTs / 2) * 1000
)

// Slow returns by which factor work that waits for memory takes longer than with a 6000 MT/s kit at CL 32: by its
// bandwidth, and by the root of its latency, part of which is hidden behind other work.
func (m *Running) Slow() float64 {
	return referenceMTs / m.MTs * math.Sqrt(m.LatencyNS()/referenceNS)
}

// SlowAlone is Slow for a single core, which never fills the kit's bandwidth.
func (m *Running) SlowAlone() float64 { return m.LatencyNS() / referenceNS }

// Kit is what a memory kit is rated for: a rate at a voltage, and its timings there, in clocks.
type Kit struct {
	MTs, V, CL, RCD, RP float64
}

// Slack returns how far a kit runs from what it is rated for, as a share: 0 at the rating, 0.05 with every figure five
// percent easier, below 0 beyond it. The figure that lies furthest beyond counts. What a kit does at a voltage goes with
// the voltage's root; timings are times, so the same clocks at a higher rate are harder.
func (m *Running) Slack(k Kit) float64 {
	can := 1.0
	if m.V > 0 && k.V > 0 {
		can = math.Sqrt(m.V / k.V)
	}
	slack := 1 - m.MTs/(k.MTs*can)
	for _, t := range [][2]float64{{m.CL, k.CL}, {m.RCD, k.RCD}, {m.RP, k.RP}} {
		if t[0] > 0 && t[1] > 0 {
			given, needed := t[0]/m.MTs, t[1]/k.MTs/can
			slack = math.Min(slack, 1-needed/given)
		}
	}
	return slack
}

// KitW returns what the kit draws more than at the usual voltage: a kit of two modules takes about 6 W, and power goes
// with the square of the voltage.
func (m *Running) KitW() float64 {
	const usualV, usualW = 1.1, 6.0
	if m.V <= 0 {
		return 0
	}
	return usualW * (m.V*m.V/(usualV*usualV) - 1)
}
