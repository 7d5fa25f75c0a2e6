package trim

import (
	"fmt"
	"strings"

	"zerokeel/core/part"
)

// minus is the sign of negative numbers on screen.
const minus = "\u2212"

// sign gives the text of a number its sign as screens show it: offsets always have one.
func (d Def) sign(text string, x float64) string {
	if d.Signed && x > 0 {
		text = "+" + text
	}
	return strings.ReplaceAll(text, "-", minus)
}

// Write writes a value without its unit: offsets with their sign, switches as on and off.
func (d Def) Write(v part.Value) string {
	if x, ok := v.Number(); ok {
		return d.sign(part.Number(x).String(), x)
	}
	if on, ok := v.Switch(); ok {
		return map[bool]string{true: "on", false: "off"}[on]
	}
	return v.String()
}

// Say writes a value with its unit.
func (d Def) Say(v part.Value) string {
	text := d.Write(v)
	if _, ok := v.Number(); ok && d.Unit != "" {
		text += " " + d.Unit
	}
	return text
}

// Say writes the value of a setting as screens show it.
func Say(key string, v part.Value) string {
	def, _, _ := Find(key)
	return def.Say(v)
}

// InWords tells changes in a line, the first few of them one by one.
func InWords(changes []Change) string {
	var words []string
	for _, c := range changes {
		def, _, _ := Find(c.Key)
		text := fmt.Sprintf("%s %s → %s", def.Name, def.Write(c.From), def.Write(c.To))
		if def.Unit != "" {
			text += " " + def.Unit
		}
		words = append(words, text)
	}
	const most = 4
	if n := len(words); n > most {
		words = append(words[:most], fmt.Sprintf("and %d more", n-most))
	}
	return strings.Join(words, "; ")
}

// CurveSteps returns a core's curve offset in steps: what stands for all cores, for its cluster and for itself, as boards
// add them.
func (s Settings) CurveSteps(p *part.Processor, core int) float64 {
	return s.Number("curve.all", 0) + s.Number(At("curve.cluster.*", p.ClusterOf(core)), 0) + s.Number(At("curve.core.*", core), 0)
}
