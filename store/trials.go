package store

import (
	"context"
	"database/sql"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/proof"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/link"
)

// TrialState is where a trial stands.
type TrialState string

const (
	TrialRunning    TrialState = "running"
	TrialRecovering TrialState = "recovering" // judged; the machine is being brought back
	TrialRestarting TrialState = "restarting" // likewise; its restart was asked for
	TrialEnded      TrialState = "ended"
)

// Purposes of a trial.
const (
	PurposeProof = "proof"
	PurposeScore = "score"
	PurposeSweep = "sweep" // of a header, to learn what hangs on it
)

// Trial is a trial as stored.
type Trial struct {
	ID        int64                `db:"id"`
	RigID     int64                `db:"rig_id"`
	TrimID    int64                `db:"trim_id"`
	Number    int                  `db:"number"`
	Name      string               `db:"name"`
	Purpose   string               `db:"purpose"`
	State     TrialState           `db:"state"`
	StopAsked bool                 `db:"stop_asked"`
	GoOn      bool                 `db:"go_on"`       // after a fault that the machine survives
	Cores     JSON[[]int]          `db:"cores"`       // that run under its trim; unknown of trials of earlier versions
	ActedAt   time.Time            `db:"acted_at"`    // when something was last done for it
	BootAtEnd string               `db:"boot_at_end"` // boot that a recovery must leave behind
	Result    JSON[verdict.Result] `db:"result"`
	Session   sql.NullInt64        `db:"session_id"`    // whose runs it takes
	Block     sql.NullInt64        `db:"session_block"` // of that session
	Pilot     sql.NullInt64        `db:"pilot_id"`      // whose order it carries out
	Order     sql.NullInt64        `db:"pilot_order"`   // its number
	Batch     sql.NullInt64        `db:"batch_id"`      // whose rig it tries
	StartedAt sql.NullTime         `db:"started_at"`    // on the rig's clock
	CreatedAt time.Time            `db:"created_at"`
	EndedAt   sql.NullTime         `db:"ended_at"`
	RigEnded  sql.NullTime         `db:"rig_ended"`  // the same on the rig's clock, as far as it told
	Kept      bool                 `db:"kept"`       // its samples are kept for good
	DroppedAt sql.NullTime         `db:"dropped_at"` // its samples were; what they were summed up to is there

	RestoreAfter bool `db:"restore_after"` // the running system is put back as it was found once it has ended, and has not been yet

	from step // as it was loaded
}

// loaded notes the state from which the next step of a trial is made.
func (t *Trial) loaded() { t.from = step{string(t.State), t.ActedAt} }

// LegState is where a leg stands.
type LegState string

const (
	LegWaiting LegState = "waiting"
	LegOrdered LegState = "ordered" // the order is stored, and sent until the rig takes it
	LegRunning LegState = "running"
	LegEnded   LegState = "ended"
	LegSkipped LegState = "not run"
)

// Leg is a leg as stored: what was asked for, how far it is, and how it ended.
type Leg struct {
	ID       int64 `db:"id"`
	TrialID  int64 `db:"trial_id"`
	Position int   `db:"position"`
	LegSpec
	LegCourse
	LegEnding
}

// LegSpec is what a leg shall do.
type LegSpec struct {
	Load      load.Kind         `db:"load_kind"`
	Yardstick string            `db:"yardstick_id"` // of a benchmark's run; empty for a load
	Cores     JSON[[]int]       `db:"cores"`
	Seconds   float64           `db:"seconds"`
	Inject    JSON[link.Inject] `db:"inject"`
	Width     string            `db:"width"`     // of the vectors; empty for the widest
	MemoryMB  int               `db:"memory_mb"` // of a memory load; 0 leaves it to the rig
	AbortC    float64           `db:"abort_c"`   // 0 leaves it to the rig
	TargetC   float64           `db:"target_c"`  // 0 for full load
	Sweep     JSON[fan.Sweep]   `db:"sweep"`     // of a header, meanwhile
}

