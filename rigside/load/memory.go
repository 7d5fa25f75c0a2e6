package load

import (
	"fmt"

	"unsafe"

	"golang.org/x/sys/unix"
)

// memory is the load of the memory: it fills its share, then goes over it again and again. Each time it checks every
// word and leaves another in its place: by turns a pattern and its inverse, upwards and downwards (moving inversions:
// van de Goor, 1991), words that look random, and between them reads of distant rows by turns, past the caches, so
// that a row that leaks into its neighbours is found.
type memory struct {
	chunk
	now    pattern // what the memory holds
	next   pattern // what it is being filled with
	down   bool
	at     int // words of this sweep that are done
	sweep  int
	filled bool
}

// pattern is what words hold: a word, or one that follows from its place.
type pattern struct {
	word   uint64
	random bool
}

func (p pattern) at(i int) uint64 {
	if p.random {
		return mix(p.word + uint64(i))
	}
	return p.word
}

// sweeps are what the memory is filled with in turn; after the last one all patterns have been seen everywhere.
var sweeps = []struct {
	pattern
	down bool
}{
	{pattern{0x5555555555555555, false}, false}, {pattern{^uint64(0x5555555555555555), false}, false},
	{pattern{0x5555555555555555, false}, true},
	{pattern{0x00ff00ff00ff00ff, false}, false}, {pattern{^uint64(0x00ff00ff00ff00ff), false}, true},
	{pattern{0, false}, false}, {pattern{^uint64(0), false}, true},
	{pattern{0x6a09e667f3bcc908, true}, false}, {pattern{0xbb67ae8584caa73b, true}, true},
}

// blockWords is how many words are done in a round, and rowEvery after how many rounds rows are stressed.
const (
	blockWords = 32 << 10
	rowEvery   = 64
	rowReads   = 2000
	rowWords   = 1024 // apart: 8 KiB, a row of a common module
)

// chunk is memory of the system itself, so that it goes back at once when the load ends.
type chunk struct {
	words []uint64
	raw   []byte
}

// newChunk takes so many bytes, in whole blocks, one at least.
func newChunk(bytes int) (chunk, error) {
	bytes = max(bytes, 8*blockWords) / (8 * blockWords) * 8 * blockWords
	raw, err := unix.Mmap(-1, 0, bytes, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_ANON|unix.MAP_PRIVATE)
	if err != nil {
		return chunk{}, fmt.Errorf("take %d MB of memory: %w", bytes>>20, err)
	}
	return chunk{raw: raw, words: unsafe.Slice((*uint64)(unsafe.Pointer(&raw[0])), bytes/8)}, nil
}

func (c *chunk) close() { _ = unix.Munmap(c.raw) }

func newMemory(bytes int) (*memory, error) {
	c, err := newChunk(bytes)
	if err != nil {
		return nil, err
	}
	return &memory{chunk: c, next: sweeps[0].pattern}, nil
}

func (m *memory) round(d *disturbance) (work float64, right bool) {
	if d != nil && m.filled {
		m.words[d.pick(len(m.words))] ^= 1 << d.pick(64)
	} else if d != nil {
		d.later = true
	}
	from := m.at
	if m.down {
		from = len(m.words) - m.at - blockWords
	}
	block := m.words[from : from+blockWords]
	right = true
	if m.filled {
		if m.at/blockWords%rowEvery == 0 {
			m.stressRows(from)
		}
		right = check(block, m.now, from)
	}
	fill(block, m.next, from)
	m.at += blockWords
	if m.at == len(m.words) {
		m.turn()
	}
	return 2 * blockWords, right
}

// turn begins the next sweep.
func (m *memory) turn() {
	m.filled, m.at = true, 0
	m.sweep++
	m.now = m.next
	s := sweeps[m.sweep%len(sweeps)]
	m.next, m.down = s.pattern, s.down
}

// coverage is the share of the work after which every word has held every pattern, at most 1.
func (m *memory) coverage() float64 {
	return min(1, (float64(m.sweep)+float64(m.at)/float64(len(m.words)))/float64(len(sweeps)+1))
}

// stressRows reads two words, some rows apart, past the caches many times.
func (m *memory) stressRows(from int) {
	other := (from + 2*rowWords) % len(m.words)
	hammer(&m.words[from], &m.words[other], rowReads)
}

func check(block []uint64, p pattern, from int) bool {
	var wrong uint64
	if !p.random {
		for _, x := range block {
			wrong |= x ^ p.word
		}
		return wrong == 0
	}
	for i, x := range block {
		wrong |= x ^ p.at(from+i)
	}
	return wrong == 0
}

func fill(block []uint64, p pattern, from int) {
	if !p.random {
		for i := range block {
			block[i] = p.word
		}
		return
	}
	for i := range block {
		block[i] = p.at(from + i)
	}
}
