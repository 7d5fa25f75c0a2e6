package load

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"zerokeel/core/load"
	"zerokeel/core/yardstick"
)

// task is what a worker computes: work whose result is known. It is not safe for concurrent use.
type task interface {
	// round does a portion, some milliseconds at most but for the largest transform, and returns how many operations
	// it was and whether every result looked at was right. A disturbance, if there is one, is made in the data at
	// work, once.
	round(*disturbance) (operations float64, right bool)
}

// disturbance flips one bit, to show that it is found.
type disturbance struct {
	random *rand.Rand
	later  bool // set by a task that holds no data yet: it shall be made another time
}

func (d *disturbance) pick(n int) int { return d.random.IntN(n) }

// setting says how the tasks of a worker are made.
type setting struct {
	width       Width
	memoryBytes int               // for the memory load
	measure     yardstick.Measure // of a yardstick, which wants always the same work; "" for a proof
	seed        uint64
}

// newTask makes the task of a kind of load.
func newTask(kind load.Kind, s setting) (task, error) {
	switch kind {
	case load.Heavy:
		return newHeavy(s.width, vectorPasses), nil
	case load.Transform:
		return newLucas(smallSequence(), s.width), nil
	case load.TransformLarge:
		return newLucas(largeSequence(), s.width), nil
	case load.Integer:
		return newInteger(), nil
	case load.Memory:
		switch s.measure {
		case yardstick.Each:
			return newChase(s.memoryBytes, s.seed)
		case yardstick.Rate:
			return newStream(s.memoryBytes)
		}
		return newMemory(s.memoryBytes)
	case load.Light:
		if s.measure != "" {
			return newHeavy(Portable, portablePasses), nil
		}
		// One core at its highest clock: code that no rule slows down.
		return newMedley(s.seed, newHeavy(Portable, portablePasses), newInteger()), nil
	case load.Idle:
		return newHeavy(Portable, 4), nil
	case load.Transition:
		return newMedley(s.seed, newHeavy(s.width, 100), newHeavy(s.width, 100), newInteger()), nil
	}
	small, err := newMemory(mixedBytes)
	if err != nil {
		return nil, err
	}
	list := []task{newLucas(smallSequence(), s.width), newInteger(), small}
	for _, w := range Widths() {
		if w <= s.width {
			list = append(list, newHeavy(w, passesOf(w)))
		}
	}
	return newMedley(s.seed, list...), nil
}

// NeedsMB returns the memory that a load takes of itself, on so many workers. A memory load takes what it is given.
func NeedsMB(kind load.Kind, workers int) int {
	const numbers = 8 // bytes of a float64
	side := map[load.Kind]int{load.Transform: smallSide, load.Mixed: smallSide, load.TransformLarge: largeSide}[kind]
	// The term and its transform, with room for a strip; and the turns, by strip and within one.
	each, shared := 2*numbers*side*(2*side+strip), 2*numbers*side*(side/strip+strip)
	if kind == load.Mixed {
		each += mixedBytes
	}
	return (shared+workers*each)>>20 + 1
}

// mixedBytes is the memory that a worker of a mixed load goes over.
const mixedBytes = 8 << 20

func closeTask(t task) {
	switch t := t.(type) {
	case interface{ close() }:
		t.close()
	case *medley:
		for _, one := range t.tasks {
			closeTask(one)
		}
	}
}

// medley changes from task to task at random moments.
type medley struct {
	tasks  []task
	random *rand.Rand
	now    int
	until  time.Time
}

func newMedley(seed uint64, tasks ...task) *medley {
	return &medley{tasks: tasks, random: rand.New(rand.NewPCG(seed, 7))}
}

// A task of a medley lasts between these times, most of them short.
const (
	medleyLeast = 2 * time.Millisecond
	medleyMost  = 2 * time.Second
)

func (m *medley) round(d *disturbance) (float64, bool) {
	if at := time.Now(); at.After(m.until) {
		m.now = m.random.IntN(len(m.tasks))
		part := m.random.Float64()
		m.until = at.Add(medleyLeast + time.Duration(part*part*part*float64(medleyMost-medleyLeast)))
	}
	return m.tasks[m.now].round(d)
}

// ParseWidth reads a width: "widest", "portable", "256" or "512". The machine must have it.
func ParseWidth(text string) (Width, error) {
	if text == "" || text == "widest" {
		return Widest(), nil
	}
	var names []string
	for _, w := range Widths() {
		name := w.name()
		if text == name {
			return w, nil
		}
		names = append(names, name)
	}
	return Portable, fmt.Errorf("vectors of %q are not to be had on this machine; use widest, %s", text, strings.Join(names, ", "))
}

func (w Width) name() string {
	if w == Portable {
		return "portable"
	}
	return fmt.Sprint(int(w))
}
