package link

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/coder/websocket"
	"golang.org/x/sync/semaphore"
	"golang.org/x/time/rate"
)

// Sink is what the server does with what rigs say. Its methods may be called at once for different rigs, and return
// only when what they were given is stored for good.
type Sink interface {
	// Hello stores who linked, and returns the last frame held of its stream.
	Hello(ctx context.Context, rig int64, h *Hello) (last uint64, err error)
	// Frames stores frames, and returns the last one then held.
	Frames(ctx context.Context, rig int64, stream string, frames []Frame) (last uint64, err error)
	// Changed tells that a rig linked or was lost.
	Changed(rig int64)
}

// Hub is the server's end of all links.
type Hub struct {
	sink Sink
	log  *slog.Logger

	mu     sync.Mutex
	links  map[int64]*session
	hellos map[int64]int // that are being stored, by rig
	paces  map[int64]*rate.Limiter
	pace   pace
}

// Status is what is known of a rig's link.
type Status struct {
	Linked    bool
	Greeted   bool      // a hello has come in and is not stored yet: it is about to be linked anew
	Hello     Hello     // what it runs is as of now
	Heard     time.Time // last sign of life; now, while what came in before is still being stored and nothing more is read
	LinkedAt  time.Time
	Before    time.Time // last sign of life over the link before this one; zero where this process had none
	clock     int64
	clockSeen time.Time
}

// Clock returns the rig's clock now, in ms since 1970 UTC.
func (s Status) Clock(now time.Time) int64 {
	return s.clock + int64(float64(now.Sub(s.clockSeen).Milliseconds())*s.Hello.ClockRate)
}

type session struct {
	conn *websocket.Conn
	out  chan Message
	end  context.CancelFunc
	pace *rate.Limiter
	room *semaphore.Weighted // in bytes, for frames that are not stored yet

	// guarded by the hub
	st     Status
	behind bool // a frame waits for those before it to be stored
	left   bool // it took leave
	asks   map[string]chan<- Answer
	over   chan struct{} // closed when the link is lost
}

// NewHub returns a hub that hands everything to sink.
func NewHub(sink Sink, log *slog.Logger) *Hub {
	return &Hub{sink: sink, log: log, links: map[int64]*session{}, hellos: map[int64]int{}, paces: map[int64]*rate.Limiter{}, pace: usual}
}

// Status returns what is known of a rig's link; of a rig that never linked, the zero Status.
func (h *Hub) Status(rig int64) Status {
	h.mu.Lock()
	defer h.mu.Unlock()
	var st Status
	if s := h.links[rig]; s != nil {
		st = s.st
		if s.behind {
			st.Heard = time.Now()
		}
	}
	st.Greeted = h.hellos[rig] > 0
	return st
}

// Heard lists when each rig that is linked, or was lost, gave its last sign of life. One that took leave is not lost.
func (h *Hub) Heard() []time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	out := make([]time.Time, 0, len(h.links))
	for _, s := range h.links {
		if s.left {
			continue
		}
		at := s.st.Heard
		if s.behind {
			at = time.Now()
		}
		out = append(out, at)
	}
	return out
}

// Close cuts every link; the rigs dial again as soon as a server answers.
func (h *Hub) Close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, s := range h.links {
		s.end()
	}
}

// Known lists the rigs that are linked, or were.
func (h *Hub) Known() []int64 {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Collect(maps.Keys(h.links))
}

// Linked lists the rigs that are linked.
func (h *Hub) Linked() []int64 {
	h.mu.Lock()
	defer h.mu.Unlock()
	var out []int64
	for rig, s := range h.links {
		if s.st.Linked {
			out = append(out, rig)
		}
	}
	return out
}

// Cut cuts the link of a rig, if there is one.
func (h *Hub) Cut(rig int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if s := h.links[rig]; s != nil && s.st.Linked {
		s.end()
	}
}

// ErrNotLinked reports an order to a rig that is not linked.
var ErrNotLinked = errors.New("the rig is not linked")

