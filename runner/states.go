package runner

import (
	"fmt"
	"sync"
	"time"
)

// states are the moments since which this process has seen what it waits for as it is: a fitting, a trial or a leg in one state.
// They are of the process's monotone clock. The moments that are stored are of clocks that may be set meanwhile, so they tell one
// entry into a state from the next, and nothing more; a process started anew waits anew.
type states struct {
	mu sync.Mutex
	of map[string]seen
}

type seen struct {
	as    string
	at    time.Time
	tries int
	again time.Time // before which it is not tried again
}

// since returns when a thing was first seen as it is.
func (w *states) since(thing, state string, entered time.Time) time.Time {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.look(thing, state, entered).at
}

// later notes that what is done for a thing as it is failed: it is due again the later the more often that was so.
func (w *states) later(thing, state string, entered time.Time) {
	w.mu.Lock()
	defer w.mu.Unlock()
	s := w.look(thing, state, entered)
	s.again = time.Now().Add(min(askMost, askEvery<<min(s.tries, 10)))
	s.tries++
	w.of[thing] = s
}

// due tells whether what is done for a thing may be tried.
func (w *states) due(thing, state string, entered time.Time) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return !time.Now().Before(w.look(thing, state, entered).again)
}

func (w *states) look(thing, state string, entered time.Time) seen {
	as := fmt.Sprintf("%s %d", state, entered.UnixNano())
	s, known := w.of[thing]
	if !known || s.as != as {
		if w.of == nil {
			w.of = map[string]seen{}
		}
		s = seen{as: as, at: time.Now()}
		w.of[thing] = s
	}
	return s
}

// keep forgets the things that are no longer under way.
func (w *states) keep(under map[string]bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for thing := range w.of {
		if !under[thing] {
			delete(w.of, thing)
		}
	}
}
