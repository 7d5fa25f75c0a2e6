package workshop

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/sounding"
	"zerokeel/core/watch"
	"zerokeel/outbound"
	"zerokeel/store"
)

// Watches lists the watches of a rig. Of an address that gets notices only the host is told.
func (w *Workshop) Watches(ctx context.Context, rig int64) ([]store.Watch, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	list, err := w.store.Watches(ctx, rig)
	for i := range list {
		list[i].Send = w.shownAddress(list[i].Send)
	}
	return list, err
}

// AddWatch begins to watch a channel of a rig; send is the address that gets each change, empty for none.
func (w *Workshop) AddWatch(ctx context.Context, rig int64, rule watch.Rule, send string) (*store.Watch, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	faults, can := rule.Validate().Under("rule"), watchable(r)
	if !slices.ContainsFunc(can, func(c channel.Channel) bool { return c.Key == rule.Channel }) {
		faults.Add("rule.channel", fmt.Sprintf("name one of the %d that can be watched on %s", len(can), r.Name), "%.40q is none of them",
			rule.Channel)
	}
	if _, err := outbound.Parse(send); send != "" && err != nil {
		faults.Add("send", "give an address such as http://host/path", "%s", err)
	}
	if len(faults) > 0 {
		return nil, faults
	}
	out := &store.Watch{RigID: rig, Rule: store.AsJSON(rule), Send: w.seal.Close(forNotices, send)}
	err = w.store.AddWatch(ctx, out)
	out.Send = w.shownAddress(out.Send)
	return out, err
}

// Watchable lists what a watch of a rig can look at: its channels, and the risk of its trim.
func (w *Workshop) Watchable(ctx context.Context, rig int64) ([]channel.Channel, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	return watchable(r), nil
}

func watchable(r *store.Rig) []channel.Channel {
	return append([]channel.Channel{watch.Risk}, r.Channels.V...)
}

// A risk is told once it may be so many times what was allowed, since each trial moves what is believed a little; it must fall by a share
// of that before the all-clear.
const (
	toldTimes  = 2
	clearShare = 0.2
)

// WatchRisk sees to it that a rig's risk is watched, unless somebody has it watched already.
func (w *Workshop) WatchRisk(ctx context.Context, rig int64, risk24h float64) error {
	list, err := w.Watches(ctx, rig)
	if err != nil || slices.ContainsFunc(list, func(x store.Watch) bool { return x.Rule.V.Channel == watch.Risk.Key }) {
		return err
	}
	most := toldTimes * 100 * risk24h
	_, err = w.AddWatch(ctx, rig, watch.Rule{Channel: watch.Risk.Key, When: watch.Above, Threshold: most, Margin: clearShare * most,
		Message: "The trim in force may fail twice as often as its survey was to allow"}, "")
	return err
}

// NoteRisk works out how likely the trim in force may be to fail, as a rig's records stand, and steps the watches that look at it. Where
// nothing is known of it, nothing is told.
func (w *Workshop) NoteRisk(ctx context.Context, rig int64) error {
	if err := may(ctx, look, rig); err != nil {
		return err
	}
	r, k, err := w.rigKnown(ctx, rig)
	if stands := (*Conflict)(nil); errors.As(err, &stands) || err == nil && !r.TrimInForce.Valid {
		return nil
	} else if err != nil {
		return err
	}
	t, err := lookedAt(r, k.trims, r.TrimInForce.Int64)
	if err != nil {
		return err
	}
	x, err := w.surveyOf(ctx, r, k, t.Settings.V, true)
	if none := (*sounding.None)(nil); errors.As(err, &none) {
		return nil
	} else if err != nil {
		return err
	}
	x.mu.Lock()
	risk := x.survey.Assess(x.axis.Depths(k.set.Processor, t.Settings.V)).High
	x.mu.Unlock()
	now, err := w.RigClock(ctx, rig)
	if err != nil {
		return err
	}
	return w.store.StepWatches(ctx, rig, watch.Risk.Key, now, 100*risk)
}

// DropWatch ends a watch; what it told stays in the journal.
func (w *Workshop) DropWatch(ctx context.Context, id int64) error {
	if err := may(ctx, change, 0); err != nil {
		return err
	}
	_, err := w.store.DropWatch(ctx, id)
	return err
}
