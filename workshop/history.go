package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/cooling"
	"zerokeel/core/forecast"
	"zerokeel/core/govern"
	"zerokeel/core/identify"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/proof"
	"zerokeel/core/settle"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/store"
)

// meansS is how long a leg must have run, in seconds, for its means to stand for settled values that were never noted, as in
// records of earlier versions: warming up takes minutes, and cooling down at a slow fan longer.
var meansS = map[load.Kind]float64{load.Heavy: 240, load.Mixed: 240, load.Light: 240, load.Idle: 900}

// record is a leg that says how the machine settles, with the trim that it ran under.
type record struct {
	store.HeldLeg
	trim *store.Trim
}

// figure returns the settled value of a leg's figure and its standard deviation, NaN if it has none.
func (r *record) figure(key string) (value, sd float64) {
	for _, f := range r.Figures.V {
		switch {
		case f.Key != key:
		case f.Settled != nil:
			return f.Settled.Value, f.Settled.SD
		case key == channel.Ambient || r.SeenS >= meansS[r.Load]:
			return f.Mean, 0
		}
	}
	return math.NaN(), 0
}

// tells reports whether a leg says how the machine settles: under a load that is forecast, on all the cores that run.
func (r *record) tells() bool {
	if _, forecast := meansS[r.Load]; !forecast || len(r.Running.V) > 0 && len(r.Cores.V) < len(r.Running.V) {
		return false
	}
	w, _ := r.figure(channel.PackagePower)
	c, _ := r.figure(channel.Temperature)
	return !math.IsNaN(w) || !math.IsNaN(c)
}

// history is what a rig's trials have shown.
type history struct {
	trims    []store.Trim
	records  []record
	failures []failure
	memory   []store.MemoryHeld
}

// failure is a trim that failed: in a leg of a trial, or when it was fitted.
type failure struct {
	trim *store.Trim
	how  preflight.Failure
}

func (w *Workshop) history(ctx context.Context, rig int64) (*history, error) {
	h := &history{}
	var err error
	if h.trims, err = w.store.Trims(ctx, rig); err != nil {
		return nil, err
	}
	legs, err := w.store.HeldLegs(ctx, rig, settle.LeastS)
	if err != nil {
		return nil, err
	}
	for _, l := range legs {
		at := slices.IndexFunc(h.trims, func(t store.Trim) bool { return t.ID == l.TrimID })
		if at < 0 {
			continue
		}
		if r := (record{l, &h.trims[at]}); r.tells() {
			h.records = append(h.records, r)
		}
	}
	if h.memory, err = w.store.MemoryHeld(ctx, rig); err != nil {
		return nil, err
	}
	return h, w.findFailures(ctx, rig, h)
}

// findFailures gathers what failed on a rig, by trials and by fittings after which the machine did not come up.
func (w *Workshop) findFailures(ctx context.Context, rig int64, h *history) error {
	legs, err := w.store.FailedLegs(ctx, rig)
	if err != nil {
		return err
	}
	add := func(id int64, how preflight.Failure) {
		if at := slices.IndexFunc(h.trims, func(t store.Trim) bool { return t.ID == id }); at >= 0 {
			how.Trim = nameOf(&h.trims[at])
			h.failures = append(h.failures, failure{&h.trims[at], how})
		}
	}
	for _, l := range legs {
		how := preflight.Failure{Regime: l.Load.Regime(), Core: l.Core, Hot: l.Verdict == verdict.Overheated}
		core := ""
		if l.Core >= 0 {
			core = fmt.Sprintf(" on core %d", l.Core)
		}
		how.What = fmt.Sprintf("%s%s under %s load in trial %d", failedWords[l.Verdict], core, l.Load, l.Trial)
		if l.Load == load.Idle {
			how.What = fmt.Sprintf("%s%s at idle in trial %d", failedWords[l.Verdict], core, l.Trial)
		}
		add(l.TrimID, how)
	}
	fittings, err := w.store.FailedStarts(ctx, rig)
	for _, id := range fittings {
		add(id, preflight.Failure{Core: -1, What: "did not come up when it was fitted"})
	}
	return err
}

