// Package series packs telemetry: one channel's samples over some minutes become one block. Values that are
// whole multiples of the channel's quantum, as sensors give them, are stored as bit-packed differences; others
// as the differing bytes of consecutive floats. Decoding returns exactly what was put in.
//
// A block is a byte string, version first:
//
//	byte    1            version
//	byte    mode         0 quantised, 1 floats
//	uvarint n            samples
//	varint  t0           time of the first sample, ms
//	varint  …            n−1 differences of time differences, ms
//	float64 quantum      (mode 0)
//	…       values       groups of 32: a width byte, then that many bits per zigzag difference; NaN gaps are
//	                     runs listed before them
package series

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"math/bits"
)

// Sample is a value at a time in milliseconds. A NaN value is a gap: the sensor was silent.
type Sample struct {
	T int64
	V float64
}

// MaxSamples is the largest number of samples in a block.
const MaxSamples = 1 << 20

const (
	version    = 1
	modeQuanta = 0
	modeFloats = 1
	group      = 32
)

// ErrCorrupt reports a block that Encode did not write.
var ErrCorrupt = errors.New("telemetry block is damaged")

// Encode packs samples, which must be sorted by time, for a channel of the given quantum (0 if it has none). It
// returns an error when they are out of order or too many.
func Encode(samples []Sample, quantum float64) ([]byte, error) {
	if len(samples) > MaxSamples {
		return nil, fmt.Errorf("encode telemetry block: %d samples, at most %d fit", len(samples), MaxSamples)
	}
	for i := 1; i < len(samples); i++ {
		if samples[i].T < samples[i-1].T {
			return nil, fmt.Errorf("encode telemetry block: sample %d is older than the one before", i)
		}
	}
	mode := byte(modeFloats)
	if quantum > 0 && !math.IsInf(quantum, 0) {
		mode = modeQuanta
	}
	out := append(make([]byte, 0, 64+2*len(samples)), version, mode)
	out = binary.AppendUvarint(out, uint64(len(samples)))
	if len(samples) == 0 {
		return out, nil
	}
	out = appendTimes(out, samples)
	if mode == modeQuanta {
		head := len(out)
		out = binary.LittleEndian.AppendUint64(out, math.Float64bits(quantum))
		var whole bool
		if out, whole = appendPacked(appendGaps(out, samples), samples, quantum); whole {
			return out, nil
		}
		out = out[:head]
		out[1] = modeFloats
	}
	return appendFloats(out, samples), nil
}

// Decode unpacks a block. The error wraps ErrCorrupt.
func Decode(block []byte) ([]Sample, error) {
	r := reader{left: block}
	if v := r.byte(); v != version && r.err == nil {
		return nil, fmt.Errorf("%w: version %d", ErrCorrupt, v)
	}
	mode := r.byte()
	n := r.uvarint()
	if r.err != nil || n > MaxSamples || mode > modeFloats {
		return nil, fmt.Errorf("%w: bad header", ErrCorrupt)
	}
	// Every sample takes at least a bit; a count that the block cannot hold must not make us allocate.
	if n > uint64(len(block))*group*8 {
		return nil, fmt.Errorf("%w: %d samples in %d bytes", ErrCorrupt, n, len(block))
	}
	samples := make([]Sample, n)
	if n == 0 {
		return samples, nil
	}
	r.times(samples)
	if mode == modeQuanta {
		quantum := math.Float64frombits(r.uint64())
		gaps := r.gaps(int(n))
		r.packed(samples, gaps, quantum)
	} else {
		r.floats(samples)
	}
	if r.err != nil {
		return nil, r.err
	}
	return samples, nil
}

// quanta returns a value as a multiple of quantum, and whether that loses nothing.
func quanta(v, quantum float64) (int64, bool) {
	k := math.Round(v / quantum)
	if !(math.Abs(k) <= 1<<52) {
		return 0, false
	}
	whole := int64(k) // which knows no negative zero
	return whole, math.Float64bits(float64(whole)*quantum) == math.Float64bits(v)
}

func appendTimes(out []byte, samples []Sample) []byte {
	out = binary.AppendVarint(out, samples[0].T)
	step := int64(0)
	for i := 1; i < len(samples); {
		delta := samples[i].T - samples[i-1].T
		change := delta - step
		step = delta
		out = binary.AppendVarint(out, change)
		i++
		if change != 0 {
			continue
		}
		run := 0
		for i < len(samples) && samples[i].T-samples[i-1].T == step {
			run++
			i++
		}
		out = binary.AppendUvarint(out, uint64(run))
	}
	return out
}

func appendGaps(out []byte, samples []Sample) []byte {
	var runs []uint64 // start after the last run's end, length, …
	end := 0
	for i := 0; i < len(samples); i++ {
		if !math.IsNaN(samples[i].V) {
			continue
		}
		start := i
		for i < len(samples) && math.IsNaN(samples[i].V) {
			i++
		}
		runs = append(runs, uint64(start-end), uint64(i-start))
		end = i
	}
	out = binary.AppendUvarint(out, uint64(len(runs)/2))
	for _, x := range runs {
		out = binary.AppendUvarint(out, x)
	}
	return out
}

// appendPacked writes the values as multiples of quantum, unless one of them is none. Gaps repeat the value before them.
func appendPacked(out []byte, samples []Sample, quantum float64) ([]byte, bool) {
	last := int64(0)
	for start := 0; start < len(samples); start += group {
		end := min(start+group, len(samples))
		var zig [group]uint64
		width := 0
		for i, s := range samples[start:end] {
			if math.IsNaN(s.V) {
				continue
			}
			k, whole := quanta(s.V, quantum)
			if !whole {
				return out, false
			}
			d := k - last
			last = k
			zig[i] = uint64(d<<1) ^ uint64(d>>63)
			width = max(width, bits.Len64(zig[i]))
		}
		out = append(out, byte(width))
		var acc uint64
		fill := 0
		for _, z := range zig[:end-start] {
			acc |= z << fill
			if fill += width; fill >= 64 {
				out = binary.LittleEndian.AppendUint64(out, acc)
				fill -= 64
				acc = z >> (width - fill)
			}
		}
		for ; fill > 0; fill -= 8 {
			out = append(out, byte(acc))
			acc >>= 8
		}
	}
	return out, true
}

// appendFloats writes each value as the bytes in which it differs from the one before: a byte that tells how many
// leading and trailing bytes are equal, then the rest.
func appendFloats(out []byte, samples []Sample) []byte {
	last := uint64(0)
	for _, s := range samples {
		b := math.Float64bits(s.V)
		x := b ^ last
		last = b
		if x == 0 {
			out = append(out, 0x80)
			continue
		}
		lead, trail := bits.LeadingZeros64(x)/8, bits.TrailingZeros64(x)/8
		out = append(out, byte(lead<<4|trail))
		for i := trail; i < 8-lead; i++ {
			out = append(out, byte(x>>(8*i)))
		}
	}
	return out
}