// Order sends an order to a rig. That it was sent does not mean it was taken: frames tell.
func (h *Hub) Order(rig int64, o Order) error {
	o.Trim = plain(o.Trim, mostLabel)
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.links[rig]
	if s == nil || !s.st.Linked {
		return ErrNotLinked
	}
	select {
	case s.out <- Message{Order: &o}:
		return nil
	default:
		return fmt.Errorf("order %s: the link is congested", o.ID)
	}
}

// Ask asks a rig, and waits for its answer. It is ErrNotLinked where the rig is not linked, or is lost meanwhile.
func (h *Hub) Ask(ctx context.Context, rig int64, a Ask) (Answer, error) {
	answer := make(chan Answer, 1)
	a.ID = rand.Text()
	h.mu.Lock()
	s := h.links[rig]
	if s == nil || !s.st.Linked {
		h.mu.Unlock()
		return Answer{}, ErrNotLinked
	}
	s.asks[a.ID] = answer
	h.mu.Unlock()
	defer func() {
		h.mu.Lock()
		delete(s.asks, a.ID)
		h.mu.Unlock()
	}()
	select {
	case s.out <- Message{Ask: &a}:
	case <-s.over:
		return Answer{}, ErrNotLinked
	case <-ctx.Done():
		return Answer{}, ctx.Err()
	}
	select {
	case x := <-answer:
		return x, nil
	case <-s.over:
		return Answer{}, ErrNotLinked
	case <-ctx.Done():
		return Answer{}, ctx.Err()
	}
}

// maxBatch is how many frames are stored together, and helloWithin the time that a link has to say who it is.
const (
	maxBatch    = 256
	helloWithin = 10 * time.Second
)

// Serve takes over a request of a rig whose token was checked, until its link ends.
func (h *Hub) Serve(w http.ResponseWriter, r *http.Request, rig int64, name string) {
	conn, err := websocket.Accept(w, r, nil)
	if err != nil {
		return // Accept has answered
	}
	defer func() { _ = conn.CloseNow() }()
	conn.SetReadLimit(MaxMessage)
	ctx, cancel := context.WithCancel(r.Context())
	defer cancel()
	if err := h.session(ctx, cancel, conn, rig, name); err != nil && ctx.Err() == nil {
		h.log.Info("link ended", "rig", name, "cause", err)
	}
}

func (h *Hub) session(ctx context.Context, cancel context.CancelFunc, conn *websocket.Conn, rig int64, name string) error {
	within, done := context.WithTimeout(ctx, helloWithin)
	first, _, err := read(within, conn)
	done()
	if err != nil {
		return hangUp(ctx, conn, err)
	}
	if first.Hello == nil {
		return hangUp(ctx, conn, errors.New("the first message is no hello"))
	}
	s, err := h.greet(ctx, cancel, conn, rig, name, first.Hello)
	if err != nil {
		return err
	}
	defer h.leave(rig, s)
	frames := make(chan received, maxBatch)
	failed := make(chan error, 2)
	go func() { failed <- h.storeFrames(ctx, rig, s, frames) }()
	go func() { failed <- transmit(ctx, conn, s.out) }()
	err = h.receive(ctx, conn, rig, s, frames)
	cancel()
	return errors.Join(err, drain(failed))
}

// greet stores a hello, welcomes the rig, and makes this its link.
func (h *Hub) greet(ctx context.Context, cancel context.CancelFunc, conn *websocket.Conn, rig int64, name string,
	hello *Hello) (*session, error) {
	h.greeting(rig, 1)
	defer h.greeting(rig, -1)
	last, err := h.sink.Hello(ctx, rig, hello)
	if err != nil {
		return nil, err
	}
	now := time.Now()
	s := &session{conn: conn, out: make(chan Message, 64), end: cancel, pace: h.paceOf(rig), room: semaphore.NewWeighted(maxUnstored),
		asks: map[string]chan<- Answer{}, over: make(chan struct{}),
		st: Status{Linked: true, Hello: *hello, Heard: now, LinkedAt: now, clock: hello.Now, clockSeen: now}}
	if err := write(ctx, conn, Message{Welcome: &Welcome{Rig: name, Last: last}}); err != nil {
		return nil, err
	}
	h.join(rig, s)
	return s, nil
}

func (h *Hub) greeting(rig int64, change int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.hellos[rig] += change; h.hellos[rig] == 0 {
		delete(h.hellos, rig)
	}
}

