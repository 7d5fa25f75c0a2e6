package machine

import (
	"math"

	"zerokeel/core/load"
)

// visit is a core that stands for its cluster when a load goes from core to core, with the cluster's share of them.
type visit struct {
	core  int
	share float64
}

// visits lists one core of each cluster.
func (m *Model) visits() []visit {
	p := m.set.Processor
	var list []visit
	on := 0.0
	for cluster := range p.Clusters {
		v := visit{core: -1}
		first := p.FirstCore(cluster)
		for c := first; c < first+p.Clusters[cluster].Cores; c++ {
			if m.tuning.On[c] {
				if v.core < 0 {
					v.core = c
				}
				v.share++
				on++
			}
		}
		if v.core >= 0 {
			list = append(list, v)
		}
	}
	for i := range list {
		list[i].share /= on
	}
	return list
}

// SteadyInTurn is Steady for a load as a trial runs it: one that goes from core to core shows the mean over the clusters,
// by their cores. Its Cores, Limiter and words are those of the first.
func (m *Model) SteadyInTurn(kind load.Kind, ambient float64) (State, error) {
	visits := m.visits()
	if !kind.OneCore() || len(visits) < 2 {
		return m.Steady(kind, nil, ambient)
	}
	var out State
	for i, v := range visits {
		s, err := m.Steady(kind, []int{v.core}, ambient)
		if err != nil {
			return State{}, err
		}
		if i == 0 {
			out = s
			for _, x := range out.means() {
				*x *= v.share
			}
			continue
		}
		other := s.means()
		for j, x := range out.means() {
			*x += v.share * *other[j]
		}
		out.Overheats = out.Overheats || s.Overheats
		out.VoltageMaxV, out.LowestMHz = max(out.VoltageMaxV, s.VoltageMaxV), min(out.LowestMHz, s.LowestMHz)
		for c := range out.Cores {
			if s.Cores[c].Active {
				out.Cores[c] = s.Cores[c]
			}
		}
	}
	return out, nil
}

// means lists the figures of a state that are averaged over the turns of a load.
func (s *State) means() []*float64 {
	return []*float64{&s.RequestV, &s.DeliveredV, &s.DipV, &s.OvershootV, &s.Amps, &s.PackageW, &s.ReportedW, &s.VRMLossW, &s.WallW,
		&s.HottestC, &s.DieC, &s.CoolantC, &s.VRMC, &s.FanDuty, &s.FanRPM, &s.NoiseDB, &s.MeanMHz}
}

// At is what a machine shows while a load holds it at a clock for good.
type At struct {
	MHz, RequestV, DeliveredV, PackageW, HottestC, CoolantC, Amps float64

	settled *settled
	turns   []At // of a load that goes from core to core over several clusters
}

// SettleAt returns where the machine settles when a load runs on all cores (on one of each cluster in turn, for a
// one-core load) at a mean clock in MHz of the active cores, whatever the limits say. Between two bins it goes in a
// straight line, so it is smooth in the clock as well as in everything the model was made from. near may give where a
// like model settled, and saves time. Loads without a steady state are an error.
func (m *Model) SettleAt(kind load.Kind, mhz, ambient float64, near At) (At, error) {
	if kind == load.Transition {
		return At{}, ErrNoSteadyState
	}
	visits := m.visits()
	if !kind.OneCore() || len(visits) < 2 {
		return m.settleAt(kind, nil, mhz, ambient, near)
	}
	// From core to core, each cluster runs at its share of its own ceiling.
	mean := 0.0
	tops := make([]float64, len(visits))
	for i, v := range visits {
		tops[i] = m.AloneMHz(v.core)
		mean += v.share * tops[i]
	}
	var out At
	for i, v := range visits {
		var from At
		if i < len(near.turns) {
			from = near.turns[i]
		}
		one, err := m.settleAt(kind, []int{v.core}, mhz*tops[i]/mean, ambient, from)
		if err != nil {
			return At{}, err
		}
		out.turns = append(out.turns, one)
		for to, x := range map[*float64]float64{&out.MHz: one.MHz, &out.RequestV: one.RequestV, &out.DeliveredV: one.DeliveredV,
			&out.PackageW: one.PackageW, &out.HottestC: one.HottestC, &out.CoolantC: one.CoolantC, &out.Amps: one.Amps} {
			*to += v.share * x
		}
	}
	return out, nil
}

