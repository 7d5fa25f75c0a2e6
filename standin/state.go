package standin

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"zerokeel/link"
)

// state is what a rig keeps while it is off: the board's settings, its clock, and the journal on its disk.
type state struct {
	Attributes map[string]any  `json:"attributes"`
	Pending    map[string]any  `json:"pending"`
	Clock      float64         `json:"clock"` // seconds since 1970 UTC
	Ran        float64         `json:"ran"`   // seconds since the rig was first switched on, however its clock is set
	Boots      int             `json:"boots"`
	Draws      uint64          `json:"draws"`    // legs begun
	Revision   int             `json:"revision"` // of the pending settings, for their ETag
	Journal    []link.Unending `json:"journal"`
	Crash      *link.Crash     `json:"crash,omitempty"` // how the last start ended, if by a fault
}

func (r *Rig) statePath() string { return filepath.Join(r.opt.StateDir, r.cfg.Name+".state.json") }

// load reads the state that an earlier process left, or starts with a board as delivered.
func (r *Rig) load() error {
	r.state = state{Attributes: defaults(&r.cfg.Parts), Pending: map[string]any{}, Clock: float64(time.Now().Unix())}
	if r.opt.StateDir == "" {
		return nil
	}
	text, err := os.ReadFile(r.statePath())
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("read the stand-in's state: %w", err)
	}
	if err := json.Unmarshal(text, &r.state); err != nil {
		return fmt.Errorf("read the stand-in's state %s: %w", r.statePath(), err)
	}
	for name, value := range r.state.Attributes {
		if x, ok := value.(float64); ok {
			r.state.Attributes[name] = int(x)
		}
	}
	for name, value := range r.state.Pending {
		if x, ok := value.(float64); ok {
			r.state.Pending[name] = int(x)
		}
	}
	return nil
}

// save writes the state so that a kill at any moment leaves the old or the new one.
func (r *Rig) save() error {
	if r.opt.StateDir == "" {
		return nil
	}
	text, err := json.MarshalIndent(r.state, "", " ")
	if err != nil {
		return fmt.Errorf("save the stand-in's state: %w", err)
	}
	tmp := r.statePath() + ".new"
	if err := os.WriteFile(tmp, text, 0o600); err != nil {
		return fmt.Errorf("save the stand-in's state: %w", err)
	}
	if err := os.Rename(tmp, r.statePath()); err != nil {
		return fmt.Errorf("save the stand-in's state: %w", err)
	}
	return nil
}

func (r *Rig) keep() {
	if err := r.save(); err != nil {
		r.opt.Log.Error("the state is not kept", "rig", r.cfg.Name, "error", err)
	}
}

// Clock returns the machine's clock, in seconds since 1970 UTC.
func (r *Rig) Clock() float64 {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.state.Clock
}

// SetClock sets the machine's clock, in seconds since 1970 UTC.
func (r *Rig) SetClock(seconds float64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	shift := seconds - r.state.Clock
	r.state.Clock = seconds
	r.phaseEnd += shift
}
