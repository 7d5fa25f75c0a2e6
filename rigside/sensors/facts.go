package sensors

import (
	"fmt"
	"io/fs"
	"os/exec"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"

	"zerokeel/link"
)

// Core is one core of the machine, with the processors (threads) that the kernel sees in it.
type Core struct {
	ID   int // the kernel's id of the core
	CPUs []int
}

// Allowed lists the processors that this program may use.
func Allowed() ([]int, error) {
	var set unix.CPUSet
	if err := unix.SchedGetaffinity(0, &set); err != nil {
		return nil, fmt.Errorf("ask for the machine's processors: %w", err)
	}
	var out []int
	for cpu := range 8 * len(set) * 8 {
		if set.IsSet(cpu) {
			out = append(out, cpu)
		}
	}
	return out, nil
}

// Cores lists the machine's cores among the allowed processors, ordered by their first one. Without the kernel's
// topology every processor counts as a core.
func Cores(root fs.FS, allowed []int) []Core {
	f := finder{root: root}
	place := map[string]int{}
	var cores []Core
	for _, cpu := range allowed {
		dir := fmt.Sprintf("sys/devices/system/cpu/cpu%d/topology/", cpu)
		core, socket := f.text(dir+"core_id"), f.text(dir+"physical_package_id")
		id, err := strconv.Atoi(core)
		if err != nil {
			id = cpu
			core = fmt.Sprint("cpu", cpu)
		}
		key := socket + "/" + core
		if at, known := place[key]; known {
			cores[at].CPUs = append(cores[at].CPUs, cpu)
			continue
		}
		place[key] = len(cores)
		cores = append(cores, Core{ID: id, CPUs: []int{cpu}})
	}
	slices.SortFunc(cores, func(a, b Core) int { return a.CPUs[0] - b.CPUs[0] })
	return cores
}

// Facts describes the machine.
func Facts(root fs.FS, cores []Core) link.Facts {
	f := finder{root: root}
	facts := link.Facts{Host: f.text("proc/sys/kernel/hostname"), Kernel: f.text("proc/sys/kernel/osrelease"), System: "Linux",
		Cores: len(cores)}
	for _, c := range cores {
		facts.Threads += len(c.CPUs)
	}
	for line := range strings.Lines(f.text("etc/os-release")) {
		if name, ok := strings.CutPrefix(strings.TrimSpace(line), "PRETTY_NAME="); ok {
			facts.System = strings.Trim(name, `"`)
		}
	}
	for line := range strings.Lines(f.text("proc/cpuinfo")) {
		key, value, _ := strings.Cut(line, ":")
		switch strings.TrimSpace(key) {
		case "model name":
			facts.Processor = strings.TrimSpace(value)
		case "microcode":
			facts.Microcode = strings.TrimSpace(value)
		}
		if facts.Processor != "" && facts.Microcode != "" {
			break
		}
	}
	facts.MemoryMB = int(meminfo(f.text("proc/meminfo"), "MemTotal") / 1024)
	return facts
}

// BootID returns the kernel's id of this start of the machine.
func BootID(root fs.FS) string {
	f := finder{root: root}
	return f.text("proc/sys/kernel/random/boot_id")
}

// ShuttingDown reports whether the system is on its way down, by its manager's own word; false where that is not known.
func ShuttingDown() bool {
	out, _ := exec.Command("systemctl", "is-system-running").Output()
	return strings.TrimSpace(string(out)) == "stopping"
}
