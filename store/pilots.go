package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/tuning"
)

// PilotState is where a pilot stands.
type PilotState string

const (
	PilotFlying PilotState = "flying"
	PilotPaused PilotState = "paused"
	PilotEnded  PilotState = "ended"
)

// Pilot is a pilot as stored: a survey or a whole tuning of a rig that is carried out unattended.
type Pilot struct {
	ID         int64               `db:"id"`
	RigID      int64               `db:"rig_id"`
	Base       int64               `db:"base_trim_id"` // that it begins with
	Plan       JSON[PilotPlan]     `db:"plan"`
	State      PilotState          `db:"state"`
	PauseAsked bool                `db:"pause_asked"`
	EndAsked   bool                `db:"end_asked"`
	Step       int                 `db:"step"` // raised by whatever is stored of it
	Progress   JSON[PilotProgress] `db:"progress"`
	Problem    string              `db:"problem"`   // why it ended before it had found what it was to find; empty where it did
	RigBegan   time.Time           `db:"rig_began"` // on the rig's clock, as is RigEnded
	RigEnded   sql.NullTime        `db:"rig_ended"`
	CreatedAt  time.Time           `db:"created_at"`
	EndedAt    sql.NullTime        `db:"ended_at"`
}

// PilotPlan is what a pilot was asked for, and the bounds that it keeps.
type PilotPlan struct {
	Goal       tuning.Goal   `json:"goal,omitempty"`   // of a whole tuning; empty for a survey
	What       sounding.What `json:"what,omitempty"`   // that a survey looks for
	Steps      []tuning.Kind `json:"steps"`            // one after the other
	ByStep     bool          `json:"byStep,omitempty"` // it pauses after each
	Risk24h    float64       `json:"risk24h"`          // the chance of a fault in a day of mixed use that is allowed
	Minutes    float64       `json:"minutes"`          // of bench time: restarts, trials, and what crashes take
	Deepest    int           `json:"deepest"`          // steps
	Shallowest int           `json:"shallowest"`       // steps
	MostClears int           `json:"mostClears"`       // starts that fail, after which it gives up
	MostC      float64       `json:"mostC,omitempty"`  // at which its legs end; 0 leaves it to the rig
	MostW      float64       `json:"mostW,omitempty"`  // that the package is expected to draw at most under heavy load; 0 for no such bound
	MostV      float64       `json:"mostV,omitempty"`  // of the core voltage, likewise
	Hours      *Hours        `json:"hours,omitempty"`  // of the day in which it begins something; nil for any
	Proof      string        `json:"proof"`            // ladder that proves what was found
	ProofMin   float64       `json:"proofMin"`         // and what it takes of the minutes
	AfterMin   float64       `json:"afterMin"`         // what everything after the survey takes of them, the proof included
	After      []float64     `json:"after,omitempty"`  // by step: what everything after it takes of them, in minutes
}

// Hours are some of the day, on the clock of the server, from the first to before the second; past midnight where that is less.
type Hours struct {
	From int `json:"from"`
	To   int `json:"to"`
}

// Hold reports whether they hold an hour of the day.
func (h *Hours) Hold(hour int) bool {
	return h == nil || (h.From <= hour && hour < h.To) || h.From > h.To && (hour >= h.From || hour < h.To)
}

// PilotProgress is how far a pilot is.
type PilotProgress struct {
	survey.Progress
	Step    int         `json:"step"`           // of its plan, by its place
	Back    bool        `json:"back,omitempty"` // it goes to the trim that is safe, to pause or to end
	From    int64       `json:"from"`           // the trim that the steps so far have led to
	Safe    int64       `json:"safe"`           // the last of these that held
	Depths  int64       `json:"depths"`         // the trim from which the survey at hand, or the last, began
	Clears  int         `json:"clears"`
	Fitted  int         `json:"fitted"`
	Crashes int         `json:"crashes"`
	Strange int         `json:"strange"` // trials that failed although that was next to impossible
	Proofs  int         `json:"proofs"`  // that failed
	Void    int         `json:"void"`    // trials in a row that told nothing
	Found   int64       `json:"found"`   // the trim that it recommends; 0 before there is one
	Number  int         `json:"number"`  // of the order at hand
	Now     *PilotOrder `json:"now,omitempty"`
	Done    []StepDone  `json:"done,omitempty"`

	WaitsFor string `json:"waitsFor,omitempty"` // what keeps the order at hand from going on, in words; empty where nothing does

	// What its surveys began with, by the kind of the step.
	Surveying tuning.Kind           `json:"surveying,omitempty"` // of the one at hand, or the last
	Began     map[tuning.Kind]int64 `json:"began,omitempty"`     // the trim
	Earlier   int                   `json:"earlier,omitempty"`   // orders of surveys before the one at hand

	// Of an overclock: how often it moved on to another clock, and the bench time that was spent as its survey began.
	Clocks    int     `json:"clocks,omitempty"`
	BeforeMin float64 `json:"beforeMin,omitempty"`
}

