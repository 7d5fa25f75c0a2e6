package trim

import (
	"fmt"

	"zerokeel/core/channel"
)

// Bound is a limit that bounds what a channel shows.
type Bound struct {
	Channel string  `json:"channel"`
	Label   string  `json:"label"` // such as "PPT 142 W"
	At      float64 `json:"at"`
}

// bounding lists the limits that bound a channel, and the switch that must be on for each.
var bounding = []struct{ key, channel, name, on string }{
	{"limit.ppt", channel.PackagePower, "PPT", ""},
	{"limit.pl1", channel.PackagePower, "PL1", ""},
	{"limit.temperature", channel.Temperature, "limit", "limit.temperatureOn"},
}

// Bounds lists the limits among settings that bound a channel: those that are a number, and on.
func Bounds(s Settings) []Bound {
	var out []Bound
	for _, b := range bounding {
		x, ok := s[b.key].Number()
		if !ok || b.on != "" && !s.Switch(b.on, true) {
			continue
		}
		def, _, _ := Find(b.key)
		out = append(out, Bound{Channel: b.channel, Label: fmt.Sprintf("%s %s", b.name, def.Say(s[b.key])), At: x})
	}
	return out
}
