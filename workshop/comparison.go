package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// MostCompared is how many configurations are held side by side at most.
const MostCompared = 4

// Compared is one of several configurations that are held side by side.
type Compared struct {
	Trim
	Rig  *store.Rig
	Set  *part.Set // nil where its parts are not known
	Name string    // of the trim, with its rig's where several are compared
	// Legs lists, by load, the leg that shows best how the machine warms up and settles.
	Legs map[load.Kind]store.LegSpan
}

// Comparison is what tells configurations apart, of one rig or of several. The first is the base.
type Comparison struct {
	Of       []Compared
	Words    [][]compare.Phrase // of each but the first, against it
	Verdicts []compare.Verdict
	Notes    []string // what cannot be compared
	Changes  []trim.Contrast
	Settled  []compare.SettledRow // where legs of loads settled
	Held     []compare.HeldRow    // what held the clock meanwhile
	Tables   []compare.Table      // of every yardstick that one of them was held against; spoilt runs do not count
}

// Compare holds two to four trims side by side; the first is the base.
func (w *Workshop) Compare(ctx context.Context, trims []int64) (*Comparison, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	if f := checkCompared(trims); len(f) > 0 {
		return nil, f
	}
	c := &Comparison{}
	histories, sides := map[int64]*history{}, []compare.Under{}
	for _, id := range trims {
		one, err := w.compared(ctx, id)
		if err != nil {
			return nil, err
		}
		h := histories[one.Rig.ID]
		if h == nil {
			if h, err = w.history(ctx, one.Rig.ID); err != nil {
				return nil, err
			}
			histories[one.Rig.ID] = h
		}
		if one.Legs, err = w.longest(ctx, h, id); err != nil {
			return nil, err
		}
		side := compare.Under{Legs: h.legsUnder(id)}
		if one.Set != nil {
			side.Processor, side.Cooler = one.Set.Processor.ID, one.Set.Cooler.ID
		}
		c.Of, sides = append(c.Of, *one), append(sides, side)
	}
	c.name(len(histories) > 1)
	c.Settled, c.Held = compare.Settled(sides...), compare.Held(sides...)
	c.contrast()
	if err := w.compareScores(ctx, c); err != nil {
		return nil, err
	}
	for i := range c.Of[1:] {
		c.Words = append(c.Words, compare.Words(c.Settled, c.Tables, 0, i+1))
	}
	c.Verdicts = compare.Verdicts(c.names(), c.Settled, c.Tables)
	c.Notes = append(c.Notes, c.unlike()...)
	return c, nil
}

// compared loads one configuration.
func (w *Workshop) compared(ctx context.Context, id int64) (*Compared, error) {
	t, err := w.Trim(ctx, id)
	if err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, t.RigID)
	if err != nil {
		return nil, err
	}
	set, err := w.store.PartSet(ctx, r)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	return &Compared{Trim: *t, Rig: r, Set: set}, nil
}

// checkCompared lists what is wrong with trims that are to be held side by side.
func checkCompared(trims []int64) (f invalid.List) {
	if n := len(trims); n < 2 || n > MostCompared {
		f.Add("trim", fmt.Sprintf("give two to %d trims", MostCompared), "%d cannot be held side by side", n)
	}
	for i, id := range trims {
		if slices.Contains(trims[:i], id) {
			f.Add("trim", "give each trim once", "%d is there twice", id)
		}
	}
	return f
}

// name names the configurations so that they are told apart.
func (c *Comparison) name(several bool) {
	for i := range c.Of {
		c.Of[i].Name = nameOf(&c.Of[i].Trim.Trim)
		if several {
			c.Of[i].Name = c.Of[i].Rig.Name + " " + c.Of[i].Name
		}
	}
}

func (c *Comparison) names() (out []string) {
	for i := range c.Of {
		out = append(out, c.Of[i].Name)
	}
	return out
}

// longest looks up, by load, the longest leg under a trim that settled, the newest of equals.
func (w *Workshop) longest(ctx context.Context, h *history, trim int64) (map[load.Kind]store.LegSpan, error) {
	best := map[load.Kind]*record{}
	var legs []int64
	for i := range h.records {
		if r := &h.records[i]; r.TrimID == trim && (best[r.Load] == nil || r.SeenS >= best[r.Load].SeenS) {
			best[r.Load] = r
		}
	}
	for _, r := range best {
		legs = append(legs, r.ID)
	}
	spans, err := w.store.LegSpans(ctx, legs)
	out := map[load.Kind]store.LegSpan{}
	for kind, r := range best {
		if at := slices.IndexFunc(spans, func(s store.LegSpan) bool { return s.LegID == r.ID }); at >= 0 {
			out[kind] = spans[at]
		}
	}
	return out, err
}

