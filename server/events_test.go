package server_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestEveryStepIsTold follows a fitting and a trial over the event stream alone.
func TestEveryStepIsTold(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	events := servertest.Listen(t, rig.Address)
	rig.Fit(rig.Trims()[0].Id)
	rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 30)}}).Id)
	seen := map[string]int{}
	rig.Until("every kind of news has come", func() bool {
		for {
			select {
			case m := <-events:
				if m.Rig != rig.ID && m.Topic != "vitals" {
					t.Errorf("news of rig %d", m.Rig)
				}
				seen[m.Topic]++
				continue
			default:
			}
			break
		}
		return seen["fitting"] >= 5 && seen["trim"] >= 2 && seen["trial"] >= 3 && seen["vitals"] >= 1 && seen["rig"] >= 2
	})
}

// TestComparisonAgainstHand takes the scores of two trims, and computes what the comparison should say of them.
func TestComparisonAgainstHand(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	stock := rig.Trims()[0].Id
	rig.Fit(stock)
	runs := []api.LegRequest{{Yardstick: ptr("burst")}, {Yardstick: ptr("burst")}}
	score := func(n int) {
		rig.Ended(rig.Start(api.StartTrialRequest{Purpose: ptr(api.StartTrialRequestPurposeScore), Legs: runs[:n]}).Id)
	}
	score(2)
	var capped api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID),
		api.CreateTrimRequest{Parent: stock, Name: "capped", Settings: trim.Settings{"limit.ppt": part.Number(90)}}, 201, &capped)
	rig.Fit(capped.Id)
	compare := func() map[string]api.ComparisonRow {
		var c api.Comparison
		rig.Call("GET", fmt.Sprintf("/api/comparison?trim=%d,%d", stock, capped.Id), nil, 200, &c)
		if len(c.Changes) != 1 || c.Changes[0].Key != "limit.ppt" {
			t.Errorf("changes: %+v", c.Changes)
		}
		out := map[string]api.ComparisonRow{}
		for _, t := range c.Tables {
			for _, r := range t.Rows {
				out[r.Key] = r
			}
		}
		return out
	}
	if r := compare()["score"]; r.Sides[1].N > 0 || r.Pairs[0].Absolute != nil || r.Pairs[0].Shown {
		t.Errorf("against no run: %+v", r)
	}
	score(1)
	if r := compare()["score"]; r.Pairs[0].Absolute == nil || r.Pairs[0].Half != nil || r.Pairs[0].Shown {
		t.Errorf("against one run a difference is shown, or an interval: %+v", r)
	}
	score(1)
	var scores []api.Score
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/scores", rig.ID), nil, 200, &scores)
	means := map[int64]float64{}
	for _, s := range scores {
		means[s.Trim] += s.Value / 2
	}
	r := compare()["score"]
	if len(scores) != 4 || math.Abs(*r.Pairs[0].Absolute-(means[capped.Id]-means[stock])) > 1e-6 ||
		math.Abs(*r.Pairs[0].Percent-100*(means[capped.Id]/means[stock]-1)) > 1e-6 {
		t.Errorf("means %v, row %+v", means, r)
	}
	if !r.Pairs[0].Shown || r.Pairs[0].Gain || r.Places[0] != api.PlaceBest || r.Places[1] != "" {
		t.Errorf("half the power costs points, but the row says %+v", r)
	}
	watts := compare()["power.package"]
	perWatt := compare()["perWatt"]
	if !watts.Pairs[0].Gain || *watts.Sides[1].Mean > 91 || !perWatt.Pairs[0].Gain {
		t.Errorf("watts %+v, per watt %+v", watts, perWatt)
	}
}

