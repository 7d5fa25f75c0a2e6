package part

import "math"

// ofPump returns a figure of a cooler's pump, NaN where there is none.
func ofPump(of func(*Pump) float64) func(*Cooler) float64 {
	return func(c *Cooler) float64 {
		if c.Pump == nil {
			return math.NaN()
		}
		return of(c.Pump)
	}
}

var coolerFigures = []figure[Cooler]{
	{Field{Path: "baseKPerW", Group: "Resistance", Label: "Base above coolant or fins", Unit: "K/W", Min: 0.005, Max: 1},
		func(c *Cooler) float64 { return c.BaseKPerW }},
	{Field{Path: "airKPerW", Group: "Resistance", Label: "Coolant or fins above the air", Unit: "K/W", Min: 0.01, Max: 3,
		Help: "at full fan speed"},
		func(c *Cooler) float64 { return c.AirKPerW }},
	{Field{Path: "airExponent", Group: "Resistance", Label: "Exponent of the fan's speed", Max: 1.5,
		Help: "by which slower fans let it rise: 0.5 to 0.8"},
		func(c *Cooler) float64 { return c.AirExponent }},
	{Field{Path: "coolantJPerK", Group: "Resistance", Label: "Capacity of coolant or fins", Unit: "J/K", Min: 20, Max: 20000,
		Help: "a litre of water holds 4,200"}, func(c *Cooler) float64 { return c.CoolantJPerK }},
	{Field{Path: "pump.balanced", Group: "Pump", Label: "Resistance when balanced", Min: 1, Max: 3,
		Help: "base to coolant, against full speed"},
		ofPump(func(p *Pump) float64 { return p.Balanced })},
	{Field{Path: "pump.quiet", Group: "Pump", Label: "Resistance when quiet", Min: 1, Max: 3, Help: "at least that when balanced"},
		ofPump(func(p *Pump) float64 { return p.Quiet })},
	{Field{Path: "pump.maxNoise", Group: "Pump", Label: "Noise at full speed", Unit: "dB(A)", Max: 60},
		ofPump(func(p *Pump) float64 { return p.MaxNoise })},
}

// fanFigures are those of a cooler's fan, and of one that was learnt.
var fanFigures = []figure[Fan]{
	{Field{Path: "stallDuty", Group: "Fan", Label: "Stops below", Unit: "%", Max: 60}, func(f *Fan) float64 { return f.StallDuty }},
	{Field{Path: "startDuty", Group: "Fan", Label: "Starts from", Unit: "%", Max: 80, Optional: true,
		Help: "when it stands; as it stops if left out"},
		func(f *Fan) float64 { return f.StartDuty }},
	{Field{Path: "minRPM", Group: "Fan", Label: "Lowest speed", Unit: "rpm", Min: 50, Max: 3000}, func(f *Fan) float64 { return f.MinRPM }},
	{Field{Path: "maxRPM", Group: "Fan", Label: "Full speed", Unit: "rpm", Min: 50, Max: 8000}, func(f *Fan) float64 { return f.MaxRPM }},
	{Field{Path: "maxNoise", Group: "Fan", Label: "Noise at full speed", Unit: "dB(A)", Min: 5, Max: 90},
		func(f *Fan) float64 { return f.MaxNoise }},
}

// coolerFields are a cooler's, its fan's among them.
func coolerFields() []Field {
	out := fieldsOf(nameFields, coolerFigures)
	for _, one := range fieldsOf(nil, fanFigures) {
		one.Path = "fan." + one.Path
		out = append(out, one)
	}
	return out
}

var coolerTables = []Table{
	{Path: "fan.speeds", Group: "Fan", Label: "Speed by duty", Most: 101,
		Help: "where it was measured: it counts instead of lowest and full speed",
		Columns: []Field{
			{Path: "duty", Label: "Duty", Unit: "%", Type: ANumber, Max: 100},
			{Path: "rpm", Label: "Speed", Unit: "rpm", Type: ANumber, Max: 8000}}},
}

