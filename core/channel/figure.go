package channel

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"strings"

	"zerokeel/core/load"
	"zerokeel/core/series"
	"zerokeel/core/stat"
)

// Figure sums up a channel over a leg: its mean over the steady part, its lowest and its peak, and the value that it
// approached, nil where that cannot be told. Of a leg of which a part was scored, mean, lowest and peak are of that part.
type Figure struct {
	Key     string   `json:"key"`
	Label   string   `json:"label"`
	Unit    string   `json:"unit"`
	Mean    float64  `json:"mean"`
	Low     *float64 `json:"low,omitempty"` // nil in records from before it was noted
	Peak    float64  `json:"peak"`
	Step    float64  `json:"step,omitempty"` // the smallest that its sensor shows; 0 if unknown
	Settled *Settled `json:"settled,omitempty"`
}

// Samples are the samples of channels by key, each sorted by time.
type Samples = map[string][]series.Sample

// Leg is what a leg's figures hang on beside its samples.
type Leg struct {
	Load     load.Kind
	AmbientC float64 // of the room, where it was not measured
	// Most holds the limits that were in force, by the channel that they hold: a figure does not settle above its own.
	Most     map[string]float64
	Clusters []Cluster                      // where there are several
	Noise    func(rpm float64) (dB float64) // of the cooler, by its sheet; nil where that is not known
	Fan      string                         // channel of the speed of the cooler's fan; empty where that is not known
	Scored   *Span                          // the part that a yardstick's score comes from; nil for the whole leg
}

// Span is a time on a rig's clock, in ms since 1970 UTC.
type Span struct{ FromMS, ToMS int64 }

// part returns the samples that count for means: of a leg that was scored those of its window.
func (l Leg) part(samples []series.Sample) []series.Sample {
	if l.Scored == nil {
		return samples
	}
	byTime := func(s series.Sample, t int64) int { return cmp.Compare(s.T, t) }
	from, _ := slices.BinarySearchFunc(samples, l.Scored.FromMS, byTime)
	to, _ := slices.BinarySearchFunc(samples, l.Scored.ToMS, byTime)
	return samples[from:max(from, to)]
}

// steady returns the part of a leg's values that its means are of. A window is all of it, and a load that visits one core after
// the other is steady only over all its turns, since each core asks for a voltage of its own.
func (l Leg) steady(values []float64) []float64 {
	if l.Scored != nil || l.Load.OneCore() {
		return values
	}
	return values[stat.SteadyFrom(values):]
}

// Figures sums up a leg: the figure of every channel that belongs to the machine as a whole, how hot the processor was above
// its room, and the mean and lowest effective clock of its cores. Categories have shares, not figures.
func (l Leg) Figures(channels []Channel, samples Samples) []Figure {
	list := []Figure{}
	for _, c := range channels {
		if c.Core >= 0 || c.Define().Sum != SumMean {
			continue
		}
		f, ok := l.Figure(c, samples)
		if !ok {
			continue
		}
		list = append(list, f)
		if c.Key == Temperature {
			list = append(list, l.above(f, samples))
		}
	}
	list = append(list, l.coresFigure(channels, samples)...)
	list = append(list, l.noiseFigure(list)...)
	list = append(list, l.clockFigures(channels, samples)...)
	list = append(list, l.aloneFigures(channels, samples)...)
	list = append(list, l.boostFigure(samples)...)
	slices.SortStableFunc(list, func(a, b Figure) int { return cmp.Compare(rank(a.Key), rank(b.Key)) })
	return list
}

// told lists the figures that a leg is judged by, as they are read: heat, power, voltage, clock, and what the cooling did for it.
var told = []string{AboveAmbient, CoresAbove, Temperature, Coolant, VRM, PackagePower, WallPower, DeliveredVoltage, RequestedVoltage,
	MeanClock, ClusterClock, HighestClock, LowestClock, BoostWindow, FanSpeed, Noise, FanDuty, AloneVoltage}

// rank is where a figure stands among those of its leg.
func rank(key string) int {
	at := slices.IndexFunc(told, func(pattern string) bool { return Matches(pattern, key) })
	if at < 0 {
		return len(told)
	}
	return at
}

// Figure sums up one channel; false where it has no value.
func (l Leg) Figure(c Channel, samples Samples) (Figure, bool) {
	part := l.part(samples[c.Key])
	values := present(part)
	if len(values) == 0 {
		return Figure{}, false
	}
	f := Figure{Key: c.Key, Label: c.Label, Unit: c.Unit, Step: c.Quantum, Mean: stat.Summarise(l.steady(values)).Mean}
	f.reach(part)
	f.Settled = l.settled(c, samples)
	return f, true
}

// above tells how hot the processor was above its room, from the figure of its temperature.
func (l Leg) above(hot Figure, samples Samples) Figure {
	room, known := l.AmbientC, enteredRoomC
	if values := present(l.part(samples[Ambient])); len(values) > 0 {
		room, known = stat.Summarise(values).Mean, measuredRoomC
	}
	def := Of(AboveAmbient, 0)
	low := *hot.Low - room
	f := Figure{Key: def.Key, Label: def.Label, Unit: def.Unit, Step: hot.Step, Mean: hot.Mean - room, Low: &low, Peak: hot.Peak - room}
	if hot.Settled != nil {
		f.Settled = &Settled{hot.Settled.Value - room, math.Hypot(hot.Settled.SD, known)}
	}
	return f
}

