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
	within(&f, c, coolerFigures, "")
	f = append(f, c.Fan.Validate().Under("fan")...)
	if p := c.Pump; p != nil && p.Quiet < p.Balanced {
		f.Add("pump.quiet", "give at least pump.balanced", "%g is below that when balanced, %g", p.Quiet, p.Balanced)
	}
	return f
}

// Validate lists every fault of what is said of a fan.
func (f *Fan) Validate() invalid.List {
	var out invalid.List
	within(&out, f, fanFigures, "")
	if f.MaxRPM < f.MinRPM {
		out.Add("maxRPM", "give at least minRPM", "%g rpm is below the lowest speed, %g rpm", f.MaxRPM, f.MinRPM)
	}
	for i, at := range f.Speeds {
		field := fmt.Sprintf("speeds[%d]", i)
		if !(at.Duty >= 0 && at.Duty <= 100) {
			out.Add(field+".duty", "give 0 to 100 %", "%g %% is out of range", at.Duty)
		}
		if !(at.RPM >= 0 && at.RPM <= 8000) {
			out.Add(field+".rpm", "give 0 to 8000 rpm", "%g rpm is out of range", at.RPM)
		}
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
	within(&f, m, memoryFigures, "")
	if m.RatedMTs < m.SafeMTs {
		f.Add("ratedMTs", "give at least safeMTs", "%g MT/s is below the rate without a profile, %g MT/s", m.RatedMTs, m.SafeMTs)
	}
	return f
}
