package standin

import (
	"fmt"
	"slices"

	"zerokeel/core/govern"
	"zerokeel/core/machine"
	"zerokeel/core/sensor"
	"zerokeel/link"
)

// channel is a series that the virtual agent reports, with the sensor behind it.
type channel struct {
	link.Channel
	sensor sensor.Sensor
	value  func(*machine.State) float64
}

// channels lists what the stand-in's machine can tell. The sensors are as coarse and noisy as real ones.
func channels(r *Rig) []channel {
	var out []channel
	add := func(key, quantity, label, unit string, core int, quantum, noise float64, value func(*machine.State) float64) {
		s := sensor.Sensor{Quantum: quantum, Noise: noise}
		if o, wrong := r.cfg.Sensors[key]; wrong {
			s.Scale, s.Shift = o.Scale, o.Shift
		}
		out = append(out, channel{link.Channel{Key: key, Quantity: quantity, Label: label, Unit: unit, Quantum: quantum, Core: core}, s, value})
	}
	add("power.package", "power", "Package power", "W", -1, 0.125, 0.25, func(s *machine.State) float64 { return s.PackageW })
	add("power.wall", "power", "Wall power", "W", -1, 0.5, 0.6, func(s *machine.State) float64 { return s.WallW })
	add("current.core", "current", "Core current", "A", -1, 0.25, 0.2, func(s *machine.State) float64 { return s.Amps })
	add("voltage.core.requested", "voltage", "Core voltage requested", "V", -1, 0.001, 0, func(s *machine.State) float64 { return s.RequestV })
	add("voltage.core.delivered", "voltage", "Core voltage delivered", "V", -1, 0.001, 0.0008, func(s *machine.State) float64 { return s.DeliveredV })
	add("temperature.package", "temperature", "Hottest core", "°C", -1, 0.125, 0.15, func(s *machine.State) float64 { return s.HottestC })
	add("temperature.coolant", "temperature", "Coolant", "°C", -1, 0.1, 0.05, func(s *machine.State) float64 { return s.CoolantC })
	add("temperature.vrm", "temperature", "VRM", "°C", -1, 0.5, 0.1, func(s *machine.State) float64 { return s.VRMC })
	add("temperature.ambient", "temperature", "Ambient", "°C", -1, 0.1, 0.02, func(s *machine.State) float64 { return s.AmbientC })
	add("speed.fan.1", "speed", "Fan 1", "rpm", -1, 1, 4, func(s *machine.State) float64 { return s.FanRPM })
	add("duty.fan.1", "duty", "Fan 1 duty", "%", -1, 1, 0, func(s *machine.State) float64 { return s.FanDuty })
	add("limiter", "limiter", "Limiter", "", -1, 1, 0, func(s *machine.State) float64 { return float64(slices.Index(govern.Limiters, s.Limiter)) })
	for c := range r.cfg.Parts.Processor.Cores() {
		add(fmt.Sprintf("clock.requested.core.%d", c), "clock", fmt.Sprintf("Core %d clock requested", c), "MHz", c, 25, 0, func(s *machine.State) float64 { return s.Cores[c].RequestMHz })
		add(fmt.Sprintf("clock.effective.core.%d", c), "clock", fmt.Sprintf("Core %d clock effective", c), "MHz", c, 1, 1.5, func(s *machine.State) float64 { return s.Cores[c].EffectiveMHz })
		add(fmt.Sprintf("temperature.core.%d", c), "temperature", fmt.Sprintf("Core %d", c), "°C", c, 0.125, 0.2, func(s *machine.State) float64 { return s.Cores[c].TemperatureC })
	}
	return out
}
