package server_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// terns are like machines, whose chips differ.
func terns(t testing.TB, bench *servertest.Bench, n int) (list []*servertest.Rig, ids []int64) {
	t.Helper()
	for i := range n {
		cfg := example(t, "tern-1")
		cfg.Name, cfg.Seed = fmt.Sprintf("tern %d", i+1), uint64(100+i)
		cfg.Reserve = standin.Reserve{Heavy: 0.3, Light: 0.3, Transition: 0.3, Idle: 0.3}
		rig := bench.AddRig(cfg, 600)
		rig.Fit(rig.Trims()[0].Id)
		list, ids = append(list, rig), append(ids, rig.ID)
	}
	return list, ids
}

// TestBatchKeepsTheFuse: a trim of one of four like machines is carried to the others, fitted and tried, all by one action; at no
// moment do more work than the ceiling bears, each comes to its end, and what stands against a batch is said for every rig at once.
func TestBatchKeepsTheFuse(t *testing.T) {
	bench := servertest.Start(t)
	rigs, ids := terns(t, bench, 4)
	var quiet api.Trim
	rigs[0].Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rigs[0].ID), map[string]any{"parent": rigs[0].Trims()[0].Id, "name": "limits",
		"settings": map[string]any{"limit.beyondSpec": false, "voltage.core.offset": -30}}, 201, &quiet)
	const short = "short"
	bench.Call("PUT", "/api/ladders/"+short, map[string]any{"name": "short", "note": "for a look",
		"steps": []map[string]any{{"load": "heavy", "seconds": 60}, {"load": "idle", "seconds": 20}}}, 200, nil)
	start := func(mostW float64) map[string]any {
		return map[string]any{"rigs": ids, "ladder": short, "trim": quiet.Id, "mostW": mostW}
	}
	var problem api.Problem
	bench.Call("POST", "/api/batches", start(100), 422, &problem)
	if len(problem.Faults) != 4 || !strings.Contains(problem.Faults[2].Problem, "tern 3 draws up to") {
		t.Errorf("%+v", problem)
	}
	var free api.Batch
	bench.Call("POST", "/api/batches", start(0), 201, &free)
	bench.Call("POST", fmt.Sprintf("/api/batches/%d/stop", free.Id), nil, 200, nil)
	ended := func(id int64, see func(api.Batch)) api.Batch {
		var found api.Batch
		bench.Until("the batch ends", func() bool {
			var list []api.Batch
			bench.Call("GET", "/api/batches", nil, 200, &list)
			for _, b := range list {
				if b.Id == id {
					found = b
				}
			}
			see(found)
			return found.Ended
		})
		return found
	}
	for _, m := range ended(free.Id, func(api.Batch) {}).Members {
		if m.State != "ended" || m.Words == "" {
			t.Errorf("%+v", m)
		}
	}
	bench.Until("every rig is linked again", func() bool {
		return !slices.ContainsFunc(rigs, func(r *servertest.Rig) bool { return !r.Get().Linked })
	})
	// Two of them at once, and never three.
	one := free.Members[0]
	most := 2*one.ExpectW + 2*one.IdleW + 0.6*(one.ExpectW-one.IdleW)
	var b api.Batch
	bench.Call("POST", "/api/batches", start(most), 201, &b)
	var taken api.Problem
	bench.Call("POST", "/api/batches", start(0), 409, &taken)
	at := 0
	b = ended(b.Id, func(b api.Batch) {
		n := 0
		for _, m := range b.Members {
			if m.State == "goes" {
				n++
			}
		}
		if at = max(at, n); n > 2 || b.DrawW > most {
			t.Errorf("%d work at once, and %.0f W of %.0f are drawn", n, b.DrawW, most)
		}
	})
	if at != 2 {
		t.Errorf("at most %d worked at once, and the ceiling bears two", at)
	}
	for i, m := range b.Members {
		if m.State != "ended" || m.Verdict != "held" || m.Trial == 0 || m.Share != 1 {
			t.Errorf("%+v", m)
		}
		trims := rigs[i].Trims()
		last := trims[len(trims)-1]
		got, offset := rigs[i].Get(), fmt.Sprint(last.Settings["voltage.core.offset"])
		if got.TrimInForce == nil || *got.TrimInForce != last.Id || offset != "-30" {
			t.Errorf("%s runs %v, not %+v", got.Name, got.TrimInForce, last)
		}
	}
}
