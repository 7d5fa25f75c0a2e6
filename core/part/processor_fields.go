package part

import (
	"math"

	"zerokeel/core/load"
)

// processorNames are the fields of a processor that hold no number.
var processorNames = append(append([]Field{}, nameFields...),
	Field{Path: "style", Group: "Kind", Label: "Limits", Type: AChoice, Choices: []string{string(StyleCeiling), string(StyleWindow)},
		Help: "ceiling: PPT, TDC, EDC, and a boost ceiling; window: PL1, PL2 and tau, and ICCmax"},
	Field{Path: "rails", Group: "Kind", Label: "Rails", Type: AChoice, Optional: true, Choices: []string{string(RailsShared), string(RailsCluster)},
		Help: "shared: one for all cores, at the highest request of any; cluster: each cluster stands at its own"},
	Field{Path: "manualLifts", Group: "Kind", Label: "A ratio set by hand lifts the package limits", Type: AFlag, Optional: true,
		Style: StyleCeiling})

// ofRing returns a figure of the ring, NaN where there is none.
func ofRing(of func(*Ring) float64) func(*Processor) float64 {
	return func(p *Processor) float64 {
		if p.Ring == nil {
			return math.NaN()
		}
		return of(p.Ring)
	}
}

var processorFigures = append([]figure[Processor]{
	{Field{Path: "threadsPerCore", Group: "Kind", Label: "Threads per core", Unit: "threads", Min: 1, Max: 2, Type: AWhole},
		func(p *Processor) float64 { return float64(p.ThreadsPerCore) }},
	{Field{Path: "baseClockMHz", Group: "Clocks", Label: "Core reference clock", Unit: "MHz", Min: 50, Max: 400,
		Help: "what ratios multiply: 100 on nearly all"}, func(p *Processor) float64 { return p.BaseClockMHz }},
	{Field{Path: "ratioStep", Group: "Clocks", Label: "Step of a ratio", Min: 0.05, Max: 2,
		Help: "0.25 where quarters are taken, 1 where whole ones"},
		func(p *Processor) float64 { return p.RatioStep }},
	{Field{Path: "minRatio", Group: "Clocks", Label: "Lowest ratio", Min: 1, Max: 40}, func(p *Processor) float64 { return p.MinRatio }},
	{Field{Path: "baseMHz", Group: "Clocks", Label: "Clock promised on all cores", Unit: "MHz", Min: 500, Max: 8000,
		Help: "the maker's base clock, not what it boosts to"}, func(p *Processor) float64 { return p.BaseMHz }},
	{Field{Path: "curveStepV", Group: "Voltage", Label: "Volts per curve step", Unit: "V", Min: 0.0005, Max: 0.02,
		Help: "3 to 5 mV: 0.003 to 0.005"}, func(p *Processor) float64 { return p.CurveStepV }},
	{Field{Path: "limits.pptW", Group: "Maker's limits", Label: "PPT", Unit: "W", Min: 5, Max: 1000, Style: StyleCeiling,
		Help: "of the whole package"}, func(p *Processor) float64 { return p.Limits.PPTW }},
	{Field{Path: "limits.tdcA", Group: "Maker's limits", Label: "TDC", Unit: "A", Min: 5, Max: 1000, Style: StyleCeiling,
		Help: "current that is sustained"}, func(p *Processor) float64 { return p.Limits.TDCA }},
	{Field{Path: "limits.edcA", Group: "Maker's limits", Label: "EDC", Unit: "A", Min: 5, Max: 1500, Style: StyleCeiling,
		Help: "current at any moment"}, func(p *Processor) float64 { return p.Limits.EDCA }},
	{Field{Path: "limits.pl1W", Group: "Maker's limits", Label: "PL1", Unit: "W", Min: 5, Max: 1000, Style: StyleWindow,
		Help: "the running average over tau"}, func(p *Processor) float64 { return p.Limits.PL1W }},
	{Field{Path: "limits.pl2W", Group: "Maker's limits", Label: "PL2", Unit: "W", Min: 5, Max: 1500, Style: StyleWindow,
		Help: "at any moment; at least PL1"}, func(p *Processor) float64 { return p.Limits.PL2W }},
	{Field{Path: "limits.tauS", Group: "Maker's limits", Label: "Tau", Unit: "s", Min: 0.1, Max: 500, Style: StyleWindow},
		func(p *Processor) float64 { return p.Limits.TauS }},
	{Field{Path: "limits.iccMaxA", Group: "Maker's limits", Label: "ICCmax", Unit: "A", Min: 5, Max: 1500, Style: StyleWindow},
		func(p *Processor) float64 { return p.Limits.ICCMaxA }},
	{Field{Path: "limits.temperatureC", Group: "Maker's limits", Label: "Temperature", Unit: "°C", Min: 50, Max: 115,
		Help: "at which it slows down"}, func(p *Processor) float64 { return p.Limits.TemperatureC }},
	{Field{Path: "voltageMaxV", Group: "Voltage", Label: "Highest voltage", Unit: "V", Min: 0.7, Max: 2,
		Help: "that may be requested for good"},
		func(p *Processor) float64 { return p.VoltageMaxV }},
	{Field{Path: "transientMaxV", Group: "Voltage", Label: "Highest for a moment", Unit: "V", Min: 0.7, Max: 2.2,
		Help: "as load ends; at least the highest voltage"}, func(p *Processor) float64 { return p.TransientMaxV }},
	{Field{Path: "spread.chipV", Group: "How chips differ", Label: "Curve, between chips", Unit: "V", Max: 0.1, Help: "standard deviation"},
		func(p *Processor) float64 { return p.Spread.ChipV }},
	{Field{Path: "spread.coreV", Group: "How chips differ", Label: "Curve, between cores", Unit: "V", Max: 0.1, Help: "standard deviation"},
		func(p *Processor) float64 { return p.Spread.CoreV }},
	{Field{Path: "spread.clusterV", Group: "How chips differ", Label: "Curve, between clusters", Unit: "V", Max: 0.1, Optional: true},
		func(p *Processor) float64 { return p.Spread.ClusterV }},
	{Field{Path: "spread.leakage", Group: "How chips differ", Label: "Leakage", Max: 1,
		Help: "standard deviation, as a share of the typical"},
		func(p *Processor) float64 { return p.Spread.Leakage }},
	{Field{Path: "spread.coreR", Group: "How chips differ", Label: "Resistance of a core to the die", Max: 0.5, Optional: true,
		Help: "as a share"},
		func(p *Processor) float64 { return p.Spread.CoreR }},
	{Field{Path: "voltageMinV", Group: "Voltage", Label: "Lowest request", Unit: "V", Max: 1, Optional: true,
		Help: "below which no offset lowers it"}, func(p *Processor) float64 { return p.VoltageMinV }},
	{Field{Path: "uncore.fabricPer", Group: "Beside the cores", Label: "Fabric against memory clock", Min: 0.25, Max: 2, Optional: true,
		Help: "where both keep step; two thirds if left out"}, func(p *Processor) float64 { return p.Uncore.FabricPer }},
	{Field{Path: "power.oneThread", Group: "Power", Label: "Switched by one thread of two", Min: 0.4, Max: 1, Optional: true,
		Help: "as a share; 0.83 if left out"}, func(p *Processor) float64 { return p.Power.OneThread }},
	{Field{Path: "power.switchedNF", Group: "Power", Label: "Switched capacitance of a core", Unit: "nF", Min: 0.05, Max: 20},
		func(p *Processor) float64 { return p.Power.SwitchedNF }},
	{Field{Path: "power.leakA", Group: "Power", Label: "Leakage of a core", Unit: "A", Max: 20, Help: "at the voltage and temperature below"},
		func(p *Processor) float64 { return p.Power.LeakA }},
	{Field{Path: "power.leakPerV", Group: "Power", Label: "which grows by voltage", Unit: "1/V", Max: 12},
		func(p *Processor) float64 { return p.Power.LeakPerV }},
	{Field{Path: "power.leakPerK", Group: "Power", Label: "and by temperature", Unit: "1/K", Max: 0.05},
		func(p *Processor) float64 { return p.Power.LeakPerK }},
	{Field{Path: "power.leakV0", Group: "Power", Label: "from this voltage", Unit: "V", Min: 0.5, Max: 1.6},
		func(p *Processor) float64 { return p.Power.LeakV0 }},
	{Field{Path: "power.leakT0C", Group: "Power", Label: "and this temperature", Unit: "°C", Max: 110},
		func(p *Processor) float64 { return p.Power.LeakT0C }},
	{Field{Path: "uncore.baseW", Group: "Beside the cores", Label: "Drawn by the rest of the package", Unit: "W", Max: 200},
		func(p *Processor) float64 { return p.Uncore.BaseW }},
	{Field{Path: "uncore.perGTs", Group: "Beside the cores", Label: "more with the memory's rate", Unit: "W per 1,000 MT/s", Max: 20},
		func(p *Processor) float64 { return p.Uncore.PerGTs }},
	{Field{Path: "uncore.idleShare", Group: "Beside the cores", Label: "Share left at idle", Max: 1},
		func(p *Processor) float64 { return p.Uncore.IdleShare }},
	{Field{Path: "uncore.fabricMHz", Group: "Beside the cores", Label: "Fabric clock", Unit: "MHz", Max: 6000, Optional: true,
		Help: "as delivered"}, func(p *Processor) float64 { return p.Uncore.FabricMHz }},
	{Field{Path: "uncore.fabricMaxMHz", Group: "Beside the cores", Label: "Highest fabric clock in step", Unit: "MHz", Max: 6000,
		Optional: true, Help: "with the memory controller"}, func(p *Processor) float64 { return p.Uncore.FabricMax }},
	{Field{Path: "uncore.perGHz", Group: "Beside the cores", Label: "more with the fabric's clock", Unit: "W per GHz", Max: 40,
		Optional: true},
		func(p *Processor) float64 { return p.Uncore.PerGHz }},
	{Field{Path: "uncore.socV", Group: "Beside the cores", Label: "SoC voltage", Unit: "V", Max: 2, Optional: true, Help: "as delivered"},
		func(p *Processor) float64 { return p.Uncore.SoCV }},
	{Field{Path: "ring.mhz", Group: "Ring", Label: "Ring clock", Unit: "MHz", Min: 400, Max: 8000, Help: "as delivered"},
		ofRing(func(r *Ring) float64 { return r.MHz })},
	{Field{Path: "ring.v", Group: "Ring", Label: "Voltage at that clock", Unit: "V", Min: 0.4, Max: 1.6},
		ofRing(func(r *Ring) float64 { return r.V })},
	{Field{Path: "ring.vPerGHz", Group: "Ring", Label: "more for each GHz", Unit: "V per GHz", Max: 1},
		ofRing(func(r *Ring) float64 { return r.VPerGHz })},
	{Field{Path: "ring.w", Group: "Ring", Label: "Drawn there", Unit: "W", Max: 100}, ofRing(func(r *Ring) float64 { return r.W })},
	{Field{Path: "heat.coreKPerW", Group: "Heat", Label: "Core above die", Unit: "K/W", Max: 5, Help: "per watt of that core"},
		func(p *Processor) float64 { return p.Heat.CoreKPerW }},
	{Field{Path: "heat.dieKPerW", Group: "Heat", Label: "Die above base", Unit: "K/W", Min: 0.01, Max: 2, Help: "per watt of the package"},
		func(p *Processor) float64 { return p.Heat.DieKPerW }},
	{Field{Path: "heat.dieJPerK", Group: "Heat", Label: "Capacity of the die", Unit: "J/K", Min: 0.5, Max: 200},
		func(p *Processor) float64 { return p.Heat.DieJPerK }},
	{Field{Path: "heat.baseJPerK", Group: "Heat", Label: "Capacity of spreader and base", Unit: "J/K", Min: 5, Max: 2000},
		func(p *Processor) float64 { return p.Heat.BaseJPerK }},
	{Field{Path: "work.perMHz", Group: "Work", Label: "Points of one core", Unit: "points per MHz", Min: 0.001, Max: 100},
		func(p *Processor) float64 { return p.Work.PerMHz }},
	{Field{Path: "work.smtGain", Group: "Work", Label: "What a second thread adds", Max: 1, Help: "as a share"},
		func(p *Processor) float64 { return p.Work.SMTGain }},
	{Field{Path: "work.memoryShare", Group: "Work", Label: "Share that follows the memory", Max: 0.9},
		func(p *Processor) float64 { return p.Work.MemoryShare }},
}, activities()...)

