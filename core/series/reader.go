package series

import (
	"encoding/binary"
	"fmt"
	"math"
)

// reader takes a block apart; its first error sticks.
type reader struct {
	left []byte
	err  error
}

func (r *reader) fail(what string) {
	if r.err == nil {
		r.err = fmt.Errorf("%w: %s", ErrCorrupt, what)
	}
}

func (r *reader) take(n int) []byte {
	if r.err != nil || n > len(r.left) {
		r.fail("cut off")
		return nil
	}
	b := r.left[:n]
	r.left = r.left[n:]
	return b
}

func (r *reader) byte() byte {
	if b := r.take(1); b != nil {
		return b[0]
	}
	return 0
}

func (r *reader) uint64() uint64 {
	if b := r.take(8); b != nil {
		return binary.LittleEndian.Uint64(b)
	}
	return 0
}

func (r *reader) uvarint() uint64 {
	x, n := binary.Uvarint(r.left)
	if n <= 0 {
		r.fail("bad number")
		return 0
	}
	r.left = r.left[n:]
	return x
}

func (r *reader) varint() int64 {
	x, n := binary.Varint(r.left)
	if n <= 0 {
		r.fail("bad number")
		return 0
	}
	r.left = r.left[n:]
	return x
}

func (r *reader) times(samples []Sample) {
	samples[0].T = r.varint()
	step := int64(0)
	for i := 1; i < len(samples) && r.err == nil; {
		change := r.varint()
		step += change
		samples[i].T = samples[i-1].T + step
		i++
		if change != 0 {
			continue
		}
		run := r.uvarint()
		if run > uint64(len(samples)-i) {
			r.fail("times past the end")
			return
		}
		for ; run > 0; run-- {
			samples[i].T = samples[i-1].T + step
			i++
		}
	}
}

// gaps returns which samples are gaps, nil if none.
func (r *reader) gaps(n int) []bool {
	runs := r.uvarint()
	if runs == 0 || r.err != nil {
		return nil
	}
	gap := make([]bool, n)
	at := uint64(0)
	for ; runs > 0 && r.err == nil; runs-- {
		skip, length := r.uvarint(), r.uvarint()
		if skip > uint64(n) || length > uint64(n) || at+skip+length > uint64(n) || length == 0 {
			r.fail("gap past the end")
			return nil
		}
		at += skip
		for range length {
			gap[at] = true
			at++
		}
	}
	return gap
}

func (r *reader) packed(samples []Sample, gaps []bool, quantum float64) {
	last := int64(0)
	for start := 0; start < len(samples) && r.err == nil; start += group {
		end := min(start+group, len(samples))
		width := int(r.byte())
		if width > 64 {
			r.fail("bad width")
			return
		}
		raw := r.take((width*(end-start) + 7) / 8)
		if r.err != nil {
			return
		}
		var acc uint64 // bits not yet used, the next one lowest
		fill, at := 0, 0
		for i := start; i < end; i++ {
			for fill < width && fill <= 56 && at < len(raw) {
				acc |= uint64(raw[at]) << fill
				fill += 8
				at++
			}
			z := acc
			if width <= fill {
				acc >>= width
				fill -= width
			} else { // a value of more than 56 bits that does not begin with a byte
				z |= uint64(raw[at]) << fill
				acc = uint64(raw[at]) >> (width - fill)
				fill += 8 - width
				at++
			}
			if width < 64 {
				z &= 1<<width - 1
			}
			last += int64(z>>1) ^ -int64(z&1)
			samples[i].V = float64(last) * quantum
			if gaps != nil && gaps[i] {
				samples[i].V = math.NaN()
			}
		}
	}
}

func (r *reader) floats(samples []Sample) {
	last := uint64(0)
	for i := range samples {
		head := r.byte()
		if head != 0x80 {
			lead, trail := int(head>>4), int(head&0xf)
			if lead+trail > 7 {
				r.fail("bad float")
				return
			}
			var x uint64
			for j, b := range r.take(8 - lead - trail) {
				x |= uint64(b) << (8 * (trail + j))
			}
			last ^= x
		}
		samples[i].V = math.Float64frombits(last)
	}
}
