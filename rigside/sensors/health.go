package sensors

import (
	"cmp"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Health is what the kernel has counted of a machine's errors since its start. A machine that counts none has none of
// the entries.
type Health struct {
	Corrected, Uncorrected map[string]int // of memory controllers, by their name
	Throttled              map[int]int    // times that a core, or the package (−1), was slowed down for its heat
	seen                   int64          // number of the last record of the kernel's log
}

// Trouble is an error that the kernel tells of.
type Trouble struct {
	Kind TroubleKind
	Core int // −1 where none is told
	Text string
}

// TroubleKind is what an error was.
type TroubleKind string

const (
	Corrected   TroubleKind = "corrected"   // mended by the hardware
	Uncorrected TroubleKind = "uncorrected" // noticed by the hardware, and not mended
	Throttled   TroubleKind = "throttled"   // slowed down for heat
)

// ReadHealth reads the counters below root. log is the kernel's log so far, as records; it may be nil.
func ReadHealth(root fs.FS, cores []Core, log []Record) Health {
	f := finder{root: root}
	h := Health{Corrected: map[string]int{}, Uncorrected: map[string]int{}, Throttled: map[int]int{}}
	for _, dir := range f.list("sys/devices/system/edac/mc/mc*") {
		for name, into := range map[string]map[string]int{"ce_count": h.Corrected, "ue_count": h.Uncorrected} {
			if n, err := strconv.Atoi(f.text(path.Join(dir, name))); err == nil {
				into[path.Base(dir)] = n
			}
		}
	}
	for i, core := range cores {
		dir := fmt.Sprintf("sys/devices/system/cpu/cpu%d/thermal_throttle/", core.CPUs[0])
		if n, err := strconv.Atoi(f.text(dir + "core_throttle_count")); err == nil {
			h.Throttled[i] = n
		}
		if n, err := strconv.Atoi(f.text(dir + "package_throttle_count")); err == nil {
			h.Throttled[-1] = max(h.Throttled[-1], n)
		}
	}
	for _, r := range log {
		h.seen = max(h.seen, r.Number)
	}
	return h
}

// Since lists what went wrong between an earlier reading and this one; log is the kernel's log.
func (h Health) Since(before Health, cores []Core, log []Record) []Trouble {
	var out []Trouble
	counted := func(kind TroubleKind, now, then map[string]int) {
		for _, name := range slices.Sorted(maps.Keys(now)) {
			if n := now[name] - then[name]; n > 0 {
				out = append(out, Trouble{kind, -1, fmt.Sprintf("memory controller %s counted %d %s errors", name, n, kind)})
			}
		}
	}
	counted(Corrected, h.Corrected, before.Corrected)
	counted(Uncorrected, h.Uncorrected, before.Uncorrected)
	for _, core := range slices.Sorted(maps.Keys(h.Throttled)) {
		if n := h.Throttled[core] - before.Throttled[core]; n > 0 {
			out = append(out, Trouble{Throttled, core, fmt.Sprintf("slowed down for its heat %d times", n)})
		}
	}
	for _, r := range log {
		if r.Number <= before.seen {
			continue
		}
		if t, ok := MachineCheck(r.Text, cores); ok {
			out = append(out, t)
		}
	}
	slices.SortStableFunc(out, func(a, b Trouble) int { return cmp.Compare(a.Kind, b.Kind) })
	return out
}

// Record is one record of the kernel's log.
type Record struct {
	Number int64
	Text   string
}

// ParseRecord reads a record as the kernel's log device gives it: "priority,number,time,flags;text" and lines of
// further words after it.
func ParseRecord(raw string) (Record, bool) {
	head, text, ok := strings.Cut(raw, ";")
	fields := strings.Split(head, ",")
	if !ok || len(fields) < 3 {
		return Record{}, false
	}
	number, err := strconv.ParseInt(fields[1], 10, 64)
	text, _, _ = strings.Cut(text, "\n")
	return Record{number, strings.TrimSpace(text)}, err == nil && number >= 0
}

var (
	hardwareError = regexp.MustCompile(`(?i)\bCPU[ :]*(\d+)\b.*\bMachine Check\b.*\bBank \d+: ([0-9a-f]{16})\b`)
	plainError    = regexp.MustCompile(`(?i)\[Hardware Error\]: .*\b(un)?corrected error.*\bCPU[ :]*(\d+)\b`)
)

// uncorrectedBit of a bank's status says that the error was not mended (the processors' architecture manuals).
const uncorrectedBit = 61

// MachineCheck reads a record of a machine check: the core, and whether it was mended.
func MachineCheck(text string, cores []Core) (Trouble, bool) {
	t := Trouble{Kind: Corrected, Core: -1, Text: text}
	var cpu string
	if m := hardwareError.FindStringSubmatch(text); m != nil {
		status, err := strconv.ParseUint(m[2], 16, 64)
		if err != nil {
			return Trouble{}, false
		}
		if status>>uncorrectedBit&1 == 1 {
			t.Kind = Uncorrected
		}
		cpu = m[1]
	} else if m := plainError.FindStringSubmatch(text); m != nil {
		if m[1] != "" {
			t.Kind = Uncorrected
		}
		cpu = m[2]
	} else {
		return Trouble{}, false
	}
	n, _ := strconv.Atoi(cpu)
	t.Core = slices.IndexFunc(cores, func(c Core) bool { return slices.Contains(c.CPUs, n) })
	return t, true
}

// LastWords returns what the kernel wrote into lasting memory when it stopped, "" if nothing: the line that says why.
func LastWords(root fs.FS) string {
	f := finder{root: root}
	for _, file := range f.list("sys/fs/pstore/*") {
		for line := range strings.Lines(f.text(file)) {
			for _, sign := range []string{"Kernel panic", "Oops:", "Machine check:", "BUG:"} {
				if at := strings.Index(line, sign); at >= 0 {
					return strings.TrimSpace(line[at:])
				}
			}
		}
	}
	return ""
}
