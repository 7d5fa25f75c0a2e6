package clock

import (
	"math"

	"zerokeel/core/part"
)

// Derived is a clock that follows from the base clock.
type Derived struct {
	Name    string  `json:"name"`
	Unit    string  `json:"unit"`
	Usual   float64 `json:"usual"` // at the processor's own base clock
	Now     float64 `json:"now"`
	Percent float64 `json:"percent"` // by how much it moved
}

// Plan answers what a base clock moves, and how memory and fabric stay where they are proven.
type Plan struct {
	BaseMHz       float64   `json:"baseMHz"`
	MemorySetting float64   `json:"memorySetting"` // memory rate to set, of those the board offers; 0 where none fits
	MemoryMTs     float64   `json:"memoryMTs"`     // what it becomes
	FabricSetting float64   `json:"fabricSetting"` // fabric clock to set; 0 where there is none
	FabricMHz     float64   `json:"fabricMHz"`
	Synchronous   bool      `json:"synchronous"` // the fabric keeps step with the memory controller
	Derived       []Derived `json:"derived"`
}

// Asked is what a trim asks of the clocks that hang on the base clock.
type Asked struct {
	BaseMHz      float64
	ReferenceMHz float64 // of the cores, where it is set apart; 0 where it is the base clock
	OffsetMHz    float64 // boost ceiling offset
	RateMTs      float64 // memory rate that is entered; 0 where a profile chooses it
	Half         bool    // the memory controller runs at half the kit's clock
}

// NewPlan derives the clocks of what is asked. provenMTs is the highest memory rate to be reached, rates those that the board
// offers at the usual base clock, in rising order.
func NewPlan(p *part.Processor, ask Asked, provenMTs float64, rates []float64) Plan {
	scale := ask.BaseMHz / p.BaseClockMHz
	cores := scale
	if ask.ReferenceMHz > 0 {
		cores = ask.ReferenceMHz / p.BaseClockMHz
	}
	plan := Plan{BaseMHz: ask.BaseMHz}
	for _, rate := range rates {
		if rate*scale <= provenMTs*(1+1e-9) {
			plan.MemorySetting = rate
		}
	}
	plan.MemoryMTs = plan.MemorySetting * scale
	if p.Uncore.FabricMHz > 0 && plan.MemorySetting > 0 {
		most := math.Max(p.Uncore.FabricMax, p.Uncore.FabricMHz)
		step := InStepMHz(p, plan.MemorySetting, ask.Half)
		plan.FabricSetting = math.Min(step, math.Floor(most/scale))
		plan.FabricMHz = plan.FabricSetting * scale
		plan.Synchronous = plan.FabricSetting >= step-1e-9
	}
	add := func(name, unit string, usual, now float64) {
		if usual > 0 {
			plan.Derived = append(plan.Derived, Derived{name, unit, usual, now, 100 * (now/usual - 1)})
		}
	}
	add("Highest core clock", "MHz", p.HighestMHz(), p.HighestMHz()*cores+ask.OffsetMHz)
	add("All-core clock", "MHz", p.CeilingMHz(p.Cores()), p.CeilingMHz(p.Cores())*cores+ask.OffsetMHz)
	if p.Ring != nil {
		add("Ring", "MHz", p.Ring.MHz, p.Ring.MHz*scale)
	}
	if n := len(rates); n > 0 {
		top := plan.MemorySetting
		for _, rate := range rates {
			if rate <= provenMTs*(1+1e-9) {
				top = rate
			}
		}
		if ask.RateMTs > 0 {
			add("Memory as entered", "MT/s", ask.RateMTs, ask.RateMTs*scale)
		}
		add("Memory", "MT/s", top, plan.MemoryMTs)
		if plan.FabricSetting > 0 {
			add("Fabric", "MHz", FabricMHz(p, top), plan.FabricMHz)
		}
	}
	return plan
}