// Refigure changes figures in place as a straight correction of one channel changes its readings, those above the room with
// them.
func Refigure(list []Figure, key string, anew func(float64) float64) {
	at := func(key string) *Figure {
		if i := slices.IndexFunc(list, func(f Figure) bool { return f.Key == key }); i >= 0 {
			return &list[i]
		}
		return nil
	}
	f := at(key)
	if f == nil {
		return
	}
	before := f.Mean
	f.straight(anew)
	above := at(AboveAmbient)
	if above != nil && key == Temperature {
		room := before - above.Mean
		above.straight(func(x float64) float64 { return anew(x+room) - room })
	}
	if key == Ambient {
		warmer := f.Mean - before
		for _, above := range []*Figure{above, at(CoresAbove)} {
			if above != nil {
				above.straight(func(x float64) float64 { return x - warmer })
			}
		}
	}
}

// straight changes a figure as it changes each of its readings; a function that falls turns lowest and highest around.
func (f *Figure) straight(anew func(float64) float64) {
	f.Mean, f.Peak = anew(f.Mean), anew(f.Peak)
	if f.Low != nil {
		low := anew(*f.Low)
		f.Low, f.Peak = new(min(low, f.Peak)), max(low, f.Peak)
	}
	if s := f.Settled; s != nil {
		f.Settled = &Settled{anew(s.Value), math.Abs(anew(1)-anew(0)) * s.SD}
	}
}

// awakeMHz, in MHz, is below every clock that a loaded core runs at and above what one that sleeps shows on average.
const awakeMHz = 300.0

// clockGroup is a figure of the clocks of some cores.
type clockGroup struct {
	Channel
	of   []Channel
	fold func([]float64) float64
}

// clockGroups lists the figures of clocks: of all cores, and of each of several clusters.
func (l Leg) clockGroups(channels []Channel) []clockGroup {
	cores := ofCores(channels, EffectiveClock)
	groups := []clockGroup{{Of(MeanClock, 0), cores, average}, {Of(LowestClock, 0), cores, slices.Min[[]float64]},
		{Of(HighestClock, 0), cores, slices.Max[[]float64]}}
	for i, cluster := range l.Clusters {
		own := slices.DeleteFunc(slices.Clone(cores), func(c Channel) bool { return !slices.Contains(cluster.Cores, c.Core) })
		groups = append(groups, clockGroup{clusterClock(i, cluster), own, average})
	}
	return groups
}

// clockFigures sums up the effective clocks. Cores that sat out the leg say nothing of its clock.
func (l Leg) clockFigures(channels []Channel, samples Samples) []Figure {
	if l.Load.OneCore() {
		return l.turnFigures(channels, samples)
	}
	var out []Figure
	for _, g := range l.clockGroups(channels) {
		var means []float64
		var own [][]series.Sample
		for _, c := range g.of {
			values := present(l.part(samples[c.Key]))
			if len(values) == 0 {
				continue
			}
			if mean := average(l.steady(values)); mean > awakeMHz {
				means, own = append(means, mean), append(own, samples[c.Key])
			}
		}
		if len(means) == 0 {
			continue
		}
		across := series.Across(own, g.fold)
		f := Figure{Key: g.Key, Label: g.Label, Unit: g.Unit, Mean: g.fold(means)}
		f.Low, f.Peak = new(f.Mean), f.Mean
		f.reach(l.part(across))
		f.Settled = l.settled(g.Channel, Samples{g.Key: across, PackagePower: samples[PackagePower]})
		out = append(out, f)
	}
	return out
}

// turnFigures sums up the clocks of a load that visits one core after the other: at each moment the core that is awake
// counts, and over the turns the slowest and the fastest of them.
func (l Leg) turnFigures(channels []Channel, samples Samples) []Figure {
	var out []Figure
	for _, g := range l.clockGroups(channels) {
		var turns []float64 // what each core kept while it was awake
		var own [][]series.Sample
		for _, c := range g.of {
			if awake := awakeIn(l.part(samples[c.Key])); len(awake) > 0 {
				turns, own = append(turns, average(awake)), append(own, l.part(samples[c.Key]))
			}
		}
		if len(turns) == 0 {
			continue
		}
		f := Figure{Key: g.Key, Label: g.Label, Unit: g.Unit, Mean: g.fold(turns)}
		f.Low, f.Peak = new(f.Mean), f.Mean
		if g.Key != LowestClock && g.Key != HighestClock {
			across := series.Across(own, slices.Max[[]float64])
			if awake := awakeIn(across); len(awake) > 0 {
				f.Mean, f.Low, f.Peak = average(awake), new(slices.Min(awake)), slices.Max(awake)
			}
			if l.Scored == nil && g.Key == MeanClock {
				f.Settled = l.inTurn(g.Channel, Samples{g.Key: across})
			}
		}
		out = append(out, f)
	}
	return out
}

