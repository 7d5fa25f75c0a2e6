package store

import (
	"context"
	"database/sql"
	"time"

	"zerokeel/core/proof"
	"zerokeel/core/trim"
)

// FittingState is where a fitting stands. Each is stored before what it names is done.
type FittingState string

const (
	FitEntering   FittingState = "entering"   // a person enters the card at the board
	FitStaging    FittingState = "staging"    // handing the settings to the board
	FitRestarting FittingState = "restarting" // asking for the restart
	FitWaiting    FittingState = "waiting"    // for the machine to come up
	FitReading    FittingState = "reading"    // the settings in force
	FitClearing   FittingState = "clearing"   // no POST: the settings are being cleared
	FitInForce    FittingState = "in force"
	FitDiffers    FittingState = "differs"
	FitNoPost     FittingState = "no POST"
	FitFailed     FittingState = "failed"
)

// Ended reports whether nothing more will be done.
func (s FittingState) Ended() bool {
	switch s {
	case FitInForce, FitDiffers, FitNoPost, FitFailed:
		return true
	}
	return false
}

// Fitting is a fitting as stored.
type Fitting struct {
	ID          int64                   `db:"id"`
	RigID       int64                   `db:"rig_id"`
	TrimID      int64                   `db:"trim_id"`
	State       FittingState            `db:"state"`
	FailedIn    FittingState            `db:"failed_in"`
	BootBefore  string                  `db:"boot_before"` // another start of the machine than this is the one waited for
	ActedAt     time.Time               `db:"acted_at"`    // when the state was entered
	Found       JSON[trim.Settings]     `db:"found"`
	Differences JSON[[]trim.Difference] `db:"differences"`
	Problem     string                  `db:"problem"`
	RigClock    time.Time               `db:"rig_clock"`
	CreatedAt   time.Time               `db:"created_at"`
	EndedAt     sql.NullTime            `db:"ended_at"`
	Version     string                  `db:"firmware_version"` // of the board's firmware when it ended
	Card        JSON[[]trim.Line]       `db:"card"`             // of a fitting by hand
	Ticked      JSON[[]string]          `db:"ticked"`           // keys of the lines entered
	Despite     string                  `db:"despite"`          // why it was begun although preflight stopped it; empty where it did not
	AtOnce      bool                    `db:"at_once"`          // no restart brings it into force
	TookS       sql.NullFloat64         `db:"took_s"`           // by the rig's own clock; not valid where that cannot be told

	from step // as it was loaded
}

// step is a state that was entered at a moment: what a later step must start from.
type step struct {
	State string
	At    time.Time
}

// ByHand reports whether a person enters the settings at the board.
func (f *Fitting) ByHand() bool { return f.Card.Valid }

const fittingColumns = `id, rig_id, trim_id, state, failed_in, boot_before, acted_at, found, differences, problem, rig_clock,
	created_at, ended_at, firmware_version, card, ticked, despite, at_once, took_s`

// CreateFitting stores a fitting that begins. It is ErrTaken while another fitting or a trial runs on the rig.
func (s *Store) CreateFitting(ctx context.Context, f *Fitting) error {
	now := time.Now().UTC().Truncate(time.Microsecond)
	f.State, f.ActedAt, f.CreatedAt = FitStaging, now, now
	if f.ByHand() {
		f.State = FitEntering
	}
	err := s.within(ctx, func(tx *txn) error {
		if err := claim(ctx, tx, f.RigID); err != nil {
			return err
		}
		result, err := tx.NamedExecContext(ctx, `INSERT INTO fittings (rig_id, trim_id, state, boot_before, acted_at, problem, rig_clock,
			created_at, card, ticked, despite, at_once) VALUES (:rig_id, :trim_id, :state, :boot_before, :acted_at, :problem, :rig_clock,
			:created_at, :card, :ticked, :despite, :at_once)`, f)
		if err != nil {
			return err
		}
		f.ID, err = result.LastInsertId()
		tx.tell(TopicFitting, f.RigID, f.ID)
		return err
	})
	f.loaded()
	return known(err, "fit trim %d", f.TrimID)
}

