// Package sensors finds what a Linux machine can tell of itself through the kernel's own interfaces, by type and
// label: hwmon chips, energy counters, clocks, thermal zones, the load of each processor, memory. What a machine does
// not have is simply absent.
package sensors

import (
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"zerokeel/core/channel"
)

// Sensor is one channel and how it is read. Read reports false when there is nothing to read at the moment.
type Sensor struct {
	channel.Channel
	Read func() (float64, bool)
}

// Find looks for every sensor below root, the machine's file tree. cores tells which processors belong to each core.
// now is the clock by which energy counters become power. Temperatures may be read from several goroutines at once, other sensors not.
func Find(root fs.FS, cores []Core, now func() time.Time) []Sensor {
	f := finder{root: root, cores: cores, now: now, kept: map[string]kept{}}
	f.hwmon()
	f.duties()
	f.powercap()
	f.thermal()
	f.clocks()
	f.throttles()
	f.load()
	f.memory()
	f.alias()
	return f.found
}

type finder struct {
	root  fs.FS
	cores []Core
	now   func() time.Time
	found []Sensor
	kept  map[string]kept
}

// kept is what a file held that many sensors read from.
type kept struct {
	at   time.Time
	text string
}

// keepFor is how long such a file counts as read: less than the time between two samples.
const keepFor = 20 * time.Millisecond

// shared reads a file that many sensors read from, once for all of them.
func (f *finder) shared(name string) string {
	now := f.now()
	if k, ok := f.kept[name]; ok && now.Sub(k.at) < keepFor && !now.Before(k.at) {
		return k.text
	}
	text := f.text(name)
	f.kept[name] = kept{now, text}
	return text
}

func (f *finder) add(c channel.Channel, read func() (float64, bool)) {
	for n, key := 2, c.Key; f.has(c.Key); n++ {
		c.Key = fmt.Sprintf("%s.%d", key, n)
	}
	quantity := channel.QuantityOf(c.Quantity)
	f.found = append(f.found, Sensor{c, func() (float64, bool) {
		x, ok := read()
		return x, ok && quantity.Plausible(x)
	}})
}

func (f *finder) has(key string) bool {
	return slices.ContainsFunc(f.found, func(s Sensor) bool { return s.Key == key })
}

// text reads a file of one line; it is "" when the file is missing or does not answer.
func (f *finder) text(name string) string {
	data, err := fs.ReadFile(f.root, name)
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(data))
}

// number returns a reader of a file that holds an integer, times a scale.
func (f *finder) number(name string, scale float64) func() (float64, bool) {
	one := &file{root: f.root, name: name}
	return func() (float64, bool) {
		x, ok := one.number()
		return x * scale, ok
	}
}

func (f *finder) list(pattern string) []string {
	names, _ := fs.Glob(f.root, pattern) // the patterns are constants, and cannot be malformed
	slices.SortFunc(names, byNumber)
	return names
}

// byNumber orders names so that temp2 stands before temp10.
func byNumber(a, b string) int {
	if len(a) != len(b) {
		return len(a) - len(b)
	}
	return strings.Compare(a, b)
}

// kinds of hwmon files: prefix, quantity, unit, scale to the unit, and quantum in the unit.
var kinds = []struct {
	prefix, quantity, unit string
	scale, quantum         float64
}{
	{"temp", "temperature", "°C", 1e-3, 0.001},
	{"in", "voltage", "V", 1e-3, 0.001},
	{"fan", "speed", "rpm", 1, 1},
	{"power", "power", "W", 1e-6, 0.001},
	{"curr", "current", "A", 1e-3, 0.001},
}

func (f *finder) hwmon() {
	for _, chip := range f.list("sys/class/hwmon/hwmon*") {
		name := f.text(path.Join(chip, "name"))
		for _, k := range kinds {
			for _, file := range f.list(path.Join(chip, k.prefix+"*_input")) {
				base := strings.TrimSuffix(path.Base(file), "_input")
				label := f.text(path.Join(chip, base+"_label"))
				c := channel.Channel{Quantity: k.quantity, Unit: k.unit, Quantum: k.quantum, Core: -1}
				c.Label = strings.TrimSpace(name + " " + orElse(label, base))
				c.Key = k.quantity + "." + slug(name) + "." + slug(orElse(label, base))
				if core, ok := f.coreOf(label); ok && k.quantity == "temperature" {
					c.Core, c.Key = core, channel.At(channel.CoreTemperature, core)
				}
				f.add(c, f.number(file, k.scale))
			}
		}
	}
}

