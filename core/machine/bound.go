package machine

import (
	"fmt"
	"math"

	"zerokeel/core/channel"
)

// Bound is a limit that bounds what a channel shows.
type Bound struct {
	Channel string  `json:"channel"`
	Label   string  `json:"label"` // such as "PPT 142 W"
	At      float64 `json:"at"`
}

// Bounds lists the limits in force that bound a channel, whether they were entered or the board chose them. One that the board
// overrides bounds nothing.
func (t *Tuning) Bounds() []Bound {
	var out []Bound
	add := func(key, name string, limit float64, unit string) {
		if !math.IsInf(limit, 0) && !math.IsNaN(limit) && limit > 0 {
			out = append(out, Bound{Channel: key, Label: fmt.Sprintf("%s %g %s", name, limit, unit), At: limit})
		}
	}
	name := "PPT"
	if t.Limits.Windowed() {
		name = "PL1"
	}
	add(channel.PackagePower, name, t.Limits.SustainedW, "W")
	add(channel.Temperature, "limit", t.Limits.TemperatureC, "°C")
	return out
}