// StepDone is what came of a step of a pilot's plan.
type StepDone struct {
	Kind    tuning.Kind `json:"kind"`
	Trim    int64       `json:"trim"`    // that it led to, or was tried; 0 for none
	Trial   int64       `json:"trial"`   // that tried it; 0 for none
	Skipped bool        `json:"skipped"` // and it was not carried out
	Kept    bool        `json:"kept"`    // what it changed
	Words   string      `json:"words"`
	At      time.Time   `json:"at"` // on the rig's clock
}

// PilotOrder is what a pilot does now: it makes a trim, fits it, and runs a trial; or it has two trims compared.
type PilotOrder struct {
	survey.Order
	Kind    tuning.Kind   `json:"kind"`
	Changes trim.Settings `json:"changes,omitempty"` // of a step that has settings of its own
	Why     string        `json:"why"`
	Minutes float64       `json:"minutes"` // that it is expected to take
	Fails   float64       `json:"fails"`   // the chance that it does not hold, as believed before
	Trim    int64         `json:"trim"`    // 0 before it is made
	Fitting int64         `json:"fitting"` // 0 before it has begun
	Tries   int           `json:"tries"`   // fittings that came to nothing
	Trial   int64         `json:"trial"`   // 0 before it has begun
	Session int64         `json:"session"` // that compares; 0 before it has begun
	Card    bool          `json:"card"`    // its fitting waits for a person at the board
}

// Phase says what it is about: the kind of the step at hand, "back" on the way to the trim that is safe, or "over".
func (p *Pilot) Phase() string {
	kind := p.Kind()
	switch {
	case p.State == PilotEnded || kind == "":
		return "over"
	case p.Progress.V.Back:
		return "back"
	}
	return string(kind)
}

// What is what the survey at hand looks for, or the last one did.
func (p *Pilot) What() sounding.What {
	if at := p.Progress.V.Surveying; at != "" {
		return at.What(p.Plan.V.What)
	}
	return p.Plan.V.What
}

// AfterMin is what everything after the step at hand takes, in minutes.
func (p *Pilot) AfterMin() float64 {
	if i := p.Progress.V.Step; i < len(p.Plan.V.After) {
		return p.Plan.V.After[i]
	}
	return p.Plan.V.AfterMin
}

// Kind is that of the step at hand; empty after the last.
func (p *Pilot) Kind() tuning.Kind {
	if i := p.Progress.V.Step; i < len(p.Plan.V.Steps) {
		return p.Plan.V.Steps[i]
	}
	return ""
}

// Doing says what a pilot does for its order.
func (o *PilotOrder) Doing() string {
	switch {
	case o.Session != 0:
		return "comparing"
	case o.Trim == 0:
		return "planning"
	case o.Trial == 0 && o.Card:
		return "card"
	case o.Trial == 0:
		return "fitting"
	}
	return "trial"
}

const pilotColumns = `id, rig_id, base_trim_id, plan, state, pause_asked, end_asked, step, progress, problem, rig_began, rig_ended, created_at, ended_at`

// CreatePilot stores a pilot that begins. It is ErrTaken while something runs on the rig, or another pilot or a session has it.
func (s *Store) CreatePilot(ctx context.Context, p *Pilot) error {
	p.CreatedAt, p.State = time.Now().UTC().Truncate(time.Microsecond), PilotFlying
	err := s.within(ctx, func(tx *txn) error {
		if err := claim(ctx, tx, p.RigID); err != nil {
			return err
		}
		var open int
		if err := tx.GetContext(ctx, &open, `SELECT (SELECT COUNT(*) FROM pilots WHERE rig_id = ? AND ended_at IS NULL) +
			(SELECT COUNT(*) FROM sessions WHERE rig_id = ? AND ended_at IS NULL)`, p.RigID, p.RigID); err != nil {
			return err
		}
		if open > 0 {
			return ErrTaken
		}
		result, err := tx.NamedExecContext(ctx, `INSERT INTO pilots (rig_id, base_trim_id, plan, state, progress, rig_began, created_at)
			VALUES (:rig_id, :base_trim_id, :plan, :state, :progress, :rig_began, :created_at)`, p)
		if err != nil {
			return err
		}
		tx.tell(TopicPilot, p.RigID, 0)
		p.ID, err = result.LastInsertId()
		return err
	})
	return known(err, "start a pilot on rig %d", p.RigID)
}