// Duty is the duty of a header, and the file below the root that it is read from.
type Duty struct {
	channel.Channel
	File string
}

// Duties lists the headers whose duty the kernel tells: pwm1 of a chip, next to settings of it.
func Duties(root fs.FS) []Duty {
	f := finder{root: root}
	var out []Duty
	for _, chip := range f.list("sys/class/hwmon/hwmon*") {
		name := f.text(path.Join(chip, "name"))
		for _, file := range f.list(path.Join(chip, "pwm*")) {
			base := path.Base(file)
			if _, err := strconv.Atoi(strings.TrimPrefix(base, "pwm")); err != nil {
				continue
			}
			c := channel.Channel{Key: "duty." + slug(name) + "." + base, Quantity: "duty", Unit: "%", Quantum: 0.1, Core: -1,
				Label: strings.TrimSpace(name + " " + base)}
			out = append(out, Duty{c, file})
		}
	}
	return out
}

// duties reads them; the kernel counts to 255.
func (f *finder) duties() {
	for _, d := range Duties(f.root) {
		f.add(d.Channel, f.number(d.File, 100.0/255))
	}
}

// coreOf finds the core that a label such as "Core 3" means: the kernel counts by its own ids of cores.
func (f *finder) coreOf(label string) (int, bool) {
	rest, ok := strings.CutPrefix(label, "Core ")
	id, err := strconv.Atoi(rest)
	if !ok || err != nil {
		return 0, false
	}
	for i, c := range f.cores {
		if c.ID == id {
			return i, true
		}
	}
	return 0, false
}

// powercap turns energy counters into power: the difference of two readings over the time between, wrap-around
// included.
func (f *finder) powercap() {
	for _, file := range f.list("sys/class/powercap/*/energy_uj") {
		dir := path.Dir(file)
		name := f.text(path.Join(dir, "name"))
		most, _ := f.number(path.Join(dir, "max_energy_range_uj"), 1)()
		key := "power." + slug(name)
		if strings.HasPrefix(name, "package") && !f.has(channel.PackagePower) {
			key = channel.PackagePower
		}
		energy := f.number(file, 1)
		meter := Meter{Range: most}
		f.add(channel.Channel{Key: key, Quantity: "power", Label: "Power " + name, Unit: "W", Quantum: 0.001, Core: -1}, func() (float64, bool) {
			uj, ok := energy()
			if !ok {
				return 0, false
			}
			return meter.Power(uj, f.now())
		})
	}
}

// Meter turns readings of an energy counter in µJ into power. Range is where the counter wraps, 0 if unknown.
type Meter struct {
	Range float64
	last  float64
	at    time.Time
}

// Power returns the mean power in W since the reading before, and false at the first one, or when the counter jumped
// back without a known range.
func (m *Meter) Power(uj float64, now time.Time) (float64, bool) {
	before, since := m.last, now.Sub(m.at).Seconds()
	first := m.at.IsZero()
	m.last, m.at = uj, now
	delta := uj - before
	if delta < 0 && m.Range > 0 {
		delta += m.Range
	}
	if first || since <= 0 || delta < 0 {
		return 0, false
	}
	return delta / since / 1e6, true
}

func (f *finder) thermal() {
	for _, zone := range f.list("sys/class/thermal/thermal_zone*") {
		kind := f.text(path.Join(zone, "type"))
		f.add(channel.Channel{Key: "temperature.zone." + slug(orElse(kind, path.Base(zone))), Quantity: "temperature",
			Label: "Zone " + orElse(kind, path.Base(zone)),
			Unit:  "°C", Quantum: 0.001, Core: -1}, f.number(path.Join(zone, "temp"), 1e-3))
	}
}

