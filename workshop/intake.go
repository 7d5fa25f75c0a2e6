package workshop

import (
	"context"
	"database/sql"
	"errors"
	"maps"
	"slices"
	"sync"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/live"
	"zerokeel/store"
)

// intake takes in what the rigs linked to this process say. Each rig's agent acts for itself.
type intake struct{ w *Workshop }

var _ link.Sink = intake{}

// Hello implements link.Sink.
func (i intake) Hello(ctx context.Context, rig int64, h *link.Hello) (uint64, error) {
	last, err := i.w.Greet(As(ctx, Actor{Kind: Agent, Rig: rig}), rig, h)
	if err != nil {
		i.w.WasDeaf()
	}
	return last, err
}

// Frames implements link.Sink.
func (i intake) Frames(ctx context.Context, rig int64, stream string, frames []link.Frame) (uint64, error) {
	last, err := i.w.TakeFrames(As(ctx, Actor{Kind: Agent, Rig: rig}), rig, stream, frames)
	i.w.tookFrames(len(frames), err)
	if err != nil && !errors.Is(err, store.ErrGap) {
		i.w.WasDeaf()
	}
	return last, err
}

// Changed implements link.Sink: the rig was linked, or its link was lost.
func (i intake) Changed(rig int64) {
	i.w.bus.Publish(live.Message{Topic: store.TopicRig, Rig: rig})
	lease, held := i.w.held.get(rig)
	if !held {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	if err := i.w.tellLinks(ctx, lease); err != nil {
		i.w.log.Warn("the link of a rig could not be told to other processes", "rig", rig, "error", err)
	}
}

// Greet takes in that a rig links: who it is, what it can tell, and how its start before this one ended. This process holds
// it from then on. It returns the last frame held of the rig's stream.
func (w *Workshop) Greet(ctx context.Context, rig int64, h *link.Hello) (uint64, error) {
	if err := may(ctx, report, rig); err != nil {
		return 0, err
	}
	row, err := w.store.Rig(ctx, rig)
	if err != nil {
		return 0, err
	}
	names, err := w.nameSensors(ctx, row, h)
	if err != nil {
		return 0, err
	}
	right, err := w.rightOf(ctx, row)
	if err != nil {
		return 0, err
	}
	last, lease, err := w.store.Hello(ctx, rig, h, w.me)
	if err != nil {
		return 0, err
	}
	w.held.put(lease, 0)
	w.names.put(rig, names, h.Channels)
	w.vitals.linked(rig, h.Channels, right)
	if err := w.isBack(ctx, row, h.BootID); err != nil {
		return 0, err
	}
	if h.Crash != nil {
		err = w.crashed(ctx, rig, h.Crash)
	}
	return last, err
}

// isBack takes in that a rig speaks again. The same start of its machine had not frozen, whatever it looked like.
func (w *Workshop) isBack(ctx context.Context, was *store.Rig, boot string) error {
	if was.Absence == "" {
		return nil
	}
	if _, err := w.store.SetAbsence(ctx, was.ID, "", time.Time{}); err != nil {
		return err
	}
	if was.Absence == store.AbsentFrozen {
		_, err := w.store.WithdrawFreeze(ctx, was.ID, boot)
		return err
	}
	return nil
}

// Spoke takes in that a rig which was away speaks again over the link that it had.
func (w *Workshop) Spoke(ctx context.Context, was *store.Rig, boot string) error {
	if err := may(ctx, change, was.ID); err != nil {
		return err
	}
	return w.isBack(ctx, was, boot)
}

// takesLeave notes that a rig announced its end, and with a leg under way that its machine was shut down.
func (w *Workshop) takesLeave(ctx context.Context, rig int64, frames []link.Frame) error {
	for i := range frames {
		if l := frames[i].Leaving; l != nil {
			how := store.AbsentStopped
			if l.Off {
				how = store.AbsentOff
			}
			if _, err := w.store.SetAbsence(ctx, rig, how, store.FromMS(l.At)); err != nil {
				return err
			}
			if !l.Off {
				continue
			}
			leg, err := w.store.LegIn(ctx, rig, w.hub.Status(rig).Hello.BootID)
			if err != nil {
				return err
			}
			if leg != nil && leg.Open {
				if err := w.store.AddEvent(ctx, rig, &store.Event{LegID: leg.ID, Kind: verdict.EventShutDown, AtS: leg.SeenS, Core: -1}); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// crashed takes in that a rig came back without a shutdown. In the middle of a trial, that is the trial's to judge, to
// which the kernel's last words are added; otherwise it is an incident of daily use, held against the trim in force.
func (w *Workshop) crashed(ctx context.Context, id int64, c *link.Crash) error {
	leg, err := w.store.LegIn(ctx, id, c.BootID)
	if err != nil {
		return err
	}
	if leg != nil {
		if c.Words == "" || !leg.Open {
			return nil
		}
		return w.store.AddEvent(ctx, id, &store.Event{LegID: leg.ID, Kind: verdict.EventPanic, AtS: leg.SeenS, Core: -1, Note: c.Words})
	}
	rig, err := w.store.Rig(ctx, id)
	if err != nil || !rig.TrimInForce.Valid {
		return err
	}
	fitting, err := w.store.FittingSince(ctx, id, c.BootID)
	if err != nil || fitting {
		return err // its own restarts are no incidents
	}
	i := &store.Incident{RigID: id, TrimID: rig.TrimInForce.Int64, Kind: "restarted", Note: c.Words, CreatedAt: store.FromMS(c.SeenAt),
		BootID: sql.NullString{String: c.BootID, Valid: true}}
	if i.Note == "" {
		i.Note = "the machine came back without having been shut down; it was last seen alive at this moment"
	}
	err = w.store.AddIncident(ctx, i)
	if errors.Is(err, store.ErrTaken) {
		return nil // told before
	}
	return err
}

// patience is how long the figures of a rig may wait for those of others, with which they are stored, in seconds of its own clock.
const patience = 200 * time.Millisecond

// TakeFrames stores frames of a rig's stream. It returns the last one then held.
func (w *Workshop) TakeFrames(ctx context.Context, rig int64, stream string, frames []link.Frame) (uint64, error) {
	if err := may(ctx, report, rig); err != nil {
		return 0, err
	}
	w.names.apply(rig, frames)
	pace := max(w.hub.Status(rig).Hello.ClockRate, 1)
	last, err := w.store.Ingest(ctx, rig, stream, frames, time.Duration(float64(patience)/pace))
	if err != nil {
		return last, err
	}
	w.vitals.take(rig, frames)
	if err := w.takesLeave(ctx, rig, frames); err != nil {
		return last, err
	}
	return last, nil
}

// sensorNames are the names that the sensors of the rigs linked here were given, by those that they tell.
type sensorNames struct {
	mu   sync.Mutex
	rigs map[int64]map[string]string
}

// put notes the channels that a rig announced, as they are named here, and which of its own names became which.
func (n *sensorNames) put(rig int64, renamed map[string]string, announced []channel.Channel) {
	names := map[string]string{}
	for _, c := range announced {
		names[c.Key] = c.Key
	}
	maps.Copy(names, renamed)
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.rigs == nil {
		n.rigs = map[int64]map[string]string{}
	}
	n.rigs[rig] = names
}

// apply gives the figures of frames the names that their rig's sensors were given, and passes over those of channels that it did
// not announce.
func (n *sensorNames) apply(rig int64, frames []link.Frame) {
	n.mu.Lock()
	names := n.rigs[rig]
	n.mu.Unlock()
	for i := range frames {
		s := frames[i].Samples
		if s == nil {
			continue
		}
		var channels []string
		var values [][]*float64
		for c, key := range s.Channels {
			if to, announced := names[key]; announced {
				channels, values = append(channels, to), append(values, s.Values[c])
			}
		}
		s.Channels, s.Values = channels, values
	}
}

// nameSensors gives the sensors of a rig the names that its board's sheet maps them to, and returns which keys became which.
// A channel that the rig tells under its right name already is not given to another sensor.
func (w *Workshop) nameSensors(ctx context.Context, r *store.Rig, h *link.Hello) (map[string]string, error) {
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for i, c := range h.Channels {
		to, mapped := set.Board.Sensors[c.Key]
		if !mapped || slices.ContainsFunc(h.Channels, func(o channel.Channel) bool { return o.Key == to.Channel }) {
			continue
		}
		out[c.Key] = to.Channel
		h.Channels[i].Key = to.Channel
		if to.Label != "" {
			h.Channels[i].Label = to.Label
		}
	}
	return out, nil
}
