// Package card is the board that nobody reaches but a person: settings are entered from a card, and what shows of them is
// what the running system tells of itself.
package card

import (
	"context"
	"fmt"

	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/firmware"
)

// Board is a board whose settings are entered by hand. Cores and Threads are those that the running system shows; 0 where
// it was never asked.
type Board struct {
	Cores, Threads int
	Version        string // of the firmware, as far as it was ever told
}

// Registry implements firmware.Board.
func (*Board) Registry(context.Context) ([]trim.Learnt, error) { return nil, firmware.ErrByHand }

// Restarts implements firmware.Board.
func (*Board) Restarts() bool { return true }

// Stage implements firmware.Board.
func (*Board) Stage(context.Context, *part.Board, trim.Settings) error { return firmware.ErrByHand }

// Apply implements firmware.Board.
func (*Board) Apply(context.Context) error { return firmware.ErrByHand }

// Clear implements firmware.Board.
func (*Board) Clear(context.Context) error { return firmware.ErrByHand }

// State implements firmware.Board: a machine by itself tells nothing of its power.
func (b *Board) State(context.Context) (firmware.State, error) {
	return firmware.State{Version: b.Version}, firmware.ErrByHand
}

// Read implements firmware.Board: cores switched off, and SMT, show from the running system. Everything else is taken as
// entered; trials will tell.
func (b *Board) Read(_ context.Context, set *part.Set, asked trim.Settings) (firmware.Readback, error) {
	out := firmware.Readback{Found: trim.Settings{}, Differences: []trim.Difference{}}
	tuning, err := machine.Tune(set, asked)
	if err != nil {
		return out, nil // nothing is known of how such a trim shows
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
	differ := func(key, text string, found, wanted int) {
		out.Differences = append(out.Differences, trim.Difference{Key: key, Text: fmt.Sprintf(text, found, wanted)})
	}
	if b.Cores > 0 && b.Cores != cores {
		differ("clock.coreOn", "the machine shows %d cores, the trim leaves %d switched on", b.Cores, cores)
	}
	if b.Threads > 0 && b.Threads != threads && b.Cores == cores {
		differ("platform.smt", "the machine shows %d threads, the trim asks for %d", b.Threads, threads)
	}
	return out, nil
}

var _ firmware.Board = (*Board)(nil)
