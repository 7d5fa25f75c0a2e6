package running_test

import (
	"errors"
	"fmt"
	"io/fs"
	"reflect"
	"strings"
	"testing"
	"testing/fstest"

	"zerokeel/core/invalid"
	"zerokeel/link"
	"zerokeel/rigside/running"
	"zerokeel/rigside/sensors"
)

// kernel is a file tree that answers writes as a kernel does: it may round, refuse, or say nothing and do nothing.
type kernel struct {
	fstest.MapFS
	does map[string]func(text string) (string, error) // by the file's end
	left int                                          // writes until it dies; below 0 never
}

const cpus = "sys/devices/system/cpu/"

// machine has two cores of two threads, with everything that can be set.
func machine() *kernel {
	k := &kernel{MapFS: fstest.MapFS{}, does: map[string]func(string) (string, error){}, left: -1}
	for name, text := range map[string]string{
		cpus + "smt/control": "on", cpus + "smt/active": "1", cpus + "cpufreq/boost": "1",
		"sys/class/powercap/a:0/name": "package-0", "sys/class/powercap/a:0/enabled": "0",
		"sys/class/powercap/a:0/constraint_0_name": "long_term", "sys/class/powercap/a:0/constraint_0_power_limit_uw": "65000000",
		"sys/class/powercap/a:0/constraint_0_time_window_us": "27983872", "sys/class/powercap/a:0/constraint_1_name": "short_term",
		"sys/class/powercap/a:0/constraint_1_power_limit_uw": "90000000", "sys/class/powercap/a:0/constraint_1_max_power_uw": "120000000",
		"sys/class/hwmon/hwmon2/pwm1_auto_point1_temp": "40000", "sys/class/hwmon/hwmon2/pwm1_auto_point1_pwm": "77",
		"sys/class/hwmon/hwmon2/pwm1_auto_point2_temp": "80000", "sys/class/hwmon/hwmon2/pwm1_auto_point2_pwm": "255",
	} {
		k.MapFS[name] = &fstest.MapFile{Data: []byte(text + "\n")}
	}
	for cpu := range 4 {
		at := fmt.Sprintf("%scpu%d/", cpus, cpu)
		for name, text := range map[string]string{
			"cpufreq/cpuinfo_min_freq": "800000", "cpufreq/cpuinfo_max_freq": "4700000", "cpufreq/scaling_min_freq": "800000",
			"cpufreq/scaling_max_freq": "4700000", "cpufreq/related_cpus": fmt.Sprint(cpu),
			"cpufreq/energy_performance_preference":            "balance_performance",
			"cpufreq/energy_performance_available_preferences": "performance balance_performance balance_power power",
			"cpuidle/state0/disable":                           "0", "cpuidle/state1/disable": "0", "cpuidle/state2/disable": "0",
		} {
			k.MapFS[at+name] = &fstest.MapFile{Data: []byte(text + "\n")}
		}
		if cpu > 0 {
			k.MapFS[at+"online"] = &fstest.MapFile{Data: []byte("1\n")}
		}
	}
	return k
}

func (k *kernel) write(name, text string) error {
	if k.left == 0 {
		return errors.New("killed")
	}
	k.left--
	for end, does := range k.does {
		if strings.HasSuffix(name, end) {
			var err error
			if text, err = does(text); err != nil {
				return err
			}
		}
	}
	if _, there := k.MapFS[name]; !there {
		return fs.ErrNotExist
	}
	k.MapFS[name] = &fstest.MapFile{Data: []byte(text + "\n")}
	return nil
}

// told returns the whole tree as text, for comparison.
func (k *kernel) told() map[string]string {
	out := map[string]string{}
	for name, f := range k.MapFS {
		out[name] = strings.TrimSpace(string(f.Data))
	}
	return out
}

var cores = []sensors.Core{{ID: 0, CPUs: []int{0, 2}}, {ID: 1, CPUs: []int{1, 3}}}

