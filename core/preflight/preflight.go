// Package preflight checks a trim before it is fitted: what the board would refuse, what a builder did not mean,
// and what is merely unwise. Each rule is a function with a stable id; Rules lists them. The rules stand by what they
// look at: range.go, limits.go, voltage.go, clocks.go, failures.go, cooling.go, course.go.
package preflight

import (
	"fmt"
	"slices"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Level says how serious a finding is.
type Level string

const (
	Stop    Level = "stop"    // cannot or must not be fitted
	Caution Level = "caution" // may be fitted, but is probably not meant
	Note    Level = "note"    // worth knowing
)

// Finding is one result of a check.
type Finding struct {
	Rule   string        `json:"rule"`
	Level  Level         `json:"level"`
	Fields []string      `json:"fields"` // setting keys concerned
	Reason string        `json:"reason"`
	Remedy string        `json:"remedy"`
	Fix    trim.Settings `json:"fix,omitempty"`    // values that mend it, where that is clear
	Before bool          `json:"before,omitempty"` // it was so of the parent too, with the same settings: no news
	Risk   bool          `json:"risk,omitempty"`   // a stop that is the builder's own risk, and may be passed knowingly
}

// Input is what is checked. Parent holds the settings of the trim that this one was made from; nil means the
// board's settings as delivered. Forecast is that of Settings at the rig's room temperature; nil lets Check work one
// out from the part sheets.
type Input struct {
	Set      *part.Set
	Settings trim.Settings
	Parent   trim.Settings
	Forecast *forecast.Result
	// ParentForecast is that of Parent, for rules that look at what a change does; nil leaves them out.
	ParentForecast *forecast.Result
	Records        Records

	now, before *machine.Tuning // of Settings and Parent; nil where the board refuses one
	prepared    bool
	unable      error // why there is no forecast
}

// Records is what is known of the rig and of its kind. The zero Records knows nothing.
type Records struct {
	ParentFailed   string               // how the parent failed, such as "froze at idle in trial 12"; empty where it did not
	ParentUnproven bool                 // the parent trim failed, or was not tried in every regime
	MemoryUnproven bool                 // the parent's memory settings never held a proof
	ProvenMTs      float64              // highest memory rate that held on this rig; 0 if none
	Failures       []Failure            // of this rig, oldest first
	Failed         map[int]float64      // per core: the shallowest curve offset, in steps, at which it failed
	Believed       *Believed            // of the settings, by the rig's soundings; nil where they say little
	Fleet          map[string][]float64 // values of settings on other rigs with the same processor
	Firmware       string               // version on the board now
	ParentFirmware string               // version under which the parent was proven
}

// Rule is one check.
type Rule struct {
	ID    string
	Check func(*Input) []Finding
}

// Rules lists every rule, in the order of their findings.
var Rules = []Rule{
	{"board-range", boardRange},
	{"sign-lost", signLost},
	{"decimal-slip", decimalSlip},
	{"unlike-fleet", unlikeFleet},
	{"no-temperature-limit", noTemperatureLimit},
	{"trip-below-limit", tripBelowLimit},
	{"temperature-overridden", temperatureOverridden},
	{"unlimited", unlimited},
	{"board-beyond-spec", boardBeyondSpec},
	{"beyond-spec", beyondSpec},
	{"beyond-regulator", beyondRegulator},
	{"pl1-above-pl2", shortBelowSustained},
	{"tau-absurd", tauAbsurd},
	{"edc-below-tdc", peakBelowSustained},
	{"no-operating-point", noOperatingPoint},
	{"limit-binds-nothing", limitBindsNothing},
	{"overheats", overheats},
	{"voltage-above-ceiling", voltageAboveCeiling},
	{"flat-load-line", flatLoadLine},
	{"overshoot-above-ceiling", overshootAboveCeiling},
	{"above-fixed", aboveFixed},
	{"fixed-at-idle", fixedAtIdle},
	{"corridor-crossed", corridorCrossed},
	{"target-below-curve", targetBelowCurve},
	{"level-direction", levelDirection},
	{"no-effect", noEffect},
	{"overridden", overridden},
	{"reference-moves-memory", referenceMovesMemory},
	{"memory-beyond-proven", memoryBeyondProven},
	{"memory-tighter-than-kit", memoryTighterThanKit},
	{"memory-unproven", memoryUnproven},
	{"clock-up-curve-kept", clockUpCurveKept},
	{"ratio-not-reached", ratioNotReached},
	{"row-never-acts", rowNeverActs},
	{"few-cores", fewCores},
	{"as-daring-as-failed", asDaringAsFailed},
	{"deeper-than-failure", deeperThanFailure},
	{"risky-as-believed", riskyAsBelieved},
	{"fan-without-coolant", fanWithoutCoolant},
	{"fan-stops-hot", fanStopsHot},
	{"fan-curve-falls", fanCurveFalls},
	{"pump-on-curve", pumpOnCurve},
	{"several-groups", severalGroups},
	{"parent-failed", parentFailed},
	{"parent-unproven", parentUnproven},
	{"firmware-changed", firmwareChanged},
	{"no-change", noChange},
}

// risks are the rules whose stops are no nonsense: a builder may know what he does.
var risks = []string{"no-temperature-limit", "voltage-above-ceiling"}

// ofSheets are the rules that hold settings against what the part sheets say; of sketched sheets they would say what nobody knows.
var ofSheets = []string{
	"no-temperature-limit", "trip-below-limit", "temperature-overridden", "unlimited", "board-beyond-spec", "beyond-spec",
	"beyond-regulator", "tau-absurd", "voltage-above-ceiling", "flat-load-line", "above-fixed", "fixed-at-idle", "corridor-crossed",
	"target-below-curve", "level-direction", "reference-moves-memory", "memory-tighter-than-kit", "clock-up-curve-kept", "row-never-acts",
}

// Prepare works out what rests on the settings alone. Check does so itself where it was not done before, such as while the
// forecast was still to come.
func (in *Input) Prepare() {
	if in.prepared {
		return
	}
	in.prepared = true
	stock := trim.Stock(in.Set.Processor, in.Set.Board)
	if in.Parent == nil {
		in.Parent = stock
	}
	in.Settings = stock.With(in.Settings)
	in.Parent = stock.With(in.Parent)
	if now, err := machine.Tune(in.Set, in.Settings); err == nil {
		if before, err := machine.Tune(in.Set, in.Parent); err == nil {
			in.now, in.before = &now, &before
		}
	}
}

// Check applies every rule; stops come first, then cautions, then notes. Rules that need a running machine are left out
// where the board does not take the settings.
func Check(in Input) []Finding {
	in.Prepare()
	sketched := in.Set.Sketched()
	if in.Forecast == nil && !sketched {
		const usualRoomC = 24
		// nil where the board refuses, which board-range tells, or where the machine could not run.
		in.Forecast, in.unable = forecast.FromSheets(in.Set, in.Settings, usualRoomC)
	}
	var all []Finding
	for _, rule := range Rules {
		if sketched && slices.Contains(ofSheets, rule.ID) {
			continue
		}
		for _, f := range rule.Check(&in) {
			f.Rule = rule.ID
			f.Risk = f.Level == Stop && slices.Contains(risks, rule.ID)
			all = append(all, f)
		}
	}
	in.markBefore(all)
	order := []Level{Stop, Caution, Note}
	slices.SortStableFunc(all, func(a, b Finding) int {
		return slices.Index(order, a.Level) - slices.Index(order, b.Level)
	})
	return all
}

// markBefore marks what was so of the parent already: on a descent the same caution is told once. Stops are told every time, and
// what somebody has just changed is news.
func (in *Input) markBefore(all []Finding) {
	if in.ParentForecast == nil || in.before == nil || len(trim.Diff(in.Parent, in.Settings)) == 0 {
		return
	}
	parent := Input{Set: in.Set, Settings: in.Parent, Parent: in.Parent, Forecast: in.ParentForecast, Records: in.Records}
	parent.Records.ParentFailed, parent.Records.ParentUnproven = "", false
	parent.Prepare()
	was := map[string]bool{}
	for _, rule := range Rules {
		if len(rule.Check(&parent)) > 0 {
			was[rule.ID] = true
		}
	}
	for i := range all {
		f := &all[i]
		f.Before = f.Level != Stop && was[f.Rule] && !slices.ContainsFunc(f.Fields, in.changed)
	}
}

// Worst returns the most serious level among findings, and false when there are none.
func Worst(findings []Finding) (Level, bool) {
	if len(findings) == 0 {
		return "", false
	}
	return findings[0].Level, true
}

// changed reports whether a setting differs from the parent's.
func (in *Input) changed(key string) bool { return in.Settings[key] != in.Parent[key] }

// offers reports whether the board offers a setting for the processor.
func (in *Input) offers(key string) bool {
	_, ok := in.Settings[key]
	return ok
}

// states returns the forecast of each load, none where there is no forecast.
func (in *Input) states() []machine.State {
	if in.Forecast == nil {
		return nil
	}
	return in.Forecast.Loads
}

// name returns a setting's trade name.
func name(key string) string {
	def, _, _ := trim.Find(key)
	return def.Name
}

// loadWords says under which load something happens.
var loadWords = map[load.Kind]string{load.Heavy: "under heavy load", load.Mixed: "under mixed load", load.Light: "on a single core",
	load.Idle: "at idle"}

func one(level Level, fields []string, fix trim.Settings, remedy, reason string, args ...any) []Finding {
	return []Finding{{Level: level, Fields: fields, Reason: fmt.Sprintf(reason, args...), Remedy: remedy, Fix: fix}}
}
