package running

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"zerokeel/core/part"
)

// The bounds of what is taken where the kernel tells none, in mW and ms.
const (
	leastMW, mostMW = 5_000, 500_000
	leastMS, mostMS = 100, 128_000
)

// The steps in which limits are told: the kernel rounds to steps of the machine's own, which are no coarser.
const (
	stepMW = 125
	stepMS = 100
)

// findLimits offers the processor's power limits and their window, found by the names that the kernel gives to its zones and constraints.
func (s *System) findLimits() {
	for _, zone := range s.list("sys/class/powercap/*") {
		if name, _ := s.text(zone + "/name"); !strings.HasPrefix(name, "package") {
			continue
		}
		for k := range 4 {
			at := fmt.Sprintf("%s/constraint_%d_", zone, k)
			switch name, _ := s.text(at + "name"); name {
			case "long_term":
				s.limit(zone, at, part.BoardSetting{Setting: "limit.pl1", Attribute: "sustained", Label: "Sustained limit"})
				s.window(at)
			case "short_term":
				s.limit(zone, at, part.BoardSetting{Setting: "limit.pl2", Attribute: "short", Label: "Short limit"})
			}
		}
		return // the first package: no desktop has two
	}
}

// limit is a power limit, in mW. Setting one switches the zone's limits on.
func (s *System) limit(zone, at string, entry part.BoardSetting) {
	if _, ok := s.whole(at + "power_limit_uw"); !ok {
		return
	}
	most := mostMW
	if uW, ok := s.whole(at + "max_power_uw"); ok && uW/1000 > leastMW {
		most = uW / 1000
	}
	entry.Menu, entry.Scale, entry.Step = menu("Power"), 1000, stepMW/1000.0
	entry.Min, entry.Max = leastMW/1000.0, math.Floor(float64(most)/stepMW)*stepMW/1000
	one := s.scaled(entry.Attribute, at+"power_limit_uw", stepMW, between(leastMW, most, "mW"))
	one.near = func(asked, shows int) bool { return max(asked-shows, shows-asked) <= stepMW } // steps of 1/8 W are the coarsest
	set := one.set
	one.set = func(v any) error {
		if text, ok := s.text(zone + "/enabled"); ok && text == "0" {
			if err := s.write(zone+"/enabled", "1"); err != nil {
				return err
			}
		}
		return set(v)
	}
	s.offer(entry, one)
}

// window is the time over which the sustained limit is averaged, in ms.
func (s *System) window(at string) {
	if us, ok := s.whole(at + "time_window_us"); !ok || us <= 0 {
		return
	}
	most := mostMS
	if us, ok := s.whole(at + "max_time_window_us"); ok && us/1000 > leastMS {
		most = us / 1000
	}
	one := s.scaled("window", at+"time_window_us", stepMS, between(leastMS, most, "ms"))
	// Machines have windows of powers of two, and of quarters of them.
	one.near = func(asked, shows int) bool { return 8*max(asked-shows, shows-asked) <= asked }
	s.offer(part.BoardSetting{Setting: "limit.tau", Attribute: "window", Label: "Window of the sustained limit", Menu: menu("Power"),
		Scale: 1000, Step: stepMS / 1000.0, Min: leastMS / 1000.0, Max: math.Floor(float64(most)/stepMS) * stepMS / 1000}, one)
}

// scaled is a number of which the kernel tells thousandths, in steps.
func (s *System) scaled(name, file string, step int, check func(any) string) *attribute {
	return &attribute{name: name, phase: plain, check: check,
		get: func() (any, bool) {
			n, ok := s.whole(file)
			return int(math.Round(float64(n)/1000/float64(step))) * step, ok
		},
		set: func(v any) error { return s.write(file, strconv.Itoa(v.(int)*1000)) }}
}