// failedWords says what a trim did that failed.
var failedWords = map[verdict.Verdict]string{verdict.Miscalculated: "miscalculated", verdict.CoreDropped: "dropped a worker",
	verdict.Froze: "froze", verdict.Restarted: "restarted", verdict.NoPost: "did not come up", verdict.Overheated: "overheated"}

// measured are the records as a forecast is fitted to them; where ambient was not measured it was ambientC.
func (h *history) measured(ambientC float64) []forecast.Record {
	out := make([]forecast.Record, len(h.records))
	for i := range h.records {
		l := &h.records[i]
		r := forecast.Record{Settings: l.trim.Settings.V, Load: l.Load}
		r.AmbientC, _ = l.figure(channel.Ambient)
		r.MHz, _ = l.figure(channel.MeanClock)
		r.PackageW, r.SD.PackageW = l.figure(channel.PackagePower)
		r.RequestV, r.SD.RequestV = l.figure(channel.RequestedVoltage)
		r.DeliveredV, r.SD.DeliveredV = l.figure(channel.DeliveredVoltage)
		r.HottestC, r.SD.HottestC = l.figure(channel.Temperature)
		r.CoolantC, r.SD.CoolantC = l.figure(channel.Coolant)
		r.Held = mainLimiter(l.Limiters.V)
		if math.IsNaN(r.AmbientC) {
			r.AmbientC = ambientC
		}
		if l.Load == load.Idle {
			r.MHz = 0
		}
		out[i] = r
	}
	return out
}

// scored sums up a rig's own scores, those that count, by yardstick and trim, oldest first; where ambient was not measured it was
// ambientC.
func (h *history) scored(list []store.Score, ambientC float64) []forecast.Scored {
	type under struct {
		yardstick string
		trim      int64
	}
	var out []forecast.Scored
	at := map[under]int{}
	for _, s := range list {
		t := h.fixed(s.TrimID)
		if t == nil || s.Spoilt != "" || !slices.Contains(forecast.Yardsticks, s.Yardstick) {
			continue
		}
		room := ambientC
		for _, f := range s.Figures.V {
			if f.Key == channel.Ambient {
				room = f.Mean
			}
		}
		i, known := at[under{s.Yardstick, s.TrimID}]
		if !known {
			i = len(out)
			at[under{s.Yardstick, s.TrimID}] = i
			out = append(out, forecast.Scored{Yardstick: s.Yardstick, Settings: t.Settings.V})
		}
		o := &out[i]
		n := float64(o.Runs)
		o.Mean, o.AmbientC, o.Runs = (n*o.Mean+s.Value)/(n+1), (n*o.AmbientC+room)/(n+1), o.Runs+1
	}
	return out
}

// mostly is the share of a leg's time, without that of its boost window, for which what held the clock must have done so to be
// taken for what held it when it had settled.
const mostly = 0.6

// mainLimiter returns what held the clock down for most of a leg; empty where that is not known, or it was now this and now that.
func mainLimiter(seconds map[govern.Limiter]float64) govern.Limiter {
	total := 0.0
	for _, by := range govern.Limiters {
		if by != govern.ShortPower {
			total += seconds[by]
		}
	}
	for by, s := range seconds {
		if by != govern.ShortPower && s > mostly*total {
			return by
		}
	}
	return ""
}

// legsUnder lists the legs that say how the machine settles under a trim.
func (h *history) legsUnder(trim int64) []compare.Leg {
	var out []compare.Leg
	for i := range h.records {
		if r := &h.records[i]; r.TrimID == trim {
			out = append(out, compare.Leg{Load: r.Load, Figures: r.Figures.V, Limiters: r.Limiters.V})
		}
	}
	return out
}

// failedSteps returns, for each core, the shallowest curve offset in steps at which a trim failed on it.
func (h *history) failedSteps(set *part.Set) map[int]float64 {
	out := map[int]float64{}
	for i := range h.trims {
		t := &h.trims[i]
		if t.Standing != proof.Failed || t.Core < 0 || t.Core >= set.Processor.Cores() {
			continue
		}
		steps := t.Settings.V.CurveSteps(set.Processor, t.Core)
		if before, known := out[t.Core]; steps < 0 && (!known || steps > before) {
			out[t.Core] = steps
		}
	}
	return out
}

