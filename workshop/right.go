package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/invalid"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/sensor"
	"zerokeel/store"
)

// Right puts a rig's figures right: by what its board's sheet says of its sensors, and by what was entered for the rig
// itself, which counts before it. What is stored stays as it was read.
type Right struct {
	board *part.Board
	own   map[string]sensor.Correction
}

// rightOf returns how a rig's figures are put right.
func (w *Workshop) rightOf(ctx context.Context, rig *store.Rig) (Right, error) {
	r := Right{own: map[string]sensor.Correction{}}
	set, err := w.store.PartSet(ctx, rig)
	switch {
	case err == nil:
		r.board = set.Board
	case !errors.Is(err, store.ErrNotFound):
		return r, err
	}
	list, err := w.store.Corrections(ctx, rig.ID)
	for _, c := range list {
		r.own[c.Channel] = sensor.Correction{Scale: c.Scale, Shift: c.Shift}
	}
	return r, err
}

// Of returns the correction of a channel.
func (r Right) Of(key string) sensor.Correction {
	if c, ok := r.own[key]; ok {
		return c
	}
	return r.byBoard(key)
}

// byBoard returns the correction of a channel by its board's sheet alone.
func (r Right) byBoard(key string) sensor.Correction {
	c := sensor.Correction{Scale: 1}
	if r.board != nil {
		c.Scale = r.board.Right(key)
	}
	return c
}

// put corrects samples in place.
func (r Right) put(samples channel.Samples) {
	for key, list := range samples {
		if c := r.Of(key); c != (sensor.Correction{Scale: 1}) {
			for i := range list {
				list[i].V = c.Apply(list[i].V)
			}
		}
	}
}

// PutRight corrects samples of a rig in place.
func (w *Workshop) PutRight(ctx context.Context, r *store.Rig, samples channel.Samples) error {
	if err := may(ctx, look, r.ID); err != nil {
		return err
	}
	right, err := w.rightOf(ctx, r)
	if err == nil {
		right.put(samples)
	}
	return err
}

// Correction is how a channel of a rig is put right, or could be.
type Correction struct {
	Channel channel.Channel
	Scale   float64
	Shift   float64
	Reason  string
	Source  CorrectionSource
}

// CorrectionSource says who corrects.
type CorrectionSource string

const (
	OfRig    CorrectionSource = "rig"      // entered for this rig
	OfBoard  CorrectionSource = "board"    // its board's sheet says so
	Proposed CorrectionSource = "proposed" // its figures look as if it should be
)

// Corrections lists how a rig's figures are put right, and what looks as if it should be.
func (w *Workshop) Corrections(ctx context.Context, rig int64) ([]Correction, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	own, err := w.store.Corrections(ctx, rig)
	if err != nil {
		return nil, err
	}
	out := []Correction{}
	entered := func(key string) bool {
		return slices.ContainsFunc(own, func(o store.Correction) bool { return o.Channel == key })
	}
	for _, c := range own {
		out = append(out, correctionOf(r, c.Channel, sensor.Correction{Scale: c.Scale, Shift: c.Shift}, c.Reason, OfRig))
	}
	if set, err := w.store.PartSet(ctx, r); err == nil {
		for _, q := range set.Board.Quirks {
			if q.Scale > 0 && q.Channel != "" && !entered(q.Channel) {
				out = append(out, correctionOf(r, q.Channel, sensor.Correction{Scale: q.Scale}, q.Text, OfBoard))
			}
		}
	} else if !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	p, text, ok, err := w.doubt(ctx, r)
	if err != nil {
		return nil, err
	}
	if ok && !entered(channel.DeliveredVoltage) {
		out = append(out, correctionOf(r, channel.DeliveredVoltage, p, text, Proposed))
	}
	return out, nil
}

// How well the voltage that is requested tells the one to be delivered, in V: by itself, and as a share of the load line's droop.
const (
	askedV     = 0.006
	droopShare = 0.15
)

// doubt holds what the sensor of the core voltage showed under several loads against what was requested, less what the load line
// drops; where too few loads tell, it looks at the newest trial's legs, the last first, for twice or half of what was requested.
func (w *Workshop) doubt(ctx context.Context, r *store.Rig) (sensor.Correction, string, bool, error) {
	if pairs, err := w.voltagePairs(ctx, r); err != nil {
		return sensor.Correction{}, "", false, err
	} else if g, off := sensor.Estimate(pairs); off {
		var by []string
		if g.Scale != 1 {
			by = append(by, fmt.Sprintf("times %.3f ± %.3f", g.Scale, 2*g.ScaleSD))
		}
		if g.Shift != 0 {
			by = append(by, fmt.Sprintf("%+.0f ± %.0f mV", 1000*g.Shift, 2000*g.ShiftSD))
		}
		return g.Correction, fmt.Sprintf("over %d legs it showed %.3f to %.3f V where the requests make %.3f to %.3f V: %s", g.Pairs,
			least(pairs, func(p sensor.Pair) float64 { return p.Shown }), most(pairs, func(p sensor.Pair) float64 { return p.Shown }),
			least(pairs, func(p sensor.Pair) float64 { return p.Expected }), most(pairs, func(p sensor.Pair) float64 { return p.Expected }),
			strings.Join(by, " and ")), true, nil
	}
	legs, err := w.store.NewestLegs(ctx, r.ID)
	if err != nil {
		return sensor.Correction{}, "", false, err
	}
	for i := range slices.Backward(legs) {
		means := map[string]float64{}
		for _, f := range legs[i].Figures.V {
			means[f.Key] = f.Mean
		}
		asked, got := means[channel.RequestedVoltage], means[channel.DeliveredVoltage]
		if p, ok := sensor.Doubt(asked, got); ok {
			return p, fmt.Sprintf("it showed %.3f V while %.3f V were requested", got, asked), true, nil
		}
	}
	return sensor.Correction{}, "", false, nil
}

