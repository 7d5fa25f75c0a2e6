package preflight

import (
	"fmt"
	"math"

	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// limitKeys are the limits that can be compared with the maker's.
var limitKeys = []string{"limit.ppt", "limit.tdc", "limit.edc", "limit.pl1", "limit.pl2", "limit.tau", "limit.iccMax"}

// maker returns the maker's value of a setting.
func (in *Input) maker(key string) float64 {
	def, index, _ := trim.Find(key)
	if def.Spec == nil {
		return 0
	}
	x, _ := def.Spec(in.Set.Processor, index).Number()
	return x
}

// noTemperatureLimit refuses a machine without a temperature ceiling: some pass 110 °C within seconds.
func noTemperatureLimit(in *Input) []Finding {
	spec := in.Set.Processor.Limits.TemperatureC
	if !in.Settings.Switch("limit.temperatureOn", true) {
		return one(Stop, []string{"limit.temperatureOn"}, trim.Settings{"limit.temperatureOn": part.Switch(true)},
			fmt.Sprintf("Switch the limit on; the maker allows %g °C.", spec),
			"There is no temperature limit: the clock is not lowered before the processor trips.")
	}
	if at := in.Settings.Number("limit.temperature", spec); at > spec {
		return one(Caution, []string{"limit.temperature"}, trim.Settings{"limit.temperature": part.Number(spec)},
			fmt.Sprintf("Give %g °C or less.", spec),
			"The temperature limit of %g °C lies above the maker's %g °C.", at, spec)
	}
	return nil
}

// tripBelowLimit refuses a machine that switches itself off before it slows down.
func tripBelowLimit(in *Input) []Finding {
	trip, ok := in.Settings["limit.trip"].Number()
	limit := in.Settings.Number("limit.temperature", in.Set.Processor.Limits.TemperatureC)
	if !ok || trip > limit {
		return nil
	}
	return one(Stop, []string{"limit.trip", "limit.temperature"}, nil,
		fmt.Sprintf("Let it trip at %g °C, or lower the limit.", limit+part.TripAboveC),
		"The machine switches off at %g °C, before the limit of %g °C lowers the clock.", trip, limit)
}

// unlimited reports limits that are none.
func unlimited(in *Input) []Finding {
	var out []Finding
	for _, key := range limitKeys {
		if in.Settings.Word(key) != trim.Unlimited {
			continue
		}
		spec := in.maker(key)
		out = append(out, one(Caution, []string{key}, trim.Settings{key: part.Number(spec)},
			fmt.Sprintf("Give the maker's %s, or what cooler and regulator stand.", trim.Say(key, part.Number(spec))),
			"%s is unlimited.", name(key))...)
	}
	return out
}

// boardBeyondSpec reports a board that replaces every limit by its own.
func boardBeyondSpec(in *Input) []Finding {
	if power, _ := in.Settings.Beyond(); !power {
		return nil
	}
	return one(Caution, []string{"limit.beyondSpec"}, trim.Settings{"limit.beyondSpec": part.Switch(false)},
		"Switch it off; then the limits of this trim count.",
		"The board puts its own limits, above the maker's, in place of those of this trim.")
}

// beyondSpec notes limits above the maker's, as many boards set by themselves.
func beyondSpec(in *Input) []Finding {
	if power, _ := in.Settings.Beyond(); power {
		return nil // they do not count
	}
	var out []Finding
	for _, key := range limitKeys {
		spec := in.maker(key)
		if x, ok := in.Settings[key].Number(); ok && x > spec {
			out = append(out, one(Note, []string{key}, trim.Settings{key: part.Number(spec)},
				"Keep it only if cooler and regulator are made for it.",
				"%s of %s exceeds the maker's %s.", name(key), trim.Say(key, part.Number(x)), trim.Say(key, part.Number(spec)))...)
		}
	}
	return out
}

// beyondRegulator notes a current limit that the board's regulator cannot deliver.
func beyondRegulator(in *Input) []Finding {
	most := in.Set.Board.VRM.MaxA * in.Settings.Number("loadline.capability", 100) / 100
	var out []Finding
	for _, key := range []string{"limit.edc", "limit.iccMax"} {
		if x, ok := in.Settings[key].Number(); ok && most > 0 && x > most {
			out = append(out, one(Caution, []string{key}, nil, fmt.Sprintf("Give %.0f A or less.", most),
				"%s of %s exceeds the %.0f A at which the board's regulator protects itself.", name(key), trim.Say(key, part.Number(x)), most)...)
		}
	}
	return out
}

// shortBelowSustained reports a short limit below the sustained one, which then is never reached.
func shortBelowSustained(in *Input) []Finding {
	pl1, ok1 := in.Settings["limit.pl1"].Number()
	pl2, ok2 := in.Settings["limit.pl2"].Number()
	if !ok1 || !ok2 || pl1 <= pl2 {
		return nil
	}
	return one(Caution, []string{"limit.pl1", "limit.pl2"}, trim.Settings{"limit.pl1": part.Number(pl2), "limit.pl2": part.Number(pl1)},
		"Exchange them if they were mixed up.",
		"PL1 of %g W lies above PL2 of %g W, so it never counts.", pl1, pl2)
}

// Bounds of a sensible time window, in s: below, PL2 is gone before a program has started; above, PL2 is in truth
// the sustained limit.
const (
	shortestTauS = 2
	longestTau   = 2.0 // times the maker's
)

// tauAbsurd reports a time window that makes PL1 or PL2 meaningless.
func tauAbsurd(in *Input) []Finding {
	tau, ok := in.Settings["limit.tau"].Number()
	spec := in.maker("limit.tau")
	if !ok || (tau >= shortestTauS && tau <= longestTau*spec) {
		return nil
	}
	return one(Caution, []string{"limit.tau"}, trim.Settings{"limit.tau": part.Number(spec)}, fmt.Sprintf("The maker has %g s.", spec),
		"A time window of %g s leaves one of the two power limits without meaning.", tau)
}

// peakBelowSustained reports a peak current below the sustained one.
func peakBelowSustained(in *Input) []Finding {
	tdc, ok1 := in.Settings["limit.tdc"].Number()
	edc, ok2 := in.Settings["limit.edc"].Number()
	if !ok1 || !ok2 || edc >= tdc {
		return nil
	}
	return one(Caution, []string{"limit.tdc", "limit.edc"}, trim.Settings{"limit.tdc": part.Number(edc), "limit.edc": part.Number(tdc)},
		"Exchange them if they were mixed up.",
		"EDC of %g A lies below TDC of %g A, so TDC never counts.", edc, tdc)
}

// overheats reports a trim that the cooler cannot carry. It may be fitted all the same: a board's delivery can be one, and
// must be measured to be told of.
func overheats(in *Input) []Finding {
	for _, s := range in.states() {
		if s.Overheats {
			return one(Caution, []string{"limit.temperature"}, nil, "Lower the power limits, or the temperature limit.",
				"The forecast reaches %.0f °C %s: the machine switches itself off.", s.HottestC, loadWords[s.Load])
		}
	}
	return nil
}

// temperatureOverridden reports a temperature limit that the board's own limits put aside.
func temperatureOverridden(in *Input) []Finding {
	limit, ok := in.Settings["limit.temperature"].Number()
	if !ok || in.now == nil || !in.Settings.Switch("limit.temperatureOn", true) || in.now.Limits.TemperatureC <= limit {
		return nil
	}
	return one(Caution, []string{"limit.beyondSpec", "limit.temperature"}, trim.Settings{"limit.beyondSpec": part.Switch(false)},
		"Switch the board's own limits off; then the limit of this trim counts.",
		"The board lets the processor reach %g °C, whatever limit of %g °C is entered.", in.now.Limits.TemperatureC, limit)
}

// bindingKeys are the limits of package power and temperature, with the figure that each bounds.
var bindingKeys = []struct {
	key, unit string
	of        func(*machine.State) float64
	near      float64 // a limit that is nearer than this to the figure may bind at times
}{
	{"limit.ppt", "W", func(s *machine.State) float64 { return s.ReportedW }, 5},
	{"limit.pl1", "W", func(s *machine.State) float64 { return s.ReportedW }, 5},
	{"limit.temperature", "°C", func(s *machine.State) float64 { return s.HottestC }, 3},
}

// limitBindsNothing notes a limit that is changed and holds nothing back, neither now nor before: a frequent surprise.
func limitBindsNothing(in *Input) []Finding {
	var out []Finding
	if in.ParentForecast == nil || in.now == nil {
		return nil
	}
	for _, b := range bindingKeys {
		to, ok := in.Settings[b.key].Number()
		from, was := in.Parent[b.key].Number()
		if !ok || !in.changed(b.key) || trim.Inert(in.Set, in.Settings, b.key) != "" {
			continue
		}
		most, before := math.Inf(-1), math.Inf(-1)
		for _, s := range in.states() {
			most = math.Max(most, b.of(&s))
		}
		for _, s := range in.ParentForecast.Loads {
			before = math.Max(before, b.of(&s))
		}
		if most+b.near < to && (!was || before+b.near < from) {
			out = append(out, one(Note, []string{b.key}, nil, "Move the limit that holds the clock; the forecast names it.",
				"%s of %g %s changes nothing here: %.0f %s are expected at most.", name(b.key), to, b.unit, most, b.unit)...)
		}
	}
	return out
}