// loaded notes the state from which the next step of a fitting is made.
func (f *Fitting) loaded() { f.from = step{string(f.State), f.ActedAt} }

// claim makes sure that nothing runs on a rig, until the transaction ends. It writes the rig's row: in a cluster a lock of
// one node says nothing to the others, but of two transactions that write a row only one is committed.
func claim(ctx context.Context, tx *txn, rig int64) error {
	result, err := tx.ExecContext(ctx, `UPDATE rigs SET claims = claims + 1 WHERE id = ?`, rig)
	if err != nil {
		return err
	}
	if err := changed(result, sql.ErrNoRows); err != nil {
		return err
	}
	var busy int
	if err := tx.GetContext(ctx, &busy, `SELECT (SELECT COUNT(*) FROM fittings WHERE rig_id = ? AND ended_at IS NULL) +
		(SELECT COUNT(*) FROM trials WHERE rig_id = ? AND ended_at IS NULL)`, rig, rig); err != nil {
		return err
	}
	if busy > 0 {
		return ErrTaken
	}
	return nil
}

// SaveFitting stores a step of a fitting, from the state in which it was loaded. When it ends, the rig's trim in force
// follows from it: inForce is that trim, or not valid where the readback matches none. stood is how its trim stands
// from then on; nil leaves that as it is. It is ErrMoved when the fitting was stepped meanwhile, and ErrNotHeld when another
// process holds the lease; a person's step needs none.
func (s *Store) SaveFitting(ctx context.Context, lease *Lease, f *Fitting, inForce sql.NullInt64, stood *proof.Stood) error {
	f.ActedAt = time.Now().UTC().Truncate(time.Microsecond)
	f.Problem, f.Version = cut(f.Problem, maxNote), cut(f.Version, maxVersion)
	err := s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		tx.tell(TopicFitting, f.RigID, f.ID)
		if f.State.Ended() {
			tx.tell(TopicTrim, f.RigID, f.TrimID)
			tx.tell(TopicRig, f.RigID, 0)
			f.EndedAt = sql.NullTime{Time: f.ActedAt, Valid: true}
			if inForce.Valid {
				if err := setInForce(ctx, tx, f.RigID, inForce.Int64, f.RigClock); err != nil {
					return err
				}
			} else if f.State != FitFailed || (f.FailedIn != FitStaging && f.FailedIn != FitEntering) {
				if _, err := tx.ExecContext(ctx, `UPDATE rigs SET trim_in_force = NULL WHERE id = ?`, f.RigID); err != nil {
					return err
				}
			}
			if stood != nil {
				if err := judgeTrim(ctx, tx, f.TrimID, stood); err != nil {
					return err
				}
			}
			if err := tx.revise(ctx, f.RigID); err != nil {
				return err
			}
		}
		if f.Version != "" {
			if _, err := tx.ExecContext(ctx, `UPDATE rigs SET firmware_version = ?, check_due = FALSE WHERE id = ?`, f.Version,
				f.RigID); err != nil {
				return err
			}
		}
		result, err := tx.ExecContext(ctx, `UPDATE fittings SET state = ?, firmware_version = ?, failed_in = ?, boot_before = ?, acted_at = ?,
			found = ?, differences = ?, problem = ?, ended_at = ?, took_s = ? WHERE id = ? AND state = ? AND acted_at = ?`, f.State, f.Version,
			f.FailedIn, f.BootBefore, f.ActedAt, f.Found, f.Differences, f.Problem, f.EndedAt, f.TookS, f.ID, f.from.State, f.from.At)
		if err != nil {
			return err
		}
		return changed(result, ErrMoved)
	})
	if err == nil {
		f.loaded()
	}
	return known(err, "save fitting %d", f.ID)
}

