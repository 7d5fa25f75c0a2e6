package runner

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"zerokeel/core/ladder"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/firmware"
	"zerokeel/link"
	"zerokeel/store"
)

// stepTrial does the next thing for a trial: the leg at hand, or the machine's recovery after a fault.
func (r *Runner) stepTrial(ctx context.Context, lease *store.Lease, id int64) error {
	t, err := r.store.Trial(ctx, id)
	if err != nil || t.State == store.TrialEnded {
		return err
	}
	rig, err := r.store.Rig(ctx, t.RigID)
	if err != nil {
		return err
	}
	if t.State == store.TrialRecovering || t.State == store.TrialRestarting {
		return r.recover(ctx, lease, t, rig)
	}
	legs, err := r.store.Legs(ctx, t.ID)
	if err != nil {
		return err
	}
	for i := range legs {
		switch legs[i].State {
		case store.LegEnded, store.LegSkipped:
			continue
		case store.LegWaiting:
			if t.StopAsked {
				return r.endTrial(ctx, lease, t, legs)
			}
			if !r.settled(r.hub.Status(t.RigID), t.RigID, legs[:i], &legs[i]) {
				return nil
			}
			return r.orderLeg(ctx, lease, t, rig, legs, i)
		default:
			return r.followLeg(ctx, lease, t, rig, legs, i)
		}
	}
	return r.endTrial(ctx, lease, t, legs)
}

// orderLeg stores an order, then sends it. What the rig runs otherwise, such as a leg that was ordered after the backup that the records
// were restored from, is stopped first.
func (r *Runner) orderLeg(ctx context.Context, lease *store.Lease, t *store.Trial, rig *store.Rig, legs []store.Leg, i int) error {
	l := &legs[i]
	status := r.hub.Status(t.RigID)
	if !status.Linked {
		return nil // it waits for the rig; the page says so
	}
	if other := status.Hello.Running; other != "" {
		if err := r.hub.Order(t.RigID, link.Order{ID: other, Do: link.Stop}); !errors.Is(err, link.ErrNotLinked) {
			return err
		}
		return nil
	}
	l.State, l.OrderID = store.LegOrdered, sql.NullString{String: rand.Text(), Valid: true}
	l.BootID, l.Stream = status.Hello.BootID, status.Hello.Stream
	l.InForce = rig.TrimInForce.Valid && rig.TrimInForce.Int64 == t.TrimID
	l.OrderedAt = sql.NullTime{Time: time.Now().UTC(), Valid: true}
	if !t.StartedAt.Valid {
		t.StartedAt = sql.NullTime{Time: store.FromMS(status.Clock(time.Now())), Valid: true}
	}
	if err := r.store.OrderLeg(ctx, lease, t, l); err != nil {
		return err
	}
	return r.send(ctx, t, l, len(legs))
}

// send orders a leg; the rig takes an order that it knows already as a repetition.
func (r *Runner) send(ctx context.Context, t *store.Trial, l *store.Leg, of int) error {
	tried, err := r.store.Trim(ctx, t.TrimID)
	if err != nil {
		return err
	}
	o := link.Order{ID: l.OrderID.String, Do: link.Run, Load: l.Load, Yardstick: l.Yardstick, Cores: l.Cores.V, Seconds: l.Seconds,
		Width: l.Width, MemoryMB: l.MemoryMB, AbortC: l.AbortC, TargetC: l.TargetC, TurnS: turnS(l),
		Trim: fmt.Sprintf("T%d %s", tried.Number, tried.Name), Step: l.Position + 1, Of: of}
	if l.Inject.Valid {
		o.Inject = &l.Inject.V
	}
	if l.Sweep.Valid {
		o.Sweep = &l.Sweep.V
	}
	if y, ok := yardstick.Of(l.Yardstick); ok && y.Measure != yardstick.Rest {
		o.Work, o.WarmS, o.WindowS, o.Seconds, o.TurnS = y.Amount(len(l.Cores.V)), y.WarmS, y.WindowS, yardstick.MostS, 0
	}
	if err = r.hub.Order(t.RigID, o); errors.Is(err, link.ErrNotLinked) {
		return nil
	}
	return err
}

// ordered returns when this process first saw that a leg had been ordered.
func (r *Runner) ordered(t *store.Trial, l *store.Leg) time.Time {
	return r.states.since(trialName(t.ID), l.OrderID.String, l.OrderedAt.Time)
}

// turnS is how long a load stays on each core, of one that runs on one core at a time.
func turnS(l *store.Leg) float64 {
	if !l.Load.OneCore() {
		return 0
	}
	return ladder.TurnS(l.Seconds, len(l.Cores.V))
}