// LegCourse is how far a leg is.
type LegCourse struct {
	State     LegState       `db:"state"`
	OrderID   sql.NullString `db:"order_id"`
	BootID    string         `db:"boot_id"`  // in which it was ordered
	InForce   bool           `db:"in_force"` // the trim was in force then
	Stream    string         `db:"stream"`   // of the agent that was ordered
	OrderedAt sql.NullTime   `db:"ordered_at"`
	StartedMS sql.NullInt64  `db:"started_ms"` // on the rig's clock
	SeenS     float64        `db:"seen_s"`     // newest sign of it, since its start
	PutBack   bool           `db:"put_back"`   // the records are of an earlier moment: it is to be run anew
}

// LegEnding is how a leg ended: what the rig said, and what came of it.
type LegEnding struct {
	Finished JSON[link.Finished]              `db:"finished"`
	Limiters JSON[map[govern.Limiter]float64] `db:"limiters"`
	Result   JSON[verdict.Result]             `db:"result"`
	Figures  JSON[[]channel.Figure]           `db:"figures"`
	Score    sql.NullFloat64                  `db:"score"`
	Spoilt   string                           `db:"-"` // why its score does not count; kept with the score
}

// EndMS is when the newest sign of a leg that began came, ms on the rig's clock.
func (l *Leg) EndMS() int64 {
	ran := l.SeenS
	if l.Finished.Valid {
		ran = l.Finished.V.RanS
	}
	return l.StartedMS.Int64 + int64(1000*ran)
}

// Event is an event of a leg as stored.
type Event struct {
	ID       int64             `db:"id"`
	LegID    int64             `db:"leg_id"`
	Kind     verdict.EventKind `db:"kind"`
	AtS      float64           `db:"at_s"`
	Core     int               `db:"core"`
	Injected bool              `db:"injected"`
	Note     string            `db:"note"`
}

const trialColumns = `id, rig_id, trim_id, number, name, purpose, state, stop_asked, go_on, cores, acted_at, boot_at_end, result,
	session_id, session_block, pilot_id, pilot_order, batch_id, started_at, created_at, ended_at, rig_ended, kept, dropped_at,
	restore_after`

const legColumns = `id, trial_id, position, load_kind, yardstick_id, cores, seconds, inject, order_id, state, boot_id, in_force,
	stream, ordered_at,
	started_ms, seen_s, finished, limiters, result, figures, score, width, memory_mb, abort_c, target_c, put_back, sweep`

// CreateTrial numbers and stores a trial with its legs. It is ErrTaken while something else runs on the rig.
func (s *Store) CreateTrial(ctx context.Context, t *Trial, legs []Leg) error {
	now := time.Now().UTC().Truncate(time.Microsecond)
	t.State, t.CreatedAt, t.ActedAt = TrialRunning, now, now
	err := s.within(ctx, func(tx *txn) error {
		if err := claim(ctx, tx, t.RigID); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &t.Number, `SELECT COALESCE(MAX(number), 0) + 1 FROM trials WHERE rig_id = ?`, t.RigID); err != nil {
			return err
		}
		result, err := tx.NamedExecContext(ctx, `INSERT INTO trials (rig_id, trim_id, number, name, purpose, state, go_on, cores, acted_at,
			created_at, session_id, session_block, pilot_id, pilot_order, batch_id, restore_after)
			VALUES (:rig_id, :trim_id, :number, :name, :purpose, :state, :go_on, :cores, :acted_at, :created_at, :session_id, :session_block,
			:pilot_id, :pilot_order, :batch_id, :restore_after)`, t)
		if err != nil {
			return err
		}
		if t.ID, err = result.LastInsertId(); err != nil {
			return err
		}
		tx.tell(TopicTrial, t.RigID, t.ID)
		for i := range legs {
			legs[i].TrialID, legs[i].Position, legs[i].State = t.ID, i, LegWaiting
		}
		_, err = tx.NamedExecContext(ctx, `INSERT INTO legs (trial_id, position, load_kind, yardstick_id, cores, seconds, inject, state,
			width, memory_mb, abort_c, target_c, sweep) VALUES (:trial_id, :position, :load_kind, :yardstick_id, :cores, :seconds, :inject,
			:state, :width, :memory_mb, :abort_c, :target_c, :sweep)`,
			legs)
		return err
	})
	t.loaded()
	return known(err, "start a trial of trim %d", t.TrimID)
}

