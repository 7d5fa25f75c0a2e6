package workshop

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"
	"unicode"

	"zerokeel/core/columns"
	"zerokeel/core/invalid"
	"zerokeel/core/yardstick"
	"zerokeel/store"
)

// NewScores are results of another program.
type NewScores struct {
	Trim            int64
	Yardstick, Unit string
	Better          string
	Values          []float64
	At              *time.Time // now on the rig's clock, if nobody says
	Note            string
}

// Added says what came of scores that were entered: how many were added, and how many were there already.
type Added struct{ Added, Known int }

// AddScores adds results of another program.
func (w *Workshop) AddScores(ctx context.Context, rig int64, in NewScores) (Added, error) {
	e, err := w.newEntry(ctx, rig)
	if err != nil {
		return Added{}, err
	}
	link, err := w.linkOf(ctx, rig)
	if err != nil {
		return Added{}, err
	}
	at := link.Clock
	put(&at, in.At)
	var f invalid.List
	if !slices.ContainsFunc(e.trims, func(t store.Trim) bool { return t.ID == in.Trim }) {
		f.Add("trim", "name a trim of this rig", "%d is none of them", in.Trim)
	}
	y := e.yardstick(in.Yardstick, in.Unit, in.Better, "", &f)
	for i, v := range in.Values {
		// Runs of one entry stand a microsecond apart, so that equal values are told from one that is entered twice.
		e.add(store.Score{TrimID: in.Trim, Yardstick: y, Value: v, RigClock: at.Add(time.Duration(i) * time.Microsecond), Note: in.Note},
			"values", &f)
	}
	return w.added(ctx, e, f)
}

// MaxScoreTable is the largest table of scores, in bytes.
const MaxScoreTable = 4 << 20

// ImportScores adds results of other programs from a table in CSV.
func (w *Workshop) ImportScores(ctx context.Context, rig int64, table io.Reader) (Added, error) {
	e, err := w.newEntry(ctx, rig)
	if err != nil {
		return Added{}, err
	}
	text, err := io.ReadAll(io.LimitReader(table, MaxScoreTable+1))
	if err != nil {
		return Added{}, fmt.Errorf("read the table: %w", err)
	}
	link, err := w.linkOf(ctx, rig)
	if err != nil {
		return Added{}, err
	}
	var f invalid.List
	if len(text) > MaxScoreTable {
		f.Add("", "send it in parts", "the table is larger than %d MB", MaxScoreTable>>20)
	} else {
		e.read(text, link.Clock, &f)
	}
	return w.added(ctx, e, f)
}

// added stores what was entered, unless there is a fault in it.
func (w *Workshop) added(ctx context.Context, e *entry, f invalid.List) (Added, error) {
	if len(f) > 0 {
		return Added{}, f
	}
	n, err := w.store.AddScores(ctx, e.rig, e.list, e.fresh)
	return Added{n, len(e.list) - n}, err
}

// DropScore removes a score that was typed or imported.
func (w *Workshop) DropScore(ctx context.Context, rig, score int64) error {
	if err := may(ctx, change, rig); err != nil {
		return err
	}
	return w.store.DropScore(ctx, rig, score)
}

// entry gathers scores that were taken elsewhere.
type entry struct {
	rig   int64
	trims []store.Trim
	known []yardstick.Yardstick
	fresh []yardstick.Yardstick
	list  []store.Score
}

func (w *Workshop) newEntry(ctx context.Context, rig int64) (*entry, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	if _, err := w.store.Rig(ctx, rig); err != nil {
		return nil, err
	}
	trims, err := w.store.Trims(ctx, rig)
	if err != nil {
		return nil, err
	}
	known, err := w.store.Yardsticks(ctx)
	return &entry{rig: rig, trims: trims, known: append(yardstick.List(), known...)}, err
}

