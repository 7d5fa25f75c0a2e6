package workshop

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/core/tuning"
	"zerokeel/outbound"
	"zerokeel/store"
)

// defaultAmbientC is the room temperature assumed until it is told.
const defaultAmbientC = 22.0

// PartIDs name the sheets of a rig's parts.
type PartIDs struct{ Processor, Board, Cooler, Memory string }

// FirmwareAccess is how a board is reached; an empty address means by hand. A nil user or password stays as it is.
type FirmwareAccess struct {
	Address        string
	User, Password *string
}

// NewRig says what a rig is made of.
type NewRig struct {
	Name      string
	Note      string      // what it is for
	Goal      tuning.Goal // what a tuning of it is for; empty for not said
	Simulated bool
	InSystem  bool // its settings will be those of its running system, and its sheets are made when it links
	AmbientC  *float64
	Parts     *PartIDs
	Firmware  *FirmwareAccess
}

// MakeRig adds a rig with its trim T0, and returns it with the token of its agent, which is told once.
func (w *Workshop) MakeRig(ctx context.Context, in NewRig) (r *Rig, token string, err error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, "", err
	}
	var faults invalid.List
	faults.Name("name", &in.Name)
	if checkGoal(&faults, in.Goal); len(faults) > 0 {
		return nil, "", faults
	}
	row := &store.Rig{Name: in.Name, Note: in.Note, Goal: in.Goal, AmbientC: defaultAmbientC, Simulated: in.Simulated, InSystem: in.InSystem}
	if in.InSystem && (in.Parts != nil || in.Firmware != nil && in.Firmware.Address != "") {
		return nil, "", invalid.List{{Field: "inSystem", Remedy: "leave out parts and firmware, or inSystem",
			Problem: "a rig that is set in its running system has its sheets from there, and no board's address"}}
	}
	put(&row.AmbientC, in.AmbientC)
	first := &store.Trim{Name: "as found", Settings: store.AsJSON(trim.Settings{})}
	if in.Parts != nil {
		set, err := w.partsOf(ctx, row, in.Parts)
		if err != nil {
			return nil, "", err
		}
		first.Name = "stock"
		if err := w.fill(ctx, first, row, set, trim.Stock(set.Processor, set.Board)); err != nil {
			return nil, "", err
		}
	}
	if err := w.setFirmware(row, in.Firmware); err != nil {
		return nil, "", err
	}
	token = rand.Text()
	row.TokenHash = hashToken(token)
	err = w.store.CreateRig(ctx, row, first, row.FirmwareAddress == "")
	if errors.Is(err, store.ErrTaken) {
		return nil, "", nameTaken(row.Name)
	} else if err != nil {
		return nil, "", err
	}
	r, err = w.Rig(ctx, row.ID)
	return r, token, err
}

func nameTaken(name string) error {
	return invalid.List{{Field: "name", Problem: "there is a rig called " + name + " already", Remedy: "choose another name"}}
}

// partsOf gives a rig its parts, and returns their sheets, checked.
func (w *Workshop) partsOf(ctx context.Context, r *store.Rig, ids *PartIDs) (*part.Set, error) {
	name := func(id string) sql.NullString { return sql.NullString{String: id, Valid: true} }
	r.Processor, r.Board, r.Cooler, r.Memory = name(ids.Processor), name(ids.Board), name(ids.Cooler), name(ids.Memory)
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return nil, invalid.List{{Field: "parts", Problem: err.Error(), Remedy: "add the part sheets first, or correct the ids"}}
	} else if err != nil {
		return nil, err
	}
	return set, set.Validate()
}

func (w *Workshop) setFirmware(r *store.Rig, in *FirmwareAccess) error {
	if in == nil {
		return nil
	}
	if in.Address != "" {
		if _, err := outbound.Parse(in.Address); err != nil {
			return invalid.List{{Field: "firmware.address", Problem: err.Error(), Remedy: "give the address of the board's controller"}}
		}
	}
	if r.InSystem && in.Address != "" {
		return invalid.List{{Field: "firmware.address", Problem: r.Name + " is set in its running system",
			Remedy: "add the machine as another rig with its board's sheet"}}
	}
	if r.FirmwareAddress != in.Address {
		r.FirmwareUser, r.FirmwarePassword = "", "" // they were given for another one
	}
	r.FirmwareAddress = in.Address
	put(&r.FirmwareUser, in.User)
	if in.Password != nil {
		r.FirmwarePassword = w.seal.Close(forBoard(in.Address), *in.Password)
	}
	return nil
}

