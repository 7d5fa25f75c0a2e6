// Package handover writes the record that is handed to a machine's owner, or, with the whole course, to another builder: one page of HTML
// that needs no network, and prints on A4 in black and white.
package handover

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"rsc.io/qr"

	"zerokeel/core/proof"
	"zerokeel/workshop"
)

//go:embed record.html
var text string

var page = template.Must(template.New("record").Funcs(template.FuncMap{
	"figure": figure, "change": change, "bars": bars, "span": span, "day": day,
	"menu":    func(list []string) string { return strings.Join(list, " › ") },
	"degrees": func(c float64) string { return plain(c, 0) + " °C" }, "known": func(x float64) bool { return !math.IsNaN(x) },
	"fan": fan, "join": workshop.JoinPhrases, "stepWords": stepWords, "inc": func(i int) int { return i + 1 },
	"hours": func(h float64) string { return plain(h, 1) + " h" },
}).Parse(text))

// sheet is what the template is filled with.
type sheet struct {
	*workshop.OwnerRecord
	Link string
	QR   template.HTML
}

// Proven reports whether the proof is finished.
func (s *sheet) Proven() bool { return s.Trim.Standing == proof.Proven }

// Write writes a record; link leads back to the trim that it is of.
func Write(to io.Writer, r *workshop.OwnerRecord, link string) error {
	code, err := qr.Encode(link, qr.M)
	if err != nil {
		return fmt.Errorf("make the code that leads back: %w", err)
	}
	return page.Execute(to, &sheet{r, link, template.HTML(svg(code))})
}

// svg draws a code, a row of dark squares at a time.
func svg(c *qr.Code) string {
	var path strings.Builder
	for y := range c.Size {
		for x := 0; x < c.Size; x++ {
			from := x
			for c.Black(x, y) {
				x++
			}
			if x > from {
				fmt.Fprintf(&path, "M%d %dh%dv1h-%dz", from, y, x-from, x-from)
			}
		}
	}
	return fmt.Sprintf(`<svg class="code" viewBox="-2 -2 %d %d" role="img" aria-label="leads back to this record"><path d="%s"/></svg>`,
		c.Size+4, c.Size+4, path.String())
}

// plain writes a number with a true minus sign.
func plain(x float64, decimals int) string {
	out := strconv.FormatFloat(x, 'f', decimals, 64)
	if strings.Trim(out, "-0.") == "" {
		return strings.TrimPrefix(out, "-")
	}
	return strings.Replace(out, "-", "\u2212", 1)
}

// decimals that a unit is written with.
func decimals(unit string) int {
	switch unit {
	case "V":
		return 3
	case "ms":
		return 2
	case "K", "W", "s", "ns", "GB/s", "dB(A)":
		return 1
	}
	return 0
}

// figure writes a figure with its unit; a dash where it was not measured.
func figure(x float64, unit string) string {
	if math.IsNaN(x) {
		return "–"
	}
	return plain(x, decimals(unit)) + "\u00a0" + unit
}

// change writes what a figure changed by, with its interval.
func change(f *workshop.HandedFigure) string {
	d := f.After - f.Before
	if math.IsNaN(d) {
		return ""
	}
	out := plain(d, decimals(f.Unit))
	if d > 0 && strings.Trim(out, "0.") != "" {
		out = "+" + out
	}
	if !math.IsInf(f.Half, 0) && !math.IsNaN(f.Half) {
		out += " ± " + plain(f.Half, decimals(f.Unit))
	}
	return out
}

// bars draws a figure as delivered, hollow, over the one handed over, filled.
func bars(f *workshop.HandedFigure) template.HTML {
	const width = 120.0
	most := math.Max(f.Before, f.After)
	if !(most > 0) {
		return ""
	}
	bar := func(y int, of float64, class string) string {
		return fmt.Sprintf(`<rect x=".5" y="%d" width="%.1f" height="5" class="%s"/>`, y, (width-1)*of/most, class)
	}
	return template.HTML(fmt.Sprintf(`<svg class="bars" viewBox="0 0 %g 14" aria-hidden="true">%s%s</svg>`, width, bar(1, f.Before, "was"),
		bar(8, f.After, "now")))
}

// span writes a span of time for reading.
func span(s float64) string {
	switch {
	case s < 90:
		return plain(s, 0) + " s"
	case s < 7200:
		return plain(s/60, 0) + " min"
	case s < 200*3600:
		return plain(s/3600, 1) + " h"
	}
	return plain(s/86400, 0) + " days"
}

func day(t time.Time) string { return t.UTC().Format("2 January 2006") }

// fan draws a fan curve: duty over temperature.
func fan(points []workshop.FanPoint) template.HTML {
	x := func(c float64) float64 { return 30 + (c-20)*2.6 }
	y := func(duty float64) float64 { return 112 - duty }
	var path, marks strings.Builder
	for i, p := range points {
		word := "L"
		if i == 0 {
			word = fmt.Sprintf("M%.1f %.1fL", x(20), y(p.Duty))
		}
		fmt.Fprintf(&path, "%s%.1f %.1f", word, x(p.C), y(p.Duty))
		fmt.Fprintf(&marks, `<circle cx="%.1f" cy="%.1f" r="2.4"/><text x="%.1f" y="%.1f">%s °C, %s %%</text>`, x(p.C), y(p.Duty),
			x(p.C)+4, y(p.Duty)+9, plain(p.C, 0), plain(p.Duty, 0))
	}
	return template.HTML(fmt.Sprintf(`<svg class="fan" viewBox="0 0 280 124" role="img" aria-label="fan curve">`+
		`<path class="axis" d="M30 12V112H270"/><text x="2" y="16">100 %%</text><text x="8" y="114">0 %%</text><text x="250" y="122">°C</text>`+
		`<path class="line" d="%s"/>%s</svg>`,
		path.String(), marks.String()))
}

// stepWords say what a step of the way back is about.
func stepWords(groups []workshop.SettingGroup) string {
	switch groups[0] {
	case "curve":
		return "Voltages and curve offsets as delivered"
	case "clocks":
		return "Clocks as delivered"
	}
	return "Memory as delivered"
}
