// Package live spreads word of what changed, within one process: the runner and the handlers publish, and the event
// streams of open pages listen. A listener that does not keep up loses messages, never holds anyone up; pages read
// the state anew after a gap.
package live

import "sync"

// Message is one piece of news. Topic is a word of the vocabulary, such as "rig" or "trial".
type Message struct {
	Topic string `json:"topic"`
	Rig   int64  `json:"rig"`
	ID    int64  `json:"id,omitempty"`   // of the thing that changed
	Data  any    `json:"data,omitempty"` // figures as they come in
}

// All is the topic that says that anything may have changed.
const All = "all"

// Bus is where news is published. The zero Bus is ready for use.
type Bus struct {
	mu        sync.Mutex
	listeners map[*Listener]struct{}
}

// Listener receives news until it is closed.
type Listener struct {
	C    chan Message
	bus  *Bus
	lost bool
}

// backlog is how many messages a listener may lag behind.
const backlog = 256

// Listen returns a new listener.
func (b *Bus) Listen() *Listener {
	l := &Listener{C: make(chan Message, backlog), bus: b}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.listeners == nil {
		b.listeners = map[*Listener]struct{}{}
	}
	b.listeners[l] = struct{}{}
	return l
}

// Listeners is how many listen.
func (b *Bus) Listeners() int {
	b.mu.Lock()
	defer b.mu.Unlock()
	return len(b.listeners)
}

// Close stops the listener.
func (l *Listener) Close() {
	l.bus.mu.Lock()
	defer l.bus.mu.Unlock()
	delete(l.bus.listeners, l)
}

// TakeLost reports whether messages were lost since it was last asked.
func (l *Listener) TakeLost() bool {
	l.bus.mu.Lock()
	defer l.bus.mu.Unlock()
	lost := l.lost
	l.lost = false
	return lost
}

// Publish tells every listener.
func (b *Bus) Publish(m Message) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for l := range b.listeners {
		select {
		case l.C <- m:
		default:
			l.lost = true
		}
	}
}
