package chips_test

import (
	"fmt"
	"slices"
	"testing"

	"zerokeel/core/survey"
	"zerokeel/standin/chips"
)

// BenchmarkSurveyed prints what surveys of simulated chips come to: short of an oracle in steps, falsely stable in percent, the true
// risk in a day as a share of what was stated, chips above the upper bound that was stated of it in percent (5 are promised), limits
// inside their 90 % bounds in percent, and seconds an order.
func BenchmarkSurveyed(b *testing.B) {
	rows := []struct {
		name    string
		cores   int
		minutes float64
		kind    chips.Kind
	}{
		{"6 cores, 100 min", 6, 100, chips.Usual},
		{"8 cores, 110 min", 8, 110, chips.Usual},
		{"8 cores, 110 min, slope known", 8, 110, chips.Kind{Outliers: 0.03, Known: 0.15}},
		{"8 cores, 110 min, outliers", 8, 110, chips.Kind{Outliers: 0.1}},
		{"8 cores, 110 min, nameless", 8, 110, chips.Kind{Outliers: 0.03, Nameless: true}},
		{"16 cores, 180 min", 16, 180, chips.Usual},
		{"8 cores, 480 min", 8, 480, chips.Usual},
	}
	for _, guard := range []int{0, 6, 12, 18} { // the baseline: what hands do
		b.Run(fmt.Sprintf("8 cores by hand, guard %d", guard), func(b *testing.B) {
			found, err := chips.MeasureBy(chips.Setup(8, 110), chips.Usual, b.N, 1,
				func(s survey.Setup) (chips.Planner, error) { return chips.ByHand(s, guard), nil })
			if err != nil {
				b.Fatal(err)
			}
			b.ReportMetric(found.Short, "short")
			b.ReportMetric(100*found.FalselyStable, "%false")
			b.ReportMetric(float64(found.Awful), "awful")
			b.ReportMetric(found.BenchMin, "bench-min")
		})
	}
	for _, row := range rows {
		b.Run(row.name, func(b *testing.B) {
			setup := chips.Setup(row.cores, row.minutes)
			found, err := chips.Measure(setup, row.kind, b.N, 1)
			if err != nil {
				b.Fatal(err)
			}
			slices.Sort(found.Took)
			b.ReportMetric(found.Short, "short")
			b.ReportMetric(100*found.FalselyStable, "%false")
			b.ReportMetric(float64(found.Awful), "awful")
			b.ReportMetric(found.True/found.Stated, "true/stated")
			b.ReportMetric(100*found.Over, "%above-high")
			b.ReportMetric(100*found.Inside, "%inside")
			b.ReportMetric(found.Took[len(found.Took)/2].Seconds(), "s/order")
		})
	}
}
