package heat

import (
	"math"

	"zerokeel/core/part"
)

// Point is a point of a fan curve: the duty, in percent, at a temperature.
type Point struct{ C, Duty float64 }

// Duty returns the duty of a fan curve at a temperature: straight lines between points sorted by temperature,
// level outside them. Without points it is 100.
func Duty(curve []Point, c float64) float64 {
	if len(curve) == 0 {
		return 100
	}
	if c <= curve[0].C {
		return curve[0].Duty
	}
	for i := 1; i < len(curve); i++ {
		if a, b := curve[i-1], curve[i]; c <= b.C {
			return a.Duty + (b.Duty-a.Duty)*(c-a.C)/(b.C-a.C)
		}
	}
	return curve[len(curve)-1].Duty
}

// Speed returns the speed in rpm at which a fan turns at a duty in percent. Below its stall duty it stands.
func Speed(f part.Fan, duty float64) float64 {
	if duty < f.StallDuty || duty <= 0 {
		return 0
	}
	if n := len(f.Speeds); n > 0 {
		duty = math.Min(duty, f.Speeds[n-1].Duty)
		i := 1
		for i < n-1 && f.Speeds[i].Duty < duty {
			i++
		}
		if n == 1 || duty <= f.Speeds[0].Duty {
			return f.Speeds[0].RPM
		}
		a, b := f.Speeds[i-1], f.Speeds[i]
		return a.RPM + (b.RPM-a.RPM)*(duty-a.Duty)/(b.Duty-a.Duty)
	}
	return f.MinRPM + (f.MaxRPM-f.MinRPM)*(math.Min(duty, 100)-f.StallDuty)/(100-f.StallDuty)
}

// Noise returns the sound pressure in dB(A) at a speed: 50·log10 of the ratio of speeds below the loudest (fan
// laws: sound power goes with the fifth power of speed), 0 for a standing fan.
func Noise(f part.Fan, rpm float64) float64 {
	if rpm <= 0 {
		return 0
	}
	return math.Max(0, f.MaxNoise+50*math.Log10(rpm/f.MaxRPM))
}

// PumpFactor returns by which factor a pump mode raises the resistance from base to coolant. A pump on the fan curve
// runs between quiet and balanced most of its time.
func PumpFactor(p *part.Pump, mode string) float64 {
	switch {
	case p == nil:
		return 1
	case mode == "quiet":
		return p.Quiet
	case mode == "balanced":
		return p.Balanced
	case mode == "curve":
		return (p.Quiet + p.Balanced) / 2
	}
	return 1
}

// PumpNoise returns the noise of a pump in dB(A), 0 where there is none.
func PumpNoise(p *part.Pump, mode string) float64 {
	switch {
	case p == nil:
		return 0
	case mode == "quiet":
		return math.Max(0, p.MaxNoise-12)
	case mode == "balanced", mode == "curve":
		return math.Max(0, p.MaxNoise-6)
	}
	return p.MaxNoise
}

// Together returns the noise of two sources in dB(A): their powers add.
func Together(a, b float64) float64 {
	switch {
	case a <= 0:
		return b
	case b <= 0:
		return a
	}
	return 10 * math.Log10(math.Pow(10, a/10)+math.Pow(10, b/10))
}
