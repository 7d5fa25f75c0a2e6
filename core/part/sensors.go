package part

import (
	"fmt"
	"maps"
	"regexp"
	"slices"

	"zerokeel/core/invalid"
)

// SensorName says as which channel a sensor of a board counts: the operating system knows it by its chip and input only,
// and which input is wired to what differs from board to board.
type SensorName struct {
	Channel string `json:"channel"`
	Label   string `json:"label,omitempty"` // kept as the operating system tells it, if empty
}

var channelKey = regexp.MustCompile(`^[a-z]+(\.[a-z0-9-]+)+$`)

func (b *Board) validateSensors(f *invalid.List) {
	taken := map[string]string{}
	for _, sensor := range slices.Sorted(maps.Keys(b.Sensors)) {
		at, to := fmt.Sprintf("sensors[%s]", sensor), b.Sensors[sensor].Channel
		if !channelKey.MatchString(to) {
			f.Add(at+".channel", "give one such as voltage.core.delivered or temperature.vrm", "%q is no channel", to)
		} else if other, twice := taken[to]; twice {
			f.Add(at+".channel", "map each sensor to a channel of its own", "%s is mapped to %s too", other, to)
		}
		taken[to] = sensor
	}
}
