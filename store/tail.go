package store

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/series"
)

// tail is a portion of telemetry not yet packed: values of channels at moments. A NaN is a gap.
type tail struct {
	At       []int64
	Channels []string
	Values   [][]float64 // per channel
}

// Format of a tail's body: the numbers of channels and moments, the channels' names with their lengths, the moments as
// differences, and the values channel by channel: a byte for their size, 4 where every value is exact in that many bytes,
// as most sensors' are, or 8. The first byte of a body tells it from the JSON that earlier versions wrote.
const (
	tailVersion = 1
	single      = 4
	double      = 8
)

var errTail = errors.New("unpacked telemetry is damaged")

func (t *tail) encode() []byte {
	out := make([]byte, 0, 32+len(t.Channels)*(24+8*len(t.At))+4*len(t.At))
	out = append(out, tailVersion)
	out = binary.AppendUvarint(out, uint64(len(t.Channels)))
	out = binary.AppendUvarint(out, uint64(len(t.At)))
	for _, name := range t.Channels {
		out = binary.AppendUvarint(out, uint64(len(name)))
		out = append(out, name...)
	}
	last := int64(0)
	for _, at := range t.At {
		out = binary.AppendVarint(out, at-last)
		last = at
	}
	for _, column := range t.Values {
		if slices.ContainsFunc(column, func(x float64) bool { return float64(float32(x)) != x && !math.IsNaN(x) }) {
			out = append(out, double)
			for _, x := range column {
				out = binary.LittleEndian.AppendUint64(out, math.Float64bits(x))
			}
			continue
		}
		out = append(out, single)
		for _, x := range column {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(float32(x)))
		}
	}
	return out
}

// joined makes one tail of portions of the same channels.
func joined(portions []*tail) *tail {
	if len(portions) == 1 {
		return portions[0]
	}
	all := &tail{Channels: portions[0].Channels, Values: make([][]float64, len(portions[0].Channels))}
	for _, t := range portions {
		all.At = append(all.At, t.At...)
		for i := range t.Values {
			all.Values[i] = append(all.Values[i], t.Values[i]...)
		}
	}
	return all
}

func decodeTail(body []byte) (tail, error) {
	var t tail
	if len(body) > 0 && body[0] == '{' {
		return decodeOldTail(body)
	}
	if len(body) == 0 || body[0] != tailVersion {
		return t, fmt.Errorf("%w: version", errTail)
	}
	rest := body[1:]
	number := func() uint64 {
		x, n := binary.Uvarint(rest)
		if n <= 0 {
			rest = nil
			return math.MaxUint64
		}
		rest = rest[n:]
		return x
	}
	channels, moments := number(), number()
	if channels > uint64(len(body)) || moments > uint64(len(body)) {
		return t, fmt.Errorf("%w: %d channels at %d moments in %d bytes", errTail, channels, moments, len(body))
	}
	for range channels {
		n := number()
		if n > uint64(len(rest)) {
			return t, fmt.Errorf("%w: a name is cut off", errTail)
		}
		t.Channels = append(t.Channels, string(rest[:n]))
		rest = rest[n:]
	}
	last := int64(0)
	for range moments {
		d, n := binary.Varint(rest)
		if n <= 0 {
			return t, fmt.Errorf("%w: a moment is cut off", errTail)
		}
		rest = rest[n:]
		last += d
		t.At = append(t.At, last)
	}
	for i := range channels {
		if len(rest) == 0 || rest[0] != single && rest[0] != double || uint64(len(rest)-1) < uint64(rest[0])*moments {
			return t, fmt.Errorf("%w: column %d is cut off", errTail, i)
		}
		size := rest[0]
		rest = rest[1:]
		column := make([]float64, moments)
		for j := range column {
			if size == single {
				column[j] = float64(math.Float32frombits(binary.LittleEndian.Uint32(rest)))
			} else {
				column[j] = math.Float64frombits(binary.LittleEndian.Uint64(rest))
			}
			rest = rest[size:]
		}
		t.Values = append(t.Values, column)
	}
	if len(rest) > 0 {
		return t, fmt.Errorf("%w: %d bytes too many", errTail, len(rest))
	}
	return t, nil
}

// decodeOldTail reads the JSON of earlier versions, in which null is a gap.
func decodeOldTail(body []byte) (tail, error) {
	var old struct {
		At       []int64      `json:"at"`
		Channels []string     `json:"channels"`
		Values   [][]*float64 `json:"values"`
	}
	if err := json.Unmarshal(body, &old); err != nil {
		return tail{}, fmt.Errorf("%w: %w", errTail, err)
	}
	t := tail{At: old.At, Channels: old.Channels, Values: withGaps(old.Values)}
	for _, column := range t.Values {
		if len(t.Values) != len(t.Channels) || len(column) != len(t.At) {
			return tail{}, fmt.Errorf("%w: columns of unequal length", errTail)
		}
	}
	return t, nil
}

// withGaps turns missing values into NaN.
func withGaps(values [][]*float64) [][]float64 {
	out, total := make([][]float64, len(values)), 0
	for _, list := range values {
		total += len(list)
	}
	all := make([]float64, total)
	for i, list := range values {
		out[i], all = all[:len(list):len(list)], all[len(list):]
		for j, p := range list {
			out[i][j] = math.NaN()
			if p != nil {
				out[i][j] = *p
			}
		}
	}
	return out
}

// unfold gathers unpacked telemetry into samples by channel, sorted by time. wanted tells which channels; nil means all.
func unfold(bodies [][]byte, wanted func(string) bool) (map[string][]series.Sample, error) {
	tails := make([]*tail, len(bodies))
	for i, body := range bodies {
		t, err := decodeTail(body)
		if err != nil {
			return nil, err
		}
		tails[i] = &t
	}
	return samplesOf(tails, wanted), nil
}

// samplesOf gathers tails as unfold does.
func samplesOf(tails []*tail, wanted func(string) bool) map[string][]series.Sample {
	moments := map[string]int{}
	for _, t := range tails {
		for _, key := range t.Channels {
			moments[key] += len(t.At)
		}
	}
	out := make(map[string][]series.Sample, len(moments))
	for _, t := range tails {
		for i, key := range t.Channels {
			if wanted != nil && !wanted(key) {
				continue
			}
			list, begun := out[key]
			if !begun {
				list = make([]series.Sample, 0, moments[key])
			}
			for j, at := range t.At {
				list = append(list, series.Sample{T: at, V: t.Values[i][j]})
			}
			out[key] = list
		}
	}
	for _, samples := range out {
		if !slices.IsSortedFunc(samples, older) {
			slices.SortStableFunc(samples, older)
		}
	}
	return out
}

func older(a, b series.Sample) int {
	switch {
	case a.T < b.T:
		return -1
	case a.T > b.T:
		return 1
	}
	return 0
}
