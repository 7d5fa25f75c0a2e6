package link

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/cenkalti/backoff/v5"
	"github.com/coder/websocket"
)

// Client keeps a rig linked to the server: it dials, says hello, resends what was not acknowledged, and dials again
// whenever the connection breaks. Its methods may be called from any goroutine.
type Client struct {
	server  Server
	http    *http.Client
	hello   func() Hello
	onOrder func(Order)
	log     *slog.Logger
	onAsk   func(Ask) Answer
	answers chan Answer

	mu      sync.Mutex
	seq     uint64
	held    []Frame // not yet acknowledged, oldest first
	wake    chan struct{}
	muted   bool
	mutedAt uint64 // the last frame that still goes out
	linked  bool   // since it was last asked
	greeted bool   // it was linked once
	up      bool   // it is linked
	rig     string // as the server calls it
	keeper  Keeper
	empty   func() // called when nothing is held any more
}

// Keeper keeps frames beyond the life of the process until they are acknowledged. Its methods are called one at a time.
type Keeper interface {
	Keep(Frame) error
	Drop(seq uint64) error
}

// Through makes the client keep every frame it sends in k.
func (c *Client) Through(k Keeper) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.keeper = k
}

// Deliver hands over the frames that an earlier process of the rig kept, under that process's hello, and returns when the
// server holds them all, or refuses them, or the context ends.
func Deliver(ctx context.Context, server Server, hello Hello, frames []Frame, log *slog.Logger) error {
	if len(frames) == 0 {
		return nil
	}
	ctx, done := context.WithCancel(ctx)
	defer done()
	c := NewClient(server, func() Hello { return hello }, func(Order) {}, log)
	c.held, c.seq, c.empty = frames, frames[len(frames)-1].Seq, done
	return c.Run(ctx)
}

// BeatEvery is the time between two signs of life.
const BeatEvery = time.Second

// MaxRedial is the longest pause before a lost link is dialled again.
const MaxRedial = time.Second

// maxHeld bounds the frames kept while the server is away. Past it the figures of the oldest frames are given up,
// never their events.
const maxHeld = 20000

// NewClient prepares a client. hello is asked at each connection; onOrder gets each order, on the connection's own
// goroutine, and must not block.
func NewClient(server Server, hello func() Hello, onOrder func(Order), log *slog.Logger) *Client {
	return &Client{server: server, http: server.client(), hello: hello, onOrder: onOrder, log: log, wake: make(chan struct{}, 1),
		answers: make(chan Answer)}
}

// Answers makes the client answer what it is asked, one at a time, each on a goroutine of its own.
func (c *Client) Answers(answer func(Ask) Answer) { c.onAsk = answer }

// Send numbers a frame and sends it as soon as the link allows.
func (c *Client) Send(f Frame) {
	c.mu.Lock()
	c.seq++
	f.Seq = c.seq
	if c.keeper != nil {
		if err := c.keeper.Keep(f); err != nil {
			c.log.Error("a frame is kept in memory only", "error", err)
		}
	}
	c.held = append(c.held, f)
	if n := len(c.held) - maxHeld; n > 0 {
		c.held[n-1].Samples = nil
	}
	c.mu.Unlock()
	c.nudge()
}

// Pending returns the number of frames that the server has not acknowledged.
func (c *Client) Pending() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.held)
}

// Rig returns what the server calls the rig, empty before it was linked, and whether it is linked now.
func (c *Client) Rig() (name string, linked bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.rig, c.up
}

// Mute makes the client fall silent without hanging up, as a frozen machine does. What was handed to it before is on its
// way already.
func (c *Client) Mute() {
	c.mu.Lock()
	c.muted, c.mutedAt = true, c.seq
	c.mu.Unlock()
}

// Leave mutes the client, and calls end once what was on its way has arrived, or after a time.
func (c *Client) Leave(end func(), atMost time.Duration) {
	c.Mute()
	c.mu.Lock()
	c.empty = end
	idle := len(c.held) == 0
	c.mu.Unlock()
	c.nudge()
	if idle {
		end()
		return
	}
	time.AfterFunc(atMost, end)
}

// Run keeps the link up until the context ends, or until the server refuses the rig, which is an error.
func (c *Client) Run(ctx context.Context) error {
	wait := backoff.NewExponentialBackOff()
	wait.InitialInterval, wait.MaxInterval = 50*time.Millisecond, MaxRedial
	_, err := backoff.Retry(ctx, func() (struct{}, error) {
		err := c.session(ctx)
		var refusal *Refusal
		if errors.As(err, &refusal) {
			return struct{}{}, backoff.Permanent(err)
		}
		if c.takeLinked() {
			wait.Reset()
		}
		if ctx.Err() == nil {
			c.log.Info("link is down, dialling again", "server", c.server.Address, "cause", err)
		}
		return struct{}{}, err
	}, backoff.WithBackOff(wait), backoff.WithMaxElapsedTime(0))
	if ctx.Err() != nil {
		return nil
	}
	return err
}

func (c *Client) takeLinked() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	was := c.linked
	c.linked = false
	return was
}

func (c *Client) nudge() {
	select {
	case c.wake <- struct{}{}:
	default:
	}
}

