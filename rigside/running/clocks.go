package running

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"zerokeel/core/part"
	"zerokeel/core/trim"
)

func (f *finder) cpu(n int, file string) string {
	return fmt.Sprintf("sys/devices/system/cpu/cpu%d/%s", n, file)
}

// findThreads offers SMT, where the kernel can switch it.
func (s *System) findThreads() {
	const file = "sys/devices/system/cpu/smt/control"
	if now, _ := s.text(file); now != on && now != off {
		return
	}
	s.offer(part.BoardSetting{Setting: "platform.smt", Attribute: "smt", Label: "SMT", Menu: menu("Cores"), Values: switched},
		s.flip("smt", threads, []string{file}, map[string]string{on: on, off: off}))
}

// findCores offers to switch cores off. The first core often cannot be; with SMT off, a core is on by its first thread alone.
func (s *System) findCores() {
	var list []*attribute
	for n, c := range s.cores {
		var files []string
		for _, cpu := range c.CPUs {
			if name := s.cpu(cpu, "online"); s.has(name) {
				files = append(files, name)
			}
		}
		one := s.flip(fmt.Sprintf("core.%d", n), wakes, files, map[string]string{on: "1", off: "0"})
		if len(files) < len(c.CPUs) {
			one.get = func() (any, bool) { return on, true }
			one.set = func(any) error { return nil }
			one.check = func(v any) string {
				if v != on {
					return fmt.Sprintf("the kernel cannot switch core %d off", n)
				}
				return ""
			}
		} else {
			one.set = func(v any) error {
				if smt, _ := s.text("sys/devices/system/cpu/smt/active"); v == on && smt == "0" {
					return s.write(files[0], "1")
				}
				return s.all(files, map[any]string{on: "1", off: "0"}[v])
			}
		}
		list = append(list, one)
	}
	if slices.ContainsFunc(list, func(a *attribute) bool { return a.check(off) == "" }) {
		s.offer(part.BoardSetting{Setting: "clock.coreOn.*", Attribute: "core.{n}", Label: "Core {n}", Menu: menu("Cores"), Values: switched},
			list...)
	}
}

// findClocks offers boost, the bounds of the clock, and the preference that the machine's own governor goes by.
func (s *System) findClocks() {
	s.findBoost()
	perCore := true
	for _, c := range s.cores {
		for _, cpu := range c.CPUs {
			text, _ := s.text(s.cpu(cpu, "cpufreq/related_cpus"))
			for field := range strings.FieldsSeq(text) {
				n, err := strconv.Atoi(field)
				perCore = perCore && err == nil && slices.Contains(c.CPUs, n)
			}
		}
	}
	least, most := s.clockRange()
	if most == 0 {
		return
	}
	highest := part.BoardSetting{Label: "Highest clock", Menu: menu("Clocks"), Min: float64(least), Max: float64(most), Step: 1,
		Words: map[string]int{trim.Auto: 0}}
	if perCore {
		highest.Setting, highest.Attribute, highest.Label = "clock.ratio.core.*", "core.{n}.highest", "Highest clock, core {n}"
		highest.Scale = ratioMHz
		highest.Min, highest.Max = float64((least+ratioMHz-1)/ratioMHz), float64(most/ratioMHz)
		var list []*attribute
		for n, c := range s.cores {
			list = append(list, s.bound(fmt.Sprintf("core.%d.highest", n), c.CPUs, "scaling_max_freq", "cpuinfo_max_freq"))
		}
		s.offer(highest, list...)
	} else {
		highest.Setting, highest.Attribute = "system.ceiling", "highest"
		s.offer(highest, s.bound("highest", s.processors(), "scaling_max_freq", "cpuinfo_max_freq"))
	}
	s.offer(part.BoardSetting{Setting: "system.floor", Attribute: "lowest", Label: "Lowest clock", Menu: menu("Clocks"),
		Min: float64(least), Max: float64(most), Step: 1, Words: map[string]int{trim.Auto: 0}},
		s.bound("lowest", s.processors(), "scaling_min_freq", "cpuinfo_min_freq"))
	s.findPreference()
}

// ratioMHz is the base clock by which a ratio counts in a running system, which tells clocks alone.
const ratioMHz = 100

// processors lists every processor.
func (s *System) processors() (out []int) {
	for _, c := range s.cores {
		out = append(out, c.CPUs...)
	}
	return out
}

// clockRange returns the lowest and the highest clock of any core, in MHz; 0 where the kernel sets none.
func (s *System) clockRange() (least, most int) {
	for _, cpu := range s.processors() {
		low, ok := s.whole(s.cpu(cpu, "cpufreq/cpuinfo_min_freq"))
		high, ok2 := s.whole(s.cpu(cpu, "cpufreq/cpuinfo_max_freq"))
		if !ok || !ok2 || low <= 0 || high < low {
			continue
		}
		if least == 0 || low/1000 < least {
			least = low / 1000
		}
		most = max(most, high/1000)
	}
	return least, most
}

// told lists the cores with their threads and clocks.
func (s *System) told() []part.ToldCore {
	out := make([]part.ToldCore, len(s.cores))
	for i, c := range s.cores {
		low, _ := s.whole(s.cpu(c.CPUs[0], "cpufreq/cpuinfo_min_freq"))
		high, _ := s.whole(s.cpu(c.CPUs[0], "cpufreq/cpuinfo_max_freq"))
		out[i] = part.ToldCore{Threads: len(c.CPUs), MinMHz: float64(low) / 1000, MaxMHz: float64(high) / 1000}
	}
	return out
}

