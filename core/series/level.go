package series

import (
	"encoding/binary"
	"math"
)

// LevelMS is the width of the buckets of a level.
const LevelMS = 30_000

// A level sums up a block in buckets of LevelMS, so that the chart of a day need not read every sample:
//
//	byte    version
//	float64 quantum      of the figures below; 0 for plain floats
//	uvarint count
//	varint  t0 ÷ LevelMS of the first bucket
//	per bucket: uvarint buckets skipped before it, uvarint samples, then lowest, mean and highest: as varints in quanta,
//	the lowest against the bucket before, the others against the lowest; or as three float64
//
// The mean is rounded to a quarter of a quantum.

const meanSteps = 4

// EncodeLevel sums samples up, which must be sorted by time, for a channel of the given quantum (0 if it has none).
func EncodeLevel(samples []Sample, quantum float64) []byte {
	buckets := levelOf(samples)
	if !(quantum > 0) || math.IsInf(quantum, 0) {
		quantum = 0
	}
	for _, b := range buckets {
		if math.Max(math.Abs(b.Min), math.Abs(b.Max)) > quantum*(1<<50) {
			quantum = 0
		}
	}
	out := []byte{version}
	out = binary.LittleEndian.AppendUint64(out, math.Float64bits(quantum))
	out = binary.AppendUvarint(out, uint64(len(buckets)))
	if len(buckets) == 0 {
		return out
	}
	place := floorDiv(buckets[0].T, LevelMS)
	out = binary.AppendVarint(out, place)
	last := int64(0)
	for _, b := range buckets {
		at := floorDiv(b.T, LevelMS)
		out = binary.AppendUvarint(out, uint64(at-place))
		place = at + 1
		out = binary.AppendUvarint(out, uint64(b.N))
		if quantum == 0 {
			for _, x := range [3]float64{b.Min, b.Mean, b.Max} {
				out = binary.LittleEndian.AppendUint64(out, math.Float64bits(x))
			}
			continue
		}
		low := int64(math.Round(b.Min / quantum))
		out = binary.AppendVarint(out, low-last)
		out = binary.AppendVarint(out, int64(math.Round(meanSteps*(b.Mean/quantum-float64(low)))))
		out = binary.AppendVarint(out, int64(math.Round(b.Max/quantum))-low)
		last = low
	}
	return out
}

// DecodeLevel unpacks a level. The error wraps ErrCorrupt.
func DecodeLevel(level []byte) ([]Bucket, error) {
	r := reader{left: level}
	if v := r.byte(); v != version {
		r.fail("bad version")
	}
	quantum := math.Float64frombits(r.uint64())
	n := r.uvarint()
	if n > uint64(len(level)) {
		r.fail("more buckets than bytes")
	}
	if r.err != nil || n == 0 {
		return nil, r.err
	}
	out := make([]Bucket, 0, n)
	place, last := r.varint(), int64(0)
	for range n {
		skip := r.uvarint()
		if skip > 1<<40 || place > math.MaxInt64/LevelMS-1<<40 || place < math.MinInt64/LevelMS+1<<40 {
			r.fail("times past the end")
		}
		if r.err != nil {
			return nil, r.err
		}
		place += int64(skip)
		b := Bucket{T: place * LevelMS, N: int(r.uvarint() & math.MaxInt32)}
		place++
		if quantum == 0 {
			b.Min, b.Mean, b.Max = math.Float64frombits(r.uint64()), math.Float64frombits(r.uint64()), math.Float64frombits(r.uint64())
		} else {
			low := last + r.varint()
			last = low
			b.Min = float64(low) * quantum
			b.Mean = b.Min + float64(r.varint())/meanSteps*quantum
			b.Max = float64(low+r.varint()) * quantum
		}
		if r.err != nil {
			return nil, r.err
		}
		out = append(out, b)
	}
	return out, nil
}

// levelOf gathers samples into buckets of LevelMS, which begin at multiples of it.
func levelOf(samples []Sample) []Bucket {
	var out []Bucket
	var b Bucket
	first, above := 0.0, 0.0 // its first value, and the sum of the others' distances to it
	closed := func() {
		if b.N > 0 {
			b.Mean = first + above/float64(b.N)
			out = append(out, b)
		}
	}
	for _, s := range samples {
		if math.IsNaN(s.V) {
			continue
		}
		if b.N == 0 || uint64(s.T)-uint64(b.T) >= LevelMS {
			closed()
			b, first, above = Bucket{T: floorDiv(s.T, LevelMS) * LevelMS, Min: s.V, Max: s.V}, s.V, 0
		}
		b.Min, b.Max = min(b.Min, s.V), max(b.Max, s.V)
		above += s.V - first
		b.N++
	}
	closed()
	return out
}

// take adds n samples of these figures.
func (b *Bucket) take(low, mean, high float64, n int) {
	b.Min, b.Max = math.Min(b.Min, low), math.Max(b.Max, high)
	b.N += n
	b.Mean += (mean - b.Mean) * float64(n) / float64(b.N)
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// Merge gathers buckets, sorted by time, into equal wider ones from one time up to, but not including, another. A bucket
// counts where it begins. It panics when count is below one or the span is empty.
func Merge(buckets []Bucket, from, to int64, count int) []Bucket {
	if count < 1 || to <= from {
		panic("series: Merge needs a positive count and span")
	}
	width := float64(to-from) / float64(count)
	var out []Bucket
	place := -1
	for _, one := range buckets {
		if one.T+LevelMS <= from || one.T >= to || one.N == 0 {
			continue
		}
		at := min(int(float64(max(0, one.T-from))/width), count-1)
		if len(out) == 0 || at != place {
			place = at
			out = append(out, Bucket{T: from + int64(float64(at)*width), Min: one.Min, Max: one.Max})
		}
		out[len(out)-1].take(one.Min, one.Mean, one.Max, one.N)
	}
	return out
}