// Pilot returns one pilot.
func (s *Store) Pilot(ctx context.Context, id int64) (*Pilot, error) {
	var p Pilot
	err := s.db.GetContext(ctx, &p, `SELECT `+pilotColumns+` FROM pilots WHERE id = ?`, id)
	return &p, known(err, "load pilot %d", id)
}

// Pilots lists a rig's newest pilots, newest first.
func (s *Store) Pilots(ctx context.Context, rig int64) ([]Pilot, error) {
	list := []Pilot{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+pilotColumns+` FROM pilots WHERE rig_id = ? ORDER BY id DESC LIMIT ?`, rig, page)
	return list, known(err, "list the pilots of rig %d", rig)
}

// OpenPilots lists the pilots that have not ended.
func (s *Store) OpenPilots(ctx context.Context) ([]Pilot, error) {
	list := []Pilot{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+pilotColumns+` FROM pilots WHERE ended_at IS NULL ORDER BY id`)
	return list, known(err, "list open pilots")
}

// PilotTrial returns the trial of a pilot's order; ErrNotFound before it has begun.
func (s *Store) PilotTrial(ctx context.Context, pilot int64, order int) (*Trial, error) {
	var t Trial
	err := s.db.GetContext(ctx, &t, `SELECT `+trialColumns+` FROM trials WHERE pilot_id = ? AND pilot_order = ?`, pilot, order)
	t.loaded()
	return &t, known(err, "load the trial of order %d of pilot %d", order, pilot)
}

// SavePilot stores a step of a pilot from the one at which it was loaded. It is ErrMoved when it was stepped meanwhile, and ErrNotHeld
// when another process holds the lease; a person's step needs none.
func (s *Store) SavePilot(ctx context.Context, lease *Lease, p *Pilot) error {
	err := s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		if p.State == PilotEnded {
			p.EndedAt = sql.NullTime{Time: time.Now().UTC().Truncate(time.Microsecond), Valid: true}
		}
		result, err := tx.ExecContext(ctx, `UPDATE pilots SET state = ?, pause_asked = ?, end_asked = ?, progress = ?, problem = ?, rig_ended = ?, ended_at = ?,
			step = step + 1 WHERE id = ? AND step = ? AND ended_at IS NULL`, p.State, p.PauseAsked, p.EndAsked, p.Progress, cut(p.Problem, 300),
			p.RigEnded, p.EndedAt, p.ID, p.Step)
		if err != nil {
			return err
		}
		tx.tell(TopicPilot, p.RigID, 0)
		return changed(result, ErrMoved)
	})
	if err == nil {
		p.Step++
	}
	return known(err, "store a step of pilot %d", p.ID)
}

// AdoptTrim makes a trim that a pilot tried on its way one of the course, under a name and a reason of its own.
func (s *Store) AdoptTrim(ctx context.Context, rig, id int64, name, reason string) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicTrim, rig, id)
		_, err := tx.ExecContext(ctx, `UPDATE trims SET pilot_id = NULL, name = ?, reason = ? WHERE id = ? AND pilot_id IS NOT NULL`, name, reason, id)
		return err
	}), "keep trim %d", id)
}

// AskPilot asks a pilot to pause, or to end: whoever drives it does so.
func (s *Store) AskPilot(ctx context.Context, p *Pilot, end bool) error {
	err := s.within(ctx, func(tx *txn) error {
		tx.tell(TopicPilot, p.RigID, 0)
		what := "pause_asked"
		if end {
			what = "end_asked"
		}
		_, err := tx.ExecContext(ctx, `UPDATE pilots SET `+what+` = TRUE, step = step + 1 WHERE id = ?`, p.ID)
		return err
	})
	if err != nil {
		return fmt.Errorf("ask pilot %d: %w", p.ID, err)
	}
	return nil
}
