package bench

import (
	"fmt"
	"os"
	"strings"
	"time"

	"zerokeel/core/load"
	"zerokeel/rigside/agent"
)

// view is what a console shows: as text, so that it can be read across the bench in letters as large as the screen has.
type view struct {
	address string
	doing   string // in a sentence; empty once the agent runs
	notKept string
	logged  string // the log's newest line
	asks    bool
	typed   string
	now     *agent.Now

	order      byte // a key that orders something, pressed once
	orderUntil time.Time
}

// Colours of a console, from its first eight.
const (
	dim    = "\x1b[2m"
	bright = "\x1b[1m"
	amber  = "\x1b[1;33m"
	red    = "\x1b[1;31m"
	bar    = "\x1b[7m"
	plain  = "\x1b[0m"
)

// lines writes the view on so many columns and rows.
func (v *view) lines(columns, rows int, now time.Time) []string {
	p := &page{columns: columns}
	p.head(v)
	p.add("")
	switch n := v.now; {
	case v.asks:
		p.text(bright, "Type the code from the rig's page, then Enter.")
		p.text("", "Or write it into "+NoteFile+" on the stick, and start anew.")
		p.add("")
		p.text(amber, "> "+v.typed+"_")
		p.add("")
		if v.doing != "" {
			p.text(red, v.doing)
		}
	case v.doing != "" || n == nil:
		p.text(amber, v.doing)
	default:
		p.leg(n)
		p.add("")
		p.figures(n)
		p.add("")
		if n.Fault != "" {
			p.text(red, "Last fault: "+n.Fault)
		} else {
			p.text(dim, "No fault since this start")
		}
	}
	var foot []string
	if v.notKept != "" {
		foot = append(foot, amber+" "+p.cut(v.notKept)+plain)
	}
	if v.logged != "" {
		foot = append(foot, dim+" "+p.cut(v.logged)+plain)
	}
	keys := "Ctrl P shut down   Ctrl R start anew"
	if now.Before(v.orderUntil) {
		what := "shut down"
		if v.order == keyRestart {
			what = "start anew"
		}
		foot = append(foot, amber+" "+p.cut("Once more to "+what+keyWarning(v))+plain)
	} else {
		foot = append(foot, dim+" "+p.cut(p.apart(keys, memory()))+plain)
	}
	return p.whole(rows, foot)
}

func keyWarning(v *view) string {
	if v.now != nil && v.now.Leg != nil {
		return "; the leg ends with it"
	}
	return ""
}

// show takes how things stand from the agent.
func (s *screen) show(n agent.Now) { s.change(func(v *view) { v.now, v.doing = &n, "" }) }

// page is a view being written.
type page struct {
	columns int
	lines   []string
}

func (p *page) add(line string) { p.lines = append(p.lines, line) }

// text adds a sentence, on as many lines as it takes.
func (p *page) text(style, text string) {
	line := ""
	for _, word := range strings.Fields(letters(text)) {
		for len(word) > p.columns-2 { // a code, typed without dashes
			word, text = word[p.columns-2:], word[:p.columns-2]
			p.add(style + " " + text + plain)
		}
		if line != "" && len(line)+1+len(word) > p.columns-2 {
			p.add(style + " " + line + plain)
			line = ""
		}
		line = strings.TrimSpace(line + " " + word)
	}
	p.add(style + " " + line + plain)
}

// head is the line at the top: what this is, and how it is linked.
func (p *page) head(v *view) {
	state := "not linked"
	if n := v.now; n != nil && n.Linked {
		state = "linked"
	} else if n != nil && n.Rig != "" {
		state = "link lost"
	}
	if n := v.now; n != nil && !n.Linked && n.Unsent > 0 {
		state += fmt.Sprintf(", %d reports kept", n.Unsent)
	}
	right := state
	if v.address != "" {
		right = v.address + "  " + state
	}
	p.add(bar + " " + p.cut(p.apart("ZERO KEEL bench stick", right)) + " " + plain)
}

