package forecast

import (
	"math"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
)

// outlook is what a fit makes of one load: where the models settle, how that moves with the clock and with the unknowns.
type outlook struct {
	fit    *Fit
	load   load.Kind
	at     machine.At           // where the models settle
	place  place                // of at
	byMHz  machine.At           // by the clock, of all cores together
	by     [unknowns]machine.At // by each unknown, at the same clock
	top    float64              // MHz, where ratios or the voltage ceiling end
	binMHz float64              // by which one bin moves the clock, on average over the cores
	limits *govern.Limits
}

// expect turns where the models settle under a load into what will be read there: corrected by how like figures strayed in the
// records, and by what sensors add.
func (f *Fit) expect(model *machine.Model, nudged *[models]*machine.Model, v *viewed) error {
	s := &v.state
	o, err := f.outlook(model, nudged, s)
	if err != nil {
		return err
	}
	v.at, v.modelMHz, v.topMHz, v.byUnknown = o.place, o.at.MHz, o.top, o.by
	clock := o.clock()
	moved := clock.mhz - o.at.MHz
	spread := Spread{MHz: clock.half}
	seen := read(plus(o.at, scaled(o.byMHz, moved)), f.Theta)
	for _, one := range []struct {
		of    figure
		value *float64
		half  *float64
		part  func(*machine.At) *float64
		floor float64
		sense float64 // that the figure moves by with its sensor's unknown
		by    int     // that unknown; unknowns for none
	}{
		{power, &seen.PackageW, &spread.PackageW, func(a *machine.At) *float64 { return &a.PackageW }, floorW, o.at.PackageW, sensorW},
		{delivered, &seen.DeliveredV, &spread.Volts, func(a *machine.At) *float64 { return &a.DeliveredV }, floorV, 1, sensorV},
		{request, &seen.RequestV, new(float64), func(a *machine.At) *float64 { return &a.RequestV }, floorV, 0, unknowns},
		{hottest, &seen.HottestC, &spread.HottestC, func(a *machine.At) *float64 { return &a.HottestC }, floorC, 1, sensorC},
		{coolant, &seen.CoolantC, new(float64), func(a *machine.At) *float64 { return &a.CoolantC }, floorC, 0, unknowns},
	} {
		var slope [unknowns]float64
		for j := range slope {
			slope[j] = *one.part(&o.by[j]) + *one.part(&o.byMHz)*clock.slope[j]
		}
		if one.by < unknowns {
			slope[one.by] += one.sense
		}
		variance := one.floor * one.floor
		if limits(clock.by, one.of) {
			// What a limiter holds stands below its limit by less than a bin, whatever the models leave out.
			if one.of == power {
				*one.value *= 1 + clock.over
			} else {
				*one.value += clock.over
			}
			bin := *one.part(&o.byMHz) * o.binMHz
			variance += bin * bin / 12
			for j := range slope {
				slope[j] = 0
			}
			slope[one.by] = one.sense
		} else {
			x := f.strayAt(group{load: o.load, of: one.of}, o.place, o.at.PackageW)
			*one.value += x.off
			variance += x.variance
			for j := range slope {
				slope[j] += x.slope[j]
			}
		}
		byClock := *one.part(&o.byMHz) * clock.stray
		if limits(clock.by, one.of) {
			byClock = 0
		}
		*one.half = ninety * math.Sqrt(f.variance(&slope)+(variance+byClock*byClock)*f.Stray*f.Stray)
	}
	o.write(s, clock.mhz, seen)
	v.spread = spread
	return nil
}

// limits reports whether a limiter holds a figure itself.
func limits(by govern.Limiter, of figure) bool {
	return by == govern.SustainedPower && of == power || by == govern.Temperature && of == hottest
}

// outlook looks around where the models settle.
func (f *Fit) outlook(model *machine.Model, nudged *[models]*machine.Model, s *machine.State) (*outlook, error) {
	kind, ambient := s.Load, s.AmbientC
	at, err := model.SettleAt(kind, s.MeanMHz, ambient, machine.At{})
	if err != nil {
		return nil, err
	}
	o := &outlook{fit: f, load: kind, at: at, place: placeOf(at), top: at.MHz, limits: &model.Tuning().Limits}
	if kind != load.Idle {
		below, err := model.SettleAt(kind, at.MHz-model.Bins().StepMHz, ambient, at)
		if err != nil {
			return nil, err
		}
		if o.binMHz = at.MHz - below.MHz; o.binMHz > 0 {
			o.byMHz = scaled(minus(at, below), 1/o.binMHz)
		}
		if o.top, err = model.HighestMHz(kind, ambient); err != nil {
			return nil, err
		}
	}
	for j := range models {
		if of, one := loadOf[j]; one && of != kind {
			continue
		}
		moved, err := nudged[j].SettleAt(kind, at.MHz, ambient, at)
		if err != nil {
			return nil, err
		}
		o.by[j] = scaled(minus(moved, at), 1/f.nudge(j))
		o.by[j].MHz = 0
	}
	return o, nil
}