// TestInterleavedSession: two trims by turns, each fitted and run by itself; the runs make one block, and what one could start
// meanwhile is refused. A session whose run does not hold ends there, and one that is ended by hand keeps its runs.
func TestInterleavedSession(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	stock := rig.Trims()[0].Id
	rig.Fit(stock)
	var capped api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID),
		api.CreateTrimRequest{Parent: stock, Name: "capped", Settings: trim.Settings{"limit.ppt": part.Number(140)}}, 201, &capped)
	path := fmt.Sprintf("/api/rigs/%d/sessions", rig.ID)
	ended := func(s api.Session) api.Session {
		t.Helper()
		rig.Until("the session ends", func() bool {
			var all []api.Session
			rig.Call("GET", path, nil, 200, &all)
			s = all[0]
			return s.Ended
		})
		return s
	}
	ask := api.StartSessionRequest{Base: capped.Id, Trim: stock, Yardsticks: []string{"burst"}, Runs: 3}
	var s api.Session
	rig.Call("POST", path, ask, 201, &s)
	rig.Call("POST", path, ask, 409, nil)
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/fittings", rig.ID), api.FitRequest{Trim: stock}, 409, nil)
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trials", rig.ID), api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("idle", 20)}},
		409, nil)
	s = ended(s)
	if s.Problem != "" || s.Block != 3 || s.Blocks[0] != (api.SessionBlock{Trim: stock, Runs: 2}) || s.Blocks[1].Runs != 3 ||
		s.Blocks[2] != (api.SessionBlock{Trim: stock, Runs: 1}) {
		t.Fatalf("%+v", s)
	}
	var c api.Comparison
	rig.Call("GET", fmt.Sprintf("/api/comparison?trim=%d,%d", stock, capped.Id), nil, 200, &c)
	if got := c.Tables[0]; got.Sessions != 1 || !got.Interleaved || len(got.Left) > 0 || got.Rows[0].Sides[0].N != 3 ||
		got.Rows[0].Sides[1].N != 3 || !got.Rows[0].Pairs[0].Shown {
		t.Errorf("%+v", got)
	}
	rig.Call("POST", path, ask, 201, &s)
	rig.Call("POST", fmt.Sprintf("/api/sessions/%d/end", s.Id), nil, 200, nil)
	if s = ended(s); s.Problem == "" {
		t.Errorf("ended by hand: %+v", s)
	}
	rig.Call("POST", fmt.Sprintf("/api/sessions/%d/end", s.Id), nil, 409, nil)
}

// TestSilentSensorIsLeftOut: a channel that has given nothing but gaps is no channel of the answer, and no null in it.
func TestSilentSensorIsLeftOut(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	rig.Fit(rig.Trims()[0].Id)
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("idle", 20)}}).Id)
	ctx := t.Context()
	legs, err := rig.Store.Legs(ctx, trial.Id)
	if err != nil {
		t.Fatal(err)
	}
	// A late frame of a second stream, in which one sensor is silent.
	if _, _, err := rig.Store.Hello(ctx, rig.ID, &link.Hello{Stream: "late", BootID: "b", Channels: []channel.Channel{{Key: "silent",
		Unit: "V", Core: -1}, {Key: "power.package", Unit: "W", Core: -1}}}, "late"); err != nil {
		t.Fatal(err)
	}
	frame := link.Frame{Seq: 1, Samples: &link.Samples{Order: legs[0].OrderID.String, At: []int64{legs[0].StartedMS.Int64 + 1},
		Channels: []string{"silent"}, Values: [][]*float64{{nil}}}}
	if _, err := rig.Store.Ingest(ctx, rig.ID, "late", []link.Frame{frame}, 0); err != nil {
		t.Fatal(err)
	}
	status, text := rig.Raw("GET", fmt.Sprintf("/api/trials/%d/telemetry", trial.Id), nil)
	if status != 200 || strings.Contains(string(text), "null") || strings.Contains(string(text), "silent") ||
		!strings.Contains(string(text), "power.package") {
		t.Errorf("%d %.300s", status, text)
	}
}

// TestTelemetryIsOnOneAxis: every channel begins with the first leg, and keeps its order and its extremes.
func TestTelemetryIsOnOneAxis(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	rig.Fit(rig.Trims()[0].Id)
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 60), servertest.Leg("idle", 60)}}).Id)
	if *trial.Legs[0].StartS != 0 || *trial.Legs[1].StartS < 60 {
		t.Errorf("legs start at %g and %g s", *trial.Legs[0].StartS, *trial.Legs[1].StartS)
	}
	for _, buckets := range []int{1, 7, 5000} {
		var out api.Telemetry
		rig.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?buckets=%d", trial.Id, buckets), nil, 200, &out)
		place := slices.IndexFunc(out.Channels, func(c api.ChannelSeries) bool { return c.Key == "power.package" })
		if place < 0 {
			t.Fatal("no power")
		}
		c := out.Channels[place]
		if len(c.T) > buckets || c.T[0] < 0 || !slices.IsSorted(c.T) || c.T[len(c.T)-1] > out.ToS {
			t.Errorf("%d buckets: times %v of %g s", buckets, c.T, out.ToS)
		}
		if slices.Max(*c.Max) < 150 || slices.Min(*c.Min) > 30 {
			t.Errorf("%d buckets: from %g to %g W, want heavy and idle in it", buckets, slices.Min(*c.Min), slices.Max(*c.Max))
		}
		for i := range c.T {
			if (*c.Min)[i] > c.Mean[i]+1e-3 || c.Mean[i] > (*c.Max)[i]+1e-3 {
				t.Errorf("bucket %d: %g, %g, %g", i, (*c.Min)[i], c.Mean[i], (*c.Max)[i])
			}
		}
		for _, one := range out.Channels {
			if one.Key == "clock.effective.mean" && slices.Max(*one.Max) < 4500 {
				t.Errorf("the cores' mean clock reaches only %g MHz", slices.Max(*one.Max))
			}
		}
	}
}

