package runner

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"zerokeel/firmware"
	"zerokeel/link"
	"zerokeel/store"
)

// absences lists the rigs that have spoken to this process and are silent now, or were at the last look: outside fittings and trials,
// which look after theirs.
func (r *Runner) absences(busy map[int64]bool) []int64 {
	return slices.DeleteFunc(r.hub.Known(), func(rig int64) bool {
		if _, was := r.away.Load(rig); was {
			return false
		}
		return busy[rig] || !r.silent(rig)
	})
}

func (r *Runner) silent(rig int64) bool {
	status := r.hub.Status(rig)
	return r.waited(rig, status, status.Heard, silentS)
}

// followAbsence finds out why a rig is silent that took no leave: its board keeps answering when the machine is frozen or off.
func (r *Runner) followAbsence(ctx context.Context, id int64) error {
	rig, err := r.store.Rig(ctx, id)
	if err != nil {
		return err
	}
	status := r.hub.Status(id)
	if !r.silent(id) {
		r.away.Delete(id)
		if status.Linked && rig.Absence != "" && status.Hello.BootID == rig.BootID {
			return r.shop.Spoke(ctx, rig, status.Hello.BootID) // over the link that it had
		}
		return nil
	}
	r.away.Store(id, true)
	switch rig.Absence {
	case store.AbsentOff, store.AbsentStopped, store.AbsentFrozen, store.AbsentStarting:
		return nil // it is known
	case "":
		if _, err := r.store.SetAbsence(ctx, id, store.AbsentSilent, heardAt(status)); err != nil {
			return err
		}
	}
	state, err := r.ask(ctx, rig)
	switch now := r.hub.Status(id); {
	case errors.Is(err, errNotYet), errors.Is(err, errUnsure), errors.Is(err, firmware.ErrByHand), now.Greeted, now.Heard.After(status.Heard):
		return nil
	case err != nil:
		return nil // board and agent are both away: the network, or the mains
	case !state.On:
		_, err = r.store.SetAbsence(ctx, id, store.AbsentOff, heardAt(status))
		return err
	case state.Running:
		if !r.waited(id, status, status.Heard, silentS+lingerS) {
			return nil
		}
		return r.froze(ctx, rig, status)
	}
	if r.waited(id, status, status.Heard, silentS+2*comesUpS) {
		_, err = r.store.SetAbsence(ctx, id, store.AbsentStarting, heardAt(status))
	}
	return err
}

// froze holds a freeze against the trim in force, with what the machine was last seen to do.
func (r *Runner) froze(ctx context.Context, rig *store.Rig, status link.Status) error {
	news, err := r.store.SetAbsence(ctx, rig.ID, store.AbsentFrozen, heardAt(status))
	if err != nil || !news || !rig.TrimInForce.Valid {
		return err
	}
	var last []string
	for _, v := range r.shop.LastVitals(rig.ID) {
		last = append(last, fmt.Sprintf("%s %.4g %s", strings.ToLower(v.Label), v.Value, v.Unit))
	}
	note := "no trial ran; its board says that it is up, and it gives no sign of life"
	if len(last) > 0 {
		note += "; it last showed " + strings.Join(last, ", ")
	}
	err = r.store.AddIncident(ctx, &store.Incident{RigID: rig.ID, TrimID: rig.TrimInForce.Int64, Kind: string(store.AbsentFrozen), Note: note,
		CreatedAt: heardAt(status), BootID: sql.NullString{String: status.Hello.BootID, Valid: status.Hello.BootID != ""}})
	if errors.Is(err, store.ErrTaken) {
		return nil // told before
	}
	return err
}

// heardAt is when a rig was last heard, on its own clock.
func heardAt(status link.Status) time.Time { return store.FromMS(status.Clock(status.Heard)) }
