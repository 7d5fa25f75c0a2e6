package sensors_test

import (
	"math"
	"testing"
	"testing/fstest"
	"time"

	"zerokeel/rigside/sensors"
)

// machine is the file tree of a small machine: one core with two threads, one with one.
func machine() fstest.MapFS {
	tree := fstest.MapFS{}
	for name, text := range map[string]string{
		"sys/class/hwmon/hwmon0/name":                              "nvme\n",
		"sys/class/hwmon/hwmon0/temp1_input":                       "41850\n",
		"sys/class/hwmon/hwmon2/name":                              "cpuchip\n",
		"sys/class/hwmon/hwmon2/temp1_input":                       "62000\n",
		"sys/class/hwmon/hwmon2/temp1_label":                       "Package id 0\n",
		"sys/class/hwmon/hwmon2/temp2_input":                       "61000\n",
		"sys/class/hwmon/hwmon2/temp2_label":                       "Core 4\n",
		"sys/class/hwmon/hwmon2/in0_input":                         "1104\n",
		"sys/class/hwmon/hwmon2/fan1_input":                        "garbage\n",
		"sys/class/powercap/zone:0/name":                           "package-0\n",
		"sys/class/powercap/zone:0/energy_uj":                      "1000000\n",
		"sys/class/powercap/zone:0/max_energy_range_uj":            "9000000\n",
		"sys/class/thermal/thermal_zone0/type":                     "board\n",
		"sys/class/thermal/thermal_zone0/temp":                     "38000\n",
		"sys/devices/system/cpu/cpu0/topology/core_id":             "0\n",
		"sys/devices/system/cpu/cpu0/topology/physical_package_id": "0\n",
		"sys/devices/system/cpu/cpu1/topology/core_id":             "4\n",
		"sys/devices/system/cpu/cpu1/topology/physical_package_id": "0\n",
		"sys/devices/system/cpu/cpu2/topology/core_id":             "0\n",
		"sys/devices/system/cpu/cpu2/topology/physical_package_id": "0\n",
		"sys/devices/system/cpu/cpu0/cpufreq/scaling_cur_freq":     "4725000\n",
		"proc/cpuinfo":              "processor\t: 0\nmodel name\t: Test Eight\nmicrocode\t: 0x2b\ncpu MHz\t\t: 1000.0\n\nprocessor\t: 1\nmodel name\t: Test Eight\ncpu MHz\t\t: 3801.5\n",
		"proc/stat":                 "cpu  100 0 100 800 0 0 0 0 0 0\ncpu0 50 0 50 400 0 0 0 0 0 0\ncpu1 50 0 50 400 0 0 0 0 0 0\n",
		"proc/meminfo":              "MemTotal:       8000000 kB\nMemFree: 1 kB\nMemAvailable:   6000000 kB\n",
		"proc/sys/kernel/hostname":  "bench\n",
		"proc/sys/kernel/osrelease": "6.1\n",
		"etc/os-release":            "NAME=x\nPRETTY_NAME=\"Test Linux 1\"\n",
	} {
		tree[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return tree
}

func TestFindByTypeAndLabel(t *testing.T) {
	tree := machine()
	cores := sensors.Cores(tree, []int{0, 1, 2})
	if len(cores) != 2 || len(cores[0].CPUs) != 2 || cores[1].ID != 4 {
		t.Fatalf("cores: %+v", cores)
	}
	now := time.Unix(1000, 0)
	found := sensors.Find(tree, cores, func() time.Time { return now })
	read := func(key string) (float64, bool) {
		for _, s := range found {
			if s.Key == key {
				return s.Read()
			}
		}
		t.Fatalf("no channel %s", key)
		return 0, false
	}
	for _, row := range []struct {
		key  string
		want float64
	}{
		{"temperature.nvme.temp1", 41.85}, {"temperature.package", 62}, {"temperature.core.1", 61}, {"voltage.cpuchip.in0", 1.104},
		{"temperature.zone.board", 38}, {"clock.effective.core.0", 4725}, {"clock.effective.core.1", 3801.5}, {"memory.used", 25},
	} {
		if got, ok := read(row.key); !ok || math.Abs(got-row.want) > 1e-9 {
			t.Errorf("%s: got %g, %v; want %g", row.key, got, ok, row.want)
		}
	}
	if _, ok := read("speed.cpuchip.fan1"); ok {
		t.Error("nonsense was read as a fan's speed")
	}
	if _, ok := read("power.package"); ok {
		t.Error("a first reading of an energy counter gives a power")
	}
	now = now.Add(2 * time.Second)
	tree["sys/class/powercap/zone:0/energy_uj"].Data = []byte("101000000\n")
	if got, ok := read("power.package"); !ok || math.Abs(got-50) > 1e-9 {
		t.Errorf("power: got %g, %v; want 50", got, ok)
	}
	now = now.Add(time.Second)
	if _, ok := read("load.core.1"); ok {
		t.Error("a first reading of time counters gives a load")
	}
	now = now.Add(time.Second)
	tree["proc/stat"].Data = []byte("cpu0 50 0 50 400 0 0 0 0\ncpu1 110 0 50 440 0 0 0 0\n")
	if got, ok := read("load.core.1"); !ok || math.Abs(got-60) > 1e-9 {
		t.Errorf("load: got %g, %v; want 60", got, ok)
	}
	delete(tree, "sys/class/hwmon/hwmon2/temp1_input")
	if _, ok := read("temperature.package"); ok {
		t.Error("a sensor that went away still reads")
	}
	if f := sensors.Facts(tree, cores); f.Host != "bench" || f.Processor != "Test Eight" || f.Microcode != "0x2b" || f.Threads != 3 ||
		f.Cores != 2 || f.System != "Test Linux 1" || f.MemoryMB != 7812 {
		t.Errorf("facts: %+v", f)
	}
}

func TestMeterWraps(t *testing.T) {
	m := sensors.Meter{Range: 1000e6}
	at := time.Unix(0, 1)
	m.Power(990e6, at)
	if got, ok := m.Power(20e6, at.Add(time.Second)); !ok || math.Abs(got-30) > 1e-9 {
		t.Errorf("over the wrap: got %g, %v; want 30", got, ok)
	}
	unknown := sensors.Meter{}
	unknown.Power(990, at)
	if _, ok := unknown.Power(20, at.Add(time.Second)); ok {
		t.Error("a counter that jumped back without a known range gives a power")
	}
}

// TestNothingThere: a machine that tells nothing has no channels but its load, and nothing fails.
func TestNothingThere(t *testing.T) {
	tree := fstest.MapFS{}
	cores := sensors.Cores(tree, []int{0, 1})
	for _, s := range sensors.Find(tree, cores, time.Now) {
		if x, ok := s.Read(); ok {
			t.Errorf("%s reads %g", s.Key, x)
		}
	}
	if len(cores) != 2 {
		t.Errorf("cores: %+v", cores)
	}
}
