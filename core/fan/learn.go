package fan

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/core/series"
)

// Learnt is what a sweep showed of what hangs on a header.
type Learnt struct {
	Answers  []string         `json:"answers"`            // channels of speeds that followed, the one that followed most first
	Still    []string         `json:"still,omitempty"`    // channels of speeds that did not
	Stops    bool             `json:"stops"`              // it stood at the least duty
	Stall    float64          `json:"stall"`              // least duty, in percent, at which it went on turning on the way down
	Start    float64          `json:"start"`              // least duty at which it started when it stood; Stall where it never stood
	Speeds   []part.DutySpeed `json:"speeds"`             // from Stall to full, by rising duty
	SD       float64          `json:"sd"`                 // of a speed, in rpm: what the way down and the way up differ by
	Pump     bool             `json:"pump"`               // it answers as pumps do: it never stops, and stays fast
	Unsteady bool             `json:"unsteady,omitempty"` // speeds were still moving when the next step came
}

// Unlearnt is why a sweep told nothing.
type Unlearnt struct{ Problem, Remedy string }

func (e *Unlearnt) Error() string { return e.Problem + "; " + e.Remedy }

const (
	turnsRPM  = 60.0 // a slower fan stands: what is read is noise
	followRPM = 100.0
	follow    = 0.1  // share of the top speed by which a fan must move with its header to have answered
	moving    = 0.1  // share by which a speed at the end of a step may differ from that just before
	pumpShare = 0.35 // of the top speed, which a pump keeps at least
	obeys     = 6.0  // percent by which a board's report of its duty may differ from what was set
	endS      = 2.5  // of a step's end that its speed is taken from
)

// step is what a speed was while one duty of a sweep was set.
type step struct{ duty, rpm, before float64 }

// Learn tells what a sweep that began at a moment, in ms, showed. duty is the channel that the board reports the header's duty by, if it
// does. The error is an *Unlearnt.
func (s *Sweep) Learn(startedMS int64, samples channel.Samples, duty string) (*Learnt, error) {
	if told, n := s.obeyed(startedMS, samples[duty]); n > 0 && told > obeys {
		return nil, &Unlearnt{fmt.Sprintf("the board did not take the duty: it reports values that are %.0f %% away from what was set", told),
			"let the board leave this header to the operating system, or enter what the fan does by hand"}
	}
	out := &Learnt{}
	moved := map[string]float64{}
	for key, list := range samples {
		if !strings.HasPrefix(key, speedOf) {
			continue
		}
		steps := s.steps(startedMS, list)
		if len(steps) < len(s.Duties) {
			continue
		}
		if by := follows(steps); by > 0 {
			out.Answers = append(out.Answers, key)
			moved[key] = by
		} else {
			out.Still = append(out.Still, key)
		}
	}
	slices.Sort(out.Still)
	slices.SortFunc(out.Answers, func(a, b string) int {
		if moved[a] != moved[b] {
			return int(math.Copysign(1, moved[b]-moved[a]))
		}
		return len(a) - len(b)
	})
	switch {
	case len(out.Answers) == 0 && len(out.Still) == 0:
		return nil, &Unlearnt{"no fan's speed was read from the first step of the sweep to the last",
			"let the sweep run to its end, and see that the fan tells its speed"}
	case len(out.Answers) == 0:
		return nil, &Unlearnt{"no fan answers to this header: every speed stayed as it was",
			"see which header the fan is plugged in to, and that it is one whose speed can be set"}
	}
	out.read(s.steps(startedMS, samples[out.Answers[0]]))
	return out, nil
}

// obeyed returns by how many percent the duty that the board reports is away from what was set, on average, and over how many steps.
func (s *Sweep) obeyed(startedMS int64, told []series.Sample) (away float64, n int) {
	for _, at := range s.steps(startedMS, told) {
		away += math.Abs(at.rpm - at.duty)
		n++
	}
	return away / math.Max(1, float64(n)), n
}

// steps returns what a channel read at the end of each step that it was read in.
func (s *Sweep) steps(startedMS int64, list []series.Sample) []step {
	var out []step
	for i, duty := range s.Duties {
		end := startedMS + int64(1000*s.DwellS*float64(i+1))
		last := mean(list, end-int64(1000*endS), end)
		if math.IsNaN(last) {
			continue
		}
		out = append(out, step{duty, last, mean(list, end-int64(2000*endS), end-int64(1000*endS))})
	}
	return out
}

// mean returns the mean of the samples from one moment to before another, NaN for none.
func mean(list []series.Sample, from, to int64) float64 {
	sum, n := 0.0, 0.0
	at, _ := slices.BinarySearchFunc(list, from, func(x series.Sample, t int64) int { return int(x.T - t) })
	for ; at < len(list) && list[at].T < to; at++ {
		if !math.IsNaN(list[at].V) {
			sum, n = sum+list[at].V, n+1
		}
	}
	return sum / n
}