// voltagePairs lists what legs of a rig showed as the core voltage, and what is expected of it; none where its parts are not known.
func (w *Workshop) voltagePairs(ctx context.Context, r *store.Rig) ([]sensor.Pair, error) {
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	h, err := w.history(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	var out []sensor.Pair
	for i := range h.records {
		l := &h.records[i]
		asked, _ := l.figure(channel.RequestedVoltage)
		shown, sd := l.figure(channel.DeliveredVoltage)
		watts, _ := l.figure(channel.PackagePower)
		tuning, err := machine.Tune(set, l.trim.Settings.V)
		if err != nil || !(asked > 0 && shown > 0 && watts > 0) {
			continue
		}
		amps := watts / asked
		if own, _ := l.figure(channel.CoreCurrent); own > 0 {
			amps = own
		}
		droop := amps * tuning.LoadLine.MilliOhm / 1000
		out = append(out, sensor.Pair{Shown: shown, Expected: asked - droop, SD: math.Hypot(askedV, math.Hypot(sd, droopShare*droop))})
	}
	return out, nil
}

func least(pairs []sensor.Pair, of func(sensor.Pair) float64) float64 {
	out := math.Inf(1)
	for _, p := range pairs {
		out = math.Min(out, of(p))
	}
	return out
}

func most(pairs []sensor.Pair, of func(sensor.Pair) float64) float64 {
	return -least(pairs, func(p sensor.Pair) float64 { return -of(p) })
}

func correctionOf(r *store.Rig, key string, c sensor.Correction, reason string, source CorrectionSource) Correction {
	out := Correction{Channel: channel.Channel{Key: key, Label: key, Core: -1}, Scale: c.Scale, Shift: c.Shift, Reason: reason, Source: source}
	if i := slices.IndexFunc(r.Channels.V, func(ch channel.Channel) bool { return ch.Key == key }); i >= 0 {
		out.Channel = r.Channels.V[i]
	}
	return out
}

// Correct puts a channel of a rig right, and the figures that were summed up before: what was read, times scale, plus shift.
func (w *Workshop) Correct(ctx context.Context, rig int64, key string, scale, shift float64, reason string) (*Correction, error) {
	c := sensor.Correction{Scale: scale, Shift: shift}
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	var f invalid.List
	if !slices.ContainsFunc(r.Channels.V, func(ch channel.Channel) bool { return ch.Key == key }) {
		f.Add("channel", fmt.Sprintf("name one of the %d channels of %s", len(r.Channels.V), r.Name), "%.40q is none of them", key)
	}
	if size := math.Abs(c.Scale); !(size >= 0.001 && size <= 1000) {
		f.Add("scale", "give 0.001 to 1000, or a negative one", "%g is out of range", c.Scale)
	}
	if !(math.Abs(c.Shift) <= 1e6) {
		f.Add("shift", "give at most a million", "%g is out of range", c.Shift)
	}
	if len(f) > 0 {
		return nil, f
	}
	before, err := w.rightOf(ctx, r)
	if err != nil {
		return nil, err
	}
	row := &store.Correction{RigID: rig, Channel: key, Scale: c.Scale, Shift: c.Shift, Reason: reason}
	if err := w.store.SetCorrection(ctx, row, instead(before.Of(key), c), expectCorrection(ctx)); err != nil {
		return nil, err
	}
	out := correctionOf(r, key, c, reason, OfRig)
	return &out, nil
}

// Uncorrect shows a channel of a rig as it is read again, or as its board's sheet says.
func (w *Workshop) Uncorrect(ctx context.Context, rig int64, key string) error {
	if err := may(ctx, change, rig); err != nil {
		return err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return err
	}
	before, err := w.rightOf(ctx, r)
	if err != nil {
		return err
	}
	return w.store.DropCorrection(ctx, rig, key, instead(before.Of(key), before.byBoard(key)), expectCorrection(ctx))
}

func expectCorrection(ctx context.Context) func(*store.Correction) error {
	return func(now *store.Correction) error { return expect(ctx, fieldsOfCorrection(now)) }
}

// instead returns what turns a figure that was put right in one way into one put right in another.
func instead(before, after sensor.Correction) func(float64) float64 {
	return func(x float64) float64 { return after.Apply(before.Undo(x)) }
}

// refreshRight reads anew how the figures of a rig that is linked here are put right.
func (w *Workshop) refreshRight(ctx context.Context, rig int64) error {
	if !w.hub.Status(rig).Linked {
		return nil
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return err
	}
	right, err := w.rightOf(ctx, r)
	if err == nil {
		w.vitals.linked(rig, r.Channels.V, right)
	}
	return err
}
