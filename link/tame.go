package link

import (
	"math"
	"strings"
	"unicode"
	"unicode/utf8"

	"zerokeel/core/channel"
)

// What a message may say is bounded by validate; what is merely odd is tamed here, so that one figure of one sensor, or one long
// text, does not cost a rig its link: a figure that nothing on a desk can have becomes a gap, and a text is cut.
const (
	mostText   = 500
	mostLabel  = 120
	mostUnit   = 20
	mostCount  = 1e18 // work done
	oldestMS   = 0
	youngestMS = 253_370_764_799_999 // the end of the year 9998
)

func (h *Hello) tame() {
	for _, text := range []*string{&h.Agent, &h.Facts.Host, &h.Facts.System, &h.Facts.Kernel, &h.Facts.Processor, &h.Facts.Microcode,
		&h.Facts.Board, &h.Facts.Firmware} {
		*text = plain(*text, mostLabel)
	}
	for i := range h.Facts.Modules {
		m := &h.Facts.Modules[i]
		m.Slot, m.Part = plain(m.Slot, mostLabel), plain(m.Part, mostLabel)
	}
	for i := range h.Channels {
		c := &h.Channels[i]
		c.Label, c.Unit, c.Quantity = plain(c.Label, mostLabel), plain(c.Unit, mostUnit), plain(c.Quantity, mostUnit)
		if !(c.Quantum >= 0 && c.Quantum <= channel.Most) {
			c.Quantum = 0
		}
		if c.Core < -1 || c.Core >= maxCores {
			c.Core = -1
		}
	}
	if c := h.Crash; c != nil {
		c.SeenAt, c.Words = moment(c.SeenAt), plain(c.Words, mostText)
	}
}

func (fr *Frame) tame() {
	if s := fr.Samples; s != nil {
		for i := range s.At {
			s.At[i] = moment(s.At[i])
		}
		for _, row := range s.Values {
			for i, v := range row {
				if v != nil && !channel.Possible(*v) {
					row[i] = nil
				}
			}
		}
	}
	for i := range fr.Events {
		fr.Events[i].Text = plain(fr.Events[i].Text, mostText)
	}
	for _, p := range fr.Progress {
		for i := range p.Count {
			p.Count[i] = math.Min(mostCount, math.Max(0, p.Count[i]))
		}
	}
	if x := fr.Started; x != nil {
		x.At = moment(x.At)
	}
	if x := fr.Leaving; x != nil {
		x.At = moment(x.At)
	}
	if x := fr.Finished; x != nil && x.Score != nil && !channel.Possible(*x.Score) {
		x.Score = nil
	}
}

func moment(ms int64) int64 { return min(youngestMS, max(oldestMS, ms)) }

// plain returns the printable characters of a text, at most so many of them.
func plain(text string, most int) string {
	text = strings.Map(func(r rune) rune {
		switch {
		case unicode.IsSpace(r):
			return ' '
		case r == utf8.RuneError, !unicode.IsPrint(r):
			return -1
		}
		return r
	}, text)
	if utf8.RuneCountInString(text) > most {
		text = string([]rune(text)[:most])
	}
	return text
}
