package trim

import (
	"zerokeel/core/part"
)

// firstKeys are the settings with which the trade begins in each group: they are looked at even while they are as delivered.
var firstKeys = map[string]bool{
	"memory.profile":      true,
	"limit.beyondSpec":    true,
	"limit.ppt":           true,
	"limit.tdc":           true,
	"limit.edc":           true,
	"limit.pl1":           true,
	"limit.pl2":           true,
	"limit.tau":           true,
	"limit.iccMax":        true,
	"limit.temperatureOn": true,
	"limit.temperature":   true,
	"clock.base":          true,
	"clock.reference":     true,
	"clock.boostOffset":   true,
	"clock.lift":          true,
	"clock.ratio.p":       true,
	"clock.ratio.e":       true,
	"voltage.core.mode":   true,
	"voltage.core.offset": true,
	"loadline.level":      true,
	"fan.source":          true,
	"pump.mode":           true,
	"platform.smt":        true,
	"platform.cStates":    true,
}

// First reports whether a setting is looked at even while it is as delivered.
func (d Def) First() bool { return firstKeys[d.Key] }

// beyond reports whether a limit stands beyond the maker's.
func beyond(p *part.Processor, key string, v part.Value) bool {
	def, index, ok := Find(key)
	if !ok || def.Group != GroupLimits {
		return false
	}
	if v == part.Choice(Unlimited) || key == "limit.beyondSpec" && v != part.Switch(false) {
		return true
	}
	if def.Spec == nil {
		return false
	}
	most, known := def.Spec(p, index).Number()
	x, is := v.Number()
	return known && is && x > most
}

// WithinSpec returns the changes that put every limit where the maker has it. The hard trip is left alone: it is no limit to
// work with, but the last resort.
func WithinSpec(p *part.Processor, b *part.Board, s Settings) Settings {
	out := Settings{}
	now := Stock(p, b).With(s)
	for _, key := range Keys(p, b) {
		def, index, _ := Find(key)
		if def.Group != GroupLimits || def.Spec == nil || key == "limit.trip" {
			continue
		}
		if want := def.Spec(p, index); want.IsSet() && now[key] != want {
			out[key] = want
		}
	}
	return out
}

// Guarded returns the changes that bring every limit which stands beyond the maker's, is switched off, or is left to the board, to where
// the maker has it. Limits that somebody set lower stay.
func Guarded(p *part.Processor, b *part.Board, s Settings) Settings {
	out := WithinSpec(p, b, s)
	now := Stock(p, b).With(s)
	for key, want := range out {
		is, set := now[key].Number()
		most, known := want.Number()
		if set && known && is < most {
			delete(out, key)
		}
	}
	return out
}

// NextGroups returns the steps with which the work goes on: the limits while one is beyond the maker's, and the curve, or the
// voltage where the board has no curve offsets.
func NextGroups(p *part.Processor, b *part.Board, s Settings) []Group {
	var out []Group
	now := Stock(p, b).With(s)
	for _, key := range Keys(p, b) {
		if beyond(p, key, now[key]) {
			out = append(out, GroupLimits)
			break
		}
	}
	if Offers(p, b, "curve.all") {
		return append(out, GroupCurve)
	}
	return append(out, GroupVoltage)
}