// yardstick returns the id of a yardstick of the workshop by its name, a new one if it is not known. An empty unit or
// better is taken from the one known.
func (e *entry) yardstick(name, unit, better, at string, f *invalid.List) string {
	name, unit = strings.TrimSpace(name), strings.TrimSpace(unit)
	id := slug(name)
	if id == "" {
		f.Add(placed(at, "yardstick"), "give its name", "%.40q holds no letter", name)
		return ""
	}
	if _, own := yardstick.Of(id); own || slices.ContainsFunc(yardstick.List(),
		func(y yardstick.Yardstick) bool { return strings.EqualFold(y.Name, name) }) {
		f.Add(placed(at, "yardstick"), "run a benchmark on the Trial sheet", "%s is taken by the rig itself", name)
		return ""
	}
	if i := slices.IndexFunc(e.known, func(y yardstick.Yardstick) bool { return y.ID == id }); i >= 0 {
		if y := e.known[i]; unit != "" && unit != y.Unit || better != "" && better != string(y.Better) {
			f.Add(placed(at, "unit"), fmt.Sprintf("give the score in %s, where %s is better, or name another yardstick", y.Unit, y.Better),
				"%s is known in %s, where %s is better", y.Name, y.Unit, y.Better)
		}
		return id
	}
	if better != string(yardstick.Higher) && better != string(yardstick.Lower) {
		f.Add(placed(at, "better"), "give higher or lower", "%.40q tells not which scores of %s are the better ones", better, name)
		return ""
	}
	y := yardstick.Yardstick{ID: id, Name: cutText(name, 80), Unit: cutText(unit, 20), Better: yardstick.Better(better)}
	e.known, e.fresh = append(e.known, y), append(e.fresh, y)
	return id
}

// maxScore bounds a score's size; beyond it, it is a slip.
const maxScore = 1e15

func (e *entry) add(x store.Score, at string, f *invalid.List) {
	if !(x.Value > 0 && x.Value <= maxScore) {
		f.Add(at, "give a number above 0", "%g is no score", x.Value)
		return
	}
	e.list = append(e.list, x)
}

// read gathers scores from a table; every line that is wrong is a fault.
func (e *entry) read(text []byte, now time.Time, f *invalid.List) {
	l, err := columns.Detect(text)
	if err != nil {
		f.Add("", "send columns named trim, yardstick, unit, better and value", "%s", err)
		return
	}
	at := map[string]int{}
	for i, c := range l.Columns {
		at[strings.ToLower(c.Name)] = i
	}
	for _, name := range []string{"trim", "yardstick", "value"} {
		if _, ok := at[name]; !ok {
			f.Add(name, "name the columns trim, yardstick, unit, better and value, and maybe time and note", "there is no such column")
		}
	}
	if len(*f) > 0 {
		return
	}
	r := columns.NewReader(strings.NewReader(string(text)), l)
	for {
		row, err := r.Next()
		var wrong *columns.LineError
		if errors.Is(err, io.EOF) {
			break
		} else if errors.As(err, &wrong) {
			f.Add(fmt.Sprintf("line %d", wrong.Line), "mend the line", "%s", wrong.Problem)
			continue
		} else if err != nil {
			f.Add("", "send it again", "%s", err)
			return
		}
		e.readRow(&l, row, at, now, f)
	}
	if len(e.list) == 0 && len(*f) == 0 {
		f.Add("", "send a line for each run", "the table holds no scores")
	}
}

func (e *entry) readRow(l *columns.Layout, row columns.Row, at map[string]int, now time.Time, f *invalid.List) {
	where := fmt.Sprintf("line %d", row.Line)
	cell := func(name string) string {
		if i, ok := at[name]; ok {
			return row.Cells[i]
		}
		return ""
	}
	x := store.Score{RigClock: now.Add(time.Duration(row.Line) * time.Microsecond), Note: cell("note")}
	number, gap, ok := l.Number(strings.TrimPrefix(strings.ToUpper(cell("trim")), "T"))
	i := slices.IndexFunc(e.trims, func(t store.Trim) bool { return ok && !gap && float64(t.Number) == number })
	if i < 0 {
		f.Add(placed(where, "trim"), "give the number of a trim of this rig", "%.40q is none", cell("trim"))
	} else {
		x.TrimID = e.trims[i].ID
	}
	if x.Value, gap, ok = l.Number(cell("value")); !ok || gap {
		x.Value = math.NaN()
	}
	x.Yardstick = e.yardstick(cell("yardstick"), cell("unit"), strings.ToLower(cell("better")), where, f)
	if l.Clock != columns.NoClock && l.TimeColumn != at["value"] && l.TimeColumn != at["trim"] {
		when, relative, err := l.At(row.Cells)
		if err != nil || relative {
			f.Add(placed(where, "time"), "give date and time, such as 2026-03-01 10:00:00", "the moment cannot be read")
		} else {
			x.RigClock = when.UTC()
		}
	}
	e.add(x, placed(where, "value"), f)
}

func placed(at, field string) string {
	if at == "" {
		return field
	}
	return at + ", " + field
}

// slug turns a name into an id: letters and digits in lower case, with dashes between.
func slug(name string) string {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	return cutText(strings.Join(words, "-"), 40)
}

// cutText keeps a text to so many letters.
func cutText(text string, letters int) string {
	if r := []rune(text); len(r) > letters {
		return string(r[:letters])
	}
	return text
}