// Trial returns one trial.
func (s *Store) Trial(ctx context.Context, id int64) (*Trial, error) {
	var t Trial
	err := s.db.GetContext(ctx, &t, `SELECT `+trialColumns+` FROM trials WHERE id = ?`, id)
	t.loaded()
	return &t, known(err, "load trial %d", id)
}

// page is how many trials, fittings or incidents are listed at once.
const page = 200

// Trials lists a rig's newest trials, at most a page of them, newest first: those with a number below before, where that
// is above 0.
func (s *Store) Trials(ctx context.Context, rig int64, before int) ([]Trial, error) {
	list := []Trial{}
	err := s.db.SelectContext(ctx, &list,
		`SELECT `+trialColumns+` FROM trials WHERE rig_id = ? AND (? <= 0 OR number < ?) ORDER BY number DESC LIMIT ?`, rig, before, before,
		page)
	return list, known(err, "list the trials of rig %d", rig)
}

// OpenTrials lists the trials that have not ended.
func (s *Store) OpenTrials(ctx context.Context) ([]Trial, error) {
	list := []Trial{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+trialColumns+` FROM trials WHERE ended_at IS NULL ORDER BY id`)
	return list, known(err, "list open trials")
}

// ToRestore lists the trials that have ended and after which the running system of their rigs is to be put back.
func (s *Store) ToRestore(ctx context.Context) ([]Trial, error) {
	list := []Trial{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+trialColumns+` FROM trials WHERE restore_after AND ended_at IS NOT NULL ORDER BY id`)
	return list, known(err, "list trials to put back after")
}

// Restored notes that what was to be put back after a trial is.
func (s *Store) Restored(ctx context.Context, lease *Lease, trial int64) error {
	return known(s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE trials SET restore_after = FALSE WHERE id = ?`, trial)
		return err
	}), "note that trial %d was put back after", trial)
}

// Legs lists the legs of trials, in their order.
func (s *Store) Legs(ctx context.Context, trials ...int64) ([]Leg, error) {
	list := []Leg{}
	if len(trials) == 0 {
		return list, nil
	}
	query, args, err := sqlx.In(`SELECT `+legColumns+` FROM legs WHERE trial_id IN (?) ORDER BY trial_id, position`, trials)
	if err == nil {
		err = s.db.SelectContext(ctx, &list, query, args...)
	}
	return list, known(err, "list legs")
}

// Judge tells how a trim stands by its trials, oldest first, and the moment of its last incident; false leaves that as it is.
type Judge func(trials []proof.Trial, incident time.Time) (proof.Stood, bool)

// SaveTrial stores a step of a trial, from the state in which it was loaded. It is ErrMoved when the trial was stepped
// meanwhile, and ErrNotHeld when another process holds the lease.
func (s *Store) SaveTrial(ctx context.Context, lease *Lease, t *Trial) error {
	return s.saveTrial(ctx, lease, t, nil)
}

// EndTrial is SaveTrial for the step that gives a trial its result: the legs that did not run are marked, and the trim is
// judged by all of its trials as they stand then.
func (s *Store) EndTrial(ctx context.Context, lease *Lease, t *Trial, judge Judge) error {
	return s.saveTrial(ctx, lease, t, judge)
}

func (s *Store) saveTrial(ctx context.Context, lease *Lease, t *Trial, judge Judge) error {
	t.ActedAt = time.Now().UTC().Truncate(time.Microsecond)
	err := s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		tx.tell(TopicTrial, t.RigID, t.ID)
		if t.State == TrialEnded {
			t.EndedAt = sql.NullTime{Time: t.ActedAt, Valid: true}
			tx.tell(TopicRig, t.RigID, 0)
		}
		result, err := tx.ExecContext(ctx, `UPDATE trials SET state = ?, acted_at = ?, boot_at_end = ?, result = ?, started_at = ?, ended_at = ?
			WHERE id = ? AND state = ? AND acted_at = ?`, t.State, t.ActedAt, t.BootAtEnd, t.Result, t.StartedAt, t.EndedAt, t.ID, t.from.State,
			t.from.At)
		if err == nil {
			err = changed(result, ErrMoved)
		}
		if err != nil || judge == nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE legs SET state = ? WHERE trial_id = ? AND state = ?`, LegSkipped, t.ID, LegWaiting); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE trials SET rig_ended = (SELECT FROM_UNIXTIME(MAX(l.started_ms / 1000 + l.seen_s))
			FROM legs l WHERE l.trial_id = trials.id) WHERE id = ?`, t.ID); err != nil {
			return err
		}
		return judged(ctx, tx, t, judge)
	})
	if err == nil {
		t.loaded()
	}
	return known(err, "save trial %d", t.ID)
}

// judged records how a trial's trim stands by now.
func judged(ctx context.Context, tx *txn, t *Trial, judge Judge) error {
	list, incident, err := tried(ctx, tx, t.TrimID)
	if err != nil {
		return err
	}
	stood, ok := judge(list, incident)
	if !ok {
		return nil
	}
	tx.tell(TopicTrim, t.RigID, t.TrimID)
	if err := judgeTrim(ctx, tx, t.TrimID, &stood); err != nil {
		return err
	}
	return tx.revise(ctx, t.RigID)
}

// AskStop records that a trial shall stop.
func (s *Store) AskStop(ctx context.Context, t *Trial) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicTrial, t.RigID, t.ID)
		_, err := tx.ExecContext(ctx, `UPDATE trials SET stop_asked = TRUE WHERE id = ?`, t.ID)
		return err
	}), "stop trial %d", t.ID)
}

// OrderLeg stores the order of a leg that waits, before it is sent, and when its trial started if it has not.
func (s *Store) OrderLeg(ctx context.Context, lease *Lease, t *Trial, l *Leg) error {
	return known(s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		tx.tell(TopicTrial, t.RigID, t.ID)
		result, err := tx.ExecContext(ctx,
			`UPDATE legs SET state = ?, order_id = ?, boot_id = ?, stream = ?, in_force = ?, ordered_at = ? WHERE id = ? AND state = ?`,
			l.State, l.OrderID, l.BootID, l.Stream, l.InForce, l.OrderedAt, l.ID, LegWaiting)
		if err == nil {
			err = changed(result, ErrMoved)
		}
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE trials SET started_at = COALESCE(started_at, ?) WHERE id = ?`, t.StartedAt, t.ID)
		return err
	}), "order leg %d", l.ID)
}

