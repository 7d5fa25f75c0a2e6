package runner

import (
	"context"
	"database/sql"
	"fmt"

	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/firmware"
	"zerokeel/store"
)

// stepCard does the next thing for a fitting by hand. While the card is being entered nothing is done here. Once it was,
// the machine's restart is waited for, for as long as it takes: nobody can bring it back but the person beside it. Then
// whatever of the trim shows from the running system is compared.
func (r *Runner) stepCard(ctx context.Context, f *store.Fitting, rig *store.Rig, t *store.Trim) error {
	status := r.hub.Status(f.RigID)
	switch f.State {
	case store.FitWaiting:
		if status.Linked && status.Hello.BootID != f.BootBefore {
			f.State = store.FitReading
			return r.saveFitting(ctx, f, sql.NullInt64{})
		}
	case store.FitReading:
		set, err := r.store.PartSet(ctx, rig)
		if err != nil {
			return err
		}
		f.Differences = store.AsJSON(visible(set, t.Settings.V, rig))
		f.State = store.FitInForce
		inForce := nullID(t.ID)
		if n := len(f.Differences.V); n > 0 {
			f.State, inForce = store.FitDiffers, sql.NullInt64{}
			f.Problem = fmt.Sprintf("%d things on the running machine do not fit this trim; look at the card again", n)
		}
		return r.saveFitting(ctx, f, inForce)
	}
	return nil
}

// visible compares what the running system shows with what the trim asks for: cores switched off, and SMT. Everything
// else is taken as entered; trials will tell.
func visible(set *part.Set, settings trim.Settings, rig *store.Rig) []firmware.Difference {
	out := []firmware.Difference{}
	tuning, err := machine.Tune(set, settings)
	if err != nil || !rig.Facts.Valid {
		return out
	}
	cores, threads := 0, 0
	for c, on := range tuning.On {
		if !on {
			continue
		}
		cores++
		threads++
		if tuning.SMT && set.Processor.ClusterThreads(set.Processor.ClusterOf(c)) > 1 {
			threads++
		}
	}
	found := rig.Facts.V
	if found.Cores > 0 && found.Cores != cores {
		out = append(out, firmware.Difference{Key: "clock.coreOn", Text: fmt.Sprintf("the machine shows %d cores, the trim leaves %d switched on", found.Cores, cores)})
	}
	if found.Threads > 0 && found.Threads != threads && found.Cores == cores {
		out = append(out, firmware.Difference{Key: "platform.smt", Text: fmt.Sprintf("the machine shows %d threads, the trim asks for %d", found.Threads, threads)})
	}
	return out
}
