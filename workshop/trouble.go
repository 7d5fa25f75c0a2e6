package workshop

import (
	"errors"
	"maps"
	"slices"
	"sync"

	"zerokeel/live"
	"zerokeel/store"
)

// TopicTrouble is the topic of what keeps this process from its work; its data is a Trouble. It is told to this process's own pages.
const TopicTrouble = "trouble"

// Trouble is what keeps a process from its work, in words; empty while nothing does.
type Trouble struct {
	Why string `json:"why"`
}

// troubles are what each part of a process that goes on and on last came upon.
type troubles struct {
	mu   sync.Mutex
	of   map[string]string
	told string
}

// note takes in what a part came upon, nil for nothing, and reports whether that changes what is to be told.
func (t *troubles) note(part string, err error) (Trouble, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.of == nil {
		t.of = map[string]string{}
	}
	delete(t.of, part)
	if err != nil {
		t.of[part] = inWords(err)
	}
	why := ""
	for _, one := range slices.Sorted(maps.Values(t.of)) {
		why = one
	}
	changed := why != t.told
	t.told = why
	return Trouble{why}, changed
}

func inWords(err error) string {
	switch {
	case errors.Is(err, store.ErrFull):
		return "The disk of the database is full: nothing is stored"
	case errors.Is(err, store.ErrAway):
		return "The database does not answer: nothing is stored"
	}
	return "The database refuses what it is asked; the server's log says why"
}

// came notes what a part of this process came upon, and tells the pages when that changes.
func (w *Workshop) came(part string, err error) {
	if now, changed := w.trouble.note(part, err); changed {
		w.bus.Publish(live.Message{Topic: TopicTrouble, Data: now})
	}
}

// Trouble returns what keeps this process from its work. Everybody may ask.
func (w *Workshop) Trouble() Trouble {
	w.trouble.mu.Lock()
	defer w.trouble.mu.Unlock()
	return Trouble{w.trouble.told}
}