func find(t *testing.T, k *kernel, dir, boot string) *running.System {
	t.Helper()
	s, err := running.Find(k, k.write, cores, dir, boot)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// TestWhatIsSetStands sets each thing that a machine offers, reads it back from the kernel's own files, and puts everything back.
func TestWhatIsSetStands(t *testing.T) {
	for _, row := range []struct {
		attribute string
		value     any
		file      string
		want      string
	}{
		{"smt", "off", cpus + "smt/control", "off"}, {"core.1", "off", cpus + "cpu3/online", "0"}, {"boost", "off", cpus + "cpufreq/boost", "0"},
		{"core.1.highest", 3500, cpus + "cpu3/cpufreq/scaling_max_freq", "3500000"},
		{"core.0.highest", 3500.0, cpus + "cpu0/cpufreq/scaling_max_freq", "3500000"},
		{"lowest", 1200, cpus + "cpu1/cpufreq/scaling_min_freq", "1200000"},
		{"preference", "power", cpus + "cpu2/cpufreq/energy_performance_preference", "power"},
		{"idle", "off", cpus + "cpu2/cpuidle/state2/disable", "1"},
		{"sustained", 54_125, "sys/class/powercap/a:0/constraint_0_power_limit_uw", "54125000"},
		{"sustained", 54_125, "sys/class/powercap/a:0/enabled", "1"},
		{"short", 120_000, "sys/class/powercap/a:0/constraint_1_power_limit_uw", "120000000"},
		{"window", 8_000, "sys/class/powercap/a:0/constraint_0_time_window_us", "8000000"},
		{"fan.2.duty", 80, "sys/class/hwmon/hwmon2/pwm1_auto_point2_pwm", "204"},
		{"fan.1.temperature", 50, "sys/class/hwmon/hwmon2/pwm1_auto_point1_temp", "50000"},
	} {
		k := machine()
		before := k.told()
		s := find(t, k, t.TempDir(), "boot")
		if err := s.Set(map[string]any{row.attribute: row.value}); err != nil {
			t.Errorf("%s: %v", row.attribute, err)
		}
		if got := k.told()[row.file]; got != row.want {
			t.Errorf("%s set to %v: %s holds %q, want %q", row.attribute, row.value, row.file, got, row.want)
		}
		if now := s.Offer().Now[row.attribute]; fmt.Sprint(now) != fmt.Sprint(row.value) {
			t.Errorf("%s set to %v reads %v", row.attribute, row.value, now)
		}
		if err := s.Restore(); err != nil {
			t.Error(err)
		}
		after := k.told()
		// What was out of force is not put there again; the window and the curve go back to the step that they stood at.
		for _, rounds := range []string{"/enabled", "time_window_us", "auto_point1_pwm"} {
			for name := range after {
				if strings.HasSuffix(name, rounds) {
					after[name] = before[name]
				}
			}
		}
		if !reflect.DeepEqual(before, after) {
			t.Errorf("after %s not everything is as it was found", row.attribute)
		}
	}
}

// TestAnUglyKernel: what the kernel rounds counts as asked, what it clips or only seems to take shows as it is, and where it refuses
// nothing is changed.
func TestAnUglyKernel(t *testing.T) {
	fixed := func(text string) func(string) (string, error) {
		return func(string) (string, error) { return text, nil }
	}
	for _, row := range []struct {
		name, file string
		does       func(string) (string, error)
		order      map[string]any
		now        map[string]any
		fault      string // the attribute that is named
	}{
		{"rounds", "time_window_us", fixed("7995392"), map[string]any{"window": 8000}, map[string]any{"window": 8000}, ""},
		{"clips", "cpu1/cpufreq/scaling_max_freq", fixed("4000000"), map[string]any{"core.1.highest": 4600},
			map[string]any{"core.1.highest": 4000}, ""},
		{"lies", "constraint_0_power_limit_uw", fixed("65000000"), map[string]any{"sustained": 45000}, map[string]any{"sustained": 65000}, ""},
		{"refuses", "cpu3/online", func(string) (string, error) { return "", fs.ErrPermission },
			map[string]any{"boost": "off", "lowest": 1000, "core.1": "off"}, map[string]any{"boost": "on", "lowest": 0, "core.1": "on"}, "core.1"},
		{"not offered", "", nil, map[string]any{"voltage": 1, "boost": "off"}, map[string]any{"boost": "on"}, "voltage"},
		{"first core", "", nil, map[string]any{"core.0": "off", "boost": "off"}, map[string]any{"boost": "on"}, "core.0"},
		{"out of range", "", nil, map[string]any{"core.0.highest": 9000}, map[string]any{"core.0.highest": 0}, "core.0.highest"},
		{"no number", "", nil, map[string]any{"short": "much"}, map[string]any{"short": 90000}, "short"},
	} {
		k := machine()
		if row.does != nil {
			k.does[row.file] = row.does
		}
		dir := t.TempDir()
		s := find(t, k, dir, "boot")
		err := s.Set(row.order)
		var faults invalid.List
		if errors.As(err, &faults); (row.fault != "") != (err != nil) || err != nil && (len(faults) == 0 || faults[0].Field != row.fault) {
			t.Errorf("%s: %v", row.name, err)
		}
		for _, one := range []link.Offer{s.Offer(), find(t, k, dir, "boot").Offer()} { // a later start of the agent knows it too
			for name, want := range row.now {
				if one.Now[name] != want {
					t.Errorf("%s: %s reads %v, want %v", row.name, name, one.Now[name], want)
				}
			}
		}
	}
}

// TestKilledHalfway kills the agent at each write of an order: the next one puts back what was changed. After a start of the machine
// nothing is put back, since the kernel has forgotten all of it.
func TestKilledHalfway(t *testing.T) {
	order := map[string]any{"boost": "off", "core.0.highest": 3000, "core.1.highest": 3000, "idle": "off", "core.1": "off", "sustained": 40000}
	whole := machine()
	whole.left = 1000
	if err := find(t, whole, t.TempDir(), "boot").Set(order); err != nil {
		t.Fatal(err)
	}
	for at := range 1000 - whole.left {
		k := machine()
		before := find(t, k, t.TempDir(), "boot").Offer()
		dir := t.TempDir()
		s := find(t, k, dir, "boot")
		k.left = at
		_ = s.Set(order)
		k.left = -1
		later := find(t, k, dir, "boot").Offer()
		if !reflect.DeepEqual(later.Now, before.Now) || !reflect.DeepEqual(later.Found, before.Now) {
			t.Fatalf("killed at write %d: %v, found %v", at, later.Now, later.Found)
		}
	}
	k := machine()
	dir := t.TempDir()
	if err := find(t, k, dir, "boot").Set(order); err != nil {
		t.Fatal(err)
	}
	if found := find(t, k, dir, "boot").Offer().Found["boost"]; found != "on" {
		t.Errorf("the agent forgot how it found boost: %v", found)
	}
	if found := find(t, k, dir, "another").Offer().Found["boost"]; found != "off" {
		t.Errorf("after another start of the machine it was found %v", found)
	}
}

// TestFoundBeyondBounds: a board that was delivered with a limit beyond all bounds gets it back, and no other such one.
func TestFoundBeyondBounds(t *testing.T) {
	k := machine()
	const file, beyond = "sys/class/powercap/a:0/constraint_0_power_limit_uw", "4095000000"
	k.MapFS[file] = &fstest.MapFile{Data: []byte(beyond)}
	s := find(t, k, t.TempDir(), "boot")
	if err := s.Set(map[string]any{"sustained": 65_000}); err != nil {
		t.Fatal(err)
	}
	if err := s.Set(map[string]any{"sustained": 4_000_000}); err == nil {
		t.Error("4,000 W are taken")
	}
	if err := s.Restore(); err != nil || k.told()[file] != beyond {
		t.Errorf("it is left at %s: %v", k.told()[file], err)
	}
}

// TestBareMachines: one that offers nothing, one whose processors share a clock, and one with odd files.
func TestBareMachines(t *testing.T) {
	bare := &kernel{MapFS: fstest.MapFS{}, left: -1}
	if o := find(t, bare, t.TempDir(), "boot").Offer(); len(o.Settings) > 0 || len(o.Now) > 0 {
		t.Errorf("%+v", o)
	}
	shared := machine()
	for cpu := range 4 {
		shared.MapFS[fmt.Sprintf("%scpu%d/cpufreq/related_cpus", cpus, cpu)] = &fstest.MapFile{Data: []byte("0 1 2 3\n")}
	}
	offers := func(o link.Offer, setting string) bool {
		for _, s := range o.Settings {
			if s.Setting == setting {
				return true
			}
		}
		return false
	}
	if o := find(t, shared, t.TempDir(), "boot").Offer(); offers(o, "clock.ratio.core.*") || !offers(o, "system.ceiling") {
		t.Errorf("%+v", o.Settings)
	}
	odd := machine()
	for name, text := range map[string]string{cpus + "smt/control": "notsupported", cpus + "cpufreq/boost": "maybe",
		cpus + "cpu0/cpufreq/scaling_max_freq": "", "sys/class/powercap/a:0/constraint_0_power_limit_uw": "unknown",
		"sys/class/hwmon/hwmon2/pwm1_auto_point1_pwm": "-"} {
		odd.MapFS[name] = &fstest.MapFile{Data: []byte(text)}
	}
	o := find(t, odd, t.TempDir(), "boot").Offer()
	for _, name := range []string{"smt", "boost", "core.0.highest", "sustained", "fan.1.duty"} {
		if v, told := o.Now[name]; told {
			t.Errorf("%s reads %v", name, v)
		}
	}
}