// contrast lists the settings that differ, where the parts of all are known.
func (c *Comparison) contrast() {
	var of []trim.Configured
	for i := range c.Of {
		if c.Of[i].Set == nil {
			c.Notes = append(c.Notes, "the parts of "+c.Of[i].Rig.Name+" are not known, so its settings are not told")
			return
		}
		volts := math.NaN()
		for _, r := range c.Settled {
			if r.Load == load.Heavy && r.Key == channel.DeliveredVoltage {
				volts = r.Sides[i].Value
			}
		}
		of = append(of, trim.Configured{Set: c.Of[i].Set, Settings: c.Of[i].Settings.V, Volts: volts})
	}
	c.Changes = trim.Folded(trim.Contrasts(of...))
}

// compareScores holds the scores against each other, yardstick by yardstick.
func (w *Workshop) compareScores(ctx context.Context, c *Comparison) error {
	yardsticks, err := w.Yardsticks(ctx)
	if err != nil {
		return err
	}
	scores := map[int64][]store.Score{}
	for i := range c.Of {
		if rig := c.Of[i].Rig.ID; scores[rig] == nil {
			if scores[rig], err = w.store.Scores(ctx, rig); err != nil {
				return err
			}
		}
	}
	for _, y := range yardsticks {
		var sides [][]compare.Run
		for i := range c.Of {
			sides = append(sides, runsOf(c.Of[i].Rig.ID, scores[c.Of[i].Rig.ID], c.Of[i].ID, y.ID))
		}
		if t := compare.Of(y.Yardstick, sides...); len(t.Rows)+len(t.Left) > 0 {
			c.Tables = append(c.Tables, t)
		}
	}
	return nil
}

// unlike says what about the configurations cannot be compared, and why.
func (c *Comparison) unlike() (out []string) {
	differ := func(of func(*Compared) string) bool {
		return slices.ContainsFunc(c.Of[1:], func(x Compared) bool { return of(&x) != of(&c.Of[0]) })
	}
	sheet := func(of func(*part.Set) string) func(*Compared) string {
		return func(x *Compared) string {
			if x.Set == nil {
				return ""
			}
			return of(x.Set)
		}
	}
	if differ(sheet(func(s *part.Set) string { return s.Processor.ID })) {
		out = append(out, "These are other processors: their clocks and voltages stand side by side, and none is called better.")
	}
	if differ(sheet(func(s *part.Set) string { return s.Cooler.ID })) {
		out = append(out, "These are other coolers: a fan's speed on one says nothing of another's, so where its noise is not known none is called better.")
	}
	if differ(func(x *Compared) string { return fmt.Sprint(x.Rig.Simulated) }) {
		out = append(out, "Some of these are simulated, and some are not.")
	}
	told := func(what string, tells func(i int) bool) {
		var none []string
		for i := range c.Of {
			if !tells(i) {
				none = append(none, c.Of[i].Name)
			}
		}
		if len(none) > 0 {
			out = append(out, strings.Join(none, ", ")+": "+what)
		}
	}
	told("no score was taken.", func(i int) bool {
		return slices.ContainsFunc(c.Tables, func(t compare.Table) bool { return len(t.Rows) > 0 && t.Rows[0].Sides[i].N > 0 })
	})
	told("no leg of a trial ran for so long that it settled.", func(i int) bool {
		return slices.ContainsFunc(c.Settled, func(r compare.SettledRow) bool { return r.Sides[i].Legs > 0 })
	})
	return out
}

// Gained says in words how a trim compares with another, as far as that was shown.
func (w *Workshop) Gained(ctx context.Context, base, other int64) (string, error) {
	c, err := w.Compare(ctx, []int64{base, other})
	if err != nil {
		return "", err
	}
	if len(c.Words[0]) == 0 {
		return "nothing could be compared", nil
	}
	return compare.Join(c.Words[0]), nil
}