// HighestMHz returns the mean clock of the active cores, as SettleAt takes it, at which ratios and the voltage ceiling end.
func (m *Model) HighestMHz(kind load.Kind, ambient float64) (float64, error) {
	cores, visits := [][]int{nil}, m.visits()
	shares := []float64{1}
	if kind.OneCore() && len(visits) > 1 {
		cores, shares = nil, nil
		for _, v := range visits {
			cores, shares = append(cores, []int{v.core}), append(shares, v.share)
		}
	}
	mean := 0.0
	for i, own := range cores {
		d, err := m.checkedDemand(kind, own, ambient)
		if err != nil {
			return 0, err
		}
		mean += shares[i] * m.meanOf(&d, d.top)
	}
	return mean, nil
}

func (m *Model) settleAt(kind load.Kind, cores []int, mhz, ambient float64, near At) (At, error) {
	d, err := m.checkedDemand(kind, cores, ambient)
	if err != nil {
		return At{}, err
	}
	if d.count == 0 {
		s := m.settle(&d, m.idleBin, ambient, near.settled)
		return m.shows(&d, &s), nil
	}
	bin := m.binOfMean(&d, mhz)
	low := m.settle(&d, bin, ambient, near.settled)
	a := m.shows(&d, &low)
	if bin >= d.top || mhz <= a.MHz {
		return a, nil
	}
	high := m.settle(&d, bin+1, ambient, &low)
	b := m.shows(&d, &high)
	if b.MHz <= a.MHz {
		return a, nil
	}
	x := math.Min(1, (mhz-a.MHz)/(b.MHz-a.MHz))
	mix := func(low, high float64) float64 { return low + x*(high-low) }
	return At{mix(a.MHz, b.MHz), mix(a.RequestV, b.RequestV), mix(a.DeliveredV, b.DeliveredV), mix(a.PackageW, b.PackageW),
		mix(a.HottestC, b.HottestC), mix(a.CoolantC, b.CoolantC), mix(a.Amps, b.Amps), a.settled, nil}, nil
}

// binOfMean returns the highest bin at which the mean clock of the active cores does not exceed mhz.
func (m *Model) binOfMean(d *demand, mhz float64) int {
	low, high := 0, d.top
	for low < high {
		if mid := (low + high + 1) / 2; m.meanOf(d, mid) <= mhz+1e-6 {
			low = mid
		} else {
			high = mid - 1
		}
	}
	return low
}

// meanOf returns the mean clock of the active cores at a bin.
func (m *Model) meanOf(d *demand, bin int) float64 {
	sum := 0.0
	for c, on := range d.active {
		if on {
			sum += m.clockOf(d, c, bin)
		}
	}
	return sum / float64(max(1, d.count))
}

func (m *Model) shows(d *demand, s *settled) At {
	lead := m.leadFeed(d, &s.op)
	a := At{RequestV: s.op.request[lead], DeliveredV: s.op.die[lead], PackageW: s.op.reportedW, CoolantC: s.nodes.Coolant, Amps: s.op.amps,
		settled: s}
	n := 0
	for c := range m.cores {
		if !m.tuning.On[c] {
			continue
		}
		a.HottestC = math.Max(a.HottestC, s.temperature[c])
		if d.active[c] || d.count == 0 {
			a.MHz += m.clockOf(d, c, s.op.bin)
			n++
		}
	}
	a.MHz /= float64(max(1, n))
	return a
}