// leastAlone is in how many samples a core was awake at least before they tell what it asks for.
const leastAlone = 3

// aloneFigures are what each core asks for under a load that visits one after the other: what was requested while only that one was awake.
func (l Leg) aloneFigures(channels []Channel, samples Samples) []Figure {
	requested := map[int64]float64{}
	for _, s := range l.part(samples[RequestedVoltage]) {
		if !math.IsNaN(s.V) {
			requested[s.T] = s.V
		}
	}
	if !l.Load.OneCore() || len(requested) == 0 {
		return nil
	}
	at := map[int64]int{} // the core that was awake; −1 where several were
	for _, c := range ofCores(channels, EffectiveClock) {
		for _, s := range l.part(samples[c.Key]) {
			if math.IsNaN(s.V) || s.V < awakeMHz {
				continue
			}
			if _, other := at[s.T]; other {
				at[s.T] = -1
			} else {
				at[s.T] = c.Core
			}
		}
	}
	alone := map[int][]float64{}
	for t, core := range at {
		if v, told := requested[t]; told && core >= 0 {
			alone[core] = append(alone[core], v)
		}
	}
	var out []Figure
	for _, c := range ofCores(channels, EffectiveClock) {
		values := alone[c.Core]
		if len(values) < leastAlone {
			continue
		}
		slices.Sort(values)
		inner := values[len(values)/4 : len(values)-len(values)/4] // without those taken as one core handed over to the next
		one := OfCore(AloneVoltage, c.Core, 0)
		out = append(out, Figure{Key: one.Key, Label: one.Label, Unit: one.Unit, Mean: average(inner),
			Low: new(values[0]), Peak: values[len(values)-1]})
	}
	return out
}

// awakeIn returns the clocks of samples in which a core was awake.
func awakeIn(samples []series.Sample) []float64 {
	return slices.DeleteFunc(present(samples), func(v float64) bool { return v < awakeMHz })
}

// coresFigure is how hot the cores were above the room on average; none under a load that leaves most of them asleep.
func (l Leg) coresFigure(channels []Channel, samples Samples) []Figure {
	var own [][]series.Sample
	step := 0.0
	for _, c := range ofCores(channels, CoreTemperature) {
		if len(samples[c.Key]) > 0 {
			own, step = append(own, samples[c.Key]), math.Max(step, c.Quantum)
		}
	}
	if l.Load.OneCore() || len(own) < 2 {
		return nil
	}
	// As a temperature of its own, so that it settles as one.
	mean := Channel{Key: "temperature.cores", Quantity: temperature, Unit: "°C", Quantum: step, Core: -1}
	with := maps.Clone(samples)
	with[mean.Key] = series.Across(own, average)
	hot, ok := l.Figure(mean, with)
	if !ok {
		return nil
	}
	f, def := l.above(hot, samples), Of(CoresAbove, 0)
	f.Key, f.Label = def.Key, def.Label
	return []Figure{f}
}

// noiseFigure is how loud the cooler was, by its sheet, at the speed of its fan.
func (l Leg) noiseFigure(list []Figure) []Figure {
	if l.Noise == nil {
		return nil
	}
	speeds := map[string]float64{}
	for i := range list {
		if strings.HasPrefix(list[i].Key, speedOf) {
			speeds[list[i].Key] = list[i].Mean
		}
	}
	which := l.coolersFan(speeds)
	at := slices.IndexFunc(list, func(f Figure) bool { return f.Key == which })
	if at < 0 {
		return nil
	}
	fan := &list[at]
	c := Of(Noise, 0)
	f := Figure{Key: c.Key, Label: c.Label, Unit: c.Unit, Mean: l.Noise(fan.Mean), Peak: l.Noise(fan.Peak)}
	if fan.Low != nil {
		f.Low = new(l.Noise(*fan.Low))
	}
	if s := fan.Settled; s != nil {
		up, down := l.Noise(s.Value+s.SD), l.Noise(math.Max(0, s.Value-s.SD))
		f.Settled = &Settled{l.Noise(s.Value), (up - down) / 2}
	}
	return []Figure{f}
}

// reach notes the lowest and the highest of some samples.
func (f *Figure) reach(samples []series.Sample) {
	if values := present(samples); len(values) > 0 {
		f.Low, f.Peak = new(slices.Min(values)), slices.Max(values)
	}
}

// ofCores returns the channels of cores that fit a pattern.
func ofCores(channels []Channel, pattern string) []Channel {
	var out []Channel
	for _, c := range channels {
		if c.Core >= 0 && Matches(pattern, c.Key) {
			out = append(out, c)
		}
	}
	return out
}

func present(samples []series.Sample) []float64 {
	values := make([]float64, 0, len(samples))
	for _, s := range samples {
		if !math.IsNaN(s.V) {
			values = append(values, s.V)
		}
	}
	return values
}

// Most is beyond every figure that something on a desk can have, in any unit: a sum of such figures, or of their squares, stays a
// number.
const Most = 1e12

// Possible reports whether a figure may be one.
func Possible(x float64) bool { return math.Abs(x) <= Most }
