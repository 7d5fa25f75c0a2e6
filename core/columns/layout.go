// Package columns reads tables in CSV from anywhere: delimiter, decimal mark, heading, units and the way in which times are
// written are found out from the first lines. Every line that cannot be read is told with its number; the rest counts.
package columns

import (
	"bytes"
	"errors"
	"io"
	"regexp"
	"slices"
	"strings"
	"time"
)

// Column is a column as its heading names it. Unit is as written there.
type Column struct {
	Name    string `json:"name"`
	Unit    string `json:"unit"`
	Numeric bool   `json:"numeric"`
}

// Clock is how a table tells time.
type Clock string

const (
	NoClock   Clock = "none"
	Stamp     Clock = "stamp"      // date and time of day, or time of day only
	Unix      Clock = "unix"       // seconds since 1970 UTC
	UnixMS    Clock = "unix-ms"    // ms since 1970 UTC
	Elapsed   Clock = "elapsed"    // seconds since some start
	ElapsedMS Clock = "elapsed-ms" // ms since some start
)

// Layout is how a table is written.
type Layout struct {
	Delimiter    string   `json:"delimiter"`
	DecimalComma bool     `json:"decimalComma"`
	HeadLine     int      `json:"headLine"` // number of the line that names the columns; 0 for none
	DataLine     int      `json:"dataLine"` // number of the first line of data
	Columns      []Column `json:"columns"`
	Clock        Clock    `json:"clock"`
	TimeColumn   int      `json:"timeColumn"` // −1 for none
	DateColumn   int      `json:"dateColumn"` // −1 when the date is not in a column of its own
	Format       string   `json:"format"`     // of a stamp, in Go's manner: what 2006-01-02 15:04:05 would look like
	EitherWay    bool     `json:"eitherWay"`  // day and month could be the other way round
}

// ErrNoTable reports a text in which no table was found.
var ErrNoTable = errors.New("no two columns were found in it; send a table as CSV with a heading line")

// ErrUTF16 reports a text in an encoding that is not read.
var ErrUTF16 = errors.New("it is written in UTF-16; save it as UTF-8")

// delimiters are tried in this order: a comma may be a decimal mark.
var delimiters = []string{";", "\t", "|", ","}

// enough is the share of the lines that must have the same number of columns; chosen so that titles and remarks of a third of
// the sample do no harm.
const enough = 0.7

// line is a line of the sample, split.
type line struct {
	number int
	cells  []string
}

// Detect finds out how a table is written, from its first lines; the last line of the sample may be cut off.
func Detect(sample []byte) (Layout, error) {
	if bytes.HasPrefix(sample, []byte{0xff, 0xfe}) || bytes.HasPrefix(sample, []byte{0xfe, 0xff}) {
		return Layout{}, ErrUTF16
	}
	for _, d := range delimiters {
		lines := split(sample, d)
		n, share := usual(lines)
		if n < 2 || share < enough {
			continue
		}
		l := Layout{Delimiter: d, TimeColumn: -1, DateColumn: -1}
		lines = slices.DeleteFunc(lines, func(one line) bool { return len(one.cells) != n })
		l.DecimalComma = commas(lines)
		first := slices.IndexFunc(lines, l.isData)
		if first < 0 {
			continue
		}
		l.head(lines[:first], n)
		l.DataLine = lines[first].number
		l.kinds(lines[first:])
		l.findClock(lines[first:])
		return l, nil
	}
	return Layout{}, ErrNoTable
}

func split(sample []byte, delimiter string) []line {
	var out []line
	r := NewReader(bytes.NewReader(sample), Layout{Delimiter: delimiter})
	for len(out) < 400 {
		row, err := r.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err == nil {
			out = append(out, line{row.Line, slices.Clone(row.Cells)})
		}
	}
	if len(out) > 2 && !bytes.HasSuffix(sample, []byte("\n")) {
		out = out[:len(out)-1]
	}
	return out
}

// usual returns the number of cells that most lines have, and their share.
func usual(lines []line) (cells int, share float64) {
	counts := map[int]int{}
	for _, l := range lines {
		counts[len(l.cells)]++
	}
	most := 0
	for n, c := range counts {
		if c > most || c == most && n > cells {
			cells, most = n, c
		}
	}
	return cells, float64(most) / float64(max(1, len(lines)))
}

var (
	withComma = regexp.MustCompile(`^[-+]?\d+,\d+$`)
	withPoint = regexp.MustCompile(`^[-+]?\d*\.\d+$`)
)

// commas reports whether more numbers have a decimal comma than a point.
func commas(lines []line) bool {
	comma, point := 0, 0
	for _, l := range lines {
		for _, c := range l.cells {
			if withComma.MatchString(c) {
				comma++
			} else if withPoint.MatchString(c) {
				point++
			}
		}
	}
	return comma > point
}

// isData reports whether a line holds a number or a time: headings hold none.
func (l *Layout) isData(one line) bool {
	return slices.ContainsFunc(one.cells, func(c string) bool {
		_, gap, ok := l.Number(c)
		return ok && !gap || looksLikeTime(c)
	})
}

// head reads names and units from the lines above the data.
func (l *Layout) head(above []line, n int) {
	l.Columns = make([]Column, n)
	if len(above) == 0 {
		for i := range l.Columns {
			l.Columns[i].Name = "column " + string(rune('A'+i%26))
		}
		return
	}
	names := above[len(above)-1]
	if len(above) > 1 && areUnits(names.cells) {
		for i, c := range names.cells {
			l.Columns[i].Unit = strings.Trim(c, "[]() ")
		}
		names = above[len(above)-2]
	}
	l.HeadLine = names.number
	for i, c := range names.cells {
		name, unit := cutUnit(c)
		l.Columns[i].Name = name
		if unit != "" {
			l.Columns[i].Unit = unit
		}
	}
}

