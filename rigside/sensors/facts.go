package sensors

import (
	"cmp"
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
	Socket string `json:"socket"` // the kernel's id of its package
	ID     int    `json:"id"`     // and of the core in it
	CPUs   []int  `json:"cpus"`   // while it is off, those that it had
	Off    bool   `json:"-"`      // it is switched off
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
		cores = append(cores, Core{Socket: socket, ID: id, CPUs: []int{cpu}})
	}
	slices.SortFunc(cores, func(a, b Core) int { return a.CPUs[0] - b.CPUs[0] })
	return cores
}

// Number gives cores the numbers that they keep: those that were known before and are not found now are switched off, and stay in their
// places.
func Number(known, found []Core) []Core {
	out := slices.Clone(found)
	for _, k := range known {
		if !slices.ContainsFunc(found, func(c Core) bool { return c.Socket == k.Socket && c.ID == k.ID }) {
			k.Off = true
			out = append(out, k)
		}
	}
	slices.SortStableFunc(out, func(a, b Core) int { return cmp.Or(cmp.Compare(a.Socket, b.Socket), a.ID-b.ID) })
	return out
}

// On counts the cores that are switched on, and their threads.
func On(cores []Core) (on, threads int) {
	for _, c := range cores {
		if !c.Off {
			on++
			threads += len(c.CPUs)
		}
	}
	return on, threads
}

// Facts describes the machine.
func Facts(root fs.FS, cores []Core) link.Facts {
	f := finder{root: root}
	facts := link.Facts{Host: f.text("proc/sys/kernel/hostname"), Kernel: f.text("proc/sys/kernel/osrelease"), System: "Linux"}
	facts.Cores, facts.Threads = On(cores)
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
	describe(root, &facts)
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
