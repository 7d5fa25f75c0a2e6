// Package firmware is how a trim gets onto a machine and what is then found to be in force, whichever way the machine
// offers: over the network (redfish), or by a person who types from a card (card). What drives a fitting knows a Board and
// none of its kinds.
package firmware

import (
	"context"
	"errors"

	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Board is a machine's firmware settings, and its power. Its methods may be called at once. What a kind does not offer is
// ErrByHand: a person does it.
type Board interface {
	// Registry lists what the firmware lets be set, by the board's own names, in their order.
	Registry(ctx context.Context) ([]trim.Learnt, error)
	// Restarts reports whether what is staged comes into force at the machine's next start; if not, it is in force once it is staged.
	Restarts() bool
	// Stage prepares settings. It checks all of them first, and then stages all or none; the
	// error is an invalid.List where some are not taken.
	Stage(ctx context.Context, sheet *part.Board, settings trim.Settings) error
	// Apply starts the machine anew at once, or switches it on, so that what was staged comes into force. It does not wait.
	Apply(ctx context.Context) error
	// Read tells which of the settings asked for are in force.
	Read(ctx context.Context, set *part.Set, asked trim.Settings) (Readback, error)
	// Clear puts every setting back to the board's default at the next start, as clearing the CMOS does.
	Clear(ctx context.Context) error
	// State tells how the machine stands, and what it is.
	State(ctx context.Context) (State, error)
}

// Readback is what a board says of settings that were asked for.
type Readback struct {
	Found       trim.Settings     // of the settings asked for, those that the board tells
	Differences []trim.Difference // in what it is not as asked
}

// State is how a machine stands as its board tells it, and what the board is.
type State struct {
	On       bool
	Running  bool   // its operating system has been started; true too where the board does not tell
	Critical bool   // the board says that something is badly wrong, such as memory that does not start
	Version  string // of its firmware
	Model    string
}

// Errors that callers tell apart.
var (
	// ErrUnreachable reports a board that gives no answer, or only failures of its own.
	ErrUnreachable = errors.New("the board does not answer")
	// ErrUnclear reports an answer that makes no sense, such as boards give while they start, or are out of their mind.
	ErrUnclear = errors.New("the board's answer makes no sense")
	// ErrByHand reports what only a person can do at the board.
	ErrByHand = errors.New("this is done by hand at the board")
)

// Unclear makes an error count as ErrUnclear, in its own words.
func Unclear(err error) error { return unclear{err} }

type unclear struct{ error }

func (u unclear) Is(target error) bool { return target == ErrUnclear }

func (u unclear) Unwrap() error { return u.error }