// EndLeg stores the verdict and figures of a leg that has none, and its score.
func (s *Store) EndLeg(ctx context.Context, lease *Lease, t *Trial, l *Leg) error {
	err := s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		tx.tell(TopicTrial, t.RigID, t.ID)
		result, err := tx.ExecContext(ctx, `UPDATE legs SET state = ?, result = ?, figures = ?, score = ? WHERE id = ? AND result IS NULL`,
			l.State, l.Result, l.Figures, l.Score, l.ID)
		if err == nil {
			err = changed(result, ErrMoved)
		}
		if err == nil {
			err = tx.revise(ctx, t.RigID)
		}
		if err != nil || !l.Score.Valid {
			return err
		}
		tx.tell(TopicTrim, t.RigID, t.TrimID) // whose mean score is another one now
		_, err = tx.ExecContext(ctx, `INSERT IGNORE INTO scores (rig_id, trim_id, leg_id, yardstick_id, value, rig_clock, spoilt)
			VALUES (?, ?, ?, ?, ?, ?, ?)`,
			t.RigID, t.TrimID, l.ID, l.Yardstick, l.Score.Float64, FromMS(l.StartedMS.Int64), cut(l.Spoilt, 200))
		return err
	})
	return known(err, "end leg %d", l.ID)
}

// Events lists the events of a trial's legs.
func (s *Store) Events(ctx context.Context, trial int64) ([]Event, error) {
	list := []Event{}
	err := s.db.SelectContext(ctx, &list, `SELECT e.id, e.leg_id, e.kind, e.at_s, e.core, e.injected, e.note
		FROM events e JOIN legs l ON l.id = e.leg_id
		WHERE l.trial_id = ? ORDER BY e.id`, trial)
	return list, known(err, "list the events of trial %d", trial)
}

