package survey

import (
	"math"
	"math/rand/v2"
	"testing"
)

// TestFleetLearnsItsModel: of models that differ from their sheets, ten surveyed chips tell where the next one lies, and how far it may
// stray; without any the sheet stands.
func TestFleetLearnsItsModel(t *testing.T) {
	sheet := usual(1).Prior
	if got := Fleet(sheet, nil); got != sheet {
		t.Errorf("no chip changes %+v to %+v", sheet, got)
	}
	r := rand.New(rand.NewPCG(5, 13))
	const models, each = 400, 10
	var limitsInside, slopesInside, cores, narrower int
	for range models {
		mean, spread := sheet.LimitMean+0.7*sheet.ChipSD*r.NormFloat64(), sheet.ChipSD*(0.3+0.7*r.Float64())
		slope, slopes := math.Log(usualSlope)+0.25*r.NormFloat64(), 0.05+0.25*r.Float64()
		core := sheet.CoreSD * (0.6 + 0.8*r.Float64())
		var chips []Surveyed
		for range each {
			const limitSD, sd, apart = 1.0, 0.12, 7
			squares := 0.0
			for range apart {
				x := core * r.NormFloat64()
				squares += x * x
			}
			chips = append(chips, Surveyed{Limit: mean + spread*r.NormFloat64() + limitSD*r.NormFloat64(), LimitSD: limitSD,
				CoreSD: math.Sqrt(squares / apart), Apart: apart, Slope: slope + slopes*r.NormFloat64() + sd*r.NormFloat64(), SlopeSD: sd})
		}
		got := Fleet(sheet, chips)
		if math.Abs(mean+spread*r.NormFloat64()-got.LimitMean) < 1.645*got.ChipSD {
			limitsInside++
		}
		if math.Abs(slope+slopes*r.NormFloat64()-math.Log(got.Slope)) < 1.645*got.SlopeSD {
			slopesInside++
		}
		if math.Abs(math.Log(got.CoreSD/core)) < 0.3 {
			cores++
		}
		if got.SlopeSD < slopeSD {
			narrower++
		}
	}
	for what, n := range map[string]int{"limits inside 90 %": limitsInside, "slopes inside 90 %": slopesInside} {
		if n < models*85/100 || n > models*97/100 {
			t.Errorf("%s: %d of %d", what, n, models)
		}
	}
	if cores < models*9/10 || narrower < models*95/100 {
		t.Errorf("cores' spreads are right in %d, slopes known better in %d of %d", cores, narrower, models)
	}
}

// TestASurveyedChipTellsOfItself: what a survey says of the chip as a whole agrees with what it says of its cores.
func TestASurveyedChipTellsOfItself(t *testing.T) {
	s := begun(t, usual(4))
	chip, mean := s.Chip(), 0.0
	for _, l := range s.Result().Limits {
		mean += l.Mean / 4
	}
	if math.Abs(chip.Limit-mean) > 0.5 || chip.Apart != 3 || math.Abs(chip.Slope-math.Log(usualSlope)) > 0.05 ||
		math.Abs(chip.SlopeSD-slopeSD) > 0.12 || chip.CoreSD < 2 || chip.CoreSD > 6 {
		t.Errorf("%+v, cores at %.1f on average", chip, mean)
	}
}