var memoryFigures = []figure[Memory]{
	{Field{Path: "safeMTs", Group: "Rate", Label: "Rate without a profile", Unit: "MT/s", Min: 800, Max: 12000},
		func(m *Memory) float64 { return m.SafeMTs }},
	{Field{Path: "ratedMTs", Group: "Rate", Label: "Rate of the rated profile", Unit: "MT/s", Min: 800, Max: 12000,
		Help: "at least that without"},
		func(m *Memory) float64 { return m.RatedMTs }},
	{Field{Path: "cl", Group: "Timings of the rated profile", Label: "CL", Unit: "clocks", Min: 5, Max: 100, Type: AWhole},
		func(m *Memory) float64 { return float64(m.CL) }},
	{Field{Path: "safeCL", Group: "Rate", Label: "CL without a profile", Unit: "clocks", Min: 5, Max: 100, Type: AWhole},
		func(m *Memory) float64 { return float64(m.SafeCL) }},
	{Field{Path: "rcd", Group: "Timings of the rated profile", Label: "RCD", Unit: "clocks", Min: 5, Max: 300, Type: AWhole, Optional: true,
		Help: "as CL if left out"}, func(m *Memory) float64 { return float64(m.RCD) }},
	{Field{Path: "rp", Group: "Timings of the rated profile", Label: "RP", Unit: "clocks", Min: 5, Max: 300, Type: AWhole, Optional: true,
		Help: "as CL if left out"}, func(m *Memory) float64 { return float64(m.RP) }},
	{Field{Path: "ras", Group: "Timings of the rated profile", Label: "RAS", Unit: "clocks", Min: 5, Max: 300, Type: AWhole, Optional: true},
		func(m *Memory) float64 { return float64(m.RAS) }},
	{Field{Path: "v", Group: "Rate", Label: "Voltage of the rated profile", Unit: "V", Min: 0.8, Max: 2.2, Optional: true},
		func(m *Memory) float64 { return m.V }},
	{Field{Path: "capacityG", Group: "Rate", Label: "Size", Unit: "GiB", Min: 1, Max: 2048, Type: AWhole, Help: "of the whole kit"},
		func(m *Memory) float64 { return float64(m.CapacityG) }},
}

var boardFigures = []figure[Board]{
	{Field{Path: "acMOhm", Group: "Load line", Label: "AC load line of \"auto\"", Unit: "mΩ", Max: 5, Optional: true},
		func(b *Board) float64 { return b.ACMOhm }},
	{Field{Path: "dcMOhm", Group: "Load line", Label: "DC load line of \"auto\"", Unit: "mΩ", Max: 5, Optional: true,
		Help: "as the output really droops if left out"}, func(b *Board) float64 { return b.DCMOhm }},
	{Field{Path: "vrm.idleW", Group: "Regulator", Label: "Loss at rest", Unit: "W", Max: 100}, func(b *Board) float64 { return b.VRM.IdleW }},
	{Field{Path: "vrm.ohmicMOhm", Group: "Regulator", Label: "Loss by current", Unit: "mΩ", Max: 20, Help: "times the square of the current"},
		func(b *Board) float64 { return b.VRM.OhmicMOhm }},
	{Field{Path: "vrm.kPerW", Group: "Regulator", Label: "Warms by", Unit: "K/W", Max: 20}, func(b *Board) float64 { return b.VRM.KPerW }},
	{Field{Path: "vrm.maxA", Group: "Regulator", Label: "Switches off at", Unit: "A", Max: 2000, Optional: true},
		func(b *Board) float64 { return b.VRM.MaxA }},
	{Field{Path: "vrm.kHz", Group: "Regulator", Label: "Switching frequency", Unit: "kHz", Min: 50, Max: 4000, Optional: true,
		Help: "400 if left out"},
		func(b *Board) float64 { return b.VRM.KHz }},
	{Field{Path: "fan.points", Group: "Fan header", Label: "Points of the curve", Min: 2, Max: 16, Type: AWhole},
		func(b *Board) float64 { return float64(b.Fan.Points) }},
	{Field{Path: "fan.smoothingS", Group: "Fan header", Label: "Smoothing as delivered", Unit: "s", Max: 120},
		func(b *Board) float64 { return b.Fan.SmoothingS }},
	{Field{Path: "restW", Group: "Supply", Label: "Everything else on it", Unit: "W", Max: 1000,
		Help: "beside processor and regulator: graphics, drives, fans"},
		func(b *Board) float64 { return b.RestW }},
	{Field{Path: "supply", Group: "Supply", Label: "Efficiency", Min: 0.3, Max: 1, Help: "as a share, such as 0.9, not in percent"},
		func(b *Board) float64 { return b.Supply }},
}

var boardTables = []Table{
	{Path: "loadLine", Group: "Load line", Label: "Levels of load-line calibration", Least: 1, Most: 20,
		Help: "slope, and what a sudden step of current sees, which grows as the slope gets flatter",
		Columns: []Field{
			{Path: "level", Label: "Level", Type: AWhole, Min: 0, Max: 100},
			{Path: "mOhm", Label: "Slope", Unit: "mΩ", Type: ANumber, Max: 5},
			{Path: "stepMOhm", Label: "Of a step", Unit: "mΩ", Type: ANumber, Max: 5}}},
	{Path: "settings", Group: "Settings", Label: "What it calls each setting", Most: 400, Fixed: true,
		Help: "learnt from its registry, or worded from a card; added as text",
		Columns: []Field{
			{Path: "setting", Label: "Setting", Type: AWord},
			{Path: "label", Label: "Its words", Type: AWord},
			{Path: "menu", Label: "Menu", Type: AWords, Optional: true},
			{Path: "min", Label: "Lowest", Type: ANumber, Min: -1e6, Max: 1e6, Optional: true},
			{Path: "max", Label: "Highest", Type: ANumber, Min: -1e6, Max: 1e6, Optional: true},
			{Path: "step", Label: "Step", Type: ANumber, Max: 1e6, Optional: true}}},
}
