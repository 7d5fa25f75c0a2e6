package standin

import (
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/core/machine"
	"zerokeel/core/sensor"
)

// told is a channel that the virtual agent reports, with the sensor behind it.
type told struct {
	channel.Channel
	sensor sensor.Sensor
	value  func(*machine.State) float64
}

// channels lists what the stand-in's machine can tell. The sensors are as coarse and noisy as real ones.
func channels(r *Rig) []told {
	var out []told
	add := func(key string, quantum, noise float64, value func(*machine.State) float64) {
		s := sensor.Sensor{Quantum: quantum, Noise: noise}
		if o, wrong := r.cfg.Sensors[key]; wrong {
			s.Scale, s.Shift = o.Scale, o.Shift
		}
		out = append(out, told{channel.Of(key, quantum), s, value})
	}
	add(channel.PackagePower, 0.125, 0.25, func(s *machine.State) float64 { return s.PackageW })
	add(channel.WallPower, 0.5, 0.6, func(s *machine.State) float64 { return s.WallW })
	add(channel.CoreCurrent, 0.25, 0.2, func(s *machine.State) float64 { return s.Amps })
	add(channel.RequestedVoltage, 0.001, 0, func(s *machine.State) float64 { return s.RequestV })
	add(channel.DeliveredVoltage, 0.001, 0.0008, func(s *machine.State) float64 { return s.DeliveredV })
	add(channel.Temperature, 0.125, 0.15, func(s *machine.State) float64 { return s.HottestC })
	if r.cfg.Parts.Cooler.Liquid() {
		add(channel.Coolant, 0.1, 0.05, func(s *machine.State) float64 { return s.CoolantC })
	}
	add(channel.VRM, 0.5, 0.1, func(s *machine.State) float64 { return s.VRMC })
	add(channel.Ambient, 0.1, 0.02, func(s *machine.State) float64 { return s.AmbientC })
	for i := range r.wheels {
		w := &r.wheels[i]
		noise := 4.0
		if i > 0 {
			noise = 0 // so that a further header changes nothing of the others' readings
		}
		if w.fan != nil {
			add(channel.At(channel.FanSpeed, w.speed), 1, noise, func(*machine.State) float64 { return w.rpm })
		}
		add(channel.At(channel.FanDuty, w.number), 1, 0, func(*machine.State) float64 { return w.set() })
	}
	add(channel.Limiter, 1, 0, func(s *machine.State) float64 { return float64(slices.Index(govern.Limiters, s.Limiter)) })
	for c := range r.cfg.Parts.Processor.Cores() {
		add(channel.At(channel.RequestedClock, c), 25, 0, func(s *machine.State) float64 { return s.Cores[c].RequestMHz })
		add(channel.At(channel.EffectiveClock, c), 1, 1.5, func(s *machine.State) float64 { return s.Cores[c].EffectiveMHz })
		add(channel.At(channel.CoreTemperature, c), 0.125, 0.2, func(s *machine.State) float64 { return s.Cores[c].TemperatureC })
	}
	return out
}
