package store

import (
	"context"
	"database/sql"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/verdict"
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
	StartedAt sql.NullTime         `db:"started_at"` // on the rig's clock
	CreatedAt time.Time            `db:"created_at"`
	EndedAt   sql.NullTime         `db:"ended_at"`
}

// LegState is where a leg stands.
type LegState string

const (
	LegWaiting LegState = "waiting"
	LegOrdered LegState = "ordered" // the order is stored, and sent until the rig takes it
	LegRunning LegState = "running"
	LegEnded   LegState = "ended"
	LegSkipped LegState = "not run"
)

// Leg is a leg as stored.
type Leg struct {
	ID        int64                            `db:"id"`
	TrialID   int64                            `db:"trial_id"`
	Position  int                              `db:"position"`
	Load      load.Kind                        `db:"load_kind"`
	Yardstick string                           `db:"yardstick_id"`
	Cores     JSON[[]int]                      `db:"cores"`
	Seconds   float64                          `db:"seconds"`
	Inject    JSON[link.Inject]                `db:"inject"`
	OrderID   sql.NullString                   `db:"order_id"`
	State     LegState                         `db:"state"`
	BootID    string                           `db:"boot_id"`  // in which it was ordered
	InForce   bool                             `db:"in_force"` // the trim was in force then
	Stream    string                           `db:"stream"`   // of the agent that was ordered
	OrderedAt sql.NullTime                     `db:"ordered_at"`
	StartedMS sql.NullInt64                    `db:"started_ms"` // on the rig's clock
	SeenS     float64                          `db:"seen_s"`     // newest sign of it, since its start
	Finished  JSON[link.Finished]              `db:"finished"`
	Limiters  JSON[map[govern.Limiter]float64] `db:"limiters"`
	Result    JSON[verdict.Result]             `db:"result"`
	Figures   JSON[[]channel.Figure]           `db:"figures"`
	Score     sql.NullFloat64                  `db:"score"`
	Width     string                           `db:"width"`     // of the vectors; empty for the widest
	MemoryMB  int                              `db:"memory_mb"` // of a memory load; 0 leaves it to the rig
	AbortC    float64                          `db:"abort_c"`   // 0 leaves it to the rig
	TargetC   float64                          `db:"target_c"`  // 0 for full load
	Spoilt    string                           // why its score does not count; kept with the score
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

const trialColumns = `id, rig_id, trim_id, number, name, purpose, state, stop_asked, go_on, cores, acted_at, boot_at_end, result, started_at, created_at, ended_at`

const legColumns = `id, trial_id, position, load_kind, yardstick_id, cores, seconds, inject, order_id, state, boot_id, in_force, stream, ordered_at,
	started_ms, seen_s, finished, limiters, result, figures, score, width, memory_mb, abort_c, target_c`

// CreateTrial numbers and stores a trial with its legs. It is ErrTaken while something else runs on the rig.
func (s *Store) CreateTrial(ctx context.Context, t *Trial, legs []Leg) error {
	now := time.Now().UTC()
	t.State, t.CreatedAt, t.ActedAt = TrialRunning, now, now
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		if err := claim(ctx, tx, t.RigID); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &t.Number, `SELECT COALESCE(MAX(number), 0) + 1 FROM trials WHERE rig_id = ?`, t.RigID); err != nil {
			return err
		}
		result, err := tx.NamedExecContext(ctx, `INSERT INTO trials (rig_id, trim_id, number, name, purpose, state, go_on, cores, acted_at, created_at)
			VALUES (:rig_id, :trim_id, :number, :name, :purpose, :state, :go_on, :cores, :acted_at, :created_at)`, t)
		if err != nil {
			return err
		}
		if t.ID, err = result.LastInsertId(); err != nil {
			return err
		}
		for i := range legs {
			legs[i].TrialID, legs[i].Position, legs[i].State = t.ID, i, LegWaiting
		}
		_, err = tx.NamedExecContext(ctx, `INSERT INTO legs (trial_id, position, load_kind, yardstick_id, cores, seconds, inject, state, width, memory_mb, abort_c, target_c)
			VALUES (:trial_id, :position, :load_kind, :yardstick_id, :cores, :seconds, :inject, :state, :width, :memory_mb, :abort_c, :target_c)`, legs)
		return err
	})
	return known(err, "start a trial of trim %d", t.TrimID)
}

// Trial returns one trial.
func (s *Store) Trial(ctx context.Context, id int64) (*Trial, error) {
	var t Trial
	err := s.db.GetContext(ctx, &t, `SELECT `+trialColumns+` FROM trials WHERE id = ?`, id)
	return &t, known(err, "load trial %d", id)
}

