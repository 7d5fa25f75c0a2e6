package part

import (
	"fmt"

	"zerokeel/core/invalid"
)

// Cooler is the sheet of a cooler and its fans: the last two steps of the heat path.
type Cooler struct {
	Name
	BaseKPerW    float64 `json:"baseKPerW"` // base above coolant or fins
	AirKPerW     float64 `json:"airKPerW"`  // coolant or fins above ambient, at full fan speed
	AirExponent  float64 `json:"airExponent"`
	CoolantJPerK float64 `json:"coolantJPerK"`
	Fan          Fan     `json:"fan"`
	Pump         *Pump   `json:"pump,omitempty"`
}

// Liquid reports whether there is coolant, whose temperature can be measured: an air cooler has fins in its place.
func (c *Cooler) Liquid() bool { return c.Pump != nil }

// Carrier names what carries the heat from the base to the air.
func (c *Cooler) Carrier() string {
	if c.Liquid() {
		return "coolant"
	}
	return "fins"
}

// Pump is the pump of a loop: what its slower modes add to the resistance from base to coolant, as factors of at
// least 1, and its noise at full speed.
type Pump struct {
	Quiet    float64 `json:"quiet"`
	Balanced float64 `json:"balanced"`
	MaxNoise float64 `json:"maxNoise"` // dB(A)
}

// Fan tells how a fan follows its duty: still below StallDuty, then linear from MinRPM to MaxRPM, or through Speeds where they are known.
type Fan struct {
	StallDuty float64     `json:"stallDuty"`           // percent, below which it stops
	StartDuty float64     `json:"startDuty,omitempty"` // percent, from which it starts when it stands; 0 counts as StallDuty
	MinRPM    float64     `json:"minRPM"`
	MaxRPM    float64     `json:"maxRPM"`
	MaxNoise  float64     `json:"maxNoise"`         // dB(A) at full speed
	Speeds    []DutySpeed `json:"speeds,omitempty"` // by rising duty
}

// DutySpeed is the speed of a fan, in rpm, at a duty in percent.
type DutySpeed struct {
	Duty float64 `json:"duty"`
	RPM  float64 `json:"rpm"`
}

// Starts returns the duty from which the fan starts when it stands.
func (f *Fan) Starts() float64 { return max(f.StallDuty, f.StartDuty) }

// Validate lists every fault of the sheet.
func (c *Cooler) Validate() invalid.List {
	var f invalid.List
	c.validate(&f)
	within := func(field string, x, low, high float64, unit string) {
		if !(x >= low && x <= high) {
			f.Add(field, fmt.Sprintf("give %g to %g %s", low, high, unit), "%g %s is out of range", x, unit)
		}
	}
	within("baseKPerW", c.BaseKPerW, 0.005, 1, "K/W")
	within("airKPerW", c.AirKPerW, 0.01, 3, "K/W")
	within("airExponent", c.AirExponent, 0, 1.5, "")
	within("coolantJPerK", c.CoolantJPerK, 20, 20000, "J/K")
	f = append(f, c.Fan.Validate().Under("fan")...)
	if p := c.Pump; p != nil {
		within("pump.balanced", p.Balanced, 1, 3, "")
		within("pump.quiet", p.Quiet, p.Balanced, 3, "")
		within("pump.maxNoise", p.MaxNoise, 0, 60, "dB(A)")
	}
	return f
}

// Validate lists every fault of what is said of a fan.
func (f *Fan) Validate() invalid.List {
	var out invalid.List
	within := func(field string, x, low, high float64, unit string) {
		if !(x >= low && x <= high) {
			out.Add(field, fmt.Sprintf("give %g to %g %s", low, high, unit), "%g %s is out of range", x, unit)
		}
	}
	within("stallDuty", f.StallDuty, 0, 60, "%")
	within("startDuty", f.StartDuty, 0, 80, "%")
	within("minRPM", f.MinRPM, 50, 3000, "rpm")
	within("maxRPM", f.MaxRPM, f.MinRPM, 8000, "rpm")
	within("maxNoise", f.MaxNoise, 5, 90, "dB(A)")
	for i, at := range f.Speeds {
		field := fmt.Sprintf("speeds[%d]", i)
		within(field+".duty", at.Duty, 0, 100, "%")
		within(field+".rpm", at.RPM, 0, 8000, "rpm")
		if i > 0 && !(at.Duty > f.Speeds[i-1].Duty && at.RPM >= f.Speeds[i-1].RPM) {
			out.Add(field, "let duties rise, and speeds not fall", "%g rpm at %g %% follows %g rpm at %g %%", at.RPM, at.Duty,
				f.Speeds[i-1].RPM, f.Speeds[i-1].Duty)
		}
	}
	return out
}

// Memory is the sheet of a memory kit.
type Memory struct {
	Name
	RatedMTs  float64 `json:"ratedMTs"`      // rated memory profile
	SafeMTs   float64 `json:"safeMTs"`       // rate without a profile
	CL        int     `json:"cl"`            // latency of the rated profile, clocks
	SafeCL    int     `json:"safeCL"`        // latency without a profile, clocks
	CapacityG int     `json:"capacityG"`     // GiB in all
	RCD       int     `json:"rcd,omitempty"` // further primary timings of the rated profile, clocks; 0 means as CL
	RP        int     `json:"rp,omitempty"`
	RAS       int     `json:"ras,omitempty"` // 0 means 2.2 × CL
	V         float64 `json:"v,omitempty"`   // of the rated profile
}

// Validate lists every fault of the sheet.
func (m *Memory) Validate() invalid.List {
	var f invalid.List
	m.validate(&f)
	if !(m.SafeMTs >= 800 && m.SafeMTs <= 12000) {
		f.Add("safeMTs", "give 800 to 12,000 MT/s", "%g MT/s is out of range", m.SafeMTs)
	}
	if !(m.RatedMTs >= m.SafeMTs && m.RatedMTs <= 12000) {
		f.Add("ratedMTs", "give a rate from safeMTs to 12,000 MT/s", "%g MT/s is out of range", m.RatedMTs)
	}
	for _, l := range []struct {
		field string
		cl    int
	}{{"cl", m.CL}, {"safeCL", m.SafeCL}} {
		if l.cl < 5 || l.cl > 100 {
			f.Add(l.field, "give 5 to 100 clocks", "%d clocks is out of range", l.cl)
		}
	}
	for _, l := range []struct {
		field  string
		clocks int
	}{{"rcd", m.RCD}, {"rp", m.RP}, {"ras", m.RAS}} {
		if l.clocks != 0 && (l.clocks < 5 || l.clocks > 300) {
			f.Add(l.field, "give 5 to 300 clocks, or leave it out", "%d clocks is out of range", l.clocks)
		}
	}
	if m.V != 0 && !(m.V >= 0.8 && m.V <= 2.2) {
		f.Add("v", "give 0.8 to 2.2 V, or leave it out", "%g V is out of range", m.V)
	}
	if m.CapacityG < 1 || m.CapacityG > 2048 {
		f.Add("capacityG", "give 1 to 2,048 GiB", "%d GiB is out of range", m.CapacityG)
	}
	return f
}
