package workshop

import (
	"slices"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/link"
)

// TestOnlyWhatWasAnnounced: figures of channels that a rig did not announce are passed over, whatever it calls them, and sensors that
// were given a name go by it.
func TestOnlyWhatWasAnnounced(t *testing.T) {
	var n sensorNames
	n.put(1, map[string]string{"chip.temp1": channel.VRM}, []channel.Channel{{Key: channel.VRM}, {Key: channel.WallPower}})
	value := func(x float64) []*float64 { return []*float64{&x} }
	for rig, want := range map[int64][]string{1: {channel.VRM, channel.WallPower}, 2: nil} {
		frames := []link.Frame{{Seq: 1}, {Seq: 2, Samples: &link.Samples{At: []int64{1},
			Channels: []string{"invented", "chip.temp1", channel.WallPower, "Power.wall"},
			Values:   [][]*float64{value(9), value(1), value(2), value(9)}}}}
		n.apply(rig, frames)
		got := frames[1].Samples
		if !slices.Equal(got.Channels, want) || len(got.Values) != len(want) {
			t.Errorf("rig %d: %v of %d values", rig, got.Channels, len(got.Values))
		}
		for i, v := range got.Values {
			if *v[0] != float64(i+1) {
				t.Errorf("rig %d: %s is %g", rig, got.Channels[i], *v[0])
			}
		}
	}
}
