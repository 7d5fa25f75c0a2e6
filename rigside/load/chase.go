package load

import (
	"math/rand/v2"
)

// chase measures how long memory makes a processor wait: each word tells where the next one lies, in one cycle through
// all lines in random order (Sattolo, 1986), so that no read can begin before the one ahead of it has ended. Once around,
// it must be back where it began, having met every line.
type chase struct {
	chunk
	at, hops uint64
	sum      uint64 // of the places met since the start of the cycle
}

const (
	lineWords = 8
	chaseHops = 1 << 14 // of a round
)

func newChase(bytes int, seed uint64) (*chase, error) {
	c, err := newChunk(bytes)
	if err != nil {
		return nil, err
	}
	lines := len(c.words) / lineWords
	order := make([]uint32, lines)
	for i := range order {
		order[i] = uint32(i)
	}
	r := rand.New(rand.NewPCG(seed, 11))
	for i := lines - 1; i > 0; i-- {
		j := r.IntN(i)
		order[i], order[j] = order[j], order[i]
	}
	for i, next := range order {
		c.words[i*lineWords] = uint64(next)
	}
	return &chase{chunk: c}, nil
}

func (c *chase) lines() uint64 { return uint64(len(c.words) / lineWords) }

// round makes some reads; they are its operations.
func (c *chase) round(d *disturbance) (work float64, right bool) {
	lines := c.lines()
	if d != nil {
		c.words[c.at*lineWords] ^= 1 << d.pick(64)
	}
	hops := min(chaseHops, lines-c.hops)
	at, sum := c.at, c.sum
	for range hops {
		next := c.words[at*lineWords]
		if next >= lines {
			c.restart()
			return float64(hops), false
		}
		at = next
		sum += next
	}
	c.at, c.sum = at, sum
	if c.hops += hops; c.hops < lines {
		return float64(hops), true
	}
	right = at == 0 && sum == lines*(lines-1)/2
	c.restart()
	return float64(hops), right
}

func (c *chase) restart() { c.at, c.hops, c.sum = 0, 0, 0 }
