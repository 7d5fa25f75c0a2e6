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

// Before anything is cleared, restarted or held against a trim, a board must have said the same so many times in a row, or
// have given no answer so many times. What it said longer ago than answerHolds does not count.
const (
	sureAfter   = 3
	answerHolds = 30 * time.Second
)

// errUnsure says that a board's last answers differ, or are too few to act upon.
var errUnsure = errors.New("the board has not said so often enough")

// errNotYet says that a board was asked a moment ago, and has to be left alone for a while.
var errNotYet = errors.New("the board was asked a moment ago")

// asking is when a board may be asked again, and what it said.
type asking struct {
	at   time.Time
	wait *backoff.ExponentialBackOff // nil while it answers

	said   said
	saidAt time.Time
	inARow int
}

// said is what an answer of a board is acted upon for.
type said struct{ answered, on, running, critical bool }

// take counts an answer, and reports whether it may be acted upon.
func (a *asking) take(s said, now time.Time) bool {
	if s != a.said || now.Sub(a.saidAt) > answerHolds {
		a.inARow = 0
	}
	a.said, a.saidAt, a.inARow = s, now, a.inARow+1
	return a.inARow >= sureAfter
}

// ask asks a rig's board how the machine stands. It is errNotYet too early after the last time, and errUnsure until the same
// has been said, or not been answered, often enough.
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
	if errors.Is(err, firmware.ErrByHand) || ctx.Err() != nil {
		return state, err // nobody was asked
	}
	now := time.Now()
	if err == nil {
		a.at, a.wait = now.Add(askEvery), nil
	} else {
		if a.wait == nil {
			a.wait = backoff.NewExponentialBackOff()
			a.wait.InitialInterval, a.wait.MaxInterval = askEvery, askMost
		}
		a.at = now.Add(a.wait.NextBackOff())
	}
	if !a.take(said{err == nil, state.On, state.Running, state.Critical}, now) {
		return state, errUnsure
	}
	return state, err
}
