package sensors_test

import (
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"zerokeel/rigside/sensors"
)

const (
	mended  = "mce: [Hardware Error]: CPU 1: Machine Check: 0 Bank 4: 9c00000000000108"
	severe  = "mce: [Hardware Error]: CPU 2: Machine Check Exception: 5 Bank 0: bea0000000000108"
	another = "[Hardware Error]: Deferred error, no action required. Corrected error on CPU:1 (x)"
)

func TestHealthTellsWhatHappenedMeanwhile(t *testing.T) {
	tree := machine()
	put := func(name, text string) { tree[name] = &fstest.MapFile{Data: []byte(text)} }
	put("sys/devices/system/edac/mc/mc0/ce_count", "3\n")
	put("sys/devices/system/edac/mc/mc0/ue_count", "0\n")
	put("sys/devices/system/cpu/cpu1/thermal_throttle/core_throttle_count", "7\n")
	cores := sensors.Cores(tree, []int{0, 1, 2})
	log := []sensors.Record{{Number: 10, Text: mended}}
	before := sensors.ReadHealth(tree, cores, log)
	if got := sensors.ReadHealth(tree, cores, log).Since(before, cores, log); len(got) != 0 {
		t.Errorf("nothing happened, and it tells %+v", got)
	}
	put("sys/devices/system/edac/mc/mc0/ce_count", "5\n")
	put("sys/devices/system/cpu/cpu1/thermal_throttle/core_throttle_count", "9\n")
	log = append(log, sensors.Record{Number: 11, Text: "usb 1-1: new device"}, sensors.Record{Number: 12, Text: severe},
		sensors.Record{Number: 13, Text: another})
	got := sensors.ReadHealth(tree, cores, log).Since(before, cores, log)
	want := []struct {
		kind sensors.TroubleKind
		core int
		text string
	}{{sensors.Corrected, -1, "mc0 counted 2"}, {sensors.Corrected, 1, "CPU:1"}, {sensors.Throttled, 1, "2 times"},
		{sensors.Uncorrected, 0, "CPU 2"}}
	if len(got) != len(want) {
		t.Fatalf("got %+v", got)
	}
	for i, w := range want {
		if got[i].Kind != w.kind || got[i].Core != w.core || !strings.Contains(got[i].Text, w.text) {
			t.Errorf("%d: got %+v, want %+v", i, got[i], w)
		}
	}
}

func TestLastWords(t *testing.T) {
	tree := fstest.MapFS{"sys/fs/pstore/dmesg-1": {Data: []byte("<6>usb\n<0>[ 12.5] Kernel panic - not syncing: Fatal machine check\n<0>more")}}
	if got := sensors.LastWords(tree); got != "Kernel panic - not syncing: Fatal machine check" {
		t.Errorf("got %q", got)
	}
	if got := sensors.LastWords(fstest.MapFS{}); got != "" {
		t.Errorf("of nothing: %q", got)
	}
}

// TestClockFromCounters: two counters, one of them wrapping, tell the clock; a still counter, or one that goes backwards,
// tells nothing.
func TestClockFromCounters(t *testing.T) {
	var r sensors.Ratio
	steps := []struct {
		reference, delivered uint64
		want                 float64
		ok                   bool
	}{
		{1000, ^uint64(0) - 499, 0, false}, {2000, 1000, 1.5, true}, {2000, 1000, 0, false}, {1500, 2000, 0, false}, {2500, 3000, 1, true},
	}
	for i, s := range steps {
		if got, ok := r.Step(s.reference, s.delivered); ok != s.ok || (ok && got != s.want) {
			t.Errorf("step %d: got %g, %v; want %g, %v", i, got, ok, s.want, s.ok)
		}
	}
}

// TestNonsenseIsAGap: what chips say that are not connected is no figure.
func TestNonsenseIsAGap(t *testing.T) {
	tree := machine()
	cores := sensors.Cores(tree, []int{0, 1, 2})
	for _, row := range []struct{ file, text, key string }{
		{"sys/class/hwmon/hwmon2/temp1_input", "-273000", "temperature.package"},
		{"sys/class/hwmon/hwmon2/temp1_input", "255000", "temperature.package"},
		{"sys/class/hwmon/hwmon2/in0_input", "65535", "voltage.cpuchip.in0"},
		{"sys/class/powercap/zone:0/energy_uj", "-5", "power.package"},
	} {
		was := tree[row.file].Data
		tree[row.file].Data = []byte(row.text)
		for _, s := range sensors.Find(tree, cores, time.Now) {
			if x, ok := s.Read(); s.Key == row.key && ok {
				t.Errorf("%s: %q reads as %g", row.key, row.text, x)
			}
		}
		tree[row.file].Data = was
	}
}

func FuzzKernelRecord(f *testing.F) {
	f.Add("4,12,99,-;" + mended)
	f.Add("4,12,99,-;" + another + "\n SUBSYSTEM=x")
	f.Add(";;;,,,")
	cores := []sensors.Core{{ID: 0, CPUs: []int{0, 1}}}
	f.Fuzz(func(t *testing.T, raw string) {
		r, ok := sensors.ParseRecord(raw)
		if ok && (r.Number < 0 || strings.Contains(r.Text, "\n")) {
			t.Errorf("%q reads as %+v", raw, r)
		}
		if trouble, ok := sensors.MachineCheck(r.Text, cores); ok && (trouble.Core < -1 || trouble.Core > 0) {
			t.Errorf("%q is on core %d", raw, trouble.Core)
		}
	})
}
