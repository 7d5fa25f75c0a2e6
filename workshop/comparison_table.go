package workshop

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
)

// ExportComparison makes a comparison ready to be written as a table: a line for each setting that differs and each figure, with the
// value of every configuration, and of each but the base its difference, half the interval, and what that means. comma parts the columns.
func (w *Workshop) ExportComparison(ctx context.Context, trims []int64, comma rune) (*Export, error) {
	c, err := w.Compare(ctx, trims)
	if err != nil {
		return nil, err
	}
	return tableOf(channel.Plain(strings.Join(c.names(), " against "))+".csv", comma, c.table()), nil
}

// tableOf makes lines of cells ready to be written.
func tableOf(name string, comma rune, lines [][]string) *Export {
	return &Export{Name: name, Comma: comma, write: func(_ context.Context, to io.Writer) error {
		out := csv.NewWriter(to)
		out.Comma = comma
		for _, line := range lines {
			for i := range line {
				line[i] = cell(line[i])
			}
			if err := out.Write(line); err != nil {
				return err
			}
		}
		out.Flush()
		return out.Error()
	}}
}

// table is the comparison as lines of cells, of which the first names the columns.
func (c *Comparison) table() [][]string {
	head := []string{"group", "figure", "unit"}
	for i, name := range c.names() {
		if head = append(head, name); i > 0 {
			head = append(head, name+" difference", name+" ±", name+" means")
		}
	}
	out := [][]string{head}
	line := func(group, figure, unit string, value func(i int) string, pairs []compare.Pair, better compare.Better) {
		cells := []string{group, figure, unit}
		for i := range c.Of {
			if cells = append(cells, value(i)); i == 0 {
				continue
			}
			if pairs == nil {
				cells = append(cells, "", "", "")
				continue
			}
			p := &pairs[i-1] // those with the base come first
			cells = append(cells, plainly(p.Absolute, p.Both), plainly(p.Half, p.Both), p.Means(better))
		}
		out = append(out, cells)
	}
	words := func(group, figure string, value func(i int) string) { line(group, figure, "", value, nil, "") }
	words("proof", "standing", func(i int) string { return string(c.Of[i].Standing) })
	for k, name := range c.stood() {
		line("proof", name, "s", func(i int) string { return c.stoodS(i, k) }, nil, "")
	}
	for _, change := range c.Changes {
		group := "settings"
		if !change.Counts {
			group = "settings without effect"
		}
		words(group, change.Name, func(i int) string { return change.Values[i] })
	}
	for _, t := range c.Tables {
		for _, r := range t.Rows {
			line(t.By.Name, r.Label, r.Unit, func(i int) string { return plainly(r.Sides[i].Mean, r.Sides[i].N > 0) }, r.Pairs, r.Better)
		}
	}
	for _, r := range c.Settled {
		line(fmt.Sprintf("settled, %s", r.Load), r.Label, r.Unit, func(i int) string { return plainly(r.Sides[i].Value, r.Sides[i].Legs > 0) },
			r.Pairs, r.Better)
	}
	for _, r := range c.Held {
		line(fmt.Sprintf("held by, %s", r.Load), string(r.By), "share of the time",
			func(i int) string { return plainly(r.Shares[i], true) }, nil, "")
	}
	return out
}

// stood names what configurations stood: the regimes, and daily use.
func (c *Comparison) stood() (out []string) {
	for i := range c.Of {
		if p := c.Of[i].Proof; p != nil {
			for _, r := range p.Rows {
				out = append(out, r.Words)
			}
			return append(out, p.Used.Words)
		}
	}
	return nil
}

// stoodS is for how long a configuration stood one of these.
func (c *Comparison) stoodS(i, row int) string {
	p := c.Of[i].Proof
	switch {
	case p == nil:
		return ""
	case row < len(p.Rows):
		return plainly(p.Rows[row].StoodS, true)
	}
	return plainly(p.Used.StoodS, true)
}

// plainly writes a number for a spreadsheet; nothing where there is none.
func plainly(x float64, known bool) string {
	if !known || math.IsNaN(x) || math.IsInf(x, 0) {
		return ""
	}
	return strconv.FormatFloat(x, 'g', 6, 64)
}