// Trials lists a rig's trials, newest first.
func (s *Store) Trials(ctx context.Context, rig int64) ([]Trial, error) {
	list := []Trial{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+trialColumns+` FROM trials WHERE rig_id = ? ORDER BY id DESC LIMIT 200`, rig)
	return list, known(err, "list the trials of rig %d", rig)
}

// OpenTrials lists the trials that have not ended.
func (s *Store) OpenTrials(ctx context.Context) ([]Trial, error) {
	list := []Trial{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+trialColumns+` FROM trials WHERE ended_at IS NULL ORDER BY id`)
	return list, known(err, "list open trials")
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

// SaveTrial stores a step of a trial, and how its proof ended against the trim.
func (s *Store) SaveTrial(ctx context.Context, t *Trial) error {
	t.ActedAt = time.Now().UTC()
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		if t.State == TrialEnded {
			t.EndedAt = sql.NullTime{Time: t.ActedAt, Valid: true}
		}
		if t.Result.Valid && (t.Purpose == PurposeProof || t.Result.V.Verdict.Failed()) && !t.Result.V.Injected {
			if err := judgeTrim(ctx, tx, t); err != nil {
				return err
			}
		}
		_, err := tx.NamedExecContext(ctx, `UPDATE trials SET state = :state, acted_at = :acted_at, boot_at_end = :boot_at_end, result = :result,
			started_at = :started_at, ended_at = :ended_at WHERE id = :id`, t)
		return err
	})
	return known(err, "save trial %d", t.ID)
}

// AskStop records that a trial shall stop.
func (s *Store) AskStop(ctx context.Context, id int64) error {
	_, err := s.db.ExecContext(ctx, `UPDATE trials SET stop_asked = TRUE WHERE id = ?`, id)
	return known(err, "stop trial %d", id)
}

// OrderLeg stores the order of a leg before it is sent.
func (s *Store) OrderLeg(ctx context.Context, l *Leg) error {
	_, err := s.db.NamedExecContext(ctx, `UPDATE legs SET state = :state, order_id = :order_id, boot_id = :boot_id, stream = :stream, in_force = :in_force,
		ordered_at = :ordered_at WHERE id = :id`, l)
	return known(err, "order leg %d", l.ID)
}

// EndLeg stores the verdict and figures of a leg, and its score.
func (s *Store) EndLeg(ctx context.Context, t *Trial, l *Leg) error {
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExecContext(ctx, `UPDATE legs SET state = :state, result = :result, figures = :figures, score = :score WHERE id = :id`, l); err != nil {
			return err
		}
		if !l.Score.Valid {
			return nil
		}
		at := FromMS(l.StartedMS.Int64)
		_, err := tx.ExecContext(ctx, `INSERT IGNORE INTO scores (rig_id, trim_id, leg_id, yardstick_id, value, rig_clock, spoilt) VALUES (?, ?, ?, ?, ?, ?, ?)`,
			t.RigID, t.TrimID, l.ID, l.Yardstick, l.Score.Float64, at, cut(l.Spoilt, 200))
		return err
	})
	return known(err, "end leg %d", l.ID)
}

// SkipLegs marks the legs that will not run.
func (s *Store) SkipLegs(ctx context.Context, trial int64) error {
	_, err := s.db.ExecContext(ctx, `UPDATE legs SET state = ? WHERE trial_id = ? AND state = ?`, LegSkipped, trial, LegWaiting)
	return known(err, "skip legs of trial %d", trial)
}

// Events lists the events of a trial's legs.
func (s *Store) Events(ctx context.Context, trial int64) ([]Event, error) {
	list := []Event{}
	err := s.db.SelectContext(ctx, &list, `SELECT e.id, e.leg_id, e.kind, e.at_s, e.core, e.injected, e.note FROM events e JOIN legs l ON l.id = e.leg_id
		WHERE l.trial_id = ? ORDER BY e.id`, trial)
	return list, known(err, "list the events of trial %d", trial)
}

// AddEvent stores an event.
func (s *Store) AddEvent(ctx context.Context, e *Event) error {
	result, err := s.db.NamedExecContext(ctx, `INSERT INTO events (leg_id, kind, at_s, core, injected, note) VALUES (:leg_id, :kind, :at_s, :core, :injected, :note)`, e)
	if err == nil {
		e.ID, err = result.LastInsertId()
	}
	return known(err, "store an event")
}