// load reads how busy each core is, from the kernel's counters of time.
func (f *finder) load() {
	var all busy
	f.add(channel.Of(channel.MeanLoad, 0.01), func() (float64, bool) {
		return all.step(f.shared("proc/stat"), "cpu")
	})
	for i, core := range f.cores {
		var one busy
		name := fmt.Sprintf("cpu%d", core.CPUs[0])
		f.add(channel.OfCore(channel.CoreLoad, i, 0.01), func() (float64, bool) {
			return one.step(f.shared("proc/stat"), name)
		})
	}
}

// busy turns the kernel's counters of time into a load.
type busy struct{ total, idle float64 }

func (b *busy) step(stat, name string) (float64, bool) {
	for line := range strings.Lines(stat) {
		fields := strings.Fields(line)
		if len(fields) < 6 || fields[0] != name {
			continue
		}
		var total, idle float64
		for i, text := range fields[1:min(len(fields), 9)] {
			x, err := strconv.ParseFloat(text, 64)
			if err != nil {
				return 0, false
			}
			total += x
			if i == 3 || i == 4 { // idle, and waiting for a disk
				idle += x
			}
		}
		before := *b
		*b = busy{total, idle}
		if before.total == 0 || total <= before.total {
			return 0, false
		}
		return 100 * (1 - (idle-before.idle)/(total-before.total)), true
	}
	return 0, false
}

// ticksPerSecond is the unit of the kernel's counters of time, the same on every Linux machine.
const ticksPerSecond = 100

// BusySeconds returns for how long the machine's processors have worked, all of them together, time taken from a virtual
// machine included.
func BusySeconds(root fs.FS) (float64, bool) {
	f := finder{root: root}
	for line := range strings.Lines(f.text("proc/stat")) {
		fields := strings.Fields(line)
		if len(fields) < 9 || fields[0] != "cpu" {
			continue
		}
		ticks := 0.0
		for i, text := range fields[1:9] {
			x, err := strconv.ParseFloat(text, 64)
			if err != nil {
				return 0, false
			}
			if i != 3 && i != 4 { // idle, and waiting for a disk
				ticks += x
			}
		}
		return ticks / ticksPerSecond, true
	}
	return 0, false
}

// FreeMB returns the memory that programs may still take.
func FreeMB(root fs.FS) (float64, bool) {
	f := finder{root: root}
	free := meminfo(f.text("proc/meminfo"), "MemAvailable")
	return free / 1024, free > 0
}

func (f *finder) memory() {
	read := func() (float64, bool) {
		free, total := meminfo(f.text("proc/meminfo"), "MemAvailable"), meminfo(f.text("proc/meminfo"), "MemTotal")
		return 100 * (1 - free/total), free > 0 && total > 0
	}
	if _, ok := read(); ok {
		f.add(channel.Of(channel.Memory, 0.01), read)
	}
}

func meminfo(text, key string) float64 {
	for line := range strings.Lines(text) {
		if rest, ok := strings.CutPrefix(line, key+":"); ok {
			x, _ := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(rest), " kB"), 64)
			return x
		}
	}
	return 0
}

// alias gives the machine's main temperature the name that pages look for: the label of the package, or the hottest
// of the cores.
func (f *finder) alias() {
	for _, s := range f.found {
		if label := strings.ToLower(s.Label); s.Quantity == "temperature" &&
			(strings.Contains(label, "package") || strings.HasSuffix(label, "tctl")) { // os-path
			c := s.Channel
			c.Key = channel.Temperature
			f.found = append(f.found, Sensor{c, s.Read})
			return
		}
	}
}

func orElse(text, other string) string {
	if text == "" {
		return other
	}
	return text
}

// slug turns a label into a part of a key.
func slug(text string) string {
	var b strings.Builder
	for _, c := range strings.ToLower(text) {
		if (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') {
			b.WriteRune(c)
		} else if b.Len() > 0 && !strings.HasSuffix(b.String(), "-") {
			b.WriteByte('-')
		}
	}
	return strings.Trim(b.String(), "-")
}
