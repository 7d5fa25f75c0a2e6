package load

import (
	"slices"
	"sync"
	"time"
)

// Quota is the work that a yardstick asks for: a fixed amount, or whatever is done in a window. What is done in the first Warm
// does not count. The cores share the amount, or, in turns, each does all of it, one after the other.
type Quota struct {
	Amount float64
	Window time.Duration // instead of Amount
	Warm   time.Duration
	Turns  bool
}

// Turn is work done between two moments since the drill's start.
type Turn struct {
	From, To time.Duration
	Work     float64
}

// quota counts the work of a drill that has some to do.
type quota struct {
	Quota
	mu     sync.Mutex
	from   time.Duration // when the present turn began, since the drill's start
	work   float64
	took   []Turn // those that are over
	turns  int
	beyond []bool // of a window: places whose rounds have come to its end
	done   chan []Turn
}

func newQuota(q Quota, places int) *quota {
	turns := 1
	if q.Turns {
		turns = places
	}
	return &quota{Quota: q, turns: turns, beyond: make([]bool, places), done: make(chan []Turn, 1)}
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
	if q.Window > 0 {
		q.within(place, work, begun, ended)
		return 0
	}
	if begun < warm {
		work *= float64(ended-warm) / float64(ended-begun)
	}
	if q.work += work; q.work < q.Amount {
		return turn
	}
	// The amount was full before the round's end, in the measure in which the round went beyond it.
	beyond := time.Duration(float64(ended-max(begun, warm)) * (q.work - q.Amount) / work)
	q.took = append(q.took, Turn{From: warm, To: ended - beyond, Work: q.Amount})
	q.from, q.work = ended, 0
	if turn++; turn == q.turns {
		q.done <- q.took
		return turn - 1
	}
	return turn
}

// within counts the part of a round that lies in the window, which is over once the rounds of every place have left it.
func (q *quota) within(place int, work float64, begun, ended time.Duration) {
	from, to := q.Warm, q.Warm+q.Window
	if part := min(ended, to) - max(begun, from); part > 0 {
		q.work += work * float64(part) / float64(ended-begun)
	}
	if q.beyond[place] = ended >= to; slices.Contains(q.beyond, false) {
		return
	}
	q.took = append(q.took, Turn{From: from, To: to, Work: q.work})
	q.done <- q.took
}
