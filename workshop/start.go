package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/compare"
	"zerokeel/core/proof"
	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Start is where a rig may begin by what its kin have shown. What held on another chip is proposed, never taken for proven: depths are
// those that are recommended for this chip.
type Start struct {
	Kin    int   // other rigs with the same processor
	Told   int   // of them tell where their cores fail
	Parent int64 // the rig's trim that the offers are changes of
	Risk   float64
	Begun  bool // some trim of its own held already, so that nothing is offered
	Offers []StartOffer
	Spared *survey.Spared // the bench time that kin spared it; nil where it was not tried yet, or they told nothing
	// DeeperV is by how many volts deeper it may go with what kin told, after all trials, than by these alone, mean of its cores.
	DeeperV float64
}

// StartOffer is a trim that won something on a rig of the kin, as this rig would begin with it.
type StartOffer struct {
	Rig      int64
	Name     string // of that rig
	Trim     *store.Trim
	Gains    []compare.Gain  // there, against that machine as delivered
	Settings trim.Settings   // that the parent is to be changed by
	Changes  []trim.Contrast // the same in words
	Depths   string          // what is recommended here, as the board shows it; empty where there is nothing to look for
	Fails    string          // how likely that is to fail, in words
	Unfit    []trim.Unfit    // what this rig's parts do not take
	Stops    string          // why preflight would stop it here; empty where it does not
}

// mostOffers is how many trims of its kin a rig is shown.
const mostOffers = 3

// Start proposes where a rig may begin by what its kin have shown.
func (w *Workshop) Start(ctx context.Context, rig int64) (*Start, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, k, err := w.rigKnown(ctx, rig)
	if stands := (*Conflict)(nil); errors.As(err, &stands) {
		return &Start{Risk: UsualRisk}, nil // its parts are not known, and so no kin of it
	} else if err != nil {
		return nil, err
	}
	ids, err := w.store.Like(ctx, r)
	if err != nil {
		return nil, err
	}
	out := &Start{Kin: len(ids), Risk: UsualRisk}
	parent, err := w.base(ctx, r)
	if err != nil || out.Kin == 0 || !parent.Valid {
		return out, err
	}
	out.Parent = parent.Int64
	t, err := w.trimOf(ctx, rig, out.Parent)
	if err != nil {
		return nil, err
	}
	if err := w.spared(ctx, r, k, t.Settings.V, out); err != nil {
		return nil, err
	}
	begun := func(t store.Trim) bool { return t.Number > 0 && t.Standing.Holds() }
	if out.Begun = slices.ContainsFunc(k.trims, begun); out.Begun {
		return out, nil
	}
	lines, err := w.Fleet(ctx)
	if err != nil {
		return nil, err
	}
	for _, line := range best(lines, ids) {
		offer, err := w.offer(ctx, r, k, t, line)
		if err != nil {
			return nil, err
		}
		same := func(o StartOffer) bool {
			return o.Settings.Fingerprint() == offer.Settings.Fingerprint()
		}
		if len(offer.Changes) == 0 || slices.ContainsFunc(out.Offers, same) {
			continue
		}
		if out.Offers = append(out.Offers, *offer); len(out.Offers) == mostOffers {
			break
		}
	}
	return out, nil
}

// best lists rigs that run something that holds and is not as delivered, those proven first, and then those that won in more ways.
func best(lines []FleetRig, ids []int64) (out []*FleetRig) {
	for i := range lines {
		l := &lines[i]
		if l.Trim != nil && !l.Stock && slices.Contains(ids, l.ID) && (l.Trim.Standing == proof.Proven || l.Trim.Standing == proof.Held) {
			out = append(out, l)
		}
	}
	worth := func(l *FleetRig) (n int) {
		if l.Trim.Standing == proof.Proven {
			n = 100
		}
		for _, g := range l.Won.Gains {
			switch {
			case g.Shown && g.Good:
				n++
			case g.Shown:
				n--
			}
		}
		return n
	}
	slices.SortStableFunc(out, func(a, b *FleetRig) int { return worth(b) - worth(a) })
	return out
}

// offer is what a rig would begin with after the trim of another.
func (w *Workshop) offer(ctx context.Context, r *store.Rig, k *rigKnowledge, parent *store.Trim, from *FleetRig) (*StartOffer, error) {
	settings, unfit := trim.Transfer(from.Set, k.set, from.Trim.Settings.V)
	out := &StartOffer{Rig: from.ID, Name: from.Name, Trim: from.Trim, Gains: from.Won.Gains, Unfit: unfit}
	x, err := w.surveyOf(ctx, r, k, settings, true)
	none := (*sounding.None)(nil)
	switch {
	case errors.As(err, &none):
	case err != nil:
		return nil, err
	default:
		x.mu.Lock()
		found := slices.Clone(x.recommend(UsualRisk))
		for i := range found {
			found[i] = min(found[i], x.axis.Shallowest())
		}
		at := x.survey.Assess(found)
		x.mu.Unlock()
		settings = settings.With(x.axis.Changes(found))
		out.Depths, out.Fails = x.axis.SayAll(found), at.InWords()
	}
	out.Settings = trim.Settings{}
	for _, c := range trim.Diff(parent.Settings.V, settings) {
		out.Settings[c.Key] = c.To
	}
	of := func(s trim.Settings) trim.Configured {
		return trim.Configured{Set: k.set, Settings: s, Volts: math.NaN()}
	}
	out.Changes = trim.Contrasts(of(parent.Settings.V), of(settings))
	c, err := w.check(ctx, r, k, parent, settings)
	if err != nil {
		return nil, err
	}
	out.Stops = c.Stops()
	return out, nil
}

// spared works out what kin tell of this chip, and what bench time that spared.
func (w *Workshop) spared(ctx context.Context, r *store.Rig, k *rigKnowledge, rest trim.Settings, out *Start) error {
	x, err := w.surveyOf(ctx, r, k, rest, true)
	if none := (*sounding.None)(nil); errors.As(err, &none) {
		return nil
	} else if err != nil {
		return err
	}
	if out.Told = x.fleet; x.fleet == 0 {
		return nil
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.spared == nil {
		var trials []survey.Past
		for i, p := range x.told.Trials {
			if x.told.From[i].Trial != 0 || !p.Outcome.Posted { // daily use takes no time of the bench
				trials = append(trials, p)
			}
		}
		found, err := survey.Spare(x.setup, x.axis.Prior(k.set.Processor), trials, x.told.Uses)
		if err != nil {
			return fmt.Errorf("replay the trials of rig %d: %w", r.ID, err)
		}
		x.spared = &found
	}
	if x.tells() {
		out.Spared, out.DeeperV = x.spared, (x.spared.Depth-x.spared.Ends)*x.axis.StepV
	}
	return nil
}