// areUnits reports whether most cells of a line that hold something are units.
func areUnits(cells []string) bool {
	units, filled := 0, 0
	for _, c := range cells {
		if c == "" {
			continue
		}
		filled++
		if _, ok := UnitOf(strings.Trim(c, "[]() ")); ok {
			units++
		}
	}
	return units > 0 && 2*units > filled
}

// bracketed finds what stands in brackets at the end of a name.
var bracketed = regexp.MustCompile(`^(.*\S)\s*[\[(]([^\[\]()]*)[\])]$`)

// cutUnit takes the unit off a name: in brackets at its end, or the last word, if that is a unit.
func cutUnit(text string) (name, unit string) {
	if m := bracketed.FindStringSubmatch(text); m != nil {
		if _, ok := UnitOf(m[2]); ok || strings.HasSuffix(text, "]") {
			return m[1], m[2]
		}
	}
	if i := strings.LastIndexAny(text, " _"); i > 0 {
		if _, ok := UnitOf(text[i+1:]); ok {
			return strings.TrimSpace(text[:i]), text[i+1:]
		}
	}
	return text, ""
}

// kinds finds the columns that hold numbers.
func (l *Layout) kinds(data []line) {
	for i := range l.Columns {
		numbers, filled := 0, 0
		for _, one := range data {
			if one.cells[i] == "" {
				continue
			}
			filled++
			if _, _, ok := l.Number(one.cells[i]); ok {
				numbers++
			}
		}
		l.Columns[i].Numeric = numbers > 0 && 2*numbers > filled
	}
}

// findClock finds the columns that tell the time.
func (l *Layout) findClock(data []line) {
	l.Clock = NoClock
	date := -1
	for i := range l.Columns {
		cells := column(data, i)
		if l.Columns[i].Numeric && !looksLikeTime(first(cells)) {
			continue
		}
		if f, either := formatOf(cells, stampFormats); f != "" {
			l.Clock, l.TimeColumn, l.DateColumn, l.Format, l.EitherWay = Stamp, i, -1, f, either
			return
		}
		if f, _ := formatOf(cells, dateFormats); f != "" && date < 0 {
			date = i
			continue
		}
		if f, _ := formatOf(cells, timeFormats); f != "" && l.TimeColumn < 0 {
			l.Clock, l.TimeColumn, l.Format = Stamp, i, f
		}
	}
	if l.Clock == Stamp {
		if date >= 0 {
			f, either := formatOf(column(data, date), dateFormats)
			l.DateColumn, l.Format, l.EitherWay = date, f+" "+l.Format, either
		}
		return
	}
	for i, c := range l.Columns {
		if !c.Numeric || i > 0 && !timeName.MatchString(c.Name) {
			continue
		}
		if clock := l.counting(column(data, i), c); clock != NoClock {
			l.Clock, l.TimeColumn = clock, i
			return
		}
	}
}

var timeName = regexp.MustCompile(`(?i)time|stamp|elapsed|second|zeit|clock$|^t$|epoch`)

// counting tells what a column of growing numbers counts.
func (l *Layout) counting(cells []string, c Column) Clock {
	last, begun := 0.0, false
	for _, text := range cells {
		x, gap, ok := l.Number(text)
		if !ok || gap || begun && x < last {
			return NoClock
		}
		last, begun = x, true
	}
	switch {
	case !begun:
		return NoClock
	case last > 5e11 && last < 5e12:
		return UnixMS
	case last > 5e8 && last < 5e9:
		return Unix
	case strings.EqualFold(c.Unit, "ms"):
		return ElapsedMS
	}
	return Elapsed
}

func column(data []line, i int) []string {
	var out []string
	for _, one := range data {
		if one.cells[i] != "" {
			out = append(out, one.cells[i])
		}
	}
	return out
}

func first(cells []string) string {
	if len(cells) == 0 {
		return ""
	}
	return cells[0]
}

// At returns when a line was taken. A clock that counts from some start, or a time of day without a date, gives the time
// since zero, the date being missing: relative is then true. Stamps without a zone count as UTC.
func (l *Layout) At(cells []string) (at time.Time, relative bool, err error) {
	if l.TimeColumn < 0 || l.TimeColumn >= len(cells) || l.DateColumn >= len(cells) {
		return time.Time{}, false, errors.New("it holds no time")
	}
	text := cells[l.TimeColumn]
	if l.Clock == Stamp {
		if l.DateColumn >= 0 {
			text = cells[l.DateColumn] + " " + text
		}
		at, err = time.Parse(l.Format, text)
		if err != nil {
			return time.Time{}, false, errors.New("its time " + quote(text) + " cannot be read")
		}
		return at, !strings.Contains(l.Format, "06"), nil
	}
	x, gap, ok := l.Number(text)
	if !ok || gap || x < -maxSeconds || x > 5e12 {
		return time.Time{}, false, errors.New("its time " + quote(text) + " cannot be read")
	}
	switch l.Clock {
	case Unix, Elapsed:
		x *= 1000
	}
	return time.UnixMilli(int64(x)).UTC(), l.Clock == Elapsed || l.Clock == ElapsedMS, nil
}

// maxSeconds is the latest time that is taken for seconds since 1970: the year 2096. Milliseconds are a thousand times more.
const maxSeconds = 4e9

func quote(text string) string {
	if len(text) > 40 {
		text = text[:40] + "…"
	}
	return "“" + strings.ToValidUTF8(text, "�") + "”"
}

// Swap reads day and month the other way round, where that can be.
func (l *Layout) Swap() {
	for one, other := range otherWay {
		if rest, ok := strings.CutPrefix(l.Format, one); ok {
			l.Format = other + rest
			return
		}
	}
}