// AddEvent stores an event of a rig's leg.
func (s *Store) AddEvent(ctx context.Context, rig int64, e *Event) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicTrial, rig, 0)
		result, err := tx.NamedExecContext(ctx,
			`INSERT INTO events (leg_id, kind, at_s, core, injected, note) VALUES (:leg_id, :kind, :at_s, :core, :injected, :note)`, e)
		if err == nil {
			e.ID, err = result.LastInsertId()
		}
		return err
	}), "store an event")
}

// HeldLeg is a leg of loads that held, with the trim that it ran under.
type HeldLeg struct {
	ID      int64                  `db:"id"`
	TrimID  int64                  `db:"trim_id"`
	TrialID int64                  `db:"trial_id"`
	Load    load.Kind              `db:"load_kind"`
	SeenS   float64                `db:"seen_s"`
	Cores   JSON[[]int]            `db:"cores"`
	Running JSON[[]int]            `db:"running"` // cores that ran under the trim; unknown of trials of earlier versions
	Figures JSON[[]channel.Figure] `db:"figures"`

	Limiters JSON[map[govern.Limiter]float64] `db:"limiters"` // seconds, as far as the rig told
}

// LegSpan is where a leg lies on its trial's axis, in ms since its first leg began.
type LegSpan struct {
	LegID   int64 `db:"id"`
	TrialID int64 `db:"trial_id"`
	From    int64 `db:"from_ms"`
	To      int64 `db:"to_ms"`
}

// LegSpans tells where some legs lie; one that never began is left out.
func (s *Store) LegSpans(ctx context.Context, legs []int64) ([]LegSpan, error) {
	out := []LegSpan{}
	if len(legs) == 0 {
		return out, nil
	}
	query, args, err := sqlx.In(`SELECT l.id, l.trial_id, l.started_ms - (SELECT MIN(b.started_ms) FROM legs b WHERE b.trial_id = l.trial_id)
		AS from_ms, CAST(ROUND(1000 * l.seen_s) AS SIGNED) AS to_ms FROM legs l WHERE l.started_ms IS NOT NULL AND l.id IN (?)`, legs)
	if err == nil {
		err = s.db.SelectContext(ctx, &out, query, args...)
	}
	for i := range out {
		out[i].To += out[i].From
	}
	return out, known(err, "look up where %d legs lie", len(legs))
}

// HeldLegs lists every leg of a rig, of loads and of sustained yardsticks, that held for at least so many seconds, at full width
// and not held back to a temperature, oldest first.
func (s *Store) HeldLegs(ctx context.Context, rig int64, leastS float64) ([]HeldLeg, error) {
	list := []HeldLeg{}
	err := s.db.SelectContext(ctx, &list, `SELECT l.id, t.trim_id, l.trial_id, l.load_kind, l.seen_s, l.cores, t.cores AS running, l.figures, l.limiters
		FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE t.rig_id = ? AND l.yardstick_id IN ('', ?) AND l.seen_s >= ? AND l.width IN ('', 'widest') AND l.target_c = 0
			AND l.sweep IS NULL AND JSON_VALUE(l.result, '$.verdict') = ? ORDER BY l.id`, rig, yardstick.Sustained, leastS, verdict.Held)
	return list, known(err, "list the legs of rig %d that held", rig)
}

// MemoryHeld is for how long loads that prove memory held under a trim, and the largest share of the memory that one of them put
// through every pattern.
type MemoryHeld struct {
	TrimID   int64   `db:"trim_id"`
	Seconds  float64 `db:"seconds"`
	Coverage float64 `db:"coverage"`
}

// MemoryHeld tells for each trim of a rig how loads that prove memory held, while it was in force.
func (s *Store) MemoryHeld(ctx context.Context, rig int64) ([]MemoryHeld, error) {
	list := []MemoryHeld{}
	var kinds []load.Kind
	for _, k := range load.Kinds {
		if k.Regime() == load.RegimeMemory {
			kinds = append(kinds, k)
		}
	}
	query, args, err := sqlx.In(`SELECT t.trim_id, SUM(l.seen_s) AS seconds, MAX(COALESCE(JSON_VALUE(l.finished, '$.coverage'), 0)) AS coverage
		FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE t.rig_id = ? AND l.in_force AND l.load_kind IN (?) AND l.yardstick_id = '' AND JSON_VALUE(l.result, '$.verdict') = ?
		GROUP BY t.trim_id`, rig, kinds, verdict.Held)
	if err == nil {
		err = s.db.SelectContext(ctx, &list, query, args...)
	}
	return list, known(err, "look how the memory of rig %d held", rig)
}