// TestScoresOfOtherPrograms: typed and imported, compared like the rig's own, every wrong line told at once and nothing
// stored beside it.
func TestScoresOfOtherPrograms(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	stock := rig.Trims()[0].Id
	var changed api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID),
		api.CreateTrimRequest{Parent: stock, Name: "limits", Settings: trim.Settings{"limit.ppt": part.Number(142)}}, 201, &changed)
	path := fmt.Sprintf("/api/rigs/%d/scores", rig.ID)
	send := func(table string) (int, string) {
		t.Helper()
		status, text := upload(t, rig.Address, path+"/import", strings.NewReader(table))
		return status, string(text)
	}
	table := "Trim;Yardstick;Unit;Better;Value;Time\n0;Big render;s;lower;93,2;2026-03-01 10:00:00\n0;Big render;s;lower;93,4;2026-03-01 10:05:00\nT1;Big render;s;lower;88,1;2026-03-01 11:00:00\n1;Big render;;;88,3;2026-03-01 11:05:00\n"
	if status, text := send(table); status != 201 || text != `{"added":4,"known":0}`+"\n" {
		t.Fatalf("%d %s", status, text)
	}
	if status, text := send(table); status != 201 || text != `{"added":0,"known":4}`+"\n" {
		t.Errorf("the same table again: %d %s", status, text)
	}
	status, text := send("trim,yardstick,unit,better,value\n0,Big render,pt,lower,9\n7,Own game,1/s,higher,100\n0,All-core burst,pt,higher,5\n0,New one,pt,best,5\n0,Own game,1/s,higher,-3\n0,Own game\n")
	for _, want := range []string{"line 2, unit", "line 3, trim", "line 4, yardstick", "line 5, better", "line 6, value", "line 7"} {
		if status != 422 || !strings.Contains(text, `"`+want+`"`) {
			t.Errorf("%d: %s is not told in %s", status, want, text)
		}
	}
	for _, table := range []string{"", "a,b\n1,2\n", "prose without a table"} {
		if status, text := send(table); status != 422 {
			t.Errorf("%q: %d %s", table, status, text)
		}
	}
	var added api.ScoresAdded
	rig.Call("POST", path, api.AddScoresRequest{Trim: changed.Id, Yardstick: "Big  Render!", Unit: "s", Better: "lower",
		Values: []float64{88.2}}, 201, &added)
	rig.Call("POST", path, api.AddScoresRequest{Trim: 999, Yardstick: "!", Unit: "s", Better: "lower", Values: []float64{-1}}, 422, nil)
	var c api.Comparison
	rig.Call("GET", fmt.Sprintf("/api/comparison?trim=%d,%d", stock, changed.Id), nil, 200, &c)
	if len(c.Tables) != 1 || len(c.Tables[0].Rows) != 1 {
		t.Fatalf("the comparison: %+v", c.Tables)
	}
	if r := c.Tables[0].Rows[0]; r.Label != "Big render" || r.Sides[1].N != 3 || !r.Pairs[0].Gain || math.Abs(*r.Pairs[0].Absolute+5.1) > 0.05 {
		t.Fatalf("the comparison: %+v", r)
	}
	var scores []api.Score
	rig.Call("GET", path, nil, 200, &scores)
	for _, x := range scores {
		rig.Call("DELETE", fmt.Sprintf("%s/%d", path, x.Id), nil, 204, nil)
	}
	var yardsticks []api.Yardstick
	if rig.Call("GET", "/api/yardsticks", nil, 200, &yardsticks); slices.ContainsFunc(yardsticks,
		func(y api.Yardstick) bool { return !y.Own }) {
		t.Errorf("a yardstick outlives its scores: %+v", yardsticks)
	}
}
