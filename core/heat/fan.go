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

// Speed returns the speed of a fan in rpm at a duty in percent. Below its stall duty it stands.
func Speed(f part.Fan, duty float64) float64 {
	if duty < f.StallDuty || duty <= 0 {
		return 0
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
