package chips_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"zerokeel/core/survey"
	"zerokeel/standin/chips"
)

// TestKinSpareBenchTime: where kin tell a chip's slope and about where it lies, its survey is where it would be without them in less
// time, and is as safe; where they tell nothing new, nothing is spared; where they speak of chips far deeper than this one, it is not
// falsely stable for that.
func TestKinSpareBenchTime(t *testing.T) {
	const each = 5
	sheet := chips.Setup(2, 60)
	for name, c := range map[string]struct {
		known       float64 // how well kin tell the slope
		mean, stray float64 // of the chips, in steps from the sheet's mean
		told        float64 // where kin say that mean is
		least, most float64 // share of the time that is spared, middle of the chips
	}{
		"they know":        {0.12, -4, 1.5, -4, 0.1, 1},
		"nothing new":      {0, 0, sheet.Prior.ChipSD, 0, 0, 0},
		"not of this chip": {0.12, 3, 1, -4, 0, 1},
	} {
		var shares []float64
		broken := 0
		for i := range uint64(each) {
			setup := sheet
			setup.Seed, setup.Prior.LimitMean, setup.Prior.ChipSD = i, sheet.Prior.LimitMean+c.mean, c.stray
			chip := chips.Draw(&setup, chips.Kind{Outliers: 0.03, Known: c.known}, rand.New(rand.NewPCG(i, 0x51b)))
			setup.Prior.LimitMean = sheet.Prior.LimitMean + c.told
			s, err := survey.New(setup)
			if err != nil {
				t.Fatal(err)
			}
			var trials []survey.Past
			for o, more := s.Next(); more; o, more = s.Next() {
				trials = append(trials, survey.Past{Order: o, Outcome: chip.Run(&o)})
				if err := s.Take(trials[len(trials)-1].Outcome); err != nil {
					t.Fatal(err)
				}
			}
			spared, err := survey.Spare(setup, sheet.Prior, trials, nil)
			if err != nil {
				t.Fatal(err)
			}
			if spared.Worth() > 0 && spared.Ends > spared.Depth || spared.Worth() < 0 || spared.Worth() > s.Spent() {
				t.Errorf("%s: %+v of %.1f min", name, spared, s.Spent())
			}
			if chip.Risk(s.Recommend(setup.Risk24h)) > setup.Risk24h {
				broken++
			}
			shares = append(shares, spared.Worth()/spared.Minutes)
		}
		slices.Sort(shares)
		if middle := shares[each/2]; middle < c.least || middle > c.most {
			t.Errorf("%s: %.0f %% of the time is spared in the middle", name, 100*middle)
		}
		if broken > 1 {
			t.Errorf("%s: %d of %d are falsely stable", name, broken, each)
		}
	}
}
