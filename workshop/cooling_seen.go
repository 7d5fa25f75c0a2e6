package workshop

import (
	"context"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/cooling"
	"zerokeel/core/load"
	"zerokeel/core/series"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// What is looked through of a rig's records for how warm it was: so many legs, and, to follow through time, an hour of one trial that
// has at least so many seconds.
const (
	seenLegs   = 40
	seenLeastS = 900.0
	hourMS     = 3600 * 1000
	hourLeastS = 600.0
)

// seenFromC and seenWidthC are the bins that temperatures are counted in, °C.
const (
	seenFromC  = 10.0
	seenWidthC = 2.0
)

// followed returns the channel that a fan follows.
func followed(source string) string {
	if source == trim.SourceCoolant {
		return channel.Coolant
	}
	return channel.Temperature
}

// seen counts for how long each temperature was seen, by load: under a trim, or under any where there is too little under it.
func (w *Workshop) seen(ctx context.Context, c *coolingOf, source string) (out []SeenView, all bool, err error) {
	legs, err := w.store.RecordedLegs(ctx, c.rig.ID, c.trim.ID, seenLegs)
	if err != nil {
		return nil, false, err
	}
	total := 0.0
	for _, l := range legs {
		total += l.SeenS
	}
	if all = total < seenLeastS; all {
		if legs, err = w.store.RecordedLegs(ctx, c.rig.ID, 0, seenLegs); err != nil {
			return nil, true, err
		}
	}
	by := map[load.Kind]*cooling.Seen{}
	for _, l := range legs {
		samples, err := w.followedIn(ctx, c.rig, &l, source)
		if err != nil {
			return nil, all, err
		}
		class, _ := l.Load.Class()
		if class == load.Transition {
			class = load.Mixed
		}
		if by[class] == nil {
			by[class] = &cooling.Seen{FromC: seenFromC, WidthC: seenWidthC}
		}
		by[class].Add(samples)
	}
	for _, kind := range []load.Kind{load.Idle, load.Light, load.Mixed, load.Heavy} {
		if s := by[kind]; s != nil && len(s.Seconds) > 0 {
			out = append(out, SeenView{kind, *s})
		}
	}
	return out, all, nil
}

// followedIn returns the temperature that the fan follows in a leg.
func (w *Workshop) followedIn(ctx context.Context, r *store.Rig, l *store.RecordedLeg, source string) ([]series.Sample, error) {
	key := followed(source)
	samples, err := w.store.Telemetry(ctx, l.ID, store.Span{Keys: []string{key}})
	if err != nil {
		return nil, err
	}
	return samples[key], w.PutRight(ctx, r, samples)
}

// recorded returns the last hour of the newest trial that recorded enough of the temperature that the fan follows, under the trim if there
// is one; nil for none.
func (w *Workshop) recorded(ctx context.Context, c *coolingOf, source string) (*Recorded, error) {
	for _, under := range []int64{c.trim.ID, 0} {
		legs, err := w.store.RecordedLegs(ctx, c.rig.ID, under, seenLegs)
		if err != nil {
			return nil, err
		}
		for len(legs) > 0 {
			n := 1
			for n < len(legs) && legs[n].TrialID == legs[0].TrialID {
				n++
			}
			one := legs[:n]
			legs = legs[n:]
			seconds := 0.0
			for _, l := range one {
				seconds += l.SeenS
			}
			if seconds < hourLeastS {
				continue
			}
			var all []series.Sample
			for _, l := range slices.Backward(one) {
				samples, err := w.followedIn(ctx, c.rig, &l, source)
				if err != nil {
					return nil, err
				}
				all = append(all, samples...)
			}
			if len(all) == 0 {
				continue
			}
			from := all[len(all)-1].T - hourMS
			all = slices.DeleteFunc(all, func(s series.Sample) bool { return s.T < from })
			key := followed(source)
			return &Recorded{Trial: one[0].TrialID, Number: one[0].Number, Samples: channel.Samples{key: all}, Channel: key}, nil
		}
	}
	return nil, nil
}
