package workshop

import (
	"context"
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/energy"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/store"
)

// mostCost bounds what a change may have cost.
const mostCost = 1e9

// EnergyAsk says for which days and which price a year is reckoned; what is nil goes by what the workshop says of itself.
type EnergyAsk struct {
	Hours  energy.Hours
	PerKWh *float64
	Cost   float64 // of what was changed, such as a cooler; 0 for nothing
}

// YearOf is what a year of a configuration comes to, and what it saves against the base.
type YearOf struct {
	energy.Year
	Draws   map[load.Kind]energy.Draw
	Saved   energy.Saving   // not known of the base
	PayBack *energy.PayBack // of the cost; nil where none was given, or nothing is known
}

// Energy is what configurations draw and cost in a year of days with the hours, at the price, that stand in Own.
type Energy struct {
	Own   store.Own
	Years []YearOf
}

// Energy reckons what trims draw in a year, the first of them the base.
func (w *Workshop) Energy(ctx context.Context, trims []int64, ask EnergyAsk) (*Energy, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	own, err := w.store.Own(ctx)
	if err != nil {
		return nil, err
	}
	f := checkCompared(trims)
	if ask.Hours != nil {
		own.Hours.V = ask.Hours
		f = append(f, ask.Hours.Validate()...)
	}
	if ask.PerKWh != nil {
		own.PerKWh = *ask.PerKWh
		checkPrice(&f, "perKWh", own.PerKWh, mostPerKWh)
	}
	checkPrice(&f, "cost", ask.Cost, mostCost)
	if len(f) > 0 {
		return nil, f
	}
	out := &Energy{Own: *own}
	var base energy.Machine
	for i, id := range trims {
		m, err := w.draws(ctx, id, own.Hours.V)
		if err != nil {
			return nil, err
		}
		y := YearOf{Year: m.Of(own.Hours.V), Draws: m.Draws}
		if i == 0 {
			base = *m
		} else if y.Saved = m.Against(&base, own.Hours.V, len(trims)-1); y.Saved.Known && ask.Cost > 0 && own.PerKWh > 0 {
			after := energy.After(ask.Cost, y.Saved.KWh*own.PerKWh, y.Saved.Half*own.PerKWh)
			y.PayBack = &after
		}
		out.Years = append(out.Years, y)
	}
	return out, nil
}

// draws tells what a trim draws at the wall, load by load: as a meter, a log or readings told, else reckoned from package power, and, of
// loads that were not run but have hours, as it is forecast.
func (w *Workshop) draws(ctx context.Context, id int64, hours energy.Hours) (*energy.Machine, error) {
	c, err := w.compared(ctx, id)
	if err != nil {
		return nil, err
	}
	h, err := w.history(ctx, c.Rig.ID)
	if err != nil {
		return nil, err
	}
	m := &energy.Machine{Rig: c.Rig.ID, Draws: map[load.Kind]energy.Draw{}}
	legs := h.legsUnder(id)
	source := energy.Log
	if slices.ContainsFunc(c.Rig.Channels.V, func(x channel.Channel) bool { return x.Key == channel.WallPower }) {
		source = energy.Meter
	}
	for _, kind := range energy.Loads {
		if wall := compare.LevelOf(kind, channel.WallPower, legs); wall.Legs > 0 {
			m.Draws[kind] = energy.Draw{W: wall.Value, SD: doubt(&wall), Source: source}
		} else if wall := readOf(kind, legs); wall.Legs > 0 {
			m.Draws[kind] = energy.Draw{W: wall.Value, SD: doubt(&wall), Source: energy.Read}
		} else if d, ok := c.byTheSheet(kind, legs); ok {
			m.Draws[kind] = d
		}
	}
	return m, w.foresee(ctx, c, m, hours)
}

// z90 turns half of a 90 % interval into a standard deviation.
const z90 = 1.645

// foresee adds what is forecast of loads that have hours and were not run, by how what was measured compares with its forecast.
func (w *Workshop) foresee(ctx context.Context, c *Compared, m *energy.Machine, hours energy.Hours) error {
	lacks := slices.ContainsFunc(energy.Loads, func(kind load.Kind) bool { return hours[kind] > 0 && m.Draws[kind].W == 0 })
	if !lacks || c.Set == nil {
		return nil
	}
	r, k, err := w.rigKnown(ctx, c.Rig.ID)
	if err != nil {
		return err
	}
	f := w.keptForecast(r, k, c.Settings.V)
	if f == nil {
		return nil
	}
	ratio, n := 0.0, 0.0
	for kind, d := range m.Draws {
		if s, ok := f.Load(kind); ok && s.WallW > 0 {
			ratio, n = ratio+d.W/s.WallW, n+1
		}
	}
	if ratio /= n; n == 0 {
		ratio = 1
	}
	for i, s := range f.Loads {
		if _, known := m.Draws[s.Load]; !known && s.WallW > 0 && s.PackageW > 0 {
			m.Draws[s.Load] = energy.Draw{W: ratio * s.WallW, SD: ratio * s.WallW / s.PackageW * f.Spreads[i].PackageW / z90,
				Source: energy.Forecast}
		}
	}
	return nil
}

// doubt is how sure a level at the wall is, with what one day differs from another.
func doubt(l *compare.Level) float64 {
	return math.Hypot(l.SD, compare.Day(channel.WallPower, l.Value)/math.Sqrt(float64(l.Legs)))
}

// readSD is what a wall meter that is read by eye wavers by, as a share.
const readSD = 0.02

// readOf sums up readings of a meter that were typed: a few moments of each leg, which do not tell where it settles by themselves.
func readOf(kind load.Kind, legs []compare.Leg) (out compare.Level) {
	for i := range legs {
		for _, f := range legs[i].Figures {
			if legs[i].Load == kind && f.Key == channel.WallPower && f.Settled == nil {
				out.Legs++
				out.Value += (f.Mean - out.Value) / float64(out.Legs)
			}
		}
	}
	if out.Legs > 0 {
		out.SD = readSD * out.Value / math.Sqrt(float64(out.Legs))
	}
	return out
}

// byTheSheet reckons what a trim draws at the wall from what its package does.
func (c *Compared) byTheSheet(kind load.Kind, legs []compare.Leg) (energy.Draw, bool) {
	w, v := compare.LevelOf(kind, channel.PackagePower, legs), compare.LevelOf(kind, channel.DeliveredVoltage, legs)
	if w.Legs == 0 || c.Set == nil {
		return energy.Draw{}, false
	}
	tuning, err := machine.Tune(c.Set, c.Settings.V)
	if err != nil {
		return energy.Draw{}, false // its sheets have changed since
	}
	volts := v.Value
	if v.Legs == 0 || !(volts > 0) {
		volts = 1
	}
	wall := tuning.WallW(c.Set, w.Value, volts)
	perW := tuning.WallW(c.Set, w.Value+1, volts) - wall
	day := compare.Day(channel.PackagePower, w.Value) / math.Sqrt(float64(w.Legs))
	return energy.Draw{W: wall, SD: perW * math.Hypot(w.SD, day), Source: energy.Sheet}, true
}

// HoursOf makes a day's hours of those of its parts.
func HoursOf(idle, light, mixed, heavy float64) DayHours {
	return DayHours{load.Idle: idle, load.Light: light, load.Mixed: mixed, load.Heavy: heavy}
}

// EnergyLoads lists the kinds of use that a day is made of.
func EnergyLoads() []LoadKind { return energy.Loads }
