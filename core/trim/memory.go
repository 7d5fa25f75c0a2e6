package trim

import "zerokeel/core/part"

// Positions of the memory profile.
const (
	ProfileSafe   = "safe"
	ProfileRated  = "rated"
	ProfileManual = "manual"
)

var onlyManual = []When{{"memory.profile", choice(ProfileManual)}}

var memoryDefs = []Def{
	{Key: "memory.profile", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeChoice,
		Choices: []string{ProfileSafe, ProfileRated, ProfileManual}, Name: "Memory profile",
		Meaning: "Runs the kit at its rated profile, at values of one's own, or at the safe rate every board starts with."},
	{Key: "memory.rate", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeNumber, Unit: "MT/s", Kin: "manual memory", Only: onlyManual,
		Name: "Memory rate", Meaning: "Transfers per second of the kit, at a base clock of 100 MHz."},
	{Key: "memory.cl", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeNumber, Unit: "clocks", Kin: "manual memory", Only: onlyManual,
		Name: "CL", Meaning: "Clocks from a read command to its first data."},
	{Key: "memory.rcd", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeNumber, Unit: "clocks", Kin: "manual memory", Only: onlyManual,
		Name: "tRCD", Meaning: "Clocks from opening a row to reading it."},
	{Key: "memory.rp", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeNumber, Unit: "clocks", Kin: "manual memory", Only: onlyManual,
		Name: "tRP", Meaning: "Clocks that closing a row takes."},
	{Key: "memory.ras", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeNumber, Unit: "clocks", Kin: "manual memory", Only: onlyManual,
		Name: "tRAS", Meaning: "Clocks that a row stays open at least."},
	{Key: "memory.commandRate", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeChoice, Choices: []string{"1T", "2T"},
		Neutral: choice("1T"), Name: "Command rate", Meaning: "Clocks that a command stands on the bus; two are easier on full slots."},
	{Key: "memory.timing.*", Group: GroupMemory, Scope: part.ScopeTiming, Type: TypeNumber, Unit: "clocks", Words: []string{Auto},
		Neutral: choice(Auto), Name: "Memory timing {n}", Meaning: "A further timing of the kit, in clocks, under the board's name for it.",
		NoEffect: "the models take the primary timings only; further ones differ from kit to kit"},
	{Key: "memory.voltage", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeNumber, Unit: "V", Words: []string{Auto}, Kin: "manual memory",
		Name: "Memory voltage", Meaning: "Supply of the memory kit; higher rates need more, and warm it."},
	{Key: "memory.fabric", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeNumber, Unit: "MHz", Words: []string{Auto},
		Neutral: choice(Auto), Parts: func(p *part.Processor) bool { return p.Uncore.FabricMHz > 0 }, Name: "Fabric clock",
		Meaning: "Clock of the links between clusters and memory controller."},
	{Key: "memory.synchronous", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeChoice, Choices: []string{"1:1", "1:2"},
		Neutral: choice("1:1"), Name: "Memory controller ratio",
		Meaning: "Runs the memory controller in step with the memory, or at half its clock, which costs latency."},
	{Key: "memory.powerDown", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeSwitch, Name: "Memory power-down",
		Meaning: "Lets idle ranks sleep: less power at idle, a little more latency."},
	{Key: "memory.trainWarm", Group: GroupMemory, Scope: part.ScopeRig, Type: TypeSwitch, Name: "Training on warm start",
		Meaning:  "Trains the memory anew at every restart instead of reusing the last result.",
		NoEffect: "it changes how long a start takes, not what runs afterwards"},
}