// session is one connection, from dialling to its end.
func (c *Client) session(parent context.Context) error {
	for c.isFrozen() {
		select {
		case <-c.wake:
		case <-parent.Done():
			return parent.Err()
		}
	}
	ctx, cancel := context.WithCancel(parent)
	defer cancel()
	url := "ws" + strings.TrimPrefix(strings.TrimSuffix(c.server.Address, "/"), "http") + Path
	dialCtx, stop := context.WithTimeout(ctx, 10*time.Second)
	conn, response, err := websocket.Dial(dialCtx, url, &websocket.DialOptions{HTTPClient: c.http,
		HTTPHeader: http.Header{"Authorization": {"Bearer " + c.server.Token}}})
	stop()
	if err != nil {
		if response != nil && response.StatusCode == http.StatusUnauthorized {
			return &Refusal{Problem: "the server does not know this rig's token", Remedy: "copy the token from the rig's page again"}
		}
		return fmt.Errorf("dial %s: %w", c.server.Address, err)
	}
	defer func() { _ = conn.CloseNow() }()
	conn.SetReadLimit(MaxMessage)
	hello := c.hello()
	hello.From = c.first()
	if err := write(ctx, conn, Message{Hello: &hello}); err != nil {
		return err
	}
	answer, _, err := read(ctx, conn)
	if err != nil {
		return err
	}
	if answer.Refusal != nil {
		return answer.Refusal
	}
	if answer.Welcome == nil {
		return errors.New("the server answered the hello with something else than a welcome")
	}
	c.acknowledge(answer.Welcome.Last)
	c.mu.Lock()
	c.linked, c.greeted = true, true
	c.up, c.rig = true, answer.Welcome.Rig
	c.mu.Unlock()
	defer func() {
		c.mu.Lock()
		c.up = false
		c.mu.Unlock()
	}()

	failed := make(chan error, 1)
	var receiving sync.WaitGroup
	receiving.Go(func() { failed <- c.receive(ctx, conn) })
	err = c.transmit(ctx, conn, answer.Welcome.Last, failed)
	cancel()
	_ = conn.CloseNow()
	receiving.Wait() // nothing is handed on once the connection is over
	return err
}

// first is the number of the first frame that is held, or else of the next one that is made.
func (c *Client) first() uint64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.held) > 0 {
		return c.held[0].Seq
	}
	return c.seq + 1
}

// transmit sends held frames in order, and beats, until something fails.
func (c *Client) transmit(ctx context.Context, conn *websocket.Conn, sent uint64, failed <-chan error) error {
	beat := time.NewTicker(BeatEvery)
	defer beat.Stop()
	for {
		if frame, ok := c.next(sent); ok {
			if err := write(ctx, conn, Message{Frame: &frame}); err != nil {
				return err
			}
			sent = frame.Seq
			continue
		}
		select {
		case <-ctx.Done():
			_ = conn.Close(websocket.StatusGoingAway, "agent stops")
			return ctx.Err()
		case err := <-failed:
			return err
		case <-c.wake:
		case a := <-c.answers:
			if err := write(ctx, conn, Message{Answer: &a}); err != nil {
				return err
			}
		case <-beat.C:
			if c.isMuted() {
				continue
			}
			hello := c.hello()
			if err := write(ctx, conn, Message{Beat: &Beat{Now: hello.Now}}); err != nil {
				return err
			}
		}
	}
}

// next returns the first held frame after seq.
func (c *Client) next(seq uint64) (Frame, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.muted && seq >= c.mutedAt {
		return Frame{}, false
	}
	if len(c.held) == 0 || c.seq <= seq {
		return Frame{}, false
	}
	// Frame numbers have no gaps, so the place follows from the number.
	at := 0
	if first := c.held[0].Seq; seq >= first {
		at = int(seq - first + 1)
	}
	if at < len(c.held) {
		return c.held[at], true
	}
	return Frame{}, false
}

// isFrozen tells whether the client fell silent for good: a frozen machine does not dial again. Its first link is on its way from the
// start, and one that takes leave dials as long as something of it is on its way.
func (c *Client) isFrozen() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.muted && c.greeted && c.empty == nil
}

func (c *Client) isMuted() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.muted
}

func (c *Client) receive(ctx context.Context, conn *websocket.Conn) error {
	var asks sync.WaitGroup
	defer asks.Wait()
	for {
		m, _, err := read(ctx, conn)
		if err != nil {
			return err
		}
		switch {
		case m.Ack != nil:
			c.acknowledge(m.Ack.Seq)
		case m.Order != nil:
			if !c.isMuted() {
				c.onOrder(*m.Order)
			}
		case m.Ask != nil:
			if c.onAsk != nil && !c.isMuted() {
				asks.Go(func() { c.answer(ctx, *m.Ask) })
			}
		case m.Refusal != nil:
			return m.Refusal
		}
	}
}

// answer answers an ask over the link that it came by, if that is still there.
func (c *Client) answer(ctx context.Context, a Ask) {
	out := c.onAsk(a)
	out.ID = a.ID
	select {
	case c.answers <- out:
	case <-ctx.Done():
	}
}

// acknowledge drops the frames that the server has stored.
func (c *Client) acknowledge(seq uint64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	n := 0
	for n < len(c.held) && c.held[n].Seq <= seq {
		n++
	}
	c.held = c.held[n:]
	if len(c.held) > 0 {
		return
	}
	if c.keeper != nil {
		if err := c.keeper.Drop(seq); err != nil {
			c.log.Error("the spool cannot be emptied", "error", err)
		}
	}
	if c.empty != nil {
		c.empty()
	}
}

func write(ctx context.Context, conn *websocket.Conn, m Message) error {
	text, err := Encode(m)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	if err := conn.Write(ctx, websocket.MessageText, text); err != nil {
		return fmt.Errorf("send: %w", err)
	}
	return nil
}

// read returns the next message, and the bytes that it took.
func read(ctx context.Context, conn *websocket.Conn) (Message, int64, error) {
	_, text, err := conn.Read(ctx)
	if err != nil {
		return Message{}, 0, fmt.Errorf("receive: %w", err)
	}
	m, err := Decode(text)
	return m, int64(len(text)), err
}
