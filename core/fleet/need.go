// Package fleet tells of several rigs what each of them needs next, and which of them needs it first.
package fleet

import (
	"fmt"
	"strings"

	"zerokeel/core/proof"
)

// Glance is what is known of a rig at a glance.
type Glance struct {
	Retired  bool     // it is kept, and no longer on the bench
	Absence  string   // how it is away; empty while it is there
	Linked   bool     // now
	Heard    bool     // it was linked before
	Parts    bool     // its parts are known
	Busy     string   // what it is doing, such as "on trial"; empty for nothing
	Lost     string   // the trim that it lost; empty for none
	Raised   []string // messages of its watches
	Standing proof.Standing
	Stock    bool           // its trim in force is the machine as delivered
	None     bool           // no trim is in force
	Lacks    string         // how long it has to be tried for its next grade; empty for nothing
	Next     proof.Standing // that grade
	Warmer   string         // by how much it is warmer than it was, in words; empty where that is not shown
}

// Urgency orders needs: a lower one comes first.
type Urgency int

const (
	Broken    Urgency = iota // it is not what it should be
	Troubled                 // it tells of trouble
	Unproven                 // what it runs is not proven
	Untried                  // nothing was done with it yet
	Satisfied                // nothing
)

// Place is where what is needed is done.
type Place string

const (
	OnTrim    Place = "trim"
	OnTrial   Place = "trial"
	OnRig     Place = "rig"
	OnLog     Place = "log"
	OnTuning  Place = "tuning"
	OnFitting Place = "fitting"
)

// Need is what a rig needs next.
type Need struct {
	Urgency Urgency
	Words   string
	At      Place
}

// Need tells what a rig needs next: the first of all that it needs.
func (g *Glance) Need() Need {
	switch {
	case g.Retired:
		return Need{Satisfied, "retired", OnRig}
	case g.Lost != "":
		return Need{Broken, "lost " + g.Lost + ": fit it again", OnTrim}
	case g.Standing == proof.Failed:
		return Need{Broken, "failed: go back to a trim that holds", OnTrim}
	case g.Absence != "":
		return Need{Broken, g.Absence + ": look after it", OnRig}
	case len(g.Raised) > 0:
		return Need{Troubled, strings.Join(g.Raised, "; "), OnLog}
	case g.Warmer != "":
		return Need{Troubled, g.Warmer + ": look at its cooler", OnTrial}
	case !g.Heard && !g.Linked:
		return Need{Untried, "its agent was never heard: start it", OnRig}
	case !g.Parts:
		return Need{Untried, "its parts are not known: name them", OnRig}
	case g.Busy != "":
		return Need{Satisfied, g.Busy, OnTrial}
	case g.None:
		return Need{Untried, "no trim is in force: fit stock, for a baseline", OnFitting}
	case g.Stock && g.Standing != proof.Fitted:
		return Need{Untried, "runs as delivered: plan a tuning", OnTuning}
	case g.Standing == proof.Proven:
		return Need{Satisfied, "nothing", OnTrim}
	case g.Lacks != "":
		return Need{Unproven, fmt.Sprintf("%s more to %s", g.Lacks, g.Next), OnTrial}
	}
	return Need{Unproven, "is not proven: run a trial", OnTrial}
}