// held lists the settings of the trims that held for long.
func (h *history) held() []trim.Settings {
	var out []trim.Settings
	for i := range h.trims {
		if s := h.trims[i].Standing; s == proof.Held || s == proof.Proven {
			out = append(out, h.trims[i].Settings.V)
		}
	}
	return out
}

// fixed returns a trim that was fitted, and so no longer changes but for what trials make of it; nil for a draft.
func (h *history) fixed(id int64) *store.Trim {
	for i := range h.trims {
		if t := &h.trims[i]; t.ID == id && t.FittedAt.Valid {
			return t
		}
	}
	return nil
}

// What makes memory proven: its loads held for so long in all, or one of them put nearly all of the memory through every pattern.
const (
	memoryProvenS     = 600.0
	memoryProvenShare = 0.99
)

// provenMemory lists the settings under which memory was proven: by loads of its own, whatever else its trim did, or with a trim
// that held for long as a whole. No memory failure may stand against them.
func (h *history) provenMemory() []trim.Settings {
	out := h.held()
	for _, m := range h.memory {
		at := slices.IndexFunc(h.trims, func(t store.Trim) bool { return t.ID == m.TrimID })
		if at >= 0 && (m.Seconds >= memoryProvenS || m.Coverage >= memoryProvenShare) {
			out = append(out, h.trims[at].Settings.V)
		}
	}
	return slices.DeleteFunc(out, func(s trim.Settings) bool {
		return slices.ContainsFunc(h.failures, func(f failure) bool {
			return f.how.Regime == load.RegimeMemory && sameMemory(f.trim.Settings.V, s)
		})
	})
}

// memoryProven reports whether the memory settings of some settings are proven.
func (h *history) memoryProven(settings trim.Settings) bool {
	return slices.ContainsFunc(h.provenMemory(), func(other trim.Settings) bool { return sameMemory(other, settings) })
}

// sameMemory reports whether two settings ask the same of the memory.
func sameMemory(a, b trim.Settings) bool {
	return !slices.ContainsFunc(trim.Diff(a, b), func(c trim.Change) bool {
		def, _, _ := trim.Find(c.Key)
		return def.Group == trim.GroupMemory
	})
}

// Sizes of what is kept of rigs: histories with their fits, forecasts of parents, which are asked for at every keystroke while
// a child is edited, and settings in force on like rigs.
const (
	keptRigs      = 64
	keptForecasts = 256
	keptSettings  = 256
)

// version is a rig as it stood: whatever changes what a fit or preflight reads of it raises the number.
type version struct{ rig, number int64 }

// rigKnowledge is what a version of a rig shows.
type rigKnowledge struct {
	*history
	set       *part.Set
	fit       *forecast.Fit
	failed    map[int]float64 // as failedSteps tells it
	failures  []preflight.Failure
	provenMTs float64 // the highest memory rate that held a proof; 0 for none
}

// know works out what a history shows.
func know(h *history, fit *forecast.Fit, set *part.Set) *rigKnowledge {
	out := &rigKnowledge{history: h, set: set, fit: fit, failed: h.failedSteps(set)}
	for _, f := range h.failures {
		if daring, err := machine.NewDaring(set, f.trim.Settings.V); err == nil {
			f.how.Daring = daring
			out.failures = append(out.failures, f.how)
		}
	}
	for _, settings := range h.provenMemory() {
		if tuning, err := machine.Tune(set, settings); err == nil {
			out.provenMTs = math.Max(out.provenMTs, tuning.Memory.MTs)
		}
	}
	return out
}

