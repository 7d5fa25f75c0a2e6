package archive

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"

	"zerokeel/core/channel"
	"zerokeel/core/series"
)

// gap is how a reading that a sensor did not give is written; where a channel has nothing at a moment, there is nothing.
const gap = "-"

// WriteSamples writes samples as CSV: a line for each moment, in ms since 1970 UTC, and a column for each channel. Of two samples of a
// channel at one moment the second stands on a line of its own. It returns the number of moments. head is written where it asks for it.
func WriteSamples(to *bufio.Writer, head bool, keys []string, samples channel.Samples) (moments int, err error) {
	if head {
		line := []byte("ms")
		for _, key := range keys {
			line = append(append(line, ','), key...)
		}
		if _, err := to.Write(append(line, '\n')); err != nil {
			return 0, err
		}
	}
	lists := make([][]series.Sample, len(keys))
	for i, key := range keys {
		lists[i] = samples[key]
	}
	var line []byte
	for {
		at, more := int64(0), false
		for _, list := range lists {
			if len(list) > 0 && (!more || list[0].T < at) {
				at, more = list[0].T, true
			}
		}
		if !more {
			return moments, nil
		}
		line = strconv.AppendInt(line[:0], at, 10)
		for i, list := range lists {
			line = append(line, ',')
			if len(list) == 0 || list[0].T != at {
				continue
			}
			if v := list[0].V; math.IsNaN(v) {
				line = append(line, gap...)
			} else {
				line = appendFigure(line, v)
			}
			lists[i] = list[1:]
		}
		if _, err := to.Write(append(line, '\n')); err != nil {
			return moments, err
		}
		moments++
	}
}

// appendFigure writes a figure so that it reads back as it was. Most have three decimals at most, which takes a fraction of the time.
func appendFigure(line []byte, v float64) []byte {
	const most = 1e12
	n := math.Round(v * 1000)
	if !(math.Abs(n) < most) || n/1000 != v || v == 0 && math.Signbit(v) {
		return strconv.AppendFloat(line, v, 'g', -1, 64)
	}
	whole := int64(n)
	if whole < 0 {
		line, whole = append(line, '-'), -whole
	}
	line = strconv.AppendInt(line, whole/1000, 10)
	if part := whole % 1000; part > 0 {
		line = append(line, '.', byte('0'+part/100), byte('0'+part/10%10), byte('0'+part%10))
		for line[len(line)-1] == '0' {
			line = line[:len(line)-1]
		}
	}
	return line
}

// Samples reads the samples of a file that WriteSamples wrote, of known channels, and hands them to take whenever they reach over a span
// of so many ms. It wants so many moments.
func (r *Reader) Samples(name string, known []string, spanMS int64, want int, take func(channel.Samples) error) error {
	f, err := r.zip.Open(name)
	if err != nil {
		return damaged(name, err)
	}
	defer func() { _ = f.Close() }()
	return readSamples(f, name, known, spanMS, want, take)
}

func readSamples(from io.Reader, name string, known []string, spanMS int64, want int, take func(channel.Samples) error) error {
	in := bufio.NewReaderSize(from, 1<<20)
	head, err := in.ReadBytes('\n')
	if err != nil {
		return damaged(name, err)
	}
	fields := bytes.Split(bytes.TrimSuffix(head, []byte("\n")), []byte(","))
	if string(fields[0]) != "ms" {
		return damaged(name, fmt.Errorf("its first column is %.40q, not ms", fields[0]))
	}
	keys := make([]string, len(fields)-1)
	for i := range keys {
		keys[i] = string(fields[i+1])
		if !slices.Contains(known, keys[i]) || slices.Contains(keys[:i], keys[i]) {
			return damaged(name, fmt.Errorf("the channel %.100q is not announced, or stands twice", keys[i]))
		}
	}
	lists := make([][]series.Sample, len(keys))
	began, last, moments := int64(math.MinInt64), int64(math.MinInt64), 0
	flush := func() error {
		out := make(channel.Samples, len(keys))
		for i, key := range keys {
			if len(lists[i]) > 0 {
				out[key], lists[i] = lists[i], nil
			}
		}
		if len(out) == 0 {
			return nil
		}
		return take(out)
	}
	for {
		line, err := in.ReadSlice('\n')
		if err == io.EOF && len(line) == 0 {
			break
		} else if err != nil {
			return damaged(name, fmt.Errorf("line %d: %w", moments+2, err))
		}
		at, cells, err := momentOf(line[:len(line)-1])
		if err != nil || at < last {
			return damaged(name, fmt.Errorf("line %d begins with no moment, or an earlier one", moments+2))
		}
		if began == math.MinInt64 {
			began = at
		} else if at-began >= spanMS && at > last {
			if err := flush(); err != nil {
				return err
			}
			began = at
		}
		last = at
		moments++
		for i := range lists {
			cell := cells
			switch cut := bytes.IndexByte(cells, ','); {
			case cut >= 0 && i < len(lists)-1:
				cell, cells = cells[:cut], cells[cut+1:]
			case cut >= 0 || i < len(lists)-1:
				return damaged(name, fmt.Errorf("line %d has not as many columns as the first", moments+1))
			}
			if len(cell) == 0 {
				continue
			}
			v := math.NaN()
			if string(cell) != gap {
				if v, err = strconv.ParseFloat(string(cell), 64); err != nil || !channel.Possible(v) {
					return damaged(name, fmt.Errorf("line %d: %.40q is no figure", moments+1, cell))
				}
			}
			lists[i] = append(lists[i], series.Sample{T: at, V: v})
		}
	}
	if moments != want {
		return damaged(name, fmt.Errorf("it has %d moments, and should have %d", moments, want))
	}
	return flush()
}

// momentOf splits a line into its moment and the rest.
func momentOf(line []byte) (at int64, rest []byte, err error) {
	first := line
	if cut := bytes.IndexByte(line, ','); cut >= 0 {
		first, rest = line[:cut], line[cut+1:]
	}
	at, err = strconv.ParseInt(string(first), 10, 64)
	return at, rest, err
}
