package forecast

import (
	"fmt"
	"math"

	"zerokeel/core/load"
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
	return fmt.Sprintf("%s gives %.3f to %.3f V over the board's range", e.Key, e.Low, e.High)
}

// EntryFor returns what to enter so that the die gets a wanted voltage under heavy load: in the fixed voltage where the
// settings fix it, in the adaptive target where the load reaches it, else in the offset. It looks where the board lets it,
// by bisection, since more entered never gives less; entered and delivered differ by load line and chip, both known from
// the rig's records. It is an *OutOfReach when the range does not suffice.
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
	if wantV-lowV < highV-wantV {
		high, highV = low, lowV
	}
	return &Entry{Key: key, Value: part.Number(math.Round((entry.Min+float64(high)*entry.Step)*1e6) / 1e6), Volts: highV}, nil
}