// knowledge keeps what was worked out of rigs, by their versions, so that nothing has to be forgotten.
type knowledge struct {
	rigs      *lru.Cache[version, *rigKnowledge]
	forecasts *lru.Cache[forecastKey, *forecast.Result]
	cooled    *lru.Cache[forecastKey, *cooling.Asked]
	fixed     *lru.Cache[int64, trim.Settings] // of trims that were fitted, which do not change
	surveys   *lru.Cache[surveyKey, *surveyed]
	measured  *lru.Cache[measuredKey, *identify.Result]
	underWay  *singleflight.Group
}

type forecastKey struct {
	version
	settings string
}

func newKnowledge() knowledge {
	rigs, err := lru.New[version, *rigKnowledge](keptRigs)
	forecasts, err2 := lru.New[forecastKey, *forecast.Result](keptForecasts)
	cooled, err5 := lru.New[forecastKey, *cooling.Asked](keptRigs)
	fixed, err3 := lru.New[int64, trim.Settings](keptSettings)
	surveys, err4 := lru.New[surveyKey, *surveyed](keptRigs)
	measured, err6 := lru.New[measuredKey, *identify.Result](keptRigs)
	if err = errors.Join(err, err2, err3, err4, err5, err6); err != nil {
		panic(err) // only a size below one is refused
	}
	return knowledge{rigs: rigs, forecasts: forecasts, cooled: cooled, fixed: fixed, surveys: surveys, measured: measured,
		underWay: &singleflight.Group{}}
}

// rigKnown loads a rig with all that is known of it. A series of questions about a rig that stays as it is reads its row, and
// nothing else.
func (w *Workshop) rigKnown(ctx context.Context, id int64) (*store.Rig, *rigKnowledge, error) {
	r, err := w.store.Rig(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	if kept, ok := w.known.rigs.Get(version{r.ID, r.RecordsVersion}); ok {
		return r, kept, nil
	}
	set, err := w.partsKnown(ctx, r)
	if err != nil {
		return nil, nil, err
	}
	k, err := w.knownOf(ctx, r, set)
	return r, k, err
}

// knownOf returns a rig's history, and what it says of the rig beyond its sheets. A rig that is not stored yet has none.
func (w *Workshop) knownOf(ctx context.Context, r *store.Rig, set *part.Set) (*rigKnowledge, error) {
	if r.ID == 0 {
		return know(&history{}, forecast.Prior(set), set), nil
	}
	key := version{r.ID, r.RecordsVersion}
	if kept, ok := w.known.rigs.Get(key); ok {
		return kept, nil
	}
	found, err, _ := w.known.underWay.Do(fmt.Sprint(key), func() (any, error) {
		h, err := w.history(ctx, r.ID)
		if err != nil {
			return nil, err
		}
		fit, err := forecast.FitRecords(set, h.measured(r.AmbientC))
		if err != nil {
			w.log.Warn("the records of a rig cannot be fitted; its forecasts rest on the part sheets", "rig", r.Name, "error", err)
			fit = forecast.Prior(set)
		}
		scores, err := w.store.Scores(ctx, r.ID)
		if err != nil {
			return nil, err
		}
		fit.Learn(h.scored(scores, r.AmbientC))
		out := know(h, fit, set)
		w.known.rigs.Add(key, out)
		return out, nil
	})
	if err != nil {
		return nil, err
	}
	return found.(*rigKnowledge), nil
}

// keptForecast is the forecast of settings that are asked for again and again, by what is known of a rig; nil where its
// board does not take them.
func (w *Workshop) keptForecast(r *store.Rig, k *rigKnowledge, settings trim.Settings) *forecast.Result {
	key := forecastKey{version{r.ID, r.RecordsVersion}, settings.Fingerprint()}
	if kept, ok := w.known.forecasts.Get(key); ok {
		return kept
	}
	f, err := k.fit.Forecast(settings, r.AmbientC)
	if err != nil {
		return nil
	}
	w.known.forecasts.Add(key, f)
	return f
}

// howFailed tells how a trim failed that stands as failed; empty for any other.
func (k *rigKnowledge) howFailed(t *store.Trim) string {
	if t.Standing != proof.Failed {
		return ""
	}
	for _, f := range slices.Backward(k.history.failures) {
		if f.trim.ID == t.ID {
			return f.how.What
		}
	}
	return "failed"
}
