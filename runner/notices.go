package runner

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"time"

	"golang.org/x/sync/errgroup"

	"zerokeel/core/channel"
	"zerokeel/core/watch"
	"zerokeel/store"
)

// Notice is what is sent of a watch: a POST with this as JSON. The id stays the same however often it is sent.
type Notice struct {
	ID        int64     `json:"id"`
	Rig       string    `json:"rig"`
	Simulated bool      `json:"simulated"`
	Raised    bool      `json:"raised"` // false is the all-clear
	Message   string    `json:"message"`
	Channel   string    `json:"channel"`
	Value     float64   `json:"value"`
	Unit      string    `json:"unit"`
	At        time.Time `json:"at"`
}

// Times of sending: how long one try may take, and the pauses between tries, doubled each time, until it is given up.
const (
	sendTimeout = 10 * time.Second
	sendPause   = 5 * time.Second
	sendTries   = 8
)

// sendingAtOnce is how many notices are under way together: a receiver that hangs holds up its own, not the others.
const sendingAtOnce = 8

// sendNotices sends what is due. A notice is claimed first, so that of several servers one sends it; one that dies on
// the way is sent again, which the receiver tells by the id.
func (r *Runner) sendNotices(ctx context.Context) error {
	var under errgroup.Group
	under.SetLimit(sendingAtOnce)
	for {
		n, err := r.store.ClaimNotice(ctx, 2*sendTimeout)
		if err != nil || n == nil {
			return errors.Join(err, under.Wait())
		}
		under.Go(func() error { return r.deliver(ctx, n) })
	}
}

// deliver tries to send a notice, and notes what came of it.
func (r *Runner) deliver(ctx context.Context, n *store.Notice) error {
	outcome, due := "delivered", (*time.Time)(nil)
	if err := r.sendNotice(ctx, n); err != nil {
		outcome = "try " + fmt.Sprint(n.Tries+1) + ": " + err.Error()
		if n.Tries+1 < sendTries {
			at := time.Now().UTC().Add(sendPause << n.Tries)
			due = &at
		}
		r.log.Warn("a notice could not be sent", "watch", n.WatchID, "error", err)
	}
	return r.store.SettleNotice(ctx, n.ID, outcome, due)
}

func (r *Runner) sendNotice(ctx context.Context, n *store.Notice) error {
	rig, err := r.store.Rig(ctx, n.RigID)
	if err != nil {
		return err
	}
	out := Notice{ID: n.ID, Rig: rig.Name, Simulated: rig.Simulated, Raised: n.Raised, Message: n.Rule.V.Message, Channel: n.Rule.V.Channel,
		Value: n.Value, At: n.At}
	for _, c := range append([]channel.Channel{watch.Risk}, rig.Channels.V...) {
		if c.Key == n.Rule.V.Channel {
			out.Unit = c.Unit
		}
	}
	to, err := r.shop.NoticeAddress(n)
	if err != nil {
		return fmt.Errorf("its address is lost: %w; add the watch again", err)
	}
	text, err := json.Marshal(out)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, sendTimeout)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, to, bytes.NewReader(text))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	response, err := r.http.Do(request)
	var words *url.Error
	if errors.As(err, &words) {
		return fmt.Errorf("%s: %w", request.URL.Host, words.Err) // what else the address holds may be a secret
	} else if err != nil {
		return err
	}
	defer func() { _ = response.Body.Close() }()
	if response.StatusCode >= 300 {
		return fmt.Errorf("the receiver answered %s", response.Status)
	}
	return nil
}