func drain(failed <-chan error) error {
	for range 2 {
		if err := <-failed; err != nil && !errors.Is(err, context.Canceled) {
			return err
		}
	}
	return nil
}

// join makes a session the rig's link; an older one, of an agent that was lost without notice, is cut.
func (h *Hub) join(rig int64, s *session) {
	h.mu.Lock()
	old := h.links[rig]
	if old != nil && old.st.Linked {
		old.end()
	}
	if old != nil {
		s.st.Before = old.st.Heard
	}
	h.links[rig] = s
	h.mu.Unlock()
	h.sink.Changed(rig)
}

func (h *Hub) leave(rig int64, s *session) {
	h.mu.Lock()
	s.st.Linked, s.behind = false, false
	close(s.over)
	h.mu.Unlock()
	h.sink.Changed(rig)
}

// received is a frame as it came in, and the bytes that it took.
type received struct {
	Frame
	bytes int64
}

func (h *Hub) receive(ctx context.Context, conn *websocket.Conn, rig int64, s *session, frames chan<- received) error {
	defer close(frames)
	for {
		m, bytes, err := read(ctx, conn)
		if err != nil {
			return hangUp(ctx, conn, err)
		}
		now := time.Now()
		h.mu.Lock()
		s.st.Heard = now
		if m.Frame != nil {
			s.left = s.left || m.Frame.Leaving != nil
			if f := m.Frame.Finished; f != nil && f.Order == s.st.Hello.Running {
				s.st.Hello.Running = ""
			}
		}
		if m.Beat != nil {
			s.st.clock, s.st.clockSeen = m.Beat.Now, now
		}
		if m.Answer != nil {
			if waits := s.asks[m.Answer.ID]; waits != nil {
				waits <- *m.Answer // it has room for the one
				delete(s.asks, m.Answer.ID)
			}
		}
		h.mu.Unlock()
		if err := h.keepPace(ctx, s, bytes); err != nil {
			return err
		}
		if m.Frame == nil {
			continue
		}
		if !s.room.TryAcquire(bytes) {
			h.fallBehind(s, true)
			if err := s.room.Acquire(ctx, bytes); err != nil {
				return err
			}
			h.fallBehind(s, false)
		}
		select {
		case frames <- received{*m.Frame, bytes}:
			continue
		default:
		}
		h.fallBehind(s, true)
		select {
		case frames <- received{*m.Frame, bytes}:
			h.fallBehind(s, false)
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// fallBehind notes whether a session's frames come faster than they are stored, or may come.
func (h *Hub) fallBehind(s *session, behind bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	s.behind = behind
	s.st.Heard = time.Now()
}

// storeFrames stores frames in batches, as many as came in while the last batch was stored, and acknowledges them.
func (h *Hub) storeFrames(ctx context.Context, rig int64, s *session, frames <-chan received) error {
	for {
		first, ok := <-frames
		if !ok {
			return nil
		}
		batch, bytes := []Frame{first.Frame}, first.bytes
	gather:
		for len(batch) < maxBatch {
			select {
			case f, ok := <-frames:
				if !ok {
					break gather
				}
				batch, bytes = append(batch, f.Frame), bytes+f.bytes
			default:
				break gather
			}
		}
		last, err := h.sink.Frames(ctx, rig, s.st.Hello.Stream, batch)
		if err != nil {
			s.end() // the rig dials again and sends what was not acknowledged
			return err
		}
		s.room.Release(bytes)
		select {
		case s.out <- Message{Ack: &Ack{Seq: last}}:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

func transmit(ctx context.Context, conn *websocket.Conn, out <-chan Message) error {
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case m := <-out:
			if err := write(ctx, conn, m); err != nil {
				return err
			}
		}
	}
}

// hangUp tells the rig what was wrong with its message, if that was the cause.
func hangUp(ctx context.Context, conn *websocket.Conn, cause error) error {
	if websocket.CloseStatus(cause) == -1 && ctx.Err() == nil {
		_ = write(ctx, conn, Message{Refusal: &Refusal{Problem: cause.Error(), Remedy: "send messages as docs/link-protocol.md describes"}})
		_ = conn.Close(websocket.StatusPolicyViolation, "message refused")
	}
	return cause
}
