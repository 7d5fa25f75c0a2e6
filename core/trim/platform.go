package trim

import "zerokeel/core/part"

var platformDefs = []Def{
	{Key: "platform.smt", Group: GroupPlatform, Scope: part.ScopeRig, Type: TypeSwitch, Neutral: part.Switch(true),
		Parts: func(p *part.Processor) bool { return p.ThreadsPerCore > 1 }, Name: "SMT", Meaning: "Runs two threads on a core."},
	{Key: "platform.cStates", Group: GroupPlatform, Scope: part.ScopeRig, Type: TypeSwitch, Neutral: part.Switch(true), Name: "C-states",
		Meaning: "Lets idle cores sleep."},
	{Key: "platform.frequencyControl", Group: GroupPlatform, Scope: part.ScopeRig, Type: TypeSwitch, Neutral: part.Switch(true),
		Name: "Firmware frequency control", Meaning: "Lowers the clock of idle cores by itself."},
	{Key: "platform.spread", Group: GroupPlatform, Scope: part.ScopeRig, Type: TypeSwitch, Neutral: part.Switch(false),
		Name: "Spread spectrum", Meaning: "Lets the base clock wander a little below its value, against radio noise."},
	{Key: "platform.virtualisation", Group: GroupPlatform, Scope: part.ScopeRig, Type: TypeSwitch, Name: "Virtualisation",
		Meaning: "Lets guests run on the machine.", NoEffect: "it changes what may run, not how fast or how hot"},
	{Key: "platform.firmware", Group: GroupPlatform, Scope: part.ScopeRig, Type: TypeText, Recorded: true, Name: "Firmware version",
		Meaning: "The version with which the trim was fitted.", NoEffect: "recorded, not set"},
	{Key: "platform.microcode", Group: GroupPlatform, Scope: part.ScopeRig, Type: TypeText, Recorded: true, Name: "Microcode version",
		Meaning: "The version with which the trim was fitted.", NoEffect: "recorded, not set"},
}
