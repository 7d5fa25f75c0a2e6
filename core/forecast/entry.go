package forecast

import (
	"errors"
	"fmt"
	"math"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Entry is what to enter for a wanted voltage.
type Entry struct {
	Key   string     `json:"key"`
	Value part.Value `json:"value"` // on the board's step
	Volts float64    `json:"volts"` // what it is forecast to give
}

// OutOfReach reports a voltage that no entry within the board's range gives.
type OutOfReach struct {
	Key       string
	Low, High float64 // V, what the ends of the board's range give
}

func (e *OutOfReach) Error() string {
	if math.IsInf(e.High, 1) {
		return fmt.Sprintf("%s gives %.3f V at least over the board's range, and at its top the machine could not run", e.Key, e.Low)
	}
	return fmt.Sprintf("%s gives %.3f to %.3f V over the board's range", e.Key, e.Low, e.High)
}

// Skipped reports a voltage that lies between those of two neighbouring entries, too far from either: at one of them the clock
// gives way to a limit, or the machine could not run.
type Skipped struct {
	Key         string
	Below, Over float64 // V, what the neighbours give
}

func (e *Skipped) Error() string {
	if math.IsInf(e.Over, 1) {
		return fmt.Sprintf("%s gives %.3f V at most: one step more, and the machine could not run", e.Key, e.Below)
	}
	return fmt.Sprintf("no step of %s gives it: one gives %.3f V and the next %.3f V, where a limit lowers the clock", e.Key, e.Below, e.Over)
}

// nearV is how close an entry has to come to a wanted voltage, and littleV a fixed voltage at which rails collapse.
const (
	nearV   = 0.005
	littleV = 0.7
)

// EntryFor returns what to enter so that the die gets a wanted voltage under heavy load: in the fixed voltage where the
// settings fix it, in the adaptive target where the load reaches it, else in the offset. It looks where the board lets it,
// by bisection, since more entered never gives less; entered and delivered differ by load line and chip, both known from
// the rig's records. It is an *OutOfReach when the range does not suffice,
// and *Skipped when no step of it comes close.
func (f *Fit) EntryFor(settings trim.Settings, wantV, ambientC float64) (*Entry, error) {
	key := "voltage.core.offset"
	if settings.Word("voltage.core.mode") == trim.Fixed {
		key = "voltage.core.fixed"
	}
	entry, ok := f.set.Board.Lookup(key)
	if !ok {
		return nil, fmt.Errorf("%s: board %s does not offer it", key, f.set.Board.Name)
	}
	gives := func(step int) (float64, error) {
		x := entry.Min + float64(step)*entry.Step
		model, err := f.Model(settings.With(trim.Settings{key: part.Number(x)}))
		if err != nil {
			return 0, err
		}
		s, err := model.Steady(load.Heavy, nil, ambientC)
		if errors.Is(err, machine.ErrNoPoint) {
			// So little that the rail collapses gives nothing, and so much that nothing holds it more than anybody wants.
			if t := model.Tuning(); t.Mode == trim.Fixed && x < littleV || t.Mode != trim.Fixed && x < 0 {
				return 0, nil
			}
			return math.Inf(1), nil
		}
		return s.DeliveredV, err
	}
	low, high := 0, int(math.Round((entry.Max-entry.Min)/entry.Step))
	lowV, err := gives(low)
	if err != nil {
		return nil, err
	}
	highV, err := gives(high)
	if err != nil {
		return nil, err
	}
	if !(wantV >= lowV && wantV <= highV) {
		return nil, &OutOfReach{key, lowV, highV}
	}
	for high-low > 1 {
		mid := (low + high) / 2
		v, err := gives(mid)
		if err != nil {
			return nil, err
		}
		if v < wantV {
			low, lowV = mid, v
		} else {
			high, highV = mid, v
		}
	}
	if step := math.Max(nearV, 0.6*entry.Step*scaleV(key)); math.Min(wantV-lowV, highV-wantV) > step {
		return nil, &Skipped{key, lowV, highV}
	}
	if wantV-lowV < highV-wantV {
		high, highV = low, lowV
	}
	return &Entry{Key: key, Value: part.Number(math.Round((entry.Min+float64(high)*entry.Step)*1e6) / 1e6), Volts: highV}, nil
}

// scaleV is the volts of one of a voltage setting's units.
func scaleV(key string) float64 {
	if def, _, _ := trim.Find(key); def.Unit == "mV" {
		return 0.001
	}
	return 1
}
