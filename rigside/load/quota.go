package load

import (
	"sync"
	"time"
)

// Quota is a fixed amount of work, as a yardstick asks for it. What is done in the first Warm does not count. The cores
// share the amount, or, in turns, each does all of it, one after the other.
type Quota struct {
	Amount float64
	Warm   time.Duration
	Turns  bool
}

// quota counts the work of a drill that has a fixed amount to do.
type quota struct {
	Quota
	mu    sync.Mutex
	from  time.Duration // when the present turn began, since the drill's start
	work  float64
	took  []time.Duration // of each turn that is over
	turns int
	done  chan []time.Duration
}

func newQuota(q Quota, places int) *quota {
	turns := 1
	if q.Turns {
		turns = places
	}
	return &quota{Quota: q, turns: turns, done: make(chan []time.Duration, 1)}
}

// add counts work that a round did between two moments since the drill's start, and returns the place whose turn it is.
// Of a round that began before the warm-up was over, its part after that counts.
func (q *quota) add(place int, work float64, begun, ended time.Duration) (turn int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	turn = len(q.took)
	warm := q.from + q.Warm
	if turn == q.turns || ended <= warm || q.Turns && place != turn {
		return min(turn, q.turns-1)
	}
	if begun < warm {
		work *= float64(ended-warm) / float64(ended-begun)
	}
	if q.work += work; q.work < q.Amount {
		return turn
	}
	// The amount was full before the round's end, in the measure in which the round went beyond it.
	beyond := time.Duration(float64(ended-max(begun, warm)) * (q.work - q.Amount) / work)
	q.took = append(q.took, ended-beyond-warm)
	q.from, q.work = ended, 0
	if turn++; turn == q.turns {
		q.done <- q.took
		return turn - 1
	}
	return turn
}
