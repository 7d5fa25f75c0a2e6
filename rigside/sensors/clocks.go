package sensors

import (
	"fmt"
	"strconv"
	"strings"

	"zerokeel/core/channel"
)

// clocks reads each core's clock: what the clock driver reports, or else what the kernel tells in its list of
// processors.
func (f *finder) clocks() {
	for i, core := range f.cores {
		f.counted(i, core)
		file := fmt.Sprintf("sys/devices/system/cpu/cpu%d/cpufreq/scaling_cur_freq", core.CPUs[0])
		c := channel.OfCore(channel.EffectiveClock, i, 0.001)
		if f.has(c.Key) {
			c = channel.OfCore(channel.RequestedClock, i, 0.001)
		}
		read := f.number(file, 1e-3)
		if _, ok := read(); !ok {
			read = f.listedClock(core.CPUs[0])
			if _, ok := read(); !ok {
				continue
			}
		}
		f.add(c, read)
	}
}

// counted reads a core's effective clock from the kernel's two counters of it: one runs at a fixed rate while the core
// is awake, the other with the clock delivered. (ACPI, collaborative processor performance control.)
func (f *finder) counted(i int, core Core) {
	dir := fmt.Sprintf("sys/devices/system/cpu/cpu%d/acpi_cppc/", core.CPUs[0])
	figure := func(name string) float64 { x, _ := f.number(dir+name, 1)(); return x }
	perStep := figure("nominal_freq") / figure("nominal_perf")
	mhz := figure("reference_perf") * perStep
	if !(mhz > 0 && mhz < 1e5) {
		return
	}
	var clock Ratio
	f.add(channel.OfCore(channel.EffectiveClock, i, 0.001), func() (float64, bool) {
		var reference, delivered uint64
		if n, _ := fmt.Sscanf(f.text(dir+"feedback_ctrs"), "ref:%d del:%d", &reference, &delivered); n != 2 {
			return 0, false
		}
		share, ok := clock.Step(reference, delivered)
		return share * mhz, ok
	})
}

// Ratio follows two counters that may wrap around.
type Ratio struct {
	reference, delivered uint64
	begun                bool
}

// Step returns how far the second counter went for each step of the first since the call before; false at the first
// call, and where the first one stood still or what comes out is beyond any processor.
func (r *Ratio) Step(reference, delivered uint64) (float64, bool) {
	before := *r
	*r = Ratio{reference, delivered, true}
	ref, del := reference-before.reference, delivered-before.delivered
	if !before.begun || ref == 0 || ref > 1<<62 || del > 1<<62 {
		return 0, false
	}
	share := float64(del) / float64(ref)
	return share, share < 20
}

// throttles reads how often cores, and the package, were slowed down for their heat.
func (f *finder) throttles() {
	add := func(c channel.Channel, file string) {
		count := f.number(file, 1)
		if _, ok := count(); !ok || f.has(c.Key) {
			return
		}
		last := -1.0
		f.add(c, func() (float64, bool) {
			n, ok := count()
			before := last
			last = n
			return max(0, n-before), ok && before >= 0
		})
	}
	for i, core := range f.cores {
		dir := fmt.Sprintf("sys/devices/system/cpu/cpu%d/thermal_throttle/", core.CPUs[0])
		add(channel.OfCore(channel.CoreThrottled, i, 1), dir+"core_throttle_count")
		add(channel.Of(channel.PackageThrottled, 1), dir+"package_throttle_count")
	}
}

func (f *finder) listedClock(cpu int) func() (float64, bool) {
	return func() (float64, bool) {
		at := -1
		for line := range strings.Lines(f.shared("proc/cpuinfo")) {
			key, value, _ := strings.Cut(line, ":")
			value = strings.TrimSpace(value)
			switch strings.TrimSpace(key) {
			case "processor":
				at, _ = strconv.Atoi(value)
			case "cpu MHz":
				if at == cpu {
					x, err := strconv.ParseFloat(value, 64)
					return x, err == nil
				}
			}
		}
		return 0, false
	}
}