// FailedLeg is a leg that spoke against its trim.
type FailedLeg struct {
	TrimID  int64           `db:"trim_id"`
	Trial   int             `db:"number"`
	Load    load.Kind       `db:"load_kind"`
	Verdict verdict.Verdict `db:"verdict"`
	Core    int             `db:"core"` // -1 where it is not known
}

// FailedLegs lists the legs of a rig that failed while their trim was in force, oldest first; of a fault that was injected none.
func (s *Store) FailedLegs(ctx context.Context, rig int64) ([]FailedLeg, error) {
	list := []FailedLeg{}
	query, args, err := sqlx.In(`SELECT t.trim_id, t.number, l.load_kind, JSON_VALUE(l.result, '$.verdict') AS verdict,
		COALESCE(JSON_VALUE(l.result, '$.core'), -1) AS core
		FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE t.rig_id = ? AND l.in_force AND l.inject IS NULL AND JSON_VALUE(l.result, '$.verdict') IN (?) ORDER BY l.id`, rig, verdict.Failures)
	if err == nil {
		err = s.db.SelectContext(ctx, &list, query, args...)
	}
	return list, known(err, "list the legs of rig %d that failed", rig)
}

// FirstHeld returns the figures of the first leg of a proof under T0 that held a load; none when there was none.
func (s *Store) FirstHeld(ctx context.Context, rig int64, kind load.Kind) ([]channel.Figure, error) {
	var found []JSON[[]channel.Figure]
	err := s.db.SelectContext(ctx, &found, `SELECT l.figures FROM legs l JOIN trials t ON t.id = l.trial_id JOIN trims m ON m.id = t.trim_id
		WHERE t.rig_id = ? AND m.number = 0 AND t.purpose = ? AND l.load_kind = ? AND JSON_VALUE(l.result, '$.verdict') = ?
		ORDER BY l.id LIMIT 1`,
		rig, PurposeProof, kind, verdict.Held)
	if err != nil || len(found) == 0 {
		return []channel.Figure{}, known(err, "look for the baseline of rig %d", rig)
	}
	return found[0].V, nil
}

// NewestLegs lists the legs of a rig's newest trial.
func (s *Store) NewestLegs(ctx context.Context, rig int64) ([]Leg, error) {
	list := []Leg{}
	err := s.db.SelectContext(ctx, &list,
		`SELECT `+legColumns+` FROM legs WHERE trial_id = (SELECT MAX(id) FROM trials WHERE rig_id = ?) ORDER BY position`, rig)
	return list, known(err, "list the newest legs of rig %d", rig)
}

// Tried is how much was tried on a rig.
type Tried struct {
	Trials int          `db:"trials"`
	Hours  float64      `db:"hours"`
	First  sql.NullTime `db:"first"` // on the rig's clock
	Last   sql.NullTime `db:"last"`
}

// Tried tells how much was tried on a rig; under one trim where trim is not 0.
func (s *Store) Tried(ctx context.Context, rig, trim int64) (*Tried, error) {
	var out Tried
	err := s.db.GetContext(ctx, &out, `SELECT COUNT(DISTINCT t.id) AS trials, COALESCE(SUM(l.seen_s), 0) / 3600 AS hours,
			MIN(FROM_UNIXTIME(l.started_ms / 1000)) AS first, MAX(FROM_UNIXTIME(l.started_ms / 1000 + l.seen_s)) AS last
		FROM trials t JOIN legs l ON l.trial_id = t.id WHERE t.rig_id = ? AND (? = 0 OR t.trim_id = ?) AND l.started_ms IS NOT NULL`,
		rig, trim, trim)
	return &out, known(err, "sum up what was tried on rig %d", rig)
}