// leg is what runs: the rig, its trim, the load and the time left.
func (p *page) leg(n *agent.Now) {
	p.text(bright, n.Rig)
	l := n.Leg
	if l == nil {
		p.text("", "At rest: nothing runs")
		p.add("")
		p.add("")
		return
	}
	trim := l.Trim
	if trim == "" {
		trim = "trim not told"
	}
	p.text("", trim)
	p.add("")
	what := strings.ReplaceAll(string(l.Load), "-", " ") + " load"
	if l.Load == load.Idle {
		what = "idle"
	}
	if l.Yardstick != "" {
		what = l.Yardstick
	}
	if l.Of > 0 {
		what = fmt.Sprintf("Leg %d of %d  %s", l.Step, l.Of, what)
	}
	p.add(amber + " " + p.cut(p.apart(letters(what), span(max(0, l.AllS-l.RanS))+" left")) + plain)
	width := p.columns - 2
	done := 0
	if l.AllS > 0 {
		done = min(width, max(0, int(float64(width)*l.RanS/l.AllS)))
	}
	p.add(" " + strings.Repeat("#", done) + strings.Repeat("-", width-done))
}

// figures are what is watched at the bench.
func (p *page) figures(n *agent.Now) {
	row := func(what string, of *agent.OfCore, format string) {
		if of == nil {
			p.add(dim + p.cut(fmt.Sprintf(" %-14s not told by this machine", what)) + plain)
			return
		}
		whose := "processor"
		if of.Core >= 0 {
			whose = fmt.Sprintf("core %d", of.Core)
		}
		p.add(fmt.Sprintf(" %-14s %s%10s%s   %s", what, bright, fmt.Sprintf(format, of.Value), plain, whose))
	}
	row("Hottest", n.Hottest, "%.1f C")
	row("Lowest clock", n.Lowest, "%.0f MHz")
	if n.PowerW != nil {
		p.add(fmt.Sprintf(" %-14s %s%10s%s", "Power", bright, fmt.Sprintf("%.0f W", *n.PowerW), plain))
	}
}

// whole fills the page up to its rows, with a foot at its end.
func (p *page) whole(rows int, foot []string) []string {
	if most := rows - len(foot); len(p.lines) > most {
		p.lines = p.lines[:most]
	}
	for len(p.lines) < rows-len(foot) {
		p.add("")
	}
	return append(p.lines, foot...)
}

// apart writes two texts to the two ends of a line.
func (p *page) apart(left, right string) string {
	left, right = letters(left), letters(right)
	gap := p.columns - 2 - len(left) - len(right)
	if gap < 2 {
		left = left[:max(0, len(left)+gap-2)]
		gap = 2
	}
	return left + strings.Repeat(" ", gap) + right
}

// cut cuts a text to a line.
func (p *page) cut(text string) string {
	text = letters(text)
	return text[:min(len(text), p.columns-2)]
}

// letters writes a text in the letters that every console has.
func letters(text string) string {
	text = strings.NewReplacer("−", "-", "–", "-", "…", "...", "°", "", "×", "x", "·", "|", "µ", "u", "Ω", "Ohm", "’", "'").Replace(text)
	return strings.Map(func(r rune) rune {
		if r < ' ' || r >= 0x7f {
			return '?'
		}
		return r
	}, text)
}

// span writes a time.
func span(s float64) string {
	d := time.Duration(s * float64(time.Second)).Round(time.Second)
	h, min, sec := int(d.Hours()), int(d.Minutes())%60, int(d.Seconds())%60
	switch {
	case h > 0:
		return fmt.Sprintf("%d h %02d min", h, min)
	case min > 0:
		return fmt.Sprintf("%d min %02d s", min, sec)
	}
	return fmt.Sprintf("%d s", sec)
}

// memory says how much of it the program takes.
func memory() string {
	text, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return ""
	}
	var kB int
	for line := range strings.Lines(string(text)) {
		if _, err := fmt.Sscanf(line, "VmRSS: %d kB", &kB); err == nil {
			return fmt.Sprintf("agent %.0f MB", float64(kB)/1024)
		}
	}
	return ""
}
