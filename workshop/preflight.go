package workshop

import (
	"context"
	"strings"

	"zerokeel/core/forecast"
	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Check is what preflight and forecast say of settings.
type Check struct {
	Changes        []trim.Change
	Reason         string // the changes, in a line
	Forecast       *forecast.Result
	ParentForecast *forecast.Result
	NoForecast     string // why there is none; empty where there is one
	Findings       []preflight.Finding
	Inert          map[string]string // settings that do nothing, and why
	Curve          []CurveOffset     // per core
	WithinSpec     trim.Settings     // changes on the settings that put every limit where the maker has it
}

// CurveOffset is a core's curve offset in steps, all of what is set for it together: of the settings, and of the parent.
type CurveOffset struct{ Steps, Before float64 }

// Stops returns the reason why preflight does not let a trim be fitted; empty where it does.
func (c *Check) Stops() string {
	if level, found := preflight.Worst(c.Findings); found && level == preflight.Stop {
		return c.Findings[0].Reason
	}
	return ""
}

// leastReason is how many characters a reason for passing a stop has to have.
const leastReason = 10

// passes reports whether a trim may be fitted, and the words under which it goes on record where preflight stops it. The board's
// settings as delivered may always be: they are what everything is compared with. Whoever drives goes by what a person said.
func (w *Workshop) passes(ctx context.Context, t *store.Trim, c *Check, despite string) (string, error) {
	why := c.Stops()
	if why == "" {
		return "", nil
	}
	for _, f := range c.Findings {
		if f.Level == preflight.Stop && !f.Risk {
			return "", conflict("preflight stops this trim: %s", f.Reason)
		}
	}
	if despite = strings.TrimSpace(despite); despite == "" && ActorOf(ctx).drives() {
		var err error
		if despite, err = w.store.LastDespite(ctx, t.ID); err != nil {
			return "", err
		}
	}
	switch {
	case t.Number == 0 && despite == "":
		return "as delivered", nil
	case len([]rune(despite)) < leastReason:
		return "", conflict("preflight stops this trim: %s Say in %d characters or more why it is fitted all the same", why, leastReason)
	}
	return despite, nil
}

// Check says what preflight and forecast find of a rig's settings: changes on those of a parent, or on the board's as
// delivered where parent is 0.
func (w *Workshop) Check(ctx context.Context, rig, parent int64, changes trim.Settings) (*Check, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, k, err := w.rigKnown(ctx, rig)
	if err != nil {
		return nil, err
	}
	if from := k.fixed(parent); from != nil {
		return w.check(ctx, r, k, from, from.Settings.V.With(changes))
	}
	from, settings, err := w.onParent(ctx, rig, k.set, parent, changes)
	if err != nil {
		return nil, err
	}
	return w.check(ctx, r, k, from, settings)
}

// CheckTrim is Check for a trim as it stands.
func (w *Workshop) CheckTrim(ctx context.Context, id int64) (*Check, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, r, set, err := w.trimParts(ctx, id)
	if err != nil {
		return nil, err
	}
	return w.checkTrim(ctx, r, set, t)
}

// checkTrim checks a trim against the one that it was made from.
func (w *Workshop) checkTrim(ctx context.Context, r *store.Rig, set *part.Set, t *store.Trim) (*Check, error) {
	var parent *store.Trim
	if t.ParentID.Valid {
		var err error
		if parent, err = w.store.Trim(ctx, t.ParentID.Int64); err != nil {
			return nil, err
		}
	}
	k, err := w.knownOf(ctx, r, set)
	if err != nil {
		return nil, err
	}
	return w.check(ctx, r, k, parent, t.Settings.V)
}

// check is the one way by which a trim is checked, whoever asks: its input is gathered here and nowhere else. parent is nil
// for the board's settings as delivered.
func (w *Workshop) check(ctx context.Context, r *store.Rig, k *rigKnowledge, parent *store.Trim, settings trim.Settings) (*Check, error) {
	set := k.set
	before := trim.Stock(set.Processor, set.Board)
	if parent != nil {
		before = parent.Settings.V
	}
	out := &Check{Changes: trim.Diff(before, settings), Inert: map[string]string{}}
	out.Reason = trim.InWords(out.Changes)
	// What does not rest on the forecast is done while that is worked out: a page waits for both at every keystroke.
	in := preflight.Input{Set: set, Settings: settings, Parent: before}
	meanwhile := make(chan error, 1)
	go func() {
		in.Prepare()
		var err error
		in.Records, err = w.preflightRecords(ctx, r, parent, k)
		if err == nil {
			in.Records.Believed, err = w.believed(ctx, r, k, settings)
		}
		meanwhile <- err
	}()
	// A trim that the board does not take has no forecast; the findings say why.
	out.Forecast = w.keptForecast(r, k, settings)
	out.ParentForecast = w.keptForecast(r, k, before)
	if err := <-meanwhile; err != nil {
		return nil, err
	}
	if set.Sketched() {
		out.NoForecast = forecast.ErrSketch.Error()
	} else if out.Forecast == nil {
		out.NoForecast = "the board does not take these settings"
	}
	in.Forecast, in.ParentForecast = out.Forecast, out.ParentForecast
	out.Findings = preflight.Check(in)
	if !set.Sketched() {
		out.WithinSpec = trim.WithinSpec(set.Processor, set.Board, settings)
	}
	for core := range set.Processor.Cores() {
		out.Curve = append(out.Curve, CurveOffset{settings.CurveSteps(set.Processor, core), before.CurveSteps(set.Processor, core)})
	}
	for _, key := range trim.Keys(set.Processor, set.Board) {
		if why := trim.Inert(set, settings, key); why != "" {
			out.Inert[key] = why
		}
	}
	return out, nil
}

// preflightRecords gathers what preflight is to know of the rig and of its kind.
func (w *Workshop) preflightRecords(ctx context.Context, r *store.Rig, parent *store.Trim, k *rigKnowledge) (preflight.Records, error) {
	out := preflight.Records{Failures: k.failures, Failed: k.failed, ProvenMTs: k.provenMTs, Fleet: map[string][]float64{},
		Firmware: r.FirmwareVersion}
	var err error
	if parent != nil {
		out.ParentFailed = k.howFailed(parent)
		out.ParentUnproven = !parent.Standing.Holds() && parent.Number != 0
		out.MemoryUnproven = !k.memoryProven(parent.Settings.V)
		if out.ParentFirmware, err = w.store.FirmwareOf(ctx, parent.ID); err != nil {
			return out, err
		}
	}
	if !r.Processor.Valid {
		return out, nil
	}
	others, err := w.inForceOn(ctx, r)
	for _, settings := range others {
		for key, v := range settings {
			if x, ok := v.Number(); ok {
				out.Fleet[key] = append(out.Fleet[key], x)
			}
		}
	}
	return out, err
}

// inForceOn returns the settings in force on the other rigs with the same processor as one. A trim in force was fitted, and
// its settings no longer change.
func (w *Workshop) inForceOn(ctx context.Context, r *store.Rig) ([]trim.Settings, error) {
	trims, err := w.store.InForceOn(ctx, r)
	if err != nil {
		return nil, err
	}
	out := make([]trim.Settings, 0, len(trims))
	var unknown []int64
	for _, id := range trims {
		if kept, ok := w.known.fixed.Get(id); ok {
			out = append(out, kept)
		} else {
			unknown = append(unknown, id)
		}
	}
	read, err := w.store.SettingsOf(ctx, unknown)
	for id, settings := range read {
		w.known.fixed.Add(id, settings)
		out = append(out, settings)
	}
	return out, err
}