// followLeg watches a leg that was ordered, and judges it once it is clear how it ended.
func (r *Runner) followLeg(ctx context.Context, lease *store.Lease, t *store.Trial, rig *store.Rig, legs []store.Leg, i int) error {
	l := &legs[i]
	status := r.hub.Status(t.RigID)
	sameBoot := status.Linked && status.Hello.BootID == l.BootID
	if l.PutBack {
		return r.runAgain(ctx, lease, t, l, status)
	}
	switch {
	case l.Finished.Valid:
		ending := verdict.Finished
		if l.Finished.V.How == link.Halted {
			ending = verdict.ByHand
		}
		return r.judge(ctx, lease, t, rig, legs, i, ending)
	case status.Linked && !sameBoot:
		return r.judge(ctx, lease, t, rig, legs, i, r.restartOrFreeze(rig, l, status))
	case sameBoot && status.Hello.Stream != l.Stream:
		// The agent was started anew. It may have lost the leg, or never got the order.
		return r.judge(ctx, lease, t, rig, legs, i, verdict.AgentStarted)
	case sameBoot && !r.waited(t.RigID, status, status.Heard, silentS):
		if t.StopAsked {
			return r.hub.Order(t.RigID, link.Order{ID: l.OrderID.String, Do: link.Stop})
		}
		if l.State == store.LegOrdered && time.Since(r.ordered(t, l)) > shortWait {
			return r.send(ctx, t, l, len(legs))
		}
		return nil
	}
	return r.silence(ctx, lease, t, rig, legs, i, status)
}

// runAgain makes a leg that was under way when the records were backed up be run anew, once the rig does not run it any more. What the
// rig told of it since the backup is lost: nobody could say that it held.
func (r *Runner) runAgain(ctx context.Context, lease *store.Lease, t *store.Trial, l *store.Leg, status link.Status) error {
	switch {
	case !status.Linked:
		return nil // it waits for the rig; the page says so
	case !l.Finished.Valid && status.Hello.BootID == l.BootID && status.Hello.Running == l.OrderID.String:
		if err := r.hub.Order(t.RigID, link.Order{ID: l.OrderID.String, Do: link.Stop}); !errors.Is(err, link.ErrNotLinked) {
			return err
		}
		return nil
	}
	return r.store.LegAgain(ctx, lease, t, l.ID)
}

// restartOrFreeze tells why a machine came up anew during a leg. Without a board to ask, a long silence before means
// that somebody had to reset a frozen machine. The trim has failed either way: on the rig's clock hangs the word alone, and on this
// machine's nothing.
func (r *Runner) restartOrFreeze(rig *store.Rig, l *store.Leg, status link.Status) verdict.Ending {
	const long = 2*comesUpS + lingerS
	var froze bool
	if l.StartedMS.Valid {
		froze = float64(status.Hello.Now-l.StartedMS.Int64)/1000-l.SeenS > long
	} else if !status.Before.IsZero() {
		froze = status.LinkedAt.Sub(r.shop.SilentSince(rig.ID, status.Before)) >= r.realWait(rig.ID, long)
	}
	if froze && rig.FirmwareAddress == "" {
		return verdict.Silent
	}
	return verdict.NewBoot
}

// silence decides about a rig that gives no sign of life. The board's own controller keeps answering when the machine
// is frozen, off, or does not come up; without one, nothing can be told until the machine is back.
func (r *Runner) silence(ctx context.Context, lease *store.Lease, t *store.Trial, rig *store.Rig, legs []store.Leg, i int,
	status link.Status) error {
	heard := status.Heard
	if ordered := r.ordered(t, &legs[i]); ordered.After(heard) {
		heard = ordered
	}
	if !r.waited(t.RigID, status, heard, silentS) {
		return nil
	}
	state, err := r.ask(ctx, rig)
	switch now := r.hub.Status(t.RigID); {
	case errors.Is(err, errNotYet), errors.Is(err, errUnsure), now.Greeted, now.Heard.After(status.Heard):
		return nil // it spoke while its board was asked
	case err != nil && t.StopAsked:
		return r.judge(ctx, lease, t, rig, legs, i, verdict.ByHand)
	case errors.Is(err, firmware.ErrByHand):
		return nil // nothing can be told until the machine is back
	case err != nil:
		return err // board and agent are both away: the network, or the mains
	case !state.On:
		return r.judge(ctx, lease, t, rig, legs, i, verdict.PoweredOff)
	case state.Running:
		if r.waited(t.RigID, status, heard, silentS+lingerS) {
			return r.judge(ctx, lease, t, rig, legs, i, verdict.Silent)
		}
	case r.waited(t.RigID, status, heard, silentS+2*comesUpS):
		return r.judge(ctx, lease, t, rig, legs, i, verdict.DeadAtStart)
	}
	return nil
}

