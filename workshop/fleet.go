package workshop

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/fleet"
	"zerokeel/core/load"
	"zerokeel/core/proof"
	"zerokeel/store"
)

// FleetRig is a rig among the others: what it runs, what that came to against the machine as delivered, and what it needs next.
type FleetRig struct {
	Rig
	Trim  *store.Trim // in force; nil for none
	Stock bool        // and it is the machine as delivered
	Won   store.Won
	Stale bool // what it came to is being worked out anew
	Need  fleet.Need
}

// fleetWithin is for how long a look over the fleet works out what rigs came to. What is not done then is kept as it was known last, and
// done at the next look.
const fleetWithin = 400 * time.Millisecond

// Fleet looks over all rigs, in their order.
func (w *Workshop) Fleet(ctx context.Context) ([]FleetRig, error) {
	rigs, err := w.Rigs(ctx)
	if err != nil {
		return nil, err
	}
	lines, err := w.store.FleetLines(ctx)
	if err != nil {
		return nil, err
	}
	inForce, err := w.store.InForce(ctx)
	if err != nil {
		return nil, err
	}
	stocks, err := w.store.Stocks(ctx)
	if err != nil {
		return nil, err
	}
	until := time.Now().Add(fleetWithin)
	out := make([]FleetRig, len(rigs))
	for i := range rigs {
		one := FleetRig{Rig: rigs[i], Trim: inForce[rigs[i].ID]}
		if t := one.Trim; t != nil {
			one.Stock = t.ID == stocks[t.RigID]
			line := lines[t.RigID]
			now := line != nil && line.TrimID == t.ID && line.Version == one.RecordsVersion && line.Won.V.Way == wonWay
			if !now && time.Now().Before(until) {
				if line, err = w.fleetLine(ctx, &one, stocks[t.RigID]); err != nil {
					return nil, err
				}
				now = true
			}
			one.Stale = !now
			if line != nil && line.TrimID == t.ID {
				one.Won = line.Won.V
			}
		}
		one.Need = one.needs()
		out[i] = one
	}
	return out, nil
}

// wonWay numbers the way in which a line is worked out: what was kept of an earlier way is worked out anew.
const wonWay = 2

// fleetLine works out what a rig's trim in force came to, and keeps it.
func (w *Workshop) fleetLine(ctx context.Context, r *FleetRig, stock int64) (*store.FleetLine, error) {
	line := store.FleetLine{RigID: r.ID, TrimID: r.Trim.ID, Version: r.RecordsVersion}
	found, err, _ := w.known.underWay.Do(fmt.Sprint("fleet ", line.RigID, line.TrimID, line.Version), func() (any, error) {
		h, err := w.history(ctx, r.ID)
		if err != nil {
			return nil, err
		}
		line.Won.Valid = true
		line.Won.V.Way = wonWay
		if line.Won.V.Traits, err = w.traits(ctx, r.ID); err != nil {
			return nil, err
		}
		line.Won.V.Warmer = warmer(h.legsUnder(r.Trim.ID))
		if r.Trim.ID != stock && stock != 0 {
			c, err := w.Compare(ctx, []int64{stock, r.Trim.ID})
			if err != nil {
				return nil, err
			}
			line.Won.V.Gains = compare.Gains(c.Settled, c.Tables, 0, 1)
		}
		return &line, w.store.KeepFleetLine(ctx, &line)
	})
	if err != nil {
		return nil, err
	}
	return found.(*store.FleetLine), nil
}

// When a machine counts as warmer than it was under the same trim: by so many kelvin at least, and so surely, in standard deviations.
const (
	leastWarmerK  = 3.0
	warmerSurely  = 2.6
	warmerLeastOf = 2 // legs
)

// warmer says by how much the newest heavy leg is warmer above its room than those before it; empty where that is not shown.
func warmer(legs []compare.Leg) string {
	var heavy []compare.Leg
	for _, l := range legs {
		if l.Load == load.Heavy && compare.LevelOf(load.Heavy, channel.AboveAmbient, []compare.Leg{l}).Legs > 0 {
			heavy = append(heavy, l)
		}
	}
	if len(heavy) < warmerLeastOf {
		return ""
	}
	before := compare.LevelOf(load.Heavy, channel.AboveAmbient, heavy[:len(heavy)-1])
	now := compare.LevelOf(load.Heavy, channel.AboveAmbient, heavy[len(heavy)-1:])
	day := compare.Day(channel.AboveAmbient, now.Value)
	sd := math.Hypot(math.Hypot(before.SD, now.SD), day*math.Sqrt(1+1/float64(before.Legs)))
	more := now.Value - before.Value
	if more < leastWarmerK || more < warmerSurely*sd {
		return ""
	}
	return fmt.Sprintf("%.1f ± %.1f K warmer than it was", more, 1.96*sd)
}

// atWork are the states of a rig with which something is done.
var atWork = []string{"on trial", "fitting", "recovering"}

// needs tells what a rig needs next.
func (r *FleetRig) needs() fleet.Need {
	g := fleet.Glance{Retired: r.Retired, Absence: string(r.Absence), Linked: r.Linked,
		Heard: r.Linked || r.Facts.Valid || r.Absence != "", Parts: r.Set != nil, Raised: r.Raised, None: r.Trim == nil, Stock: r.Stock, Warmer: r.Won.Warmer}
	if slices.Contains(atWork, r.State) {
		g.Busy = r.State
	}
	if t := r.Trim; t != nil {
		g.Standing = t.Standing
		if p := proofOf(t, &r.Rig.Rig); p != nil {
			g.Next = p.Next
			if p.TakesS > 0 {
				g.Lacks = proof.Span(p.TakesS)
			}
		}
	}
	if r.LostTrim.Valid {
		g.Lost = "its trim"
	}
	if g.Standing == "" {
		g.Standing = proof.Draft
	}
	return g.Need()
}

// ExportFleet makes the look over all rigs ready to be written as a table.
func (w *Workshop) ExportFleet(ctx context.Context, comma rune) (*Export, error) {
	rigs, err := w.Fleet(ctx)
	if err != nil {
		return nil, err
	}
	lines := [][]string{{"rig", "processor", "cooler", "state", "trim", "name", "standing", "speed %", "speed ±", "power W",
		"power ±", "heat K", "heat ±", "noise dB(A)", "noise ±", "needs"}}
	for i := range rigs {
		r := &rigs[i]
		line := []string{r.Name, "", "", r.State, "", "", ""}
		if r.Set != nil {
			line[1], line[2] = r.Set.Processor.Name.String(), r.Set.Cooler.Name.String()
		}
		if t := r.Trim; t != nil {
			line[4], line[5], line[6] = nameOf(t), t.Name, string(t.Standing)
		}
		for _, what := range []string{"speed", "power", "heat", "noise"} {
			value, half := "", ""
			for _, g := range r.Won.Gains {
				if g.What == what {
					value, half = plainly(g.Value, true), plainly(g.Half, g.Half > 0)
				}
			}
			line = append(line, value, half)
		}
		lines = append(lines, append(line, r.Need.Words))
	}
	return tableOf("fleet.csv", comma, lines), nil
}
