package memory

import "math"

// Timing is a primary timing of a kit: in clocks at its rated rate, which is a time, and in clocks at another rate.
type Timing struct {
	Name      string  `json:"name"`
	KitClocks float64 `json:"kitClocks"` // at the kit's rate
	KitNS     float64 `json:"kitNS"`
	Keep      float64 `json:"keep"` // the fewest clocks at the other rate that leave the kit its time
	Set       float64 `json:"set"`  // clocks as they are set
	SetNS     float64 `json:"setNS"`
	Tighter   bool    `json:"tighter"` // set to less than the kit needs
}

// NS returns the time of some clocks at a rate in MT/s, in ns: a clock is two transfers.
func NS(clocks, mts float64) float64 { return clocks * 2000 / mts }

// Kept works out for the primary timings of a kit how many clocks keep their times as it runs: what a kit needs are times, so the
// same clocks at a higher rate ask more of it. kitRAS is tRAS of the kit, in clocks.
func (m *Running) Kept(k Kit, kitRAS float64) []Timing {
	var out []Timing
	for _, t := range []struct {
		name     string
		kit, set float64
	}{{"CL", k.CL, m.CL}, {"tRCD", k.RCD, m.RCD}, {"tRP", k.RP, m.RP}, {"tRAS", kitRAS, m.RAS}} {
		kit, set := math.Round(t.kit), math.Round(t.set) // a usual tRAS is a multiple of CL, and no whole number
		if !(kit > 0 && k.MTs > 0 && m.MTs > 0) {
			continue
		}
		const whole = 1e-6 // a time that comes out at whole clocks needs no more
		out = append(out, Timing{Name: t.name, KitClocks: kit, KitNS: NS(kit, k.MTs), Keep: math.Ceil(kit*m.MTs/k.MTs - whole), Set: set,
			SetNS: NS(set, m.MTs), Tighter: NS(set, m.MTs) < NS(kit, k.MTs)-whole})
	}
	return out
}