// expected is the clock that is expected.
type expected struct {
	by    govern.Limiter // that holds it; empty at the top
	mhz   float64
	half  float64           // of its 90 % interval
	over  float64           // by how much what is held strays above the models, a share or K
	slope [unknowns]float64 // by the unknowns
	stray float64           // standard deviation, of what the models leave out
}

// clock works out which clock the limits leave: the highest bin at which what they hold, as it will stray from the models, keeps
// them.
func (o *outlook) clock() expected {
	out := expected{mhz: o.top}
	low, high := o.top, o.top
	if o.load == load.Idle || o.binMHz <= 0 {
		return out
	}
	for _, by := range holding {
		over, slope, sens := o.over(by)
		if math.IsNaN(over) || slope <= 0 {
			continue
		}
		x := o.fit.strayAt(group{o.load, held, by}, o.place, 0)
		one := expected{by: by, over: x.off}
		for j := range sens {
			one.slope[j] = -(sens[j] + x.slope[j]) / slope
		}
		one.stray = math.Hypot(math.Sqrt(x.variance), heldSigma(by)) / slope
		sd := math.Sqrt(o.fit.variance(&one.slope) + one.stray*one.stray*o.fit.Stray*o.fit.Stray)
		meets := o.at.MHz - (over+x.off)/slope // where the limit would be met, were there no bins
		for _, z := range quantiles {
			one.mhz += o.binBelow(meets+z*sd) / float64(len(quantiles))
		}
		low, high = math.Min(low, o.binBelow(meets-ninety*sd)), math.Min(high, o.binBelow(meets+ninety*sd))
		if one.mhz < out.mhz {
			out = one
		}
	}
	out.half = math.Max(out.mhz-low, high-out.mhz) + ninety*floorMHz
	return out
}

// quantiles of a normal variable, at the middles of seven parts of equal probability.
var quantiles = []float64{-1.465, -0.792, -0.366, 0, 0.366, 0.792, 1.465}

// binBelow returns the highest clock of a bin, not above the top one, that a clock allows.
func (o *outlook) binBelow(mhz float64) float64 {
	const close = 1e-6 // a limit that is met to the last digit is kept
	return math.Min(o.top, o.at.MHz+o.binMHz*math.Floor((mhz-o.at.MHz)/o.binMHz+close))
}

// over returns by how much the models' figure lies above a limit, a share or K, and its slopes by the clock and the unknowns; NaN
// where the limit is off.
func (o *outlook) over(by govern.Limiter) (over, slope float64, sens [unknowns]float64) {
	over = overLimit(by, o.at, o.limits)
	if math.IsNaN(over) {
		return over, 0, sens
	}
	// A limit is a straight function of what it holds.
	unit := func(a machine.At) float64 { return overLimit(by, plus(o.at, a), o.limits) - over }
	slope = unit(o.byMHz)
	for j := range sens {
		sens[j] = unit(o.by[j])
	}
	return over, slope, sens
}

// variance returns the variance of a figure that hangs on the unknowns by slope.
func (f *Fit) variance(slope *[unknowns]float64) float64 {
	sum := 0.0
	for i := range unknowns {
		for j := range unknowns {
			sum += slope[i] * f.Cov[i*unknowns+j] * slope[j]
		}
	}
	return math.Max(0, sum)
}

// What a figure strays by although the unknowns and their strays were known: how sensors and a settled machine wander.
const (
	floorV   = 0.001
	floorC   = 0.4
	floorW   = 0.25
	floorMHz = 2
)

// ninety is the half width of a 90 % interval in standard deviations.
const ninety = 1.645

// write puts what is expected into a state.
func (o *outlook) write(s *machine.State, mhz float64, seen machine.At) {
	watts, volts, kelvin := seen.PackageW-s.ReportedW, seen.DeliveredV-s.DeliveredV, seen.HottestC-s.HottestC
	if o.load != load.Idle && s.MeanMHz > 0 {
		share := mhz / s.MeanMHz
		s.MeanMHz, s.LowestMHz = mhz, s.LowestMHz*share
		for c := range s.Cores {
			if core := &s.Cores[c]; core.Active {
				core.RequestMHz, core.EffectiveMHz = core.RequestMHz*share, core.EffectiveMHz*share
			}
		}
	}
	for c := range s.Cores {
		s.Cores[c].TemperatureC += kelvin
		s.Cores[c].DeliveredV += volts
	}
	s.ReportedW, s.PackageW, s.WallW = s.ReportedW+watts, s.PackageW+watts, s.WallW+watts
	s.HottestC, s.DieC = seen.HottestC, s.DieC+kelvin
	s.DeliveredV, s.DipV, s.OvershootV, s.VoltageMaxV = seen.DeliveredV, s.DipV+volts, s.OvershootV+volts, s.VoltageMaxV+volts
	s.RequestV, s.CoolantC = seen.RequestV, seen.CoolantC
}
