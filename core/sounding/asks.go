package sounding

import (
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
)

// askedOf gathers what each core asks for, as trials tell that visited one after the other.
type askedOf struct {
	*Axis
	processor *part.Processor
	model     func(trim.Settings) (*machine.Model, error)
	models    map[int64]*machine.Model // by trim; nil where the board does not take it
	cores     []mean                   // by how many volts each asks for more than the sheet says
}

type mean struct{ sum, n float64 }

func (m *mean) add(x float64) { m.sum, m.n = m.sum+x, m.n+1 }

func (a *Axis) newAsked(p *part.Processor, model func(trim.Settings) (*machine.Model, error)) *askedOf {
	return &askedOf{a, p, model, map[int64]*machine.Model{}, make([]mean, len(a.Cores))}
}

// gather adds what a leg tells, under the settings of a trim.
func (a *askedOf) gather(l *Leg, id int64, settings trim.Settings) {
	if l.AskedV == nil {
		return
	}
	m, known := a.models[id]
	if !known {
		m, _ = a.model(settings)
		a.models[id] = m
	}
	if m == nil {
		return
	}
	for i, core := range a.Cores {
		if v, told := l.AskedV[core]; told {
			// A fitted model puts what it does not know of single cores on the last of a cluster: its first is as they are on average.
			top, first := m.AloneMHz(core), a.processor.FirstCore(a.processor.ClusterOf(core))
			a.cores[i].add(v - (m.AskedV(core, top, usualC) - m.FusedV(core, top) + m.FusedV(first, top)))
		}
	}
}

// asks returns how much more than others of its rail each core asks for, in steps; nil where that was not measured of all.
func (a *askedOf) asks() []float64 {
	rails, means := a.rails(a.processor), map[int]*mean{}
	out := make([]float64, len(a.cores))
	for i, x := range a.cores {
		if x.n == 0 {
			return nil
		}
		out[i] = x.sum / x.n / a.StepV
		if means[rails[i]] == nil {
			means[rails[i]] = &mean{}
		}
		means[rails[i]].add(out[i])
	}
	for i, rail := range rails {
		out[i] -= means[rail].sum / means[rail].n
	}
	return out
}

// askedV is how far off what was measured of what a core asks for may be, a standard deviation in V.
const askedV = 0.002

// Know puts into a setup what records tell of a machine beside what held and failed.
func (a *Axis) Know(s *survey.Setup, told *Told) {
	if told.Asks != nil && a.lifts == nil {
		s.Asks, s.RailSD = told.Asks, min(s.RailSD, askedV/a.StepV)
	}
}
