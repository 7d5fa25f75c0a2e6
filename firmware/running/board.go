// Package running is the board that is the running system itself: its settings are set, and read back, by the agent on the machine, at
// once and without a restart. They are lost when the machine starts anew.
package running

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/firmware"
	"zerokeel/link"
)

// Board asks a rig's agent. Ask is the link's.
type Board struct {
	Ask     func(context.Context, link.Ask) (link.Answer, error)
	Version string // of the firmware beneath, as far as it was ever told
}

// answersWithin is how long an agent may take to set everything and read it back.
const answersWithin = 20 * time.Second

// ask asks the agent; one that gives no answer is firmware.ErrUnreachable.
func (b *Board) ask(ctx context.Context, a link.Ask) (link.Offer, error) {
	within, done := context.WithTimeout(ctx, answersWithin)
	defer done()
	answer, err := b.Ask(within, a)
	switch {
	case ctx.Err() != nil:
		return link.Offer{}, ctx.Err()
	case errors.Is(err, link.ErrNotLinked):
		return link.Offer{}, fmt.Errorf("%w: the machine's agent is not linked to this server", firmware.ErrUnreachable)
	case err != nil:
		return link.Offer{}, fmt.Errorf("%w: its agent says nothing within %s", firmware.ErrUnreachable, answersWithin)
	}
	return answer.Offer, answer.Faults.Err()
}

// Registry implements firmware.Board.
func (b *Board) Registry(ctx context.Context) ([]trim.Learnt, error) {
	offer, err := b.ask(ctx, link.Ask{})
	if err != nil {
		return nil, err
	}
	var out []trim.Learnt
	for _, name := range slices.Sorted(maps.Keys(offer.Found)) {
		out = append(out, trim.Learnt{Attribute: name, Label: name, Default: offer.Found[name]})
	}
	return out, nil
}

// Offer tells what the running system lets be set.
func (b *Board) Offer(ctx context.Context) (link.Offer, error) { return b.ask(ctx, link.Ask{}) }

// Restarts implements firmware.Board.
func (*Board) Restarts() bool { return false }

// Stage implements firmware.Board: what is staged is in force at once.
func (b *Board) Stage(ctx context.Context, sheet *part.Board, settings trim.Settings) error {
	var faults invalid.List
	values, of := map[string]any{}, map[string]string{}
	for _, key := range slices.Sorted(maps.Keys(settings)) {
		spelt, err := trim.ToAttributes(sheet, key, settings[key])
		if err != nil {
			faults.Add(key, "make the sheet anew from what the machine offers", "%v", err)
			continue
		}
		for name, v := range spelt {
			values[name], of[name] = v, key
		}
	}
	if len(faults) > 0 {
		return faults
	}
	_, err := b.ask(ctx, link.Ask{Set: values})
	if errors.As(err, &faults) {
		for i := range faults {
			if key, known := of[faults[i].Field]; known {
				faults[i].Field = key
			}
		}
		return faults
	}
	return err
}

// Apply implements firmware.Board: there is nothing left to do.
func (*Board) Apply(context.Context) error { return nil }

// Read implements firmware.Board.
func (b *Board) Read(ctx context.Context, set *part.Set, asked trim.Settings) (firmware.Readback, error) {
	offer, err := b.ask(ctx, link.Ask{})
	if err != nil {
		return firmware.Readback{}, err
	}
	found := trim.Settings{}
	for key := range asked {
		if v, err := trim.FromAttributes(set.Board, key, offer.Now); err == nil {
			found[key] = v
		}
	}
	return firmware.Readback{Found: found, Differences: trim.NotInForce(asked, found)}, nil
}

// Clear implements firmware.Board: everything is put back as it was found at this start of the machine.
func (b *Board) Clear(ctx context.Context) error {
	_, err := b.ask(ctx, link.Ask{Restore: true})
	return err
}

// State implements firmware.Board: an agent that answers runs on a machine that does; one that does not tells nothing.
func (b *Board) State(ctx context.Context) (firmware.State, error) {
	if _, err := b.ask(ctx, link.Ask{}); err != nil {
		return firmware.State{Version: b.Version}, firmware.ErrByHand
	}
	return firmware.State{On: true, Running: true, Version: b.Version}, nil
}

var _ firmware.Board = (*Board)(nil)