// TickCard stores which lines of a card were entered, and the start of the machine that its BootBefore names. It changes
// nothing once the card has left the person's hands.
func (s *Store) TickCard(ctx context.Context, f *Fitting, keys []string) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicFitting, f.RigID, f.ID)
		_, err := tx.ExecContext(ctx, `UPDATE fittings SET ticked = ?, boot_before = ? WHERE id = ? AND state = ?`, AsJSON(keys),
			f.BootBefore, f.ID, FitEntering)
		return err
	}), "tick the card of fitting %d", f.ID)
}

// Fittings lists a rig's newest fittings, at most a page of them, newest first: those with an id below before, where that is
// above 0.
func (s *Store) Fittings(ctx context.Context, rig, before int64) ([]Fitting, error) {
	list := []Fitting{}
	err := s.db.SelectContext(ctx, &list,
		`SELECT `+fittingColumns+` FROM fittings WHERE rig_id = ? AND (? <= 0 OR id < ?) ORDER BY id DESC LIMIT ?`, rig, before, before, page)
	return list, known(err, "list the fittings of rig %d", rig)
}

// OpenFittings lists the fittings that have not ended.
func (s *Store) OpenFittings(ctx context.Context) ([]Fitting, error) {
	list := []Fitting{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+fittingColumns+` FROM fittings WHERE ended_at IS NULL ORDER BY id`)
	return list, known(err, "list open fittings")
}

// Fitting returns one fitting.
func (s *Store) Fitting(ctx context.Context, id int64) (*Fitting, error) {
	var f Fitting
	err := s.db.GetContext(ctx, &f, `SELECT `+fittingColumns+` FROM fittings WHERE id = ?`, id)
	f.loaded()
	return &f, known(err, "load fitting %d", id)
}

// FirmwareOf returns the version of the board's firmware when a trim was last found in force; empty where it never was.
func (s *Store) FirmwareOf(ctx context.Context, id int64) (string, error) {
	var found []string
	err := s.db.SelectContext(ctx, &found, `SELECT firmware_version FROM fittings WHERE trim_id = ? AND state = ? ORDER BY id DESC LIMIT 1`,
		id, FitInForce)
	if err != nil || len(found) == 0 {
		return "", known(err, "look for the firmware of trim %d", id)
	}
	return found[0], nil
}

// FittingTimes lists how long the newest fittings of a rig took that ended in a state, in minutes of its own clock.
func (s *Store) FittingTimes(ctx context.Context, rig int64, in FittingState) ([]float64, error) {
	const newest = 15
	list := []float64{}
	err := s.db.SelectContext(ctx, &list, `SELECT took_s / 60 FROM fittings WHERE rig_id = ? AND state = ? AND took_s IS NOT NULL
		ORDER BY id DESC LIMIT ?`, rig, in, newest)
	return list, known(err, "list how long fittings of rig %d took", rig)
}

// FailedStarts lists the trims of a rig's fittings after which the machine did not come up, oldest first.
func (s *Store) FailedStarts(ctx context.Context, rig int64) ([]int64, error) {
	list := []int64{}
	err := s.db.SelectContext(ctx, &list, `SELECT trim_id FROM fittings WHERE rig_id = ? AND state = ? ORDER BY id`, rig, FitNoPost)
	return list, known(err, "list the fittings of rig %d after which it did not come up", rig)
}

// LastDespite returns why a trim was last fitted although preflight stopped it; empty where it never was.
func (s *Store) LastDespite(ctx context.Context, trimID int64) (string, error) {
	list := []string{}
	err := s.db.SelectContext(ctx, &list, `SELECT despite FROM fittings WHERE trim_id = ? AND despite <> '' ORDER BY id DESC LIMIT 1`, trimID)
	if err != nil || len(list) == 0 {
		return "", known(err, "look why trim %d was fitted", trimID)
	}
	return list[0], nil
}
