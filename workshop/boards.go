package workshop

import (
	"context"
	"fmt"

	lru "github.com/hashicorp/golang-lru/v2"

	"zerokeel/core/invalid"
	"zerokeel/core/trim"
	"zerokeel/firmware"
	"zerokeel/firmware/card"
	"zerokeel/firmware/redfish"
	"zerokeel/firmware/running"
	"zerokeel/keys"
	"zerokeel/link"
	"zerokeel/outbound"
	"zerokeel/store"
)

// keptBoards is how many clients of boards are kept; those of the boards that were asked longest ago go first.
const keptBoards = 1024

// access is how a board is reached. A client is kept for each, so that a rig whose address or login is changed gets another.
type access struct{ address, user, password string }

// Boards reaches the boards of rigs. The zero value is not ready for use.
type Boards struct {
	guard *outbound.Guard
	seal  *keys.Seal
	hub   *link.Hub
	kept  *lru.Cache[access, firmware.Board]
}

// NewBoards returns a Boards that has reached none yet, and whose requests a guard lets out and whose passwords a seal opens. Running
// systems are asked over the links of a hub.
func NewBoards(guard *outbound.Guard, seal *keys.Seal, hub *link.Hub) *Boards {
	kept, err := lru.New[access, firmware.Board](keptBoards)
	if err != nil {
		panic(err) // only a size below one is refused
	}
	return &Boards{guard: guard, seal: seal, hub: hub, kept: kept}
}

// Of returns the board of a rig, of whichever kind it is.
func (b *Boards) Of(r *store.Rig) (firmware.Board, error) {
	if r.InSystem {
		return b.running(r), nil
	}
	if r.FirmwareAddress == "" {
		return &card.Board{Cores: r.Facts.V.Cores, Threads: r.Facts.V.Threads, Version: r.FirmwareVersion}, nil
	}
	key := access{r.FirmwareAddress, r.FirmwareUser, r.FirmwarePassword}
	if board, known := b.kept.Get(key); known {
		return board, nil
	}
	password, err := b.seal.Open(forBoard(key.address), key.password)
	if err != nil {
		return nil, fmt.Errorf("the password of the board of %s is lost: %w; enter it again on the rig's sheet", r.Name, err)
	}
	client, err := redfish.New(b.guard, key.address, key.user, password)
	if err != nil {
		return nil, err
	}
	b.kept.Add(key, client)
	return client, nil
}

// running is the running system of a rig.
func (b *Boards) running(r *store.Rig) *running.Board {
	id := r.ID
	return &running.Board{Version: r.FirmwareVersion,
		Ask: func(ctx context.Context, a link.Ask) (link.Answer, error) { return b.hub.Ask(ctx, id, a) }}
}

// BoardFound is what a board says of itself when it is tried.
type BoardFound struct {
	Model    string
	Version  string // of its firmware
	On       bool
	Settings int // that it lets be set over the network
	Known    int // of them are settings that trims are made of, as far as their names tell
}

// TryBoard asks a board what it is, before a rig is made with it. An empty password is sent as such.
func (w *Workshop) TryBoard(ctx context.Context, at FirmwareAccess) (*BoardFound, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	if _, err := outbound.Parse(at.Address); err != nil {
		return nil, invalid.List{{Field: "address", Problem: err.Error(), Remedy: "give the address of the board's controller"}}
	}
	var user, password string
	put(&user, at.User)
	put(&password, at.Password)
	board, err := redfish.New(w.boards.guard, at.Address, user, password)
	if err != nil {
		return nil, conflict("%v", err)
	}
	state, err := board.State(ctx)
	if err != nil {
		return nil, conflict("the board does not tell what it is: %v", err)
	}
	list, err := board.Registry(ctx)
	if err != nil {
		return nil, conflict("it is %s, but its registry cannot be read: %v", state.Model, err)
	}
	trim.Propose(list)
	out := &BoardFound{Model: state.Model, Version: state.Version, On: state.On, Settings: len(list)}
	for _, l := range list {
		if l.Setting != "" {
			out.Known++
		}
	}
	return out, nil
}
