package workshop

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"zerokeel/store"
)

// How long one waits for the answer to the same request sent before, and how often it is looked for.
const (
	answerWithin = 20 * time.Second
	answerEvery  = 50 * time.Millisecond
)

// Once answers a request that names a key as the same request of the same person was answered before; of a new one it says so, and
// settle has to be called with its answer, or nil where nothing was done.
func (w *Workshop) Once(ctx context.Context, key, deed, path string, body []byte) (before *store.Answer, settle func(*store.Answer) error,
	err error) {
	a := ActorOf(ctx)
	if err := may(ctx, look, 0); err != nil {
		return nil, nil, err // whether the deed itself is allowed is asked when it is done
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%d\n%s\n%s\n%s\n%s", a.Account, key, deed, path, body))
	name := hex.EncodeToString(sum[:])
	end := time.NewTimer(answerWithin)
	defer end.Stop()
	for {
		before, err := w.store.ClaimRepeat(ctx, name)
		switch {
		case errors.Is(err, store.ErrNotFound):
			continue // it was forgotten just now
		case err != nil:
			return nil, nil, err
		case before == nil:
			return nil, func(given *store.Answer) error { return w.settle(context.WithoutCancel(ctx), name, given) }, nil
		case before.Status != 0:
			text, err := w.seal.Open(forAnswers, string(before.Body))
			if err != nil {
				return nil, nil, conflict("the same was asked before, and its answer cannot be read any more: %s", err)
			}
			return &store.Answer{Status: before.Status, Body: []byte(text)}, nil, nil
		}
		select {
		case <-ctx.Done():
			return nil, nil, ctx.Err()
		case <-end.C:
			return nil, nil, conflict("the same was asked before, and how that ended is not known; look whether it was done")
		case <-time.After(answerEvery):
		}
	}
}

// settle keeps an answer, sealed: there may be a rig's token in it, which is stored nowhere else.
func (w *Workshop) settle(ctx context.Context, name string, given *store.Answer) error {
	if given == nil {
		return w.store.SettleRepeat(ctx, name, nil)
	}
	return w.store.SettleRepeat(ctx, name, &store.Answer{Status: given.Status,
		Body: []byte(w.seal.Close(forAnswers, string(given.Body)))})
}
