// Package fan finds out what hangs on a header and how it follows its duty: by a sweep of the duty while the machine rests.
package fan

import (
	"fmt"
	"math"
	"strings"

	"zerokeel/core/invalid"
)

// What the keys of channels begin with that tell a duty or a speed, whatever a rig calls them.
const (
	dutyOf  = "duty."
	speedOf = "speed."
)

// Sweep is a header's duty taken down and up again in steps, so that it shows what hangs on it.
type Sweep struct {
	Header string    `json:"header"` // as the rig names the channel of its duty, such as "duty.fan.1"
	Duties []float64 `json:"duties"` // percent, one after another
	DwellS float64   `json:"dwellS"` // for each
	MaxC   float64   `json:"maxC"`   // hotter, the rig gives the header back to the board and ends
}

// Of a usual sweep: steps in percent, seconds for each, and the temperatures in °C beyond which it is not begun and is ended. A fan takes
// some seconds to come to rest at a speed, and a processor at rest is harmed by none of them without one.
const (
	sweepStep  = 5.0
	sweepDwell = 8.0
	BeginC     = 60.0
	sweepMaxC  = 80.0
)

// Usual is the usual sweep of a header: from full to least and back. Least is 0 for a fan; what may be a pump is not stopped.
func Usual(header string, least float64) Sweep {
	s := Sweep{Header: header, DwellS: sweepDwell, MaxC: sweepMaxC}
	for d := 100.0; d > least; d -= sweepStep {
		s.Duties = append(s.Duties, d)
	}
	for d := least; d <= 100; d += sweepStep {
		s.Duties = append(s.Duties, d)
	}
	return s
}

// Seconds is how long a sweep takes.
func (s *Sweep) Seconds() float64 { return s.DwellS * float64(len(s.Duties)) }

// At returns the duty so many seconds after the start, the last one beyond the end.
func (s *Sweep) At(seconds float64) float64 {
	return s.Duties[min(max(0, int(seconds/s.DwellS)), len(s.Duties)-1)]
}

// most bounds the steps of a sweep.
const most = 400

// Validate lists every fault of a sweep.
func (s *Sweep) Validate() invalid.List {
	var f invalid.List
	if !strings.HasPrefix(s.Header, dutyOf) || len(s.Header) > 100 {
		f.Add("header", "name the channel of a header's duty, such as duty.fan.1", "%.100q is none", s.Header)
	}
	if len(s.Duties) == 0 || len(s.Duties) > most {
		f.Add("duties", fmt.Sprintf("give 1 to %d", most), "%d duties", len(s.Duties))
	}
	for i, d := range s.Duties {
		if !(d >= 0 && d <= 100) {
			f.Add(fmt.Sprintf("duties[%d]", i), "give 0 to 100 %", "%g %% is out of range", d)
		}
	}
	if !(s.DwellS >= 1 && s.DwellS <= 120) {
		f.Add("dwellS", "give 1 to 120 s", "%g s is out of range", s.DwellS)
	}
	if !(s.MaxC >= 40 && s.MaxC <= 90) || math.IsNaN(s.MaxC) {
		f.Add("maxC", "give 40 to 90 °C", "%g °C is out of range", s.MaxC)
	}
	return f
}
