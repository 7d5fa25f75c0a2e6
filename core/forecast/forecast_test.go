package forecast_test

import (
	"math"
	"testing"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
)

func TestForecastAnswersWhatWillChange(t *testing.T) {
	set := parttest.Petrel(t)
	limits := trim.Settings{"limit.ppt": part.Number(142), "limit.tdc": part.Number(125), "limit.edc": part.Number(180)}
	stock, err := forecast.FromSheets(set, nil, 24)
	if err != nil {
		t.Fatal(err)
	}
	trimmed, err := forecast.FromSheets(set, limits.With(trim.Settings{"curve.all": part.Number(-20)}), 24)
	if err != nil {
		t.Fatal(err)
	}
	for _, kind := range forecast.Loads {
		before, ok := stock.Load(kind)
		after, also := trimmed.Load(kind)
		if !ok || !also || after.DeliveredV >= before.DeliveredV || after.HottestC >= before.HottestC {
			t.Errorf("%s: from %.3f V, %.1f °C to %.3f V, %.1f °C; want less of both", kind, before.DeliveredV, before.HottestC,
				after.DeliveredV, after.HottestC)
		}
	}
	if _, ok := stock.Load(load.Transition); ok {
		t.Error("a load without a steady state was forecast")
	}
	for i, id := range forecast.Yardsticks {
		before, after := stock.Scores[i], trimmed.Scores[i]
		if before.Yardstick != id || !(before.Value > 0) || !(before.Half > 0) {
			t.Errorf("%s is forecast as %+v", id, before)
		}
		switch loss := 1 - after.Value/before.Value; {
		case id == yardstick.Sustained && !(loss > 0 && loss < 0.06):
			t.Errorf("50 W less cost %.1f %% of sustained all-core points, want little", 100*loss)
		case id == "single-core" && math.Abs(loss) > 1e-9:
			t.Error("a power limit changed the single-core points")
		}
	}
	if _, err := forecast.FromSheets(set, trim.Settings{"curve.all": part.Number(-99)}, 24); err == nil {
		t.Error("settings that the board does not take were forecast")
	}
}

func BenchmarkForecast(b *testing.B) {
	set := parttest.Petrel(b)
	for b.Loop() {
		if _, err := forecast.FromSheets(set, nil, 24); err != nil {
			b.Fatal(err)
		}
	}
}
