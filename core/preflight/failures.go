package preflight

import (
	"fmt"
	"slices"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Failure is a trim that failed on this rig, and how.
type Failure struct {
	Trim   string          // such as "T7"
	What   string          // such as "froze at idle in trial 12"
	Regime load.Regime     // in which it failed; "" where the machine did not come up
	Core   int             // that failed; -1 where it is not known
	Hot    bool            // for its heat
	Daring *machine.Daring // how far its settings went
}

// matches lists the failures than which the settings go at least as far in every respect that counts, newest first.
func (in *Input) matches() []Failure {
	if in.now == nil || len(in.Records.Failures) == 0 {
		return nil
	}
	now, err := machine.NewDaring(in.Set, in.Settings)
	if err != nil {
		return nil
	}
	var out []Failure
	for _, f := range slices.Backward(in.Records.Failures) {
		if f.Hot && now.AsHot(f.Daring) || !f.Hot && now.AtLeast(f.Daring, f.Regime, f.Core) {
			out = append(out, f)
		}
	}
	return out
}

// asDaringAsFailed reports settings that go at least as far as some that failed, whatever kind they are of.
func asDaringAsFailed(in *Input) []Finding {
	found := in.matches()
	if len(found) == 0 {
		return nil
	}
	fields := []string{}
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		fields = append(fields, c.Key)
	}
	more := ""
	if n := len(found) - 1; n > 0 {
		more = fmt.Sprintf("; and so %d more that failed", n)
	}
	f := found[0]
	return one(Caution, fields, nil, "Go back from what failed in one respect at least: less clock, more voltage, or a lower limit.",
		"In every respect that counts this is at least as daring as %s, which %s%s.", f.Trim, f.What, more)
}

// clearanceSteps is how many curve steps above a known failure an offset should stay: a failure seen once in minutes is seen
// in months some steps above.
const clearanceSteps = 3

// deeperThanFailure reports a curve offset at, below or close to where the core failed before.
func deeperThanFailure(in *Input) []Finding {
	var out []Finding
	told := in.matches()
	steps := func(s trim.Settings, core int) float64 { return s.CurveSteps(in.Set.Processor, core) }
	for core := range in.Set.Processor.Cores() {
		failed, known := in.Records.Failed[core]
		x := steps(in.Settings, core)
		if !known || x >= steps(in.Parent, core) || x > failed+clearanceSteps-1 ||
			slices.ContainsFunc(told, func(f Failure) bool { return f.Core == core }) {
			continue
		}
		key := trim.At("curve.core.*", core)
		if !in.offers(key) {
			key = "curve.all"
		}
		what := fmt.Sprintf("is within %d steps of %s, where it failed", clearanceSteps, trim.Say("curve.all", part.Number(failed)))
		if x <= failed {
			what = fmt.Sprintf("is as deep as %s, where it failed, or deeper", trim.Say("curve.all", part.Number(failed)))
		}
		out = append(out, one(Caution, []string{key}, nil, fmt.Sprintf("Stay at %s or above.", trim.Say("curve.all",
			part.Number(failed+clearanceSteps))),
			"Core %d at %s %s.", core, trim.Say("curve.all", part.Number(x)), what)...)
	}
	return out
}

// Believed is what a rig's soundings tell of settings: the chance of a fault in a day of mixed use, in words that follow "it", and the core
// that lies deepest beyond what is recommended, by how many steps. Where all cores have one setting it is none.
type Believed struct {
	Risk24h float64
	Words   string
	Core    int    // −1 for all
	Key     string // its setting
	Steps   int
	To      string // the setting that is recommended, as boards show it
}

// riskAllowed is the chance of a fault in a day from which on settings are cautioned against.
const riskAllowed = 0.25

// riskyAsBelieved reports settings that are likely to fail within days, whatever held for some hours.
func riskyAsBelieved(in *Input) []Finding {
	b := in.Records.Believed
	if b == nil || b.Risk24h < riskAllowed || b.Steps <= 0 {
		return nil
	}
	if b.Core < 0 {
		return one(Caution, []string{b.Key}, nil, fmt.Sprintf("Bring it to %s, or see the Soundings sheet.", b.To),
			"By what this rig's trials tell it %s in mixed use.", b.Words)
	}
	return one(Caution, []string{b.Key}, nil,
		fmt.Sprintf("Give core %d %d steps more, which is %s, or see the Soundings sheet.", b.Core, b.Steps, b.To),
		"By what this rig's trials tell it %s in mixed use; core %d lies deepest beyond what holds.", b.Words, b.Core)
}
