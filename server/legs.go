package server

import (
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// legPlan decodes a leg as it is asked for.
func legPlan(a *api.LegRequest) workshop.LegPlan {
	out := workshop.LegPlan{Load: workshop.LoadKind(deref(a.Load)), Yardstick: deref(a.Yardstick), Seconds: a.Seconds,
		Width: string(deref(a.Width)), MemoryMB: deref(a.MemoryMB),
		AbortC: deref(a.AbortC), TargetC: deref(a.TargetC)}
	if a.Cores != nil {
		out.Cores = nonNil(*a.Cores)
	}
	if a.Inject != nil {
		out.Inject = &workshop.Inject{Core: a.Inject.Core, AfterS: a.Inject.AfterS}
	}
	return out
}