// bound is a bound of the clock of some processors, in MHz; 0 leaves it to the machine. Those that are switched off have none, and count as
// they were asked.
func (s *System) bound(name string, cpus []int, file, free string) *attribute {
	here := func() (out []int) {
		for _, cpu := range cpus {
			if s.has(s.cpu(cpu, "cpufreq/"+file)) {
				out = append(out, cpu)
			}
		}
		return out
	}
	var last any = 0
	return &attribute{name: name, phase: plain,
		get: func() (any, bool) {
			at := here()
			if len(at) == 0 {
				return last, true
			}
			now, ok := s.whole(s.cpu(at[0], "cpufreq/"+file))
			whole, ok2 := s.whole(s.cpu(at[0], "cpufreq/"+free))
			if ok && ok2 && now == whole {
				return 0, true
			}
			return now / 1000, ok
		},
		set: func(v any) error {
			last = v
			var err error
			for _, cpu := range here() {
				kHz := v.(int) * 1000
				if kHz == 0 {
					kHz, _ = s.whole(s.cpu(cpu, "cpufreq/"+free))
				}
				err = errors.Join(err, s.write(s.cpu(cpu, "cpufreq/"+file), strconv.Itoa(kHz)))
			}
			return err
		},
		check: func(v any) string {
			for _, cpu := range here() {
				low, _ := s.whole(s.cpu(cpu, "cpufreq/cpuinfo_min_freq"))
				high, _ := s.whole(s.cpu(cpu, "cpufreq/cpuinfo_max_freq"))
				if why := between(low/1000, high/1000, "MHz", 0)(v); why != "" {
					return why
				}
			}
			return ""
		},
		near: func(asked, shows int) bool { return asked > 0 && shows > asked-ratioMHz/2 && shows < asked+ratioMHz/2 }}
}

// findBoost offers boost: by the kernel's one switch, or by that of a driver of its own, which says the opposite.
func (s *System) findBoost() {
	entry := part.BoardSetting{Setting: "clock.boost", Attribute: "boost", Label: "Boost", Menu: menu("Clocks"), Values: switched}
	if one := s.list("sys/devices/system/cpu/cpufreq/boost"); len(one) > 0 {
		s.offer(entry, s.flip("boost", plain, one, map[string]string{on: "1", off: "0"}))
	} else if one := s.list("sys/devices/system/cpu/*/no_turbo"); len(one) > 0 {
		s.offer(entry, s.flip("boost", plain, one[:1], map[string]string{on: "0", off: "1"}))
	} else if each := s.list("sys/devices/system/cpu/cpufreq/policy*/boost"); len(each) > 0 {
		s.offer(entry, s.flip("boost", plain, each, map[string]string{on: "1", off: "0"}))
	}
}

// findPreference offers what the machine's own governor prefers.
func (s *System) findPreference() {
	var files []string
	for _, cpu := range s.processors() {
		if name := s.cpu(cpu, "cpufreq/energy_performance_preference"); s.has(name) {
			files = append(files, name)
		}
	}
	if len(files) == 0 {
		return
	}
	known, _ := s.text(strings.Replace(files[0], "performance_preference", "performance_available_preferences", 1))
	values := map[string]string{}
	texts := map[string]string{}
	def, _, _ := trim.Find("system.preference")
	for word := range strings.FieldsSeq(known) {
		if choice := strings.ReplaceAll(word, "_", " "); slices.Contains(def.Choices, choice) {
			values[choice], texts[word] = word, word
		}
	}
	if len(values) < 2 {
		return
	}
	one := s.flip("preference", plain, files, texts)
	one.check = func(v any) string {
		word, _ := v.(string)
		if _, ok := texts[word]; !ok {
			return fmt.Sprintf("%v is none of %s", v, known)
		}
		return ""
	}
	s.offer(part.BoardSetting{Setting: "system.preference", Attribute: "preference", Label: "Energy preference", Menu: menu("Clocks"),
		Values: values}, one)
}

// findIdle offers to keep idle cores awake: every state below the first is left out then.
func (s *System) findIdle() {
	files := func() (out []string) {
		for _, cpu := range s.processors() {
			for _, state := range s.list(s.cpu(cpu, "cpuidle/state*")) {
				if !strings.HasSuffix(state, "/state0") && s.has(state+"/disable") {
					out = append(out, state+"/disable")
				}
			}
		}
		return out
	}
	if len(files()) == 0 {
		return
	}
	one := &attribute{name: "idle", phase: plain, check: among(on, off),
		get: func() (any, bool) {
			held := 0
			list := files()
			for _, name := range list {
				if text, _ := s.text(name); text != "0" {
					held++
				}
			}
			switch held {
			case 0:
				return on, true
			case len(list):
				return off, true
			}
			return nil, false // some sleep, some do not: neither
		},
		set: func(v any) error { return s.all(files(), map[any]string{on: "0", off: "1"}[v]) }}
	s.offer(part.BoardSetting{Setting: "platform.cStates", Attribute: "idle", Label: "Idle states", Menu: menu("Cores"), Values: switched},
		one)
}
