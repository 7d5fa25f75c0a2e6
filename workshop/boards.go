package workshop

import (
	"fmt"

	lru "github.com/hashicorp/golang-lru/v2"

	"zerokeel/firmware"
	"zerokeel/firmware/card"
	"zerokeel/firmware/redfish"
	"zerokeel/keys"
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
	kept  *lru.Cache[access, firmware.Board]
}

// NewBoards returns a Boards that has reached none yet, and whose requests a guard lets out and whose passwords a seal opens.
func NewBoards(guard *outbound.Guard, seal *keys.Seal) *Boards {
	kept, err := lru.New[access, firmware.Board](keptBoards)
	if err != nil {
		panic(err) // only a size below one is refused
	}
	return &Boards{guard: guard, seal: seal, kept: kept}
}

// Of returns the board of a rig, of whichever kind it is.
func (b *Boards) Of(r *store.Rig) (firmware.Board, error) {
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
