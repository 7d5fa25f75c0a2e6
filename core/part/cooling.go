package part

import (
	"fmt"

	"zerokeel/core/fault"
)

// Cooler is the sheet of a cooler and its fans: the last two steps of the heat path.
type Cooler struct {
	Name
	BaseKPerW    float64 `json:"baseKPerW"` // base above coolant or fins
	AirKPerW     float64 `json:"airKPerW"`  // coolant or fins above ambient, at full fan speed
	AirExponent  float64 `json:"airExponent"`
	CoolantJPerK float64 `json:"coolantJPerK"`
	Fan          Fan     `json:"fan"`
}

// Fan tells how a fan follows its duty: still below StallDuty, then linear from MinRPM to MaxRPM.
type Fan struct {
	StallDuty float64 `json:"stallDuty"` // percent
	MinRPM    float64 `json:"minRPM"`
	MaxRPM    float64 `json:"maxRPM"`
	MaxNoise  float64 `json:"maxNoise"` // dB(A) at full speed
}

// Validate lists every fault of the sheet.
func (c *Cooler) Validate() fault.List {
	var f fault.List
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
	within("fan.stallDuty", c.Fan.StallDuty, 0, 60, "%")
	within("fan.minRPM", c.Fan.MinRPM, 50, 3000, "rpm")
	within("fan.maxRPM", c.Fan.MaxRPM, c.Fan.MinRPM, 8000, "rpm")
	within("fan.maxNoise", c.Fan.MaxNoise, 5, 90, "dB(A)")
	return f
}

// Memory is the sheet of a memory kit.
type Memory struct {
	Name
	RatedMTs  float64 `json:"ratedMTs"`  // rated memory profile
	SafeMTs   float64 `json:"safeMTs"`   // rate without a profile
	CL        int     `json:"cl"`        // latency of the rated profile, clocks
	SafeCL    int     `json:"safeCL"`    // latency without a profile, clocks
	CapacityG int     `json:"capacityG"` // GiB in all
}

// Validate lists every fault of the sheet.
func (m *Memory) Validate() fault.List {
	var f fault.List
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
	if m.CapacityG < 1 || m.CapacityG > 2048 {
		f.Add("capacityG", "give 1 to 2,048 GiB", "%d GiB is out of range", m.CapacityG)
	}
	return f
}
