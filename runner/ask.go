package runner

import (
	"context"
	"errors"
	"time"

	"github.com/cenkalti/backoff/v5"

	"zerokeel/firmware"
	"zerokeel/store"
)

// Pauses between two questions to one board: it is asked about a machine that may have died, for as long as that is not
// settled. One that answers is asked again after askEvery; one that does not, ever later.
const (
	askEvery = 500 * time.Millisecond
	askMost  = 10 * time.Second
)

// errNotYet says that a board was asked a moment ago, and has to be left alone for a while.
var errNotYet = errors.New("the board was asked a moment ago")

// asking is when a board may be asked again.
type asking struct {
	at   time.Time
	wait *backoff.ExponentialBackOff // nil while it answers
}

// ask asks a rig's board how the machine stands. It is errNotYet too early after the last time.
func (r *Runner) ask(ctx context.Context, rig *store.Rig) (firmware.State, error) {
	board, err := r.shop.Boards().Of(rig)
	if err != nil {
		return firmware.State{}, err
	}
	known, _ := r.asked.LoadOrStore(rig.ID, &asking{})
	a := known.(*asking) // one step of a rig at a time
	if time.Now().Before(a.at) {
		return firmware.State{}, errNotYet
	}
	state, err := board.State(ctx)
	switch {
	case errors.Is(err, firmware.ErrByHand):
		return state, err // nobody was asked
	case err == nil:
		a.at, a.wait = time.Now().Add(askEvery), nil
		return state, nil
	}
	if a.wait == nil {
		a.wait = backoff.NewExponentialBackOff()
		a.wait.InitialInterval, a.wait.MaxInterval = askEvery, askMost
	}
	a.at = time.Now().Add(a.wait.NextBackOff())
	return state, err
}