// RigChange says what changes of a rig; nil leaves a thing as it is.
type RigChange struct {
	Name     *string
	Retired  *bool // it is kept, and no longer on the bench
	AmbientC *float64
	Refit    *bool
	Note     *string
	Goal     *tuning.Goal
	Firmware *FirmwareAccess
}

// checkGoal adds a fault where a rig's goal is none that is offered.
func checkGoal(f *invalid.List, goal tuning.Goal) {
	if goal != "" && !slices.Contains(tuning.Goals(), goal) {
		f.Add("goal", fmt.Sprintf("use one of %q, or leave it empty", tuning.Goals()), "%.40q is no goal", goal)
	}
}

// ChangeRig changes what a person knows of a rig.
func (w *Workshop) ChangeRig(ctx context.Context, id int64, in RigChange) (*Rig, error) {
	if err := may(ctx, change, id); err != nil {
		return nil, err
	}
	var faults invalid.List
	if in.Name != nil {
		faults.Name("name", in.Name)
	}
	if in.Goal != nil {
		checkGoal(&faults, *in.Goal)
	}
	if len(faults) > 0 {
		return nil, faults
	}
	if in.Retired != nil && *in.Retired {
		if r, err := w.Rig(ctx, id); err != nil {
			return nil, err
		} else if slices.Contains(atWork, r.State) {
			return nil, conflict("%s is %s; let that end before it is retired", r.Name, r.State)
		}
	}
	switchedOn, lost := false, sql.NullInt64{}
	err := w.store.ChangeRig(ctx, id, func(r *store.Rig) error {
		if err := expect(ctx, fieldsOfRig(r)); err != nil {
			return err
		}
		put(&r.Name, in.Name)
		put(&r.Retired, in.Retired)
		put(&r.AmbientC, in.AmbientC)
		switchedOn, lost = in.Refit != nil && *in.Refit && !r.Refit, r.LostTrim
		put(&r.Refit, in.Refit)
		put(&r.Note, in.Note)
		put(&r.Goal, in.Goal)
		return w.setFirmware(r, in.Firmware)
	})
	if errors.Is(err, store.ErrTaken) {
		return nil, nameTaken(*in.Name)
	} else if err != nil {
		return nil, err
	}
	if switchedOn && lost.Valid {
		var stands *Conflict
		if _, err := w.Fit(ctx, id, lost.Int64, ""); err != nil && !errors.As(err, &stands) {
			return nil, err // where something runs on it, or preflight stops it, the loss stays announced
		}
	}
	return w.Rig(ctx, id)
}

// RenewToken makes a new token for a rig's agent; the one before is worth nothing from then on.
func (w *Workshop) RenewToken(ctx context.Context, id int64) (string, error) {
	if err := may(ctx, manage, id); err != nil {
		return "", err
	}
	token := rand.Text()
	if err := w.store.RenewToken(ctx, id, hashToken(token)); err != nil {
		return "", err
	}
	w.hub.Cut(id) // other processes cut theirs when they hear of it
	return token, nil
}

// ErrBadToken reports a token that is no rig's.
var ErrBadToken = errors.New("no rig has this token")

// RigByToken returns the rig whose agent shows a token. It is the one thing that is asked before anybody is known.
func (w *Workshop) RigByToken(ctx context.Context, token string) (id int64, name string, err error) {
	r, err := w.store.RigByToken(ctx, hashToken(token))
	if errors.Is(err, store.ErrNotFound) {
		return 0, "", ErrBadToken
	} else if err != nil {
		return 0, "", err
	}
	return r.ID, r.Name, nil
}

func hashToken(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}