// activities are the shares of the switched capacitance, by load. One that is left out is told elsewhere.
func activities() (out []figure[Processor]) {
	for _, k := range load.Classes {
		out = append(out, figure[Processor]{Field{Path: "power.activity." + string(k), Group: "Power", Max: 2,
			Label: "Share switched under " + string(k) + " load"}, func(p *Processor) float64 {
			if a, told := p.Power.Activity[k]; told {
				return a
			}
			return math.NaN()
		}})
	}
	return out
}

// The range of a fused point.
const (
	mostPointMHz           = 10000
	leastPointV, mostPoint = 0.3, 2
	leastPoints, mostVF    = 3, 32
)

var processorTables = []Table{
	{Path: "clusters", Group: "Kind", Label: "Clusters of cores", Least: 1, Most: 16,
		Help: "on one die, or of one kind, in the order of the cores' numbers",
		Columns: []Field{
			{Path: "name", Label: "Name", Type: AWord},
			{Path: "kind", Label: "Kind", Type: AChoice, Choices: []string{KindPerformance, KindEfficiency}},
			{Path: "cores", Label: "Cores", Type: AWhole, Min: 1, Max: MaxCores},
			{Path: "threads", Label: "Threads each", Type: AWhole, Min: 1, Max: 2, Optional: true},
			{Path: "size", Label: "Size", Type: ANumber, Min: 0.05, Max: 4, Optional: true, Help: "capacitance and leakage against the sheet's"},
			{Path: "work", Label: "Work", Type: ANumber, Min: 0.05, Max: 4, Optional: true, Help: "per MHz against the sheet's"},
			{Path: "voltageMaxV", Label: "Highest voltage", Unit: "V", Type: ANumber, Min: 0.7, Max: 2, Optional: true}}},
	{Path: "boost", Group: "Clocks", Label: "Clock ceiling by active cores", Least: 1, Most: MaxCores, Help: "ends with all cores",
		Columns: []Field{
			{Path: "cores", Label: "Active cores", Type: AWhole, Min: 1, Max: MaxCores},
			{Path: "mhz", Label: "Clock", Unit: "MHz", Type: ANumber, Min: 400, Max: mostPointMHz}}},
	{Path: "vf", Group: "Voltage", Label: "Voltage by clock, of a typical chip", Least: leastPoints, Most: mostVF,
		Help: "what is requested as delivered; clusters with their own are changed as text",
		Columns: []Field{
			{Path: "mhz", Label: "Clock", Unit: "MHz", Type: ANumber, Min: 1, Max: mostPointMHz},
			{Path: "v", Label: "Voltage", Unit: "V", Type: ANumber, Min: leastPointV, Max: mostPoint}}},
}