// judge stores a leg's verdict; a fault ends the trial.
func (r *Runner) judge(ctx context.Context, lease *store.Lease, t *store.Trial, rig *store.Rig, legs []store.Leg, i int,
	ending verdict.Ending) error {
	l := &legs[i]
	if err := r.store.Pack(ctx, l.ID, store.Quanta(rig.Channels.V)); err != nil {
		return err
	}
	samples, err := r.store.Telemetry(ctx, l.ID, store.Span{})
	if err != nil {
		return err
	}
	if err := r.shop.PutRight(ctx, rig, samples); err != nil {
		return err
	}
	events, err := r.store.Events(ctx, t.ID)
	if err != nil {
		return err
	}
	result := verdict.Judge(evidence(l, ending, events, samples))
	l.State, l.Result = store.LegEnded, store.AsJSON(result)
	told, err := r.store.LogChannels(ctx, t.ID) // what a person read meanwhile
	if err != nil {
		return err
	}
	if l.Sweep.Valid {
		if err := r.shop.Swept(ctx, rig, l, result, events, samples); err != nil {
			return err
		}
	}
	was, err := r.shop.FiguresOf(ctx, rig, t.TrimID, l.Load)
	if err != nil {
		return err
	}
	was.Scored = scoredPart(l)
	l.Figures = store.AsJSON(was.Figures(append(slices.Clone(rig.Channels.V), told...), samples))
	if result.Verdict == verdict.Held {
		takeScore(l, legs[:i], samples)
	}
	if err := r.store.EndLeg(ctx, lease, t, l); err != nil {
		return err
	}
	if result.Verdict == verdict.Held || t.GoOn && survived(result.Verdict) {
		return nil
	}
	return r.endTrial(ctx, lease, t, legs)
}

// survived tells whether the machine goes on after such a verdict as it was.
func survived(v verdict.Verdict) bool { return v == verdict.Miscalculated || v == verdict.CoreDropped }

// endTrial stores the verdict of a trial. A machine that is down is brought back before the trial counts as ended.
func (r *Runner) endTrial(ctx context.Context, lease *store.Lease, t *store.Trial, legs []store.Leg) error {
	var results []verdict.Result
	for _, l := range legs {
		if l.Result.Valid {
			results = append(results, l.Result.V)
		}
	}
	overall := verdict.Overall(results)
	if len(results) == 0 {
		overall = verdict.Result{Verdict: verdict.Stopped, Core: -1, Why: "stopped by hand before it began"}
	} else if t.StopAsked && overall.Verdict == verdict.Held && len(results) < len(legs) {
		overall.Verdict, overall.Why = verdict.Stopped, "stopped by hand"
	}
	t.Result = store.AsJSON(overall)
	t.State = store.TrialEnded
	switch overall.Verdict {
	case verdict.Froze, verdict.Overheated, verdict.NoPost:
		if last := lastOrdered(legs); last != nil {
			t.State, t.BootAtEnd = store.TrialRecovering, last.BootID
		}
	}
	return r.store.EndTrial(ctx, lease, t, proof.Stand)
}

func lastOrdered(legs []store.Leg) *store.Leg {
	for i := len(legs) - 1; i >= 0; i-- {
		if legs[i].OrderID.Valid {
			return &legs[i]
		}
	}
	return nil
}

// recover brings a machine back that froze or was switched off: it is restarted over its board until it links with a
// new boot. A rig without a board waits for a person, and the trial ends at once.
func (r *Runner) recover(ctx context.Context, lease *store.Lease, t *store.Trial, rig *store.Rig) error {
	status := r.hub.Status(t.RigID)
	state, err := r.ask(ctx, rig)
	if errors.Is(err, firmware.ErrByHand) || (status.Linked && status.Hello.BootID != t.BootAtEnd) || t.StopAsked {
		t.State = store.TrialEnded
		err := r.store.SaveTrial(ctx, lease, t)
		return err
	}
	if t.State == store.TrialRestarting {
		if r.waited(t.RigID, status, r.states.since(trialName(t.ID), string(t.State), t.ActedAt), comesUpS) {
			t.State = store.TrialRecovering
			return r.store.SaveTrial(ctx, lease, t)
		}
		return nil
	}
	if errors.Is(err, errNotYet) || errors.Is(err, errUnsure) {
		return nil
	}
	if err != nil {
		return err
	}
	board, set, err := r.board(ctx, rig)
	if err != nil {
		return err
	}
	if state.On && !state.Running && state.Critical {
		if err := board.Clear(ctx); err != nil {
			return err
		}
		if err := r.store.SetInForce(ctx, rig.ID, r.trimWith(ctx, rig, trim.Stock(set.Processor, set.Board))); err != nil {
			return err
		}
	}
	t.State = store.TrialRestarting
	if err := r.store.SaveTrial(ctx, lease, t); err != nil {
		return err
	}
	return board.Apply(ctx)
}
