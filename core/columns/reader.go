package columns

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// longest is the longest line that is read, in bytes; a longer one is broken.
const longest = 1 << 20

// Row is a line of data. Cells are trimmed; they hold until the next one is read.
type Row struct {
	Line  int
	Cells []string
}

// LineError tells what is wrong with a line.
type LineError struct {
	Line    int
	Problem string
}

func (e *LineError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Problem) }

// Reader reads the lines of a table one after the other, whatever the size of it. Records do not go beyond a line, so a
// quote that is never closed breaks its own line only.
type Reader struct {
	layout Layout
	in     *bufio.Reader
	feed   bytes.Buffer
	csv    *csv.Reader
	line   int
}

// NewReader reads a table whose layout is known.
func NewReader(r io.Reader, l Layout) *Reader {
	out := &Reader{layout: l, in: bufio.NewReaderSize(r, 1<<16)}
	out.csv = csv.NewReader(&out.feed)
	out.csv.FieldsPerRecord = -1
	out.csv.ReuseRecord = true
	if l.Delimiter != "" {
		out.csv.Comma, _ = utf8.DecodeRuneInString(l.Delimiter)
	}
	return out
}

// Next returns the next line of data. A LineError tells of a line that cannot be read, after which reading goes on; io.EOF
// ends it.
func (r *Reader) Next() (Row, error) {
	for {
		row, err := r.next()
		if r.line < r.layout.DataLine && !errors.Is(err, io.EOF) {
			continue
		}
		if err == nil && len(r.layout.Columns) > 0 && len(row.Cells) != len(r.layout.Columns) {
			return Row{}, &LineError{row.Line, fmt.Sprintf("it has %d columns, the table has %d", len(row.Cells), len(r.layout.Columns))}
		}
		return row, err
	}
}

// next returns the next line that holds anything.
func (r *Reader) next() (Row, error) {
	for {
		text, err := r.readLine()
		if err != nil {
			return Row{}, err
		}
		if text = bytes.TrimRight(text, "\r\n"); len(bytes.TrimSpace(text)) == 0 {
			continue
		}
		if r.line == 1 {
			text = bytes.TrimPrefix(text, []byte("\ufeff"))
		}
		if !utf8.Valid(text) {
			text = latin1(text)
		}
		r.feed.Reset()
		r.feed.Write(text)
		r.feed.WriteByte('\n')
		cells, err := r.csv.Read()
		if err != nil {
			// What is left of a broken line must not be taken for the next one.
			r.feed.Reset()
			_, _ = r.csv.Read()
			return Row{}, &LineError{r.line, "its quotes are not closed, or stand inside a cell"}
		}
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
		}
		return Row{r.line, cells}, nil
	}
}

// readLine returns the next line; of one that is too long, its error.
func (r *Reader) readLine() ([]byte, error) {
	var whole []byte
	r.line++
	for {
		part, err := r.in.ReadSlice('\n')
		switch {
		case err == nil && whole == nil:
			return part, nil
		case errors.Is(err, bufio.ErrBufferFull):
			if len(whole) <= longest {
				whole = append(whole, part...)
			}
			continue
		case err != nil && !errors.Is(err, io.EOF):
			return nil, fmt.Errorf("read line %d: %w", r.line, err)
		case err != nil && len(whole)+len(part) == 0:
			return nil, io.EOF
		}
		if len(whole)+len(part) > longest {
			return nil, &LineError{r.line, fmt.Sprintf("it is longer than %d MB", longest>>20)}
		}
		return append(whole, part...), nil
	}
}

// latin1 turns a text of the old western encoding, in which a degree sign is one byte, into UTF-8.
func latin1(text []byte) []byte {
	out := make([]byte, 0, len(text)+8)
	for _, b := range text {
		out = utf8.AppendRune(out, rune(b))
	}
	return out
}
