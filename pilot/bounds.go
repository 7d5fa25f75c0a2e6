package pilot

import (
	"fmt"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/store"
	"zerokeel/workshop"
)

// passesBound says which bound a trim is expected to pass; empty for none.
func (f *flight) passesBound(c *workshop.Check) string {
	if c.Forecast == nil {
		return ""
	}
	bounds := &f.Plan.V
	if heavy, ok := c.Forecast.Load(load.Heavy); ok && bounds.MostW > 0 && heavy.PackageW > bounds.MostW {
		return fmt.Sprintf("would draw %.0f W, and %.0f are allowed", heavy.PackageW, bounds.MostW)
	}
	for _, s := range c.Forecast.Loads {
		if bounds.MostV > 0 && s.VoltageMaxV > bounds.MostV {
			return fmt.Sprintf("would come to %.3f V under %s load, and %.3f are allowed", s.VoltageMaxV, s.Load, bounds.MostV)
		}
	}
	return ""
}

// What sensors may show beyond a bound that a machine keeps: a share of the watts, and V.
const (
	sensorShare = 0.03
	sensorV     = 0.01
)

// passedBound says which bound the legs of a trial passed, by what was measured; empty for none. Watts are those of a whole leg, as limits
// of sustained power are: what is drawn for some seconds passes these on purpose.
func (f *flight) passedBound(legs []store.Leg) string {
	bounds := &f.Plan.V
	for i := range legs {
		l := &legs[i]
		for _, one := range l.Figures.V {
			switch {
			case bounds.MostW > 0 && one.Key == channel.PackagePower && one.Mean > (1+sensorShare)*bounds.MostW:
				return fmt.Sprintf("drew %.0f W under %s load, and %.0f are allowed", one.Mean, l.Load, bounds.MostW)
			case bounds.MostV > 0 && one.Key == channel.DeliveredVoltage && one.Peak > bounds.MostV+sensorV:
				return fmt.Sprintf("came to %.3f V under %s load, and %.3f are allowed", one.Peak, l.Load, bounds.MostV)
			}
		}
	}
	return ""
}