// follows returns by which share of its top a speed moved with the duty, 0 where it did not: it must be faster at every higher third of
// the duties, on the way down as on the way up, or what moved it was something else.
func follows(steps []step) float64 {
	top := 0.0
	for _, at := range steps {
		top = math.Max(top, at.rpm)
	}
	half := slices.IndexFunc(steps, func(at step) bool { return at.duty == lowest(steps) })
	least := math.Inf(1)
	for _, way := range [][]step{steps[:half+1], steps[half:]} {
		low, high := byDuty(way)
		least = math.Min(least, high-low)
	}
	if top < turnsRPM || least < followRPM || least < follow*top {
		return 0
	}
	return least / top
}

func lowest(steps []step) float64 {
	return slices.MinFunc(steps, func(a, b step) int { return int(math.Copysign(1, a.duty-b.duty)) }).duty
}

// byDuty returns the mean speeds of the lower and of the higher half of the duties of one way.
func byDuty(way []step) (low, high float64) {
	sorted := slices.SortedFunc(slices.Values(way), func(a, b step) int { return int(math.Round(1000 * (a.duty - b.duty))) })
	half := len(sorted) / 2
	if half == 0 {
		return 0, 0
	}
	for _, at := range sorted[:half] {
		low += at.rpm / float64(half)
	}
	for _, at := range sorted[len(sorted)-half:] {
		high += at.rpm / float64(half)
	}
	return low, high
}

// read fills in what the steps of the speed that answered say.
func (l *Learnt) read(steps []step) {
	half := slices.IndexFunc(steps, func(at step) bool { return at.duty == lowest(steps) })
	down, up := steps[:half+1], steps[half:]
	l.Stops = steps[half].rpm < turnsRPM
	l.Stall, l.Start = steps[half].duty, steps[half].duty
	if l.Stops {
		for _, at := range down {
			if at.rpm >= turnsRPM {
				l.Stall = at.duty
			}
		}
		l.Start = l.Stall
		for _, at := range up {
			if at.rpm >= turnsRPM {
				l.Start = math.Max(l.Stall, at.duty)
				break
			}
		}
	}
	sums, counts := map[float64]float64{}, map[float64]float64{}
	apart, pairs := 0.0, 0.0
	for i, at := range steps {
		if at.rpm < turnsRPM || at.duty < l.Stall || i >= half && at.duty < l.Start && l.Stops {
			continue
		}
		if n := counts[at.duty]; n > 0 {
			d := at.rpm - sums[at.duty]/n
			apart, pairs = apart+d*d/2, pairs+1
		}
		sums[at.duty] += at.rpm
		counts[at.duty]++
		l.Unsteady = l.Unsteady || math.Abs(at.rpm-at.before) > moving*at.rpm && !math.IsNaN(at.before)
	}
	if pairs > 0 {
		l.SD = math.Sqrt(apart / pairs)
	}
	var weights []float64
	for duty, n := range counts {
		l.Speeds = append(l.Speeds, part.DutySpeed{Duty: duty, RPM: sums[duty] / n})
	}
	slices.SortFunc(l.Speeds, func(a, b part.DutySpeed) int { return int(math.Copysign(1, a.Duty-b.Duty)) })
	for _, at := range l.Speeds {
		weights = append(weights, counts[at.Duty])
	}
	rising(l.Speeds, weights)
	if n := len(l.Speeds); n > 0 {
		l.Pump = !l.Stops && l.Speeds[0].RPM > pumpShare*l.Speeds[n-1].RPM
	}
}

// rising replaces speeds that fall with the duty by their mean, as pooling of neighbours does.
func rising(speeds []part.DutySpeed, weights []float64) {
	type pool struct {
		rpm, weight float64
		n           int
	}
	var pools []pool
	for i, at := range speeds {
		pools = append(pools, pool{at.RPM, weights[i], 1})
		for k := len(pools) - 1; k > 0 && pools[k].rpm < pools[k-1].rpm; k-- {
			a, b := pools[k-1], pools[k]
			w := a.weight + b.weight
			pools = append(pools[:k-1], pool{(a.rpm*a.weight + b.rpm*b.weight) / w, w, a.n + b.n})
		}
	}
	i := 0
	for _, p := range pools {
		for range p.n {
			speeds[i].RPM = p.rpm
			i++
		}
	}
}

// Fan is the fan of a sheet as a sweep showed it: its own duties and speeds, and the sheet's noise at a speed.
func (l *Learnt) Fan(sheet part.Fan) part.Fan {
	n := len(l.Speeds)
	if n == 0 {
		return sheet
	}
	out := part.Fan{StallDuty: l.Stall, StartDuty: l.Start, MinRPM: l.Speeds[0].RPM, MaxRPM: l.Speeds[n-1].RPM, Speeds: l.Speeds}
	out.MaxNoise = math.Max(0, sheet.MaxNoise+50*math.Log10(out.MaxRPM/sheet.MaxRPM))
	return out
}

// Entered is what a person read of a fan, in the place of a sweep.
func Entered(f part.Fan) Learnt {
	out := Learnt{Stops: f.StallDuty > 0, Stall: f.StallDuty, Start: f.Starts(), Speeds: f.Speeds}
	if len(out.Speeds) == 0 {
		out.Speeds = []part.DutySpeed{{Duty: f.StallDuty, RPM: f.MinRPM}, {Duty: 100, RPM: f.MaxRPM}}
	}
	return out
}
